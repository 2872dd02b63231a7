import { useRef } from 'react';
import type { Graph } from '../api/client';
import { steppedBy } from './keys';

const W = 284;
const H = 196;
const BASE = 178;
const x = (level: number) => (level / 255) * W;

type Props = {
  lift: Graph;
  whitePoint: number;
  disabled: boolean;
  onDrag: (level: number) => void;
  onSettle: (level: number) => void;
};

/**
 * The histogram with the backdrop's hump and the product's share told apart, and over it what each white point leaves
 * short and what it burns. The white point is a line to drag.
 */
export function LiftGraph({ lift, whitePoint, disabled, onDrag, onSettle }: Props) {
  const svg = useRef<SVGSVGElement>(null);
  const { graph } = lift;
  const most = Math.max(1, ...smooth(graph.backdrop), ...smooth(graph.product));
  const levelAt = (clientX: number) => {
    const box = svg.current?.getBoundingClientRect();
    if (!box) return whitePoint;
    return Math.round(Math.min(255, Math.max(128, (255 * (clientX - box.left)) / box.width)));
  };
  return (
    <svg
      ref={svg}
      viewBox={`0 0 ${W} ${H}`}
      width="100%"
      role="group"
      aria-label="Histogram with white point"
      style={{ touchAction: 'none' }}
    >
      <rect x="0.5" y="0.5" width={W - 1} height={H - 1} fill="#fff" stroke="#D2D2CD" />
      <path d={hump(graph.product, most)} fill="#B9BCBE" opacity="0.8" />
      <path d={hump(graph.backdrop, most)} fill="#2C5AA0" opacity="0.42" />
      <path d={curve(graph.levels, graph.short)} fill="none" stroke="#C98A00" strokeWidth="2" />
      <path d={curve(graph.levels, graph.lost_any)} fill="none" stroke="#C2386F" strokeWidth="2" />
      <text x="8" y="18" fontSize="12" fill="#8A5F00">
        backdrop still short
      </text>
      <text x="8" y="34" fontSize="12" fill="#B02F63">
        product lost
      </text>
      <text x="8" y="50" fontSize="12" fill="#5C646A">
        grey: product, blue: backdrop
      </text>
      {graph.just_clips != null && (
        <line
          x1={x(graph.just_clips)}
          x2={x(graph.just_clips)}
          y1="20"
          y2={BASE}
          stroke="#2C5AA0"
          strokeWidth="1.5"
          strokeDasharray="2 3"
        />
      )}
      <text x="4" y={H - 5} fontSize="11" className="figures" fill="#5C646A">
        0
      </text>
      <text x={W - 4} y={H - 5} fontSize="11" textAnchor="end" className="figures" fill="#5C646A">
        255
      </text>
      <g
        role="slider"
        tabIndex={disabled ? -1 : 0}
        aria-label="White point on the histogram"
        aria-valuemin={128}
        aria-valuemax={255}
        aria-valuenow={whitePoint}
        aria-disabled={disabled}
        style={{ cursor: disabled ? 'default' : 'ew-resize' }}
        onPointerDown={(event) => {
          if (disabled) return;
          event.currentTarget.setPointerCapture(event.pointerId);
          onDrag(levelAt(event.clientX));
        }}
        onPointerMove={(event) => {
          if (event.currentTarget.hasPointerCapture(event.pointerId)) onDrag(levelAt(event.clientX));
        }}
        onPointerUp={(event) => {
          if (!disabled) onSettle(levelAt(event.clientX));
        }}
        onKeyDown={(event) => {
          const next = steppedBy(event, whitePoint, 128, 255);
          if (next !== null && !disabled) onSettle(next);
        }}
      >
        <rect x={x(whitePoint) - 10} y="0" width="20" height={H} fill="transparent" />
        <line x1={x(whitePoint)} x2={x(whitePoint)} y1="18" y2={BASE} stroke="#2C5AA0" strokeWidth="2" />
        <rect x={Math.min(x(whitePoint) - 18, W - 37)} y="1" width="36" height="18" fill="#2C5AA0" />
        <text
          x={Math.min(x(whitePoint), W - 19)}
          y="14.5"
          fontSize="13"
          fill="#fff"
          textAnchor="middle"
          className="figures"
        >
          {whitePoint}
        </text>
      </g>
    </svg>
  );
}

// Counts span orders of magnitude; their square root keeps small humps in sight.
const smooth = (counts: number[]) =>
  counts.map((_, i) => Math.sqrt(((counts[i - 1] ?? 0) + (counts[i] ?? 0) + (counts[i + 1] ?? 0)) / 3));

function hump(counts: number[], most: number): string {
  const points = smooth(counts).map((v, i) => `L${x(i).toFixed(1)} ${(BASE - (v / most) * (BASE - 60)).toFixed(1)}`);
  return `M0 ${BASE}${points.join('')}L${W} ${BASE}Z`;
}

function curve(levels: number[], shares: number[]): string {
  const points = levels.map(
    (level, i) => `${x(level).toFixed(1)} ${(BASE - (shares[i] ?? 0) * (BASE - 24)).toFixed(1)}`,
  );
  return `M${points.join('L')}`;
}
