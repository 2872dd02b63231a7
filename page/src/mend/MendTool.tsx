import { useEffect, useRef, useState } from 'react';
import { BrushLayer } from '../bench/BrushLayer';
import type { Deck } from '../bench/deck';
import { ToolLayer, type At } from '../bench/ToolLayer';
import { useWhere } from '../bench/useWhere';
import { LoopLayer } from '../clear/ClearTool';
import { steppedBy } from '../shared/keys';
import { mapBack, nameOf, PUSHES, type Entry, type Mend } from './useMend';

const BLUE = '#2C5AA0';

/** What the hand in Mend does over the viewer. */
export function MendTool({ mend, deck }: { mend: Mend; deck: Deck }) {
  const { tool, brush, placing } = mend;
  const size = placing.toPx(brush.size);
  return (
    <>
      <Guides mend={mend} deck={deck} />
      <Specks mend={mend} deck={deck} />
      {mend.takingSource ? (
        <ToolLayer deck={deck} label="Touch where the clone comes from" onDown={mend.takeSource} />
      ) : tool === null ? (
        mend.entry && <EntryHandle mend={mend} entry={mend.entry} deck={deck} />
      ) : tool === 'nudge' ? (
        <LoopLayer deck={deck} label="Draw round the piece to nudge" onLoop={mend.painted} />
      ) : brush.loop && !PUSHES.includes(tool) && tool !== 'clone' ? (
        <LoopLayer deck={deck} label={LABELS[tool]} onLoop={mend.painted} />
      ) : (
        <>
          <BrushLayer deck={deck} size={size} adds={tool !== 'backdrop'} label={LABELS[tool]} onStroke={mend.painted} />
          {tool === 'clone' && <Ghost mend={mend} deck={deck} />}
        </>
      )}
    </>
  );
}

const LABELS = {
  clone: 'Paint the copy',
  fill: 'Paint over what is filled from its surroundings',
  restore: 'Paint where the original comes back',
  backdrop: 'Paint what becomes backdrop',
  product: 'Paint what becomes product',
  nudge: 'Draw round the piece to nudge',
  push: 'Push along the stroke',
  'pull-in': 'Pull in to the brush’s middle',
  'let-out': 'Let out from the brush’s middle',
  relax: 'Relax what was pushed',
};

/** What a press would copy, under the pointer, and where it comes from. */
function Ghost({ mend, deck }: { mend: Mend; deck: Deck }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [at, setAt] = useState<{ left: number; top: number; x: number; y: number } | null>(null);
  const { placing, copying, brush } = mend;
  const where = useWhere(deck);
  const width = Math.max(4, Math.round((where?.scale ?? 1) * placing.toPx(brush.size)));
  useEffect(() => {
    const moved = (event: PointerEvent) => {
      const layer = canvas.current?.parentElement?.getBoundingClientRect();
      const picture = deck.pictureAt(event.clientX, event.clientY);
      const inside =
        layer &&
        event.clientX > layer.left &&
        event.clientX < layer.right &&
        event.clientY > layer.top &&
        event.clientY < layer.bottom;
      setAt(
        inside && picture ? { left: event.clientX - layer.left, top: event.clientY - layer.top, ...picture } : null,
      );
    };
    window.addEventListener('pointermove', moved);
    return () => window.removeEventListener('pointermove', moved);
  }, [deck]);
  const from = at && mend.sourceFor(placing.toPhoto(at));
  const place = from && where?.onScreen({ ...placing.toPicture(from), width: 0, height: 0 });
  useEffect(() => {
    const context = canvas.current?.getContext('2d');
    const shown = deck.canvas;
    if (!context || !shown || !place) return;
    const ratio = window.devicePixelRatio;
    context.setTransform(1, 0, 0, 1, 0, 0);
    context.clearRect(0, 0, width, width);
    context.beginPath();
    context.arc(width / 2, width / 2, width / 2, 0, 2 * Math.PI);
    context.save();
    context.clip();
    // A step on the copy is this step on the source; drawn is the way back.
    const [a, b] = mapBack(copying, 1, 0);
    const [c, d] = mapBack(copying, 0, 1);
    const det = a * d - b * c;
    context.translate(width / 2, width / 2);
    context.transform(d / det, -b / det, -c / det, a / det, 0, 0);
    context.drawImage(shown, -place.x, -place.y, shown.width / ratio, shown.height / ratio);
    context.restore();
  });
  return (
    <>
      <canvas
        ref={canvas}
        width={width}
        height={width}
        aria-hidden="true"
        style={{
          position: 'absolute',
          left: (at?.left ?? 0) - width / 2,
          top: (at?.top ?? 0) - width / 2,
          opacity: 0.75,
          pointerEvents: 'none',
          visibility: place ? 'visible' : 'hidden',
        }}
      />
      {place && (
        <svg width="100%" height="100%" style={over} aria-hidden="true">
          <circle cx={place.x} cy={place.y} r={width / 2 / copying.scale} fill="none" stroke="#fff" strokeWidth="3" />
          <circle
            cx={place.x}
            cy={place.y}
            r={width / 2 / copying.scale}
            fill="none"
            stroke={BLUE}
            strokeWidth="1.5"
            strokeDasharray="2 4"
          />
        </svg>
      )}
    </>
  );
}

