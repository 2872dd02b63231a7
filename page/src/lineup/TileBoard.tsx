import { Box, Flex, Text } from '@chakra-ui/react';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react';
import type { Tile } from '../api/client';
import { Mark, standings } from '../shared/marks';
import type { Card } from '../cards/cards';
import { arrange, between, GAP, movedTo } from './board';
import { PhotoTile } from './PhotoTile';

const CAPTION = 52;
const HEADING = 42;

/**
 * The tiles in groups, only those in sight in the document, so that thousands scroll smoothly. Chosen by mouse (with Ctrl and
 * Shift), or by arrow keys, Space and Shift.
 */
export function TileBoard(props: {
  tiles: Tile[];
  lotId: number;
  card: Card;
  size: number;
  /** Whether as a shopper would see them: no groups, no marks. */
  listing: boolean;
  /** The check whose findings are gone through, if it is one alone. */
  check: string | null;
  chosen: ReadonlySet<number>;
  onChosen: (chosen: ReadonlySet<number>) => void;
}) {
  const { tiles, lotId, card, size, listing, check, chosen, onChosen } = props;
  const scroller = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(0);
  // The tile that the keyboard is at, and where a stretch of chosen ones began.
  const [at, setAt] = useState<number | null>(null);
  const from = useRef<number | null>(null);
  const wanted = useRef<number | null>(null);
  useLayoutEffect(() => {
    const element = scroller.current;
    if (!element) return;
    const observer = new ResizeObserver(() => setWidth(element.clientWidth - 36));
    observer.observe(element);
    return () => observer.disconnect();
  }, []);

  const { rows, sizes } = useMemo(() => arrange(tiles, width, size, listing), [tiles, width, size, listing]);
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
  useEffect(() => {
    // Once the row that was scrolled to is there.
    if (wanted.current === null) return;
    const link = scroller.current?.querySelector<HTMLElement>(`a[data-photo="${wanted.current}"]`);
    if (link) {
      link.focus({ preventScroll: true });
      wanted.current = null;
    }
  });

  const toggled = (id: number) => {
    const next = new Set(chosen);
    if (!next.delete(id)) next.add(id);
    return next;
  };
  const choose = (id: number, stretch: boolean) => {
    setAt(id);
    if (stretch && from.current !== null) onChosen(new Set([...chosen, ...between(from.current, id, rows)]));
    else {
      from.current = id;
      onChosen(toggled(id));
    }
  };
  const first = rows.find((row) => row.kind === 'tiles')?.tiles[0]?.id ?? null;
  const there = at !== null && tiles.some((tile) => tile.id === at) ? at : first;
  const onKeyDown = (event: React.KeyboardEvent) => {
    if (!(event.target instanceof HTMLAnchorElement)) return;
    if (event.key === ' ' && there !== null) {
      event.preventDefault();
      choose(there, event.shiftKey);
      return;
    }
    const next = movedTo(event.key, there, rows);
    if (!next) return;
    event.preventDefault();
    if (event.shiftKey && there !== null) {
      from.current ??= there;
      onChosen(new Set([...chosen, ...between(from.current, next.id, rows)]));
    } else from.current = null;
    setAt(next.id);
    wanted.current = next.id;
    virtual.scrollToIndex(rows.findIndex((row) => row.kind === 'tiles' && row.tiles.includes(next)));
  };

  return (
    <Box
      ref={scroller}
      flex="1"
      overflowY="auto"
      px="18px"
      position="relative"
      role="group"
      aria-label="Photos"
      bg={listing ? 'white' : undefined}
      onKeyDown={onKeyDown}
    >
      <Box height={`${virtual.getTotalSize() + 20}px`} position="relative" mt={listing ? '14px' : undefined}>
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
                    <PhotoTile
                      key={tile.id}
                      tile={tile}
                      lotId={lotId}
                      card={card}
                      size={sizes[row.standing]}
                      listing={listing}
                      check={check}
                      chosen={chosen.has(tile.id)}
                      reached={tile.id === there}
                      onChoose={choose}
                      onReach={setAt}
                    />
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
