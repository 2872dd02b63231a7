import { Box, Flex, Text } from '@chakra-ui/react';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useLayoutEffect, useMemo, useRef, useState } from 'react';
import type { Tile } from '../api/client';
import { Mark, standingOf, standings, type Standing } from '../shared/marks';
import { TestCards, type Card } from '../shared/TestCards';
import { PhotoTile } from './PhotoTile';

const ORDER: Standing[] = ['fix', 'look', 'ready', 'failed', 'waiting'];
const GAP = 14;
// Photos that need a person are shown larger than those that do not.
const WIDTH: Record<Standing, number> = { fix: 190, look: 190, ready: 118, failed: 190, waiting: 118 };
const CAPTION = 52;
const HEADING = 42;

type Row =
  { kind: 'heading'; standing: Standing; number: number } | { kind: 'tiles'; standing: Standing; tiles: Tile[] };

/** The tiles in groups, only those in sight in the document, so that thousands scroll smoothly. */
export function TileBoard(props: { tiles: Tile[]; lotId: number; card: Card; onCard: (card: Card) => void }) {
  const { tiles, lotId, card, onCard } = props;
  const scroller = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(0);
  useLayoutEffect(() => {
    const element = scroller.current;
    if (!element) return;
    const observer = new ResizeObserver(() => setWidth(element.clientWidth - 36));
    observer.observe(element);
    return () => observer.disconnect();
  }, []);

  const { rows, sizes } = useMemo(() => arrange(tiles, width), [tiles, width]);
  // The virtualizer hands out functions that must not be memoized; nothing below depends on their identity.
  // eslint-disable-next-line react-hooks/incompatible-library
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: (i) => {
      const row = rows[i];
      return !row || row.kind === 'heading' ? HEADING : sizes[row.standing] + CAPTION + GAP;
    },
    overscan: 3,
  });
  useLayoutEffect(() => virtual.measure(), [virtual, rows]);

  return (
    <Box ref={scroller} flex="1" overflowY="auto" px="18px" position="relative" tabIndex={-1}>
      <Flex position="absolute" top="10px" right="18px" zIndex="1">
        <TestCards card={card} onCard={onCard} />
      </Flex>
      <Box height={`${virtual.getTotalSize() + 20}px`} position="relative">
        {virtual.getVirtualItems().map((item) => {
          const row = rows[item.index];
          if (!row) return null;
          return (
            <Box
              key={item.key}
              position="absolute"
              top="0"
              left="0"
              right="0"
              transform={`translateY(${item.start}px)`}
            >
              {row.kind === 'heading' ? (
                <Flex as="h2" align="center" gap="2" pt="3" height={`${HEADING}px`}>
                  <Mark standing={row.standing} />
                  <Text fontWeight="700" fontSize="15px">
                    {standings[row.standing].word}
                  </Text>
                  <Text className="figures" color="slate.quiet">
                    {row.number}
                  </Text>
                </Flex>
              ) : (
                <Flex gap={`${GAP}px`}>
                  {row.tiles.map((tile) => (
                    <PhotoTile key={tile.id} tile={tile} lotId={lotId} card={card} size={sizes[row.standing]} />
                  ))}
                </Flex>
              )}
            </Box>
          );
        })}
      </Box>
    </Box>
  );
}

function arrange(tiles: Tile[], width: number): { rows: Row[]; sizes: Record<Standing, number> } {
  const rows: Row[] = [];
  const sizes = { ...WIDTH };
  if (width <= 0) return { rows, sizes };
  for (const standing of ORDER) {
    const group = tiles.filter((tile) => standingOf(tile) === standing);
    if (group.length === 0) continue;
    rows.push({ kind: 'heading', standing, number: group.length });
    // As many as fit; what is left of the width is shared out, so that the rows end flush.
    const across = Math.max(1, Math.floor((width + GAP) / (WIDTH[standing] + GAP)));
    sizes[standing] = Math.floor((width + GAP) / across) - GAP;
    for (let i = 0; i < group.length; i += across)
      rows.push({ kind: 'tiles', standing, tiles: group.slice(i, i + across) });
  }
  return { rows, sizes };
}