/** The outline of the entry in hand, to be dragged; of a nudge, where the piece comes to lie. */
function EntryHandle({ mend, entry, deck }: { mend: Mend; entry: Entry; deck: Deck }) {
  const [from, setFrom] = useState<{ at: At; entry: Entry; source: boolean } | null>(null);
  const where = useWhere(deck);
  if (entry.kind === 'push' || !where) return null;
  const { placing } = mend;
  const on = (share: readonly number[]) => where.onScreen({ ...placing.toPicture(share), width: 0, height: 0 });
  const shift = entry.kind === 'nudge' ? entry.by : [0, 0];
  const points = entry.area.points.map(([x = 0, y = 0]) => on([x + (shift[0] ?? 0), y + (shift[1] ?? 0)]));
  const drawn = points.map((at) => `${at.x},${at.y}`).join(' ');
  const stroke = entry.area.shape === 'stroke' ? entry.area : null;
  const width = stroke ? where.scale * placing.toPx(stroke.size) : 1;
  const source = entry.kind === 'clone' ? on(entry.source) : null;
  const by = (at: At): Entry | null => {
    if (!from) return null;
    if (!from.source || from.entry.kind !== 'clone') return mend.moved(from.entry, at.x - from.at.x, at.y - from.at.y);
    const begun = placing.toPicture(from.entry.source);
    const [x, y] = placing.toPhoto({ x: begun.x + at.x - from.at.x, y: begun.y + at.y - from.at.y });
    return { ...from.entry, source: [Math.min(1, Math.max(0, x)), Math.min(1, Math.max(0, y))] };
  };
  return (
    <ToolLayer
      deck={deck}
      label={`Drag to move ${nameOf(entry)}`}
      cursor="move"
      onDown={(at) =>
        setFrom({ at, entry, source: source !== null && Math.hypot(at.left - source.x, at.top - source.y) < 14 })
      }
      onMove={(at, pressed) => {
        const moved = pressed ? by(at) : null;
        if (moved) mend.preview(moved);
      }}
      onUp={(at) => {
        const moved = by(at);
        if (moved) mend.change(moved, `${nameOf(entry)} moved`);
        setFrom(null);
      }}
      onCancel={() => setFrom(null)}
    >
      <svg width="100%" height="100%" style={{ pointerEvents: 'none' }}>
        {stroke ? (
          <>
            <polyline points={`${drawn} ${drawn.split(' ').pop()}`} {...line(width + 3, '#fff', 0.35)} />
            <polyline points={`${drawn} ${drawn.split(' ').pop()}`} {...line(width, BLUE, 0.3)} />
          </>
        ) : (
          <>
            <polygon points={drawn} fill="none" stroke="#fff" strokeWidth="4" />
            <polygon points={drawn} fill="rgba(44, 90, 160, 0.08)" stroke={BLUE} strokeWidth="2" />
          </>
        )}
        {source && points[0] && (
          <g>
            <line x1={source.x} y1={source.y} x2={points[0].x} y2={points[0].y} stroke="#fff" strokeWidth="3" />
            <line x1={source.x} y1={source.y} x2={points[0].x} y2={points[0].y} stroke={BLUE} strokeWidth="1.5" />
            <rect
              x={source.x - 6}
              y={source.y - 6}
              width="12"
              height="12"
              fill="#F8F8F6"
              stroke={BLUE}
              strokeWidth="2"
            />
          </g>
        )}
      </svg>
    </ToolLayer>
  );
}

