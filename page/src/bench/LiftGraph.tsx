import { useRef } from 'react';
import type { Graph } from '../api/client';
import { steppedBy } from '../shared/keys';
import { BASE, Curve, H, W, x } from './Curve';
import type { LiftMarks } from './marks';

const LEGEND = 66; // px; its last line ends here

type Props = {
  lift: Graph;
  whitePoint: number;
  blackPoint: number;
  mid: number;
  /** Points [level in, level out] of the curve, ends left out. */
  curve: number[][];
  /** Whether the channels are told apart instead of backdrop and product. */
  channels: boolean;
  disabled: boolean;
  onDrag: (change: LiftMarks) => void;
  onSettle: (change: LiftMarks, what: string) => void;
};

/**
 * The histogram with the backdrop's hump and the product's share told apart, and over it what each white point leaves
 * short and what it burns. White and black point are lines to drag; the curve takes points where it is pressed.
 */
export function LiftGraph({ lift, whitePoint, blackPoint, mid, curve, channels, disabled, onDrag, onSettle }: Props) {
  const svg = useRef<SVGSVGElement>(null);
  const { graph } = lift;
  const most = Math.max(1, ...smooth(graph.backdrop), ...smooth(graph.product));
  const across = (clientX: number) => {
    const box = svg.current?.getBoundingClientRect();
    return box ? (255 * (clientX - box.left)) / box.width : 0;
  };
  const between = (least: number, value: number, greatest: number) =>
    Math.round(Math.min(greatest, Math.max(least, value)));
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
      {channels ? (
        graph.channels.map((counts, k) => (
          <path
            key={k}
            d={hump(counts, Math.max(1, ...graph.channels.flatMap(smooth)))}
            fill="none"
            stroke={['#B03030', '#2F7D3A', '#2D4FB0', '#262B2F'][k]}
            strokeWidth="1.2"
          />
        ))
      ) : (
        <>
          <path d={hump(graph.product, most)} fill="#B9BCBE" opacity="0.8" />
          <path d={hump(graph.backdrop, most)} fill="#2C5AA0" opacity="0.42" />
        </>
      )}
      <path d={shares(graph.levels, graph.short)} fill="none" stroke="#C98A00" strokeWidth="2" />
      <path d={shares(graph.levels, graph.lost_any)} fill="none" stroke="#C2386F" strokeWidth="2" />
      {/* What runs under the legend is seen round it, not through it. */}
      <g fontSize="12" stroke="#fff" strokeWidth="4" paintOrder="stroke">
        <text x="8" y="18" fill="#8A5F00">
          backdrop still short
        </text>
        <text x="8" y="34" fill="#B02F63">
          product lost
        </text>
        <text x="8" y="50" fill="#5C646A">
          {channels ? 'red, green, blue; black: luminance' : 'grey: product, blue: backdrop'}
        </text>
        <text x="8" y={LEGEND} fill="#262B2F">
          dashed: curve
        </text>
      </g>
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
      <Line
        name="Black point on the histogram"
        level={blackPoint}
        least={0}
        most={100}
        foot
        disabled={disabled}
        levelAt={(clientX) => between(0, across(clientX), 100)}
        onDrag={(level) => onDrag({ black_point: level })}
        onSettle={(level) => onSettle({ black_point: level }, `Black point ${level}`)}
      />
      <Line
        name="Mid-tone on the histogram"
        level={levelOfMid(mid)}
        figure={mid.toFixed(2)}
        least={20}
        most={235}
        foot
        disabled={disabled}
        levelAt={(clientX) => between(20, across(clientX), 235)}
        onDrag={(level) => onDrag({ mid: midAt(level) })}
        onSettle={(level) => onSettle({ mid: midAt(level) }, `Mid-tone ${midAt(level).toFixed(2)}`)}
      />
      <Line
        name="White point on the histogram"
        level={whitePoint}
        least={128}
        most={255}
        disabled={disabled}
        levelAt={(clientX) => between(128, across(clientX), 255)}
        onDrag={(level) => onDrag({ white_point: level })}
        onSettle={(level) => onSettle({ white_point: level }, `White point ${level}`)}
      />
      <Curve
        points={curve}
        disabled={disabled}
        graph={svg}
        onDrag={(points) => onDrag({ curve: points })}
        onSettle={(points, what) => onSettle({ curve: points }, what)}
      />
    </svg>
  );
}

// The mid-tone line stands at the level that becomes the middle, 127.5.
const levelOfMid = (mid: number) => Math.round(255 * 0.5 ** mid);
const midAt = (level: number) => Number(Math.min(5, Math.max(0.2, Math.log2(255 / level))).toFixed(2));

type LineProps = {
  name: string;
  level: number;
  /** What its figure says; the level by default. */
  figure?: string;
  least: number;
  most: number;
  /** Whether its figure stands at the foot. */
  foot?: boolean;
  disabled: boolean;
  levelAt: (clientX: number) => number;
  onDrag: (level: number) => void;
  onSettle: (level: number) => void;
};

/** A level as a line to drag, with its figure. */
function Line({ name, level, figure, least, most, foot, disabled, levelAt, onDrag, onSettle }: LineProps) {
  const middle = Math.min(Math.max(x(level), 19), W - 19);
  const top = foot ? BASE - 18 : 1;
  const colour = foot ? '#262B2F' : '#2C5AA0';
  return (
    <g
      role="slider"
      tabIndex={disabled ? -1 : 0}
      aria-label={name}
      aria-valuemin={least}
      aria-valuemax={most}
      aria-valuenow={level}
      aria-valuetext={figure}
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
        const next = steppedBy(event, level, least, most);
        if (next !== null && !disabled) onSettle(next);
      }}
    >
      <rect x={x(level) - 10} y="0" width="20" height={H} fill="transparent" />
      <line x1={x(level)} x2={x(level)} y1={foot ? LEGEND + 6 : 18} y2={BASE} stroke={colour} strokeWidth="2" />
      <rect x={middle - 18} y={top} width="36" height="18" fill={colour} />
      <text x={middle} y={top + 13.5} fontSize="13" fill="#fff" textAnchor="middle" className="figures">
        {figure ?? level}
      </text>
    </g>
  );
}

// Counts span orders of magnitude; their square root keeps small humps in sight.
const smooth = (counts: number[]) =>
  counts.map((_, i) => Math.sqrt(((counts[i - 1] ?? 0) + (counts[i] ?? 0) + (counts[i + 1] ?? 0)) / 3));

function hump(counts: number[], most: number): string {
  const points = smooth(counts).map((v, i) => `L${x(i).toFixed(1)} ${(BASE - (v / most) * (BASE - 60)).toFixed(1)}`);
  return `M0 ${BASE}${points.join('')}L${W} ${BASE}Z`;
}

function shares(levels: number[], values: number[]): string {
  const points = levels.map(
    (level, i) => `${x(level).toFixed(1)} ${(BASE - (values[i] ?? 0) * (BASE - 24)).toFixed(1)}`,
  );
  return `M${points.join('L')}`;
}
