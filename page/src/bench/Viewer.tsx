import { Box, Button, Flex, Text } from '@chakra-ui/react';
import {
  useEffect,
  useImperativeHandle,
  useMemo,
  useRef,
  useState,
  useSyncExternalStore,
  type ReactNode,
  type Ref,
} from 'react';
import { connection } from '../api/events';
import type { Photo } from '../api/client';
import type { Card } from '../cards/cards';
import { TestCards } from '../cards/TestCards';
import { panel } from '../shared/panel';
import { Readout } from './Readout';
import { SplitLine } from './SplitLine';
import { Toggle } from './Toggle';
import { keyInAddress, marksAddress, useMarksAddress } from './address';
import { BesidePane } from './BesidePane';
import { CropBox } from './CropBox';
import { Deck, type Box as Place, type Source, type Taken } from './deck';
import { frameOf, uncropped, type Crop, type Marks } from './marks';
import { OnItsWay } from './OnItsWay';

export const views = [
  { name: 'picture', label: 'Picture' },
  { name: 'clip', label: 'Clip' },
  { name: 'white', label: 'White check' },
  { name: 'matte', label: 'Matte' },
  { name: 'removed', label: 'Removed' },
  { name: 'reach', label: 'Lift’s reach' },
  { name: 'map', label: 'Map' },
  { name: 'edge', label: 'Edge' },
] as const;
export type View = (typeof views)[number]['name'];

const legends: Partial<Record<View, { colour: string; text: string }[]>> = {
  clip: [
    { colour: 'hatch', text: 'exactly white' },
    { colour: '#ECC454', text: 'backdrop still short' },
    { colour: '#C2386F', text: 'product lost' },
  ],
  reach: [{ colour: 'held', text: 'Lift does not act here' }],
  edge: [
    { colour: '#2F857A', text: 'by a close look' },
    { colour: '#2C5AA0', text: 'told by the backdrop' },
    { colour: '#ECC454', text: 'by the colours alone' },
  ],
  removed: [{ colour: 'chalked', text: 'removed, the photo shows through' }],
  map: [
    { colour: '#FFFFFF', text: 'backdrop' },
    { colour: '#000000', text: 'product' },
  ],
  white: [
    { colour: '#EEEEEE', text: 'white' },
    { colour: '#B8B8B8', text: 'product' },
    { colour: '#C2386F', text: 'visible apart from the product' },
  ],
};

/** Before and after in one picture with a line between, or side by side. */
export type Compare = 'split' | 'side';

/** Where to fly to; with a zoom (1 is real pixels), or so that it fits. */
export type Focus = { place: Place; label: string; colour: string; zoom?: number };

/** Asks for the picture under other marks at once, without waiting until the page is drawn anew. */
export type Asking = {
  ask: (marks: Marks) => void;
  /** The same by the key under which the server is about to have them. */
  askByKey: (key: string) => void;
  /** Resolves as soon as what was asked for is shown. */
  arrived: () => Promise<void>;
};

type Props = {
  ref?: Ref<Asking>;
  /** The photo has been seen; it is told once what is shown is not waited for any more. */
  onSeen: (seen: true) => void;
  photo: Photo;
  view: View | 'before';
  /** The views that there are in the stage in hand. */
  choice: readonly View[];
  onView: (view: View) => void;
  card: Card;
  onCard: (card: Card) => void;
  /** The marks to show it under. */
  marks: Marks;
  before: boolean;
  /** Of the white check: what reaches it passes for white. */
  level: number;
  focus: Focus | null;
  compare: Compare | null;
  onCompare: (compare: Compare | null) => void;
  /** Whether the photo is shown as it came in, before the crop, with the crop to drag; null if not. */
  framing: { crop: Crop; aspect: number | null; onDrag: (crop: Crop) => void; onSettle: (crop: Crop) => void } | null;
  /** The tool in hand, laid over the picture; null if there is none. */
  tool: ((deck: Deck) => ReactNode) | null;
  /** What a touch of the photo is for, and what to do with the place; null if it is for looking around. */
  taking: string | null;
  onTaken: (taken: Taken) => void;
};

