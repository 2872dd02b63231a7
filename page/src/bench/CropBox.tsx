import { Box } from '@chakra-ui/react';
import { useRef, type KeyboardEvent, type PointerEvent } from 'react';
import type { Deck } from './deck';
import type { Crop } from './marks';
import { useWhere } from './useWhere';

type Props = {
  deck: Deck;
  /** The frame that is cropped, px. */
  width: number;
  height: number;
  crop: Crop;
  /** Width over height that is kept, px over px; null for any. */
  aspect: number | null;
  onDrag: (crop: Crop) => void;
  onSettle: (crop: Crop) => void;
};

const HANDLES = [
  { name: 'upper left corner', x: -1, y: -1, cursor: 'nwse-resize' },
  { name: 'upper edge', x: 0, y: -1, cursor: 'ns-resize' },
  { name: 'upper right corner', x: 1, y: -1, cursor: 'nesw-resize' },
  { name: 'right edge', x: 1, y: 0, cursor: 'ew-resize' },
  { name: 'lower right corner', x: 1, y: 1, cursor: 'nwse-resize' },
  { name: 'lower edge', x: 0, y: 1, cursor: 'ns-resize' },
  { name: 'lower left corner', x: -1, y: 1, cursor: 'nesw-resize' },
  { name: 'left edge', x: -1, y: 0, cursor: 'ew-resize' },
] as const;
type Side = -1 | 0 | 1;
const LEAST = 0.03;

/** The crop on the photo: its sides and corners to drag or to move by the arrow keys, and the whole of it to move. */
export function CropBox({ deck, width, height, crop, aspect, onDrag, onSettle }: Props) {
  const where = useWhere(deck);
  if (!where) return null;
  const box = where.onScreen({
    x: crop[0] * width,
    y: crop[1] * height,
    width: (crop[2] - crop[0]) * width,
    height: (crop[3] - crop[1]) * height,
  });
  const whole = where.onScreen({ x: 0, y: 0, width, height });
  const ratio = aspect === null ? null : (aspect * height) / width;
  const grip = {
    crop,
    onDrag,
    onSettle,
    moved: (start: Crop, x: Side, y: Side, dx: number, dy: number) =>
      x === 0 && y === 0 ? shifted(start, dx, dy) : stretched(start, x, y, dx, dy, ratio),
    // A px on the screen, and a px of the photo, as shares of the frame.
    screen: { x: 1 / whole.width, y: 1 / whole.height },
    photo: { x: 1 / width, y: 1 / height },
  };
  const edge = { left: box.x, top: box.y, width: box.width, height: box.height };
  return (
    <Box position="absolute" inset="0" overflow="hidden" pointerEvents="none">
      <Box
        position="absolute"
        border="2px solid"
        borderColor="chalk.blue"
        boxShadow="0 0 0 4000px rgba(166,166,166,.66)"
        style={edge}
      />
      <Box position="absolute" style={edge}>
        <Grip {...grip} name="Crop: the whole of it" x={0} y={0} cursor="move" whole />
        {HANDLES.map(({ name, x, y, cursor }) => (
          <Grip {...grip} key={name} name={`Crop: ${name}`} x={x} y={y} cursor={cursor} />
        ))}
      </Box>
    </Box>
  );
}

type GripProps = {
  name: string;
  x: Side;
  y: Side;
  cursor: string;
  whole?: boolean;
  crop: Crop;
  moved: (start: Crop, x: Side, y: Side, dx: number, dy: number) => Crop;
  screen: { x: number; y: number };
  photo: { x: number; y: number };
  onDrag: (crop: Crop) => void;
  onSettle: (crop: Crop) => void;
};

/** A side, a corner or the whole of the crop, to drag or to move by the arrow keys: one px of the photo, with Shift ten. */
function Grip({ name, x, y, cursor, whole, crop, moved, screen, photo, onDrag, onSettle }: GripProps) {
  const from = useRef<{ x: number; y: number; crop: Crop } | null>(null);
  const to = (event: PointerEvent): Crop | null => {
    const start = from.current;
    if (!start) return null;
    return moved(start.crop, x, y, (event.clientX - start.x) * screen.x, (event.clientY - start.y) * screen.y);
  };
  return (
    <Box
      as="button"
      aria-label={name}
      position="absolute"
      pointerEvents="auto"
      {...(whole
        ? { inset: '0' }
        : {
            width: '14px',
            height: '14px',
            bg: 'paper.raised',
            border: '2px solid',
            borderColor: 'chalk.blue',
            borderRadius: x && y ? '0' : '7px',
            transform: 'translate(-50%, -50%)',
          })}
      style={{
        ...(whole ? {} : { left: `${50 * (x + 1)}%`, top: `${50 * (y + 1)}%` }),
        cursor,
        touchAction: 'none',
      }}
      onPointerDown={(event: PointerEvent<HTMLElement>) => {
        event.stopPropagation();
        event.preventDefault();
        event.currentTarget.focus();
        event.currentTarget.setPointerCapture(event.pointerId);
        from.current = { x: event.clientX, y: event.clientY, crop };
      }}
      onPointerMove={(event: PointerEvent) => {
        const next = to(event);
        if (next) onDrag(next);
      }}
      onPointerUp={(event: PointerEvent) => {
        const next = to(event);
        from.current = null;
        if (next) onSettle(next);
      }}
      onKeyDown={(event: KeyboardEvent) => {
        const step = event.shiftKey ? 10 : 1;
        const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
        if (!way) return;
        event.preventDefault();
        onSettle(moved(crop, x, y, (way[0] ?? 0) * step * photo.x, (way[1] ?? 0) * step * photo.y));
      }}
    />
  );
}

const within = (least: number, value: number, most: number) => Math.min(most, Math.max(least, value));

function shifted([left, top, right, bottom]: Crop, dx: number, dy: number): Crop {
  const x = within(-left, dx, 1 - right);
  const y = within(-top, dy, 1 - bottom);
  return [left + x, top + y, right + x, bottom + y];
}

/** A side or corner moved; with a ratio (width over height, in shares) the other way follows. */
function stretched(
  [left, top, right, bottom]: Crop,
  x: Side,
  y: Side,
  dx: number,
  dy: number,
  ratio: number | null,
): Crop {
  let [l, t, r, b] = [left, top, right, bottom];
  if (x < 0) l = within(0, l + dx, r - LEAST);
  if (x > 0) r = within(l + LEAST, r + dx, 1);
  if (y < 0) t = within(0, t + dy, b - LEAST);
  if (y > 0) b = within(t + LEAST, b + dy, 1);
  return ratio === null ? [l, t, r, b] : fitted([l, t, r, b], ratio, x, y);
}

/** The largest crop of a ratio (width over height, in shares) inside another, held at the side that was not moved. */
export function fitted([l, t, r, b]: Crop, ratio: number, x: Side = 0, y: Side = 0): Crop {
  const width = Math.min(r - l, (b - t) * ratio);
  const height = width / ratio;
  const left = x < 0 ? r - width : x > 0 ? l : (l + r - width) / 2;
  const top = y < 0 ? b - height : y > 0 ? t : (t + b - height) / 2;
  return [left, top, left + width, top + height];
}
