import { Box, Flex, Text } from '@chakra-ui/react';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import { Link } from 'react-router';
import { answered, client, type Carried, type Photo } from '../api/client';
import { keys, queries } from '../api/queries';
import { AskDialog } from '../shared/AskDialog';
import { TextField } from '../shared/fields';
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
          // A photo may be called what no run sheet can be.
          body: { title: 'As this photo', note: '', keep: false },
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
    <AskDialog
      title="Keep as run sheet"
      size="lg"
      first={input}
      trouble={(preview.error ?? keep.error)?.message}
      answer={ref ? null : { words: 'Keep', busy: keep.isPending, disabled: !title.trim() }}
      onAnswer={() => keep.mutate()}
      onClose={onClose}
    >
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
        <TextField
          label="Title"
          most={80}
          value={title}
          placeholder="Such as Linen backdrop"
          inputRef={input}
          onChange={setTitle}
        />
        <TextField label="Note" most={2000} value={note} onChange={setNote} />
      </Flex>
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
    </AskDialog>
  );
}
