import { Box } from '@chakra-ui/react';
import type { Lot } from '../api/client';
import { dayWords, dueWords } from '../shared/due';
import { isDelivered } from './standing';

const PRESSING = {
  over: { color: 'chalk.pink', fontWeight: '700' },
  soon: { color: 'slate', fontWeight: '700' },
  later: { color: 'slate.quiet' },
} as const;

/** When a lot is due, if a day is set; once all of it is delivered, nothing presses. */
export function DueDay({ lot }: { lot: Pick<Lot, 'due' | 'photos' | 'delivered'> }) {
  if (!lot.due) return null;
  const { words, standing } = isDelivered(lot)
    ? { words: `due ${dayWords(lot.due)}`, standing: 'later' as const }
    : dueWords(lot.due);
  return (
    <Box as="span" whiteSpace="nowrap" title={lot.due} {...PRESSING[standing]}>
      {words}
    </Box>
  );
}
