import { Flex, Box } from '@chakra-ui/react';
import { standings, type Standing } from './marks';

type Counts = {
  photos: number;
  fix: number;
  look: number;
  ready: number;
  failed: number;
  waiting: number;
  idle: number;
};

/** The counts by verdict as one bar; what waits is the empty rest. */
export function VerdictBar({ counts, height = 12 }: { counts: Counts; height?: number }) {
  const parts: Standing[] = ['fix', 'look', 'failed', 'ready'];
  const words = parts
    .filter((part) => counts[part] > 0)
    .map((part) => `${counts[part]} ${standings[part].word.toLowerCase()}`);
  return (
    <Flex bg="line" height={`${height}px`} width="100%" role="img" aria-label={words.join(', ') || 'nothing done yet'}>
      {parts.map((part) => (
        <Box
          key={part}
          bg={standings[part].colour}
          width={`${(100 * counts[part]) / Math.max(counts.photos, 1)}%`}
          transition="width 120ms"
        />
      ))}
    </Flex>
  );
}