/** The photo, on a surround of neutral grey, so that white is seen as white. */
export function Viewer({
  ref,
  onSeen,
  photo,
  view,
  choice,
  onView,
  card,
  onCard,
  marks,
  before,
  level,
  focus,
  compare,
  onCompare,
  framing,
  tool,
  taking,
  onTaken,
}: Props) {
  const element = useRef<HTMLDivElement>(null);
  const [deck, setDeck] = useState<Deck | null>(null);
  const [zoom, setZoom] = useState(0);
  const [pointer, setPointer] = useState<{ x: number; y: number } | null>(null);
  const [busy, setBusy] = useState(false);
  const [arrived, setArrived] = useState(false);
  const [line, setLine] = useState<number | null>(null);
  const taken = useRef(onTaken);
  useEffect(() => {
    taken.current = onTaken;
  });
  const whole = framing !== null;
  const width = whole ? photo.whole_width : photo.width;
  const height = whole ? photo.whole_height : photo.height;
  const { tile_base: base, steps } = photo;
  const framed = whole ? uncropped(frameOf(marks)) : frameOf(marks);
  const as = useMarksAddress(framed);
  const seen = useMarksAddress(seenBy(view, marks));
  const under = whole ? as : seen;

  useEffect(() => {
    if (!element.current) return;
    const made = new Deck(element.current, {
      onZoom: setZoom,
      onPointer: setPointer,
      onBusy: (now) => {
        setBusy(now);
        if (!now) {
          setArrived(true);
          onSeen(true);
        }
      },
      onSplit: setLine,
    });
    setDeck(made);
    return () => {
      made.close();
      setDeck(null);
      setArrived(false);
    };
  }, [photo.id, onSeen]);

  useEffect(() => {
    if (!deck) return;
    const size = { width, height, steps };
    deck.show(sourceOf(base, size, whole ? 'before' : view, whole ? 'white' : card, under, level));
  }, [deck, base, width, height, steps, view, card, whole, under, level]);

  useImperativeHandle(ref, () => {
    const ask = (under: string) => {
      if (!whole) deck?.show(sourceOf(base, { width, height, steps }, view, card, under, level));
    };
    return {
      ask: (next) => ask(marksAddress(seenBy(view, next))),
      askByKey: (key) => ask(keyInAddress(key)),
      arrived: async () => deck?.arrived(),
    };
  });

  useEffect(() => {
    // After the picture in hand has been asked for: what is seen comes first.
    const later = window.setTimeout(
      () => deck?.keepBefore(sourceOf(base, { width, height, steps }, 'before', 'white', as)),
      400,
    );
    return () => window.clearTimeout(later);
  }, [deck, base, width, height, steps, as]);

  useEffect(() => deck?.showBefore(before), [deck, before]);

  const online = useSyncExternalStore(connection.subscribe, connection.online);
  useEffect(() => {
    if (!online) return () => deck?.refresh();
  }, [deck, online]);

  useEffect(() => deck?.leaveMargin(whole ? 0.09 : 0), [deck, whole]);

  useEffect(() => deck?.splitAt(compare === 'split' ? 0.5 : null), [deck, compare]);

  useEffect(() => {
    if (!deck || !taking) return;
    deck.take((found) => taken.current(found));
    return () => deck.take(null);
  }, [deck, taking]);

  useEffect(() => {
    if (focus) deck?.flyTo(focus.place, focus.label, focus.colour, focus.zoom);
    else deck?.unmark();
  }, [deck, focus]);

  const choices = views.filter(({ name }) => choice.includes(name));
  const aside = compare === 'side' && !whole;
  const source = useMemo(
    () => sourceOf(base, { width, height, steps }, 'before', 'white', as),
    [base, width, height, steps, as],
  );
  return (
    <Box position="relative" bg="surround" height="100%" overflow="hidden">
      {aside && deck && (
        <Box
          position="absolute"
          top="0"
          bottom="0"
          left="0"
          width="50%"
          borderRight="2px solid"
          borderColor="paper.raised"
        >
          <BesidePane source={source} beside={deck} />
          <Box {...panel} position="absolute" top="46px" left="12px" px="2.5" fontSize="13px">
            before
          </Box>
        </Box>
      )}
      <Box
        ref={element}
        position="absolute"
        top="0"
        bottom="0"
        right="0"
        left={aside ? '50%' : '0'}
        css={placeStyle}
        data-busy={busy}
        aria-label={`${photo.name}, ${view}`}
        role="img"
      />
      {!arrived && <OnItsWay photo={photo} aside={aside} />}
      {busy && (
        <Box
          position="absolute"
          top="0"
          left="0"
          right="0"
          height="2px"
          bg="paper.raised"
          // Not for what is there at once.
          css={{ animation: 'late 0.3s, pulse 1.2s 0.3s infinite' }}
        />
      )}
      {deck && !whole && !before && tool?.(deck)}
      {deck && framing && !taking && <CropBox deck={deck} width={width} height={height} {...framing} />}
      <Flex
        position="absolute"
        top="10px"
        left="12px"
        right="12px"
        justify="space-between"
        align="start"
        gap="2"
        pointerEvents="none"
      >
        <Flex
          role="radiogroup"
          aria-label="View"
          visibility={whole ? 'hidden' : undefined}
          {...panel}
          overflow="hidden"
          pointerEvents="auto"
        >
          {choices.map(({ name, label }) => (
            <Box
              as="button"
              role="radio"
              aria-checked={view === name}
              key={name}
              px="3"
              height="28px"
              whiteSpace="nowrap"
              cursor="pointer"
              bg={view === name ? 'slate' : undefined}
              color={view === name ? 'white' : undefined}
              onClick={() => onView(name)}
            >
              {label}
            </Box>
          ))}
        </Flex>
        <Flex
          {...panel}
          px="2.5"
          height="28px"
          align="center"
          pointerEvents="auto"
          visibility={whole ? 'hidden' : undefined}
        >
          <TestCards card={onACard(view) ? card : null} onCard={onCard} />
        </Flex>
      </Flex>
      {/* Over the line between before and after, which runs down the whole viewer. */}
      <Flex
        position="absolute"
        bottom="10px"
        left="12px"
        zIndex="1"
        {...panel}
        px="2"
        height="28px"
        align="center"
        gap="2"
      >
        <Text className="figures" minWidth="52px" textAlign="right" aria-label="Zoom">
          {arrived && `${zoom} %`}
        </Text>
        <Button size="2xs" variant="outline" onClick={() => deck?.fit()}>
          Fit
        </Button>
        <Button size="2xs" variant="outline" onClick={() => deck?.realPixels()}>
          Real pixels
        </Button>
        {(['split', 'side'] as const).map((how) => (
          <Toggle
            key={how}
            size="2xs"
            on={compare === how}
            disabled={whole}
            onChange={(on) => onCompare(on ? how : null)}
          >
            {how === 'split' ? 'Split' : 'Side by side'}
          </Toggle>
        ))}
        <Text fontSize="13px" whiteSpace="nowrap">
          hold B for before
        </Text>
      </Flex>
      {pointer && !before && !whole && <Readout photo={photo} card={card} at={pointer} settings={photo.marks} />}
      {line !== null && deck && <SplitLine left={line} deck={deck} />}
      {taking && (
        <Flex position="absolute" top="46px" left="12px" {...panel} px="2.5" height="28px" align="center" role="status">
          {taking}
        </Flex>
      )}
      {before ? (
        <Flex
          position="absolute"
          bottom="10px"
          right="12px"
          {...panel}
          px="2.5"
          height="28px"
          align="center"
          fontWeight="700"
        >
          before
        </Flex>
      ) : (
        view !== 'before' &&
        legends[view] &&
        !whole && (
          <Flex
            position="absolute"
            bottom="46px"
            left="12px"
            {...panel}
            px="2.5"
            height="28px"
            align="center"
            gap="3"
            fontSize="13px"
          >
            {legends[view].map(({ colour, text }) => (
              <Flex key={text} align="center" gap="1.5">
                <Box
                  width="14px"
                  height="14px"
                  border="1px solid"
                  borderColor="line"
                  style={{ background: { hatch, held, chalked }[colour] ?? colour }}
                />
                {text}
              </Flex>
            ))}
          </Flex>
        )
      )}
    </Box>
  );
}

