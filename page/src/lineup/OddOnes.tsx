import { Box, Text } from '@chakra-ui/react';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import type { Strip } from '../api/client';
import { useStrips } from '../api/queries';
import { amount, stem } from '../shared/format';
import { Empty, Loading, Trouble } from '../shared/states';

const H = 64;
const DOT = 4;

/** The lot's figures as strips in which each photo is a dot: those far from the others stand out, and lead to their photo. */
export function OddOnes({ lotId, shown }: { lotId: number; shown: ReadonlySet<number> }) {
  const strips = useStrips(lotId);
  if (strips.isError) return <Trouble message={strips.error.message} onRetry={() => void strips.refetch()} />;
  if (!strips.data) return <Loading what="the figures" />;
  if (strips.data.length === 0)
    return <Empty title="Too few photos to compare">A lot of six or more has figures to be far from.</Empty>;
  return (
    <Box overflowY="auto" px="18px" py="3" flex="1">
      <Text pb="2" color="slate.quiet">
        Each dot is a photo. In the pale middle it is like the lot; rings outside are far from it. Press one to see it.
      </Text>
      {strips.data.map((strip) => (
        <StripPlot key={strip.title} strip={strip} lotId={lotId} shown={shown} />
      ))}
    </Box>
  );
}

type Dot = Strip['dots'][number];

function StripPlot({ strip, lotId, shown }: { strip: Strip; lotId: number; shown: ReadonlySet<number> }) {
  const navigate = useNavigate();
  const [at, setAt] = useState<Dot | null>(null);
  const values = strip.dots.map((dot) => dot.value);
  const reach = strip.high - strip.low;
  // The middle takes at least a third of the width, so that dots within it are told apart.
  const low = Math.max(Math.min(strip.low, ...values), strip.low - reach);
  const high = Math.min(Math.max(strip.high, ...values), strip.high + reach);
  const share = (value: number) => 1 + (98 * (Math.min(high, Math.max(low, value)) - low)) / Math.max(high - low, 1e-9);
  const odd = (dot: Dot) => dot.value < strip.low || dot.value > strip.high;
  const far = strip.dots.filter(odd).length;
  return (
    <Box as="section" aria-label={strip.title} display="flex" gap="4" pb="3" alignItems="center">
      <Box width="210px" flex="none">
        <Text fontWeight="700">{strip.title}</Text>
        <Text fontSize="13px" color="slate.quiet">
          middle {amount(strip.median)} {strip.unit}
        </Text>
        <Text fontSize="13px" truncate>
          {at
            ? `${stem(at.name)}: ${amount(at.value)} ${strip.unit}`
            : far === 0
              ? 'none far from it'
              : `${far} far from it`}
        </Text>
      </Box>
      <Box flex="1" position="relative" height={`${H}px`} bg="paper.raised" border="1px solid" borderColor="line">
        <Box
          position="absolute"
          top="0"
          bottom="0"
          bg="#DDE4DD"
          left={`${share(strip.low)}%`}
          width={`${share(strip.high) - share(strip.low)}%`}
        />
        <Box position="absolute" top="0" bottom="0" width="1px" bg="slate.quiet" left={`${share(strip.median)}%`} />
        {stacked(strip.dots, share).map(([dot, level]) => (
          <Box
            as="button"
            key={dot.photo}
            position="absolute"
            aria-label={`${stem(dot.name)}: ${amount(dot.value)} ${strip.unit}${odd(dot) ? ', far from the lot' : ''}`}
            title={`${stem(dot.name)}: ${amount(dot.value)} ${strip.unit}`}
            cursor="pointer"
            left={`calc(${share(dot.value)}% - ${DOT + 3}px)`}
            top={`${H / 2 - DOT - 3 + level * 9}px`}
            width={`${2 * DOT + 6}px`}
            height={`${2 * DOT + 6}px`}
            display="grid"
            placeItems="center"
            opacity={shown.has(dot.photo) ? 1 : 0.25}
            onClick={() => void navigate(`/lots/${lotId}/photos/${dot.photo}`)}
            onMouseEnter={() => setAt(dot)}
            onMouseLeave={() => setAt(null)}
            onFocus={() => setAt(dot)}
            onBlur={() => setAt(null)}
          >
            <Box
              width={odd(dot) ? '14px' : '9px'}
              height={odd(dot) ? '14px' : '9px'}
              borderRadius="50%"
              bg={odd(dot) ? 'white' : at === dot ? 'chalk.blue' : 'slate.soft'}
              border={odd(dot) ? '3px solid' : undefined}
              borderColor={at === dot ? 'chalk.blue' : 'chalk.yellow'}
            />
          </Box>
        ))}
      </Box>
    </Box>
  );
}

const MOST = 3; // levels above and below the middle

/** Dots with a level each, so that those beside each other do not hide each other: 0, then -1, 1, -2, 2. */
function stacked(dots: Dot[], share: (value: number) => number): [Dot, number][] {
  const ends = new Map<number, number>();
  const levels = [0, ...Array.from({ length: MOST }, (_, i) => [-(i + 1), i + 1]).flat()];
  return [...dots]
    .sort((a, b) => a.value - b.value)
    .map((dot) => {
      const x = share(dot.value);
      const level = levels.find((one) => (ends.get(one) ?? -10) < x - 1.4) ?? 0;
      ends.set(level, x);
      return [dot, level];
    });
}
