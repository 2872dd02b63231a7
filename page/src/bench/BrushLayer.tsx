import { Box } from '@chakra-ui/react';
import { useRef, useState } from 'react';
import type { Deck } from './deck';

type Point = { x: number; y: number };
type Props = {
  deck: Deck;
  /** Width of the brush, px of the picture. */
  size: number;
  adds: boolean;
  /** The stroke, in px of the picture. */
  onStroke: (points: Point[]) => void;
};

const LEAST_STEP = 3; // px on the screen between two points

/** Paints strokes over the viewer; what is being painted is seen at once. */
export function BrushLayer({ deck, size, adds, onStroke }: Props) {
  const [stroke, setStroke] = useState<Point[]>([]);
  const [pointer, setPointer] = useState<Point | null>(null);
  const last = useRef<Point>({ x: 0, y: 0 });
  const onScreen = deck.onScreen({ x: 0, y: 0, width: size, height: size });
  const width = onScreen?.width ?? 1;
  const shown = stroke.map(({ x, y }) => deck.onScreen({ x, y, width: 0, height: 0 })).filter((at) => at !== null);
  const here = (event: React.PointerEvent): Point => {
    const edge = event.currentTarget.getBoundingClientRect();
    return { x: event.clientX - edge.left, y: event.clientY - edge.top };
  };
  const colour = adds ? '#2C5AA0' : '#3B4247';
  return (
    <Box
      position="absolute"
      inset="0"
      cursor="none"
      style={{ touchAction: 'none' }}
      role="application"
      aria-label={adds ? 'Paint where Lift acts' : 'Paint where Lift does not act'}
      onPointerDown={(event: React.PointerEvent<HTMLDivElement>) => {
        event.preventDefault();
        event.currentTarget.setPointerCapture(event.pointerId);
        const at = deck.pictureAt(event.clientX, event.clientY);
        last.current = { x: event.clientX, y: event.clientY };
        if (at) setStroke([at]);
      }}
      onPointerMove={(event: React.PointerEvent<HTMLDivElement>) => {
        setPointer(here(event));
        if (!event.currentTarget.hasPointerCapture(event.pointerId)) return;
        if (Math.hypot(event.clientX - last.current.x, event.clientY - last.current.y) < LEAST_STEP) return;
        const at = deck.pictureAt(event.clientX, event.clientY);
        last.current = { x: event.clientX, y: event.clientY };
        if (at) setStroke((now) => [...now, at]);
      }}
      onPointerUp={() => {
        if (stroke.length) onStroke(stroke);
        setStroke([]);
      }}
      onPointerLeave={() => setPointer(null)}
    >
      <svg width="100%" height="100%" style={{ pointerEvents: 'none' }}>
        {shown.length > 0 && (
          <polyline
            points={[...shown, shown[shown.length - 1]].map((at) => `${at?.x},${at?.y}`).join(' ')}
            fill="none"
            stroke={colour}
            strokeWidth={width}
            strokeLinecap="round"
            strokeLinejoin="round"
            opacity="0.45"
          />
        )}
        {pointer && (
          <>
            <circle cx={pointer.x} cy={pointer.y} r={width / 2} fill="none" stroke="#fff" strokeWidth="3" />
            <circle cx={pointer.x} cy={pointer.y} r={width / 2} fill="none" stroke={colour} strokeWidth="1.5" />
          </>
        )}
      </svg>
    </Box>
  );
}