const held = 'repeating-linear-gradient(135deg, #fff 0 3px, #3B4247 3px 6px)';
const chalked =
  'repeating-linear-gradient(135deg, #fff 0 3px, #2C5AA0 3px 4px, #fff 4px 6px, #2C5AA0 6px 7px, #fff 7px 11px)';
const hatch = 'repeating-linear-gradient(135deg, #fff 0 3px, #a0b5d3 3px 4px)';

const placeStyle = {
  '& .place': {
    border: '2px solid var(--mark)',
    borderRadius: '8px',
    minWidth: '18px',
    minHeight: '18px',
    pointerEvents: 'none',
    boxSizing: 'border-box',
  },
  '& .dragged': { border: '2px solid #2C5AA0', background: 'rgba(255,255,255,.25)', boxSizing: 'border-box' },
  '& .place::after': {
    content: 'attr(data-label)',
    position: 'absolute',
    left: '-2px',
    bottom: 'calc(100% + 4px)',
    whiteSpace: 'nowrap',
    background: '#F8F8F6',
    color: '#262B2F',
    borderLeft: '3px solid var(--mark)',
    padding: '2px 8px',
    fontSize: '13px',
  },
};

/** Whether a view shows the test card; the others show the photo itself, or figures of it. */
export const onACard = (view: View | 'before') => view === 'picture' || view === 'removed';

type Size = { width: number; height: number; steps: number };

/** The marks that a view hangs on. Coverage hangs on tones only where a mend takes pixels from elsewhere. */
const seenBy = (view: View | 'before', marks: Marks): Marks =>
  (view === 'matte' || view === 'map') && !marks.mend.entries.length
    ? { ...marks, lift: {}, balance: null, colour: {} }
    : marks;

/** The tiles of a view under marks, as they stand in an address. What a view does not hang on is left out, so that its tiles serve again. */
export function sourceOf(
  base: string,
  size: Size,
  view: View | 'before',
  card: Card,
  marks: string,
  level = 255,
): Source {
  const behind = onACard(view) ? card : 'white';
  const key = `${base}/${view}/${behind}/${marks}`;
  const query = view === 'white' && level < 255 ? `?level=${level}` : '';
  return {
    key: key + query,
    ...size,
    address: (steps, column, row) => `${key}/${steps}/${column}-${row}${query}`,
  };
}
