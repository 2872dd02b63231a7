import { Box, Button, Flex, Text } from '@chakra-ui/react';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { answered, client } from '../api/client';
import { useRemovedLots } from '../api/queries';
import { count } from '../shared/format';

const day = (iso: string) => new Date(iso).toLocaleDateString('en-GB', { day: 'numeric', month: 'long' });

export const useTakeBack = () =>
  useMutation({
    mutationFn: (lot_id: number) =>
      answered(client.POST('/api/removed-lots/{lot_id}/take-back', { params: { path: { lot_id } } })),
  });

/** Lots that were removed, for as long as they are kept. */
export function RemovedLots() {
  const removed = useRemovedLots();
  const [open, setOpen] = useState(false);
  const takeBack = useTakeBack();
  if (!removed.data?.length) return null;
  return (
    <Box pt="6">
      <Button size="xs" variant="outline" bg="white" aria-expanded={open} onClick={() => setOpen(!open)}>
        {open ? 'Hide' : 'Show'} {count(removed.data.length, 'removed lot')}
      </Button>
      {open &&
        removed.data.map((lot) => (
          <Flex key={lot.id} gap="4" align="baseline" pt="2" maxWidth="620px">
            <Text flex="1" truncate title={lot.name}>
              {lot.name}
            </Text>
            <Text fontSize="13px" color="slate.quiet" whiteSpace="nowrap">
              {count(lot.photos, 'photo')} · kept until {day(lot.kept_until)}
            </Text>
            <Button
              size="2xs"
              variant="outline"
              bg="white"
              aria-label={`Take back ${lot.name}`}
              disabled={takeBack.isPending}
              onClick={() => takeBack.mutate(lot.id)}
            >
              Take back
            </Button>
          </Flex>
        ))}
      {takeBack.error && (
        <Text role="alert" color="chalk.pink" pt="2">
          {takeBack.error.message}
        </Text>
      )}
    </Box>
  );
}
