import { Box } from '@chakra-ui/react';
import type { Lot } from '../api/client';
import { dueWords } from '../shared/due';
import { isDelivered } from './standing';

const PRESSING = {
  over: { color: 'chalk.pink', fontWeight: '700' },
  soon: { color: 'slate', fontWeight: '700' },
  later: { color: 'slate.quiet' },
} as const;

/** When a lot is due, if a day is set; once all of it is delivered, nothing presses. */
export function DueDay({ lot }: { lot: Pick<Lot, 'due' | 'photos' | 'delivered'> }) {
  if (!lot.due) return null;
  const { words, standing } = dueWords(lot.due);
  const done = isDelivered(lot);
  if (done && standing === 'over') return null;
  return (
    <Box as="span" whiteSpace="nowrap" title={lot.due} {...PRESSING[done ? 'later' : standing]}>
      {words}
    </Box>
  );
}
