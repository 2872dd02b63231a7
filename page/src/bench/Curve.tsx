import type { RefObject } from 'react';
import { steppedBy } from '../shared/keys';

/** The graph that a curve is drawn on, in its own units. */
export const W = 284;
export const H = 196;
export const BASE = 178;
export const x = (level: number) => (level / 255) * W;

type CurveProps = {
  points: number[][];
  disabled: boolean;
  graph: RefObject<SVGSVGElement | null>;
  onDrag: (points: [number, number][]) => void;
  /** Null where no point is left. */
  onSettle: (points: [number, number][] | null, what: string) => void;
};

const MOST_POINTS = 8;
const y = (level: number) => BASE - (level / 255) * (BASE - 22);

/** The curve from level in to level out: press on it for a point, drag points, Delete takes one away. */
export function Curve({ points, disabled, graph, onDrag, onSettle }: CurveProps) {
  const at = (event: { clientX: number; clientY: number }): [number, number] => {
    const box = graph.current?.getBoundingClientRect();
    if (!box) return [0, 0];
    const across = (255 * (event.clientX - box.left)) / box.width;
    const up = (255 * (BASE - ((event.clientY - box.top) * H) / box.height)) / (BASE - 22);
    return [Math.round(across), Math.round(up)];
  };
  /** Points rise from left to right and stay between their neighbours. */
  const moved = (i: number, [across, up]: [number, number]) =>
    points.map((point, j) => {
      if (j !== i) return point;
      const [left, below] = points[i - 1] ?? [0, 0];
      const [right, above] = points[i + 1] ?? [255, 255];
      const hold = (least = 0, value = 0, greatest = 255) => Math.min(greatest, Math.max(least, value));
      return [hold((left ?? 0) + 1, across, (right ?? 255) - 1), hold(below, up, above)];
    }) as [number, number][];
  const path = [[0, 0], ...points, [255, 255]].map(([a = 0, b = 0]) => `${x(a).toFixed(1)} ${y(b).toFixed(1)}`);
  return (
    <g>
      <path d={`M${path.join('L')}`} fill="none" stroke="#262B2F" strokeWidth="1.5" strokeDasharray="5 3" />
      {!disabled && points.length < MOST_POINTS && (
        <path
          d={`M${path.join('L')}`}
          fill="none"
          stroke="transparent"
          strokeWidth="10"
          style={{ cursor: 'copy' }}
          onPointerDown={(event) => {
            const [across, up] = at(event);
            const others = points.filter(([a]) => Math.abs((a ?? 0) - across) > 2);
            if (across < 2 || across > 253 || others.length !== points.length) return;
            const added = [...points, [across, up]].sort((a, b) => (a[0] ?? 0) - (b[0] ?? 0)) as [number, number][];
            onSettle(added, `Curve: point at ${across}`);
          }}
        >
          <title>Press for a point of the curve</title>
        </path>
      )}
      {points.map(([a = 0, b = 0], i) => (
        <text
          key={`figure ${i}`}
          x={Math.min(x(a) + 9, W - 58)}
          y={y(b) + 16}
          fontSize="11"
          className="figures"
          fill="#262B2F"
          stroke="#fff"
          strokeWidth="3"
          paintOrder="stroke"
          aria-hidden="true"
        >
          {`${a} → ${b}`}
        </text>
      ))}
      {points.map(([a = 0, b = 0], i) => (
        <circle
          key={i}
          cx={x(a)}
          cy={y(b)}
          r="6"
          fill="#F8F8F6"
          stroke="#262B2F"
          strokeWidth="2"
          role="slider"
          tabIndex={disabled ? -1 : 0}
          aria-label={`Curve point ${i + 1}: level ${a} becomes ${b}`}
          aria-valuemin={0}
          aria-valuemax={255}
          aria-valuenow={b}
          style={{ cursor: disabled ? 'default' : 'move' }}
          onPointerDown={(event) => {
            if (!disabled) event.currentTarget.setPointerCapture(event.pointerId);
          }}
          onPointerMove={(event) => {
            if (event.currentTarget.hasPointerCapture(event.pointerId)) onDrag(moved(i, at(event)));
          }}
          onPointerUp={(event) => {
            if (!disabled) onSettle(moved(i, at(event)), `Curve: point at ${a}`);
          }}
          onKeyDown={(event) => {
            if (disabled) return;
            if (event.key === 'Delete' || event.key === 'Backspace') {
              const rest = points.filter((_, j) => j !== i) as [number, number][];
              onSettle(rest.length ? rest : null, 'Curve: point taken away');
            }
            const next = steppedBy(event, b, 0, 255);
            if (next === null) return;
            event.preventDefault();
            onSettle(moved(i, [a, next]), `Curve: point at ${a}`);
          }}
        >
          <title>{`Level ${a} becomes ${b}; Delete takes the point away`}</title>
        </circle>
      ))}
    </g>
  );
}
