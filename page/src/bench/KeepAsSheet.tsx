import { Box, Button, CloseButton, Dialog, Flex, Input, Portal, Text } from '@chakra-ui/react';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import { Link } from 'react-router';
import { answered, client, type Carried, type Photo } from '../api/client';
import { keys, queries } from '../api/queries';
import { stem } from '../shared/format';
import { STAGES } from './Yardstick';

const GROUPS: { how: Carried['how']; title: string }[] = [
  { how: 'as a rule', title: 'Goes in as a rule that holds on any photo' },
  { how: 'as it is', title: 'Goes in as it is' },
  { how: 'left out', title: 'Stays with this photo' },
];

/** The photo's settings as a run sheet: what becomes of each is said before it is kept. */
export function KeepAsSheet({ photo, onClose }: { photo: Photo; onClose: () => void }) {
  const [title, setTitle] = useState('');
  const [note, setNote] = useState('');
  const input = useRef<HTMLInputElement>(null);
  const path = { photo_id: photo.id };
  const preview = useQuery({
    queryKey: ['example', photo.id, JSON.stringify(photo.marks)],
    gcTime: 0,
    queryFn: () =>
      answered(
        client.POST('/api/photos/{photo_id}/example', {
          params: { path },
          body: { title: stem(photo.name), note: '', keep: false },
        }),
      ),
  });
  const keep = useMutation({
    mutationFn: () =>
      answered(client.POST('/api/photos/{photo_id}/example', { params: { path }, body: { title, note, keep: true } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.shelf('sheet') }),
  });
  const ref = keep.data?.ref;
  const carried = preview.data?.carried ?? [];
  return (
    <Dialog.Root
      open
      onOpenChange={(change) => !change.open && onClose()}
      size="lg"
      initialFocusEl={() => input.current}
    >
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content bg="paper.raised">
            <form
              onSubmit={(event) => {
                event.preventDefault();
                if (title.trim()) keep.mutate();
              }}
            >
              <Dialog.Header pb="1">
                <Dialog.Title>Keep as run sheet</Dialog.Title>
              </Dialog.Header>
              <Dialog.Body pb="3">
                {preview.isPending && <Text color="slate.quiet">Looking at what this photo has of its own …</Text>}
                {preview.data && carried.length === 0 && (
                  <Text>This photo has nothing of its own: the run sheet would do what {photo.sheet} does.</Text>
                )}
                {GROUPS.map(({ how, title: heading }) => {
                  const lines = carried.filter((one) => one.how === how);
                  return lines.length === 0 ? null : (
                    <Box key={how} pb="2">
                      <Text fontWeight="700">{heading}</Text>
                      {lines.map((one) => (
                        <Flex key={`${one.stage} ${one.words}`} gap="2" fontSize="13px">
                          <Text width="64px" flex="none" color="slate.quiet">
                            {STAGES.find((stage) => stage.stage === one.stage)?.name ?? one.stage}
                          </Text>
                          <Text>{one.words}</Text>
                        </Flex>
                      ))}
                    </Box>
                  );
                })}
                <Flex gap="3" pt="2">
                  <Box as="label" fontWeight="700" flex="1">
                    Title
                    <Input
                      ref={input}
                      size="sm"
                      bg="white"
                      fontWeight="400"
                      maxLength={80}
                      value={title}
                      placeholder="Such as Linen backdrop"
                      onChange={(event) => setTitle(event.target.value)}
                    />
                  </Box>
                  <Box as="label" fontWeight="700" flex="1">
                    Note
                    <Input
                      size="sm"
                      bg="white"
                      fontWeight="400"
                      maxLength={2000}
                      value={note}
                      onChange={(event) => setNote(event.target.value)}
                    />
                  </Box>
                </Flex>
                {(preview.error ?? keep.error) && (
                  <Text role="alert" color="chalk.pink" pt="2">
                    {(preview.error ?? keep.error)?.message}
                  </Text>
                )}
                {ref && (
                  <Text role="status" pt="2">
                    Kept.{' '}
                    <Link to={`/lots/${photo.lot_id}/try?sheets=${photo.sheet},${ref}`}>
                      <Box as="span" color="chalk.blue" textDecoration="underline">
                        Try it on a few photos of the lot
                      </Box>
                    </Link>
                  </Text>
                )}
              </Dialog.Body>
              <Dialog.Footer>
                <Button size="sm" variant="outline" bg="white" onClick={onClose}>
                  {ref ? 'Close' : 'Not now'}
                </Button>
                {!ref && (
                  <Button size="sm" type="submit" colorPalette="blue" loading={keep.isPending} disabled={!title.trim()}>
                    Keep
                  </Button>
                )}
              </Dialog.Footer>
            </form>
            <Dialog.CloseTrigger asChild>
              <CloseButton size="sm" aria-label="Close" />
            </Dialog.CloseTrigger>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  );
}