const line = (width: number, colour: string, opacity: number) =>
  ({
    fill: 'none',
    stroke: colour,
    strokeWidth: width,
    strokeLinecap: 'round',
    strokeLinejoin: 'round',
    opacity,
  }) as const;

/** Dust that is left: on the backdrop as squares, on the product as diamonds. */
function Specks({ mend, deck }: { mend: Mend; deck: Deck }) {
  const where = useWhere(deck);
  if (!where) return null;
  return (
    <svg width="100%" height="100%" style={over} aria-hidden="true">
      {mend.specks.map((speck) => {
        const [x = 0, y = 0, width = 0, height = 0] = speck.box;
        const at = where.onScreen({ x, y, width, height });
        const half = Math.max(9, Math.max(at.width, at.height) / 2 + 4);
        const [cx, cy] = [at.x + at.width / 2, at.y + at.height / 2];
        const turn = speck.on === 'product' ? `rotate(45 ${cx} ${cy})` : undefined;
        return (
          <g key={speck.box.join(' ')} fill="none" transform={turn}>
            <rect x={cx - half} y={cy - half} width={2 * half} height={2 * half} stroke="#fff" strokeWidth="3.5" />
            <rect
              x={cx - half}
              y={cy - half}
              width={2 * half}
              height={2 * half}
              stroke={speck.on === 'product' ? '#C98A00' : BLUE}
              strokeWidth="1.5"
            />
          </g>
        );
      })}
    </svg>
  );
}

/** Lines to align by; each is dragged by its handle at the rim. */
function Guides({ mend, deck }: { mend: Mend; deck: Deck }) {
  const { guides, placing } = mend;
  const where = useWhere(deck);
  if (!where) return null;
  const moved = (i: number, event: React.PointerEvent): typeof guides | null => {
    const at = deck.pictureAt(event.clientX, event.clientY);
    if (!at) return null;
    const [x, y] = placing.toPhoto(at);
    return guides.map((one, k) =>
      k === i ? { ...one, at: Math.min(1, Math.max(0, one.runs === 'level' ? y : x)) } : one,
    );
  };
  return (
    <svg width="100%" height="100%" style={{ ...over, zIndex: 1 }}>
      {guides.map((guide, i) => {
        const level = guide.runs === 'level';
        const ends = (
          level
            ? [
                [0, guide.at],
                [1, guide.at],
              ]
            : [
                [guide.at, 0],
                [guide.at, 1],
              ]
        ).map((share) => where.onScreen({ ...placing.toPicture(share), width: 0, height: 0 }));
        const [a, b] = ends;
        if (!a || !b) return null;
        return (
          <g key={i}>
            <line x1={a.x} y1={a.y} x2={b.x} y2={b.y} stroke="#fff" strokeWidth="3" opacity="0.7" />
            <line x1={a.x} y1={a.y} x2={b.x} y2={b.y} stroke={BLUE} strokeWidth="1" />
            <rect
              x={a.x - 7}
              y={a.y - 7}
              width="14"
              height="14"
              fill="#F8F8F6"
              stroke={BLUE}
              strokeWidth="2"
              role="slider"
              tabIndex={0}
              aria-label={`${level ? 'Level' : 'Upright'} guide ${i + 1}`}
              aria-valuemin={0}
              aria-valuemax={100}
              aria-valuenow={Math.round(100 * guide.at)}
              style={{ pointerEvents: 'auto', cursor: level ? 'ns-resize' : 'ew-resize' }}
              onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
              onPointerMove={(event) => {
                const next = event.currentTarget.hasPointerCapture(event.pointerId) ? moved(i, event) : null;
                if (next) mend.dragGuides(next);
              }}
              onPointerUp={(event) => {
                const next = moved(i, event);
                if (next) mend.setGuides(next, 'guide moved');
              }}
              onKeyDown={(event) => {
                const at = steppedBy(event, guide.at, 0, 1, level ? -0.001 : 0.001);
                if (at === null) return;
                event.preventDefault();
                mend.setGuides(
                  guides.map((one, k) => (k === i ? { ...one, at } : one)),
                  'guide moved',
                );
              }}
            />
          </g>
        );
      })}
    </svg>
  );
}

const over = { position: 'absolute', inset: 0, pointerEvents: 'none' } as const;
