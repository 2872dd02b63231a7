import { useRef, useState } from 'react';
import type { Deck } from './deck';
import { ToolLayer, type At } from './ToolLayer';
import { useWhere } from './useWhere';

export type Painted = { x: number; y: number; pressure: number };

type Props = {
  deck: Deck;
  /** Width of the brush, px of the picture. */
  size: number;
  /** Whether it says yes to what it paints, or no. */
  adds: boolean;
  label: string;
  /** Points are joined by straight lines, press by press; a second press on the last one ends the line. */
  straight?: boolean;
  /** The stroke, in px of the picture. */
  onStroke: (points: Painted[]) => void;
};

const LEAST_STEP = 3; // px on the screen between two points

/** Paints strokes over the viewer; what is being painted is seen at once. */
export function BrushLayer({ deck, size, adds, label, straight = false, onStroke }: Props) {
  const [stroke, setStroke] = useState<Painted[]>([]);
  const [pointer, setPointer] = useState<At | null>(null);
  const last = useRef({ left: 0, top: 0 });
  const where = useWhere(deck);
  const width = where ? where.scale * size : 1;
  const drawn = straight && pointer && stroke.length ? [...stroke, pointer] : stroke;
  const shown = where ? drawn.map(({ x, y }) => where.onScreen({ x, y, width: 0, height: 0 })) : [];
  const colour = adds ? '#2C5AA0' : '#3B4247';
  const add = ({ x, y, pressure, left, top }: At) => {
    last.current = { left, top };
    setStroke((now) => [...now, { x, y, pressure }]);
  };
  /** Whether a place is where the line has come to: a press there ends it. */
  const ends = (at: At) =>
    stroke.length > 1 && Math.hypot(at.left - last.current.left, at.top - last.current.top) < LEAST_STEP * 3;
  const end = () => {
    if (stroke.length) onStroke(stroke);
    setStroke([]);
  };
  return (
    <ToolLayer
      deck={deck}
      label={label}
      cursor="none"
      onDown={(at) => (straight && ends(at) ? end() : add(at))}
      onMove={(at, pressed) => {
        setPointer(at);
        if (straight || !pressed || !stroke.length) return;
        if (Math.hypot(at.left - last.current.left, at.top - last.current.top) >= LEAST_STEP) add(at);
      }}
      onUp={() => {
        if (!straight) end();
      }}
      onCancel={() => setStroke([])}
      onLeave={() => setPointer(null)}
    >
      <svg width="100%" height="100%" style={{ pointerEvents: 'none' }}>
        {shown.length > 0 && (
          <polyline
            points={[...shown, ...shown.slice(-1)].map((at) => `${at.x},${at.y}`).join(' ')}
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
            <circle cx={pointer.left} cy={pointer.top} r={width / 2} fill="none" stroke="#fff" strokeWidth="3" />
            <circle cx={pointer.left} cy={pointer.top} r={width / 2} fill="none" stroke={colour} strokeWidth="1.5" />
          </>
        )}
      </svg>
    </ToolLayer>
  );
}
