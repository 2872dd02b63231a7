import { Box, Button, Flex, Input, Popover, Portal, Text } from '@chakra-ui/react';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { answered, client, type Photo } from '../api/client';
import { keepPhoto } from '../api/queries';
import { moment } from '../shared/format';

/** The photo's settings as they were, kept under names: to keep, to go back to, to forget. */
export function Snapshots({ photo }: { photo: Photo }) {
  const [name, setName] = useState('');
  const path = { photo_id: photo.id };
  const keep = useMutation({
    mutationFn: () => answered(client.POST('/api/photos/{photo_id}/snapshots', { params: { path }, body: { name } })),
    onSuccess: async (answer) => {
      await keepPhoto(answer);
      setName('');
    },
  });
  const restore = useMutation({
    mutationFn: (snapshot_id: number) =>
      answered(
        client.POST('/api/photos/{photo_id}/snapshots/{snapshot_id}/restore', {
          params: { path: { ...path, snapshot_id } },
        }),
      ),
    onSuccess: keepPhoto,
  });
  const forget = useMutation({
    mutationFn: (snapshot_id: number) =>
      answered(
        client.DELETE('/api/photos/{photo_id}/snapshots/{snapshot_id}', { params: { path: { ...path, snapshot_id } } }),
      ),
    onSuccess: keepPhoto,
  });
  const trouble = keep.error ?? restore.error ?? forget.error;
  return (
    <Popover.Root positioning={{ placement: 'bottom-end' }}>
      <Popover.Trigger asChild>
        <Box
          as="button"
          flex="none"
          px="2"
          height="26px"
          borderRadius="yard"
          cursor="pointer"
          _hover={{ bg: 'slate.soft' }}
        >
          Snapshots{photo.snapshots.length > 0 && <span className="figures"> {photo.snapshots.length}</span>}
        </Box>
      </Popover.Trigger>
      <Portal>
        <Popover.Positioner>
          <Popover.Content aria-label="Snapshots" width="320px" bg="paper.raised" color="slate">
            <Popover.Body p="3">
              <form
                onSubmit={(event) => {
                  event.preventDefault();
                  if (name.trim()) keep.mutate();
                }}
              >
                <Flex gap="2">
                  <Input
                    size="xs"
                    bg="white"
                    placeholder="Name for how it is now"
                    aria-label="Name of the snapshot"
                    maxLength={60}
                    value={name}
                    onChange={(event) => setName(event.target.value)}
                  />
                  <Button size="xs" type="submit" disabled={!name.trim()}>
                    Keep
                  </Button>
                </Flex>
              </form>
              {trouble && (
                <Text role="alert" color="chalk.pink" pt="2">
                  {trouble.message}
                </Text>
              )}
              {photo.snapshots.length === 0 && (
                <Text color="slate.quiet" pt="2" fontSize="13px">
                  Keep the settings under a name to come back to them later.
                </Text>
              )}
              {photo.snapshots.map((one) => (
                <Flex key={one.id} align="center" justify="space-between" gap="2" pt="2">
                  <Box minWidth="0">
                    <Text truncate>{one.name}</Text>
                    <Text fontSize="12px" color="slate.quiet">
                      {moment(one.at)}
                    </Text>
                  </Box>
                  <Flex gap="1" flex="none">
                    <Button size="2xs" variant="outline" bg="white" onClick={() => restore.mutate(one.id)}>
                      Go back to it
                    </Button>
                    <Button
                      size="2xs"
                      variant="ghost"
                      aria-label={`Forget ${one.name}`}
                      onClick={() => forget.mutate(one.id)}
                    >
                      Forget
                    </Button>
                  </Flex>
                </Flex>
              ))}
            </Popover.Body>
          </Popover.Content>
        </Popover.Positioner>
      </Portal>
    </Popover.Root>
  );
}
