import { useState } from 'react';
import { BrushLayer, type Painted } from '../bench/BrushLayer';
import type { Deck } from '../bench/deck';
import { ToolLayer, type At } from '../bench/ToolLayer';
import { useWhere } from '../bench/useWhere';
import { OutlineLayer } from './OutlineLayer';
import { thinned, within } from './placing';
import { ReachPreview } from './ReachPreview';
import { boxRound, familyOf, roundAnother, spreadFrom, type Of, type PhotoStroke, type Share } from './regions';
import type { Clear, Hand, Live } from './useClear';

const MOST_TOLERANCE = 60;
const PER_UNIT = 6; // px on the screen that the pointer moves for one unit of tolerance
const MOVED = 4; // px; less is a touch

/** What the hand in Clear does over the viewer. */
export function ClearTool({ clear, live, deck }: { clear: Clear; live: Live; deck: Deck }) {
  const { hand, region, photo } = clear;
  const size = { width: photo.width, height: photo.height };
  const preview =
    live && clear.reach ? <ReachPreview deck={deck} map={clear.reach} tolerance={live.tolerance} {...size} /> : null;
  const layer = () => {
    switch (hand) {
      case null:
        return null;
      case 'touch':
      case 'touch-more':
        return <TouchLayer clear={clear} live={live} deck={deck} />;
      case 'box':
        return <RectangleLayer clear={clear} deck={deck} />;
      case 'limit':
      case 'loop':
        return (
          <LoopLayer
            deck={deck}
            label={hand === 'limit' ? 'Draw round where the spread may go' : 'Draw a rough loop round the product'}
            onLoop={(points) => looped(clear, points)}
          />
        );
      case 'draw':
      case 'edit':
        return <OutlineLayer clear={clear} deck={deck} />;
      default:
        return (
          <BrushLayer
            deck={deck}
            size={clear.placing.toPx(clear.brush.size)}
            adds={!NOS.includes(hand)}
            label={LABELS[hand]}
            straight={clear.brush.straight}
            onStroke={(points) => painted(clear, hand, points)}
          />
        );
    }
  };
  const leaks = region?.kind === 'spread' && !live ? (clear.offer?.leaks ?? []) : [];
  const touched = (live ?? (region?.kind === 'spread' ? region : null))?.points ?? [];
  return (
    <>
      {preview}
      <Places clear={clear} deck={deck} leaks={leaks} touched={touched} />
      {layer()}
    </>
  );
}

const NOS: Hand[] = ['wall', 'unsample', 'drop', 'rub', 'backdrop'];
const LABELS: Record<Exclude<Hand, 'touch' | 'touch-more' | 'box' | 'limit' | 'loop' | 'draw' | 'edit'>, string> = {
  wall: 'Paint a wall that the spread does not pass',
  sample: 'Drag over colours that belong to the backdrop',
  unsample: 'Drag over colours that do not belong to the backdrop',
  keep: 'Paint what is product',
  drop: 'Paint what is backdrop',
  chalk: 'Chalk: paint what is kept',
  rub: 'Rub: paint what is dropped',
  product: 'Mark some product',
  backdrop: 'Mark some backdrop',
};

/** What a stroke comes to, by what is in hand. */
function painted(clear: Clear, hand: Hand, points: Painted[]) {
  const { placing, brush, region } = clear;
  const some = thinned(points);
  const places = some.map((at) => within(placing.toPhoto(at)));
  const stroke: PhotoStroke = { adds: !NOS.includes(hand), size: brush.size, points: places };
  if (hand === 'sample' || hand === 'unsample') {
    if (region?.kind === 'family')
      clear.change(
        { ...region, samples: [...region.samples, stroke] },
        hand === 'sample' ? 'Colour family: a sample more' : 'Colour family: a sample that does not belong',
      );
    else if (hand === 'sample') clear.add(familyOf(stroke), 'Clear: Colour family', 'sample');
  } else if (hand === 'keep' || hand === 'drop') {
    if (region?.kind === 'box')
      clear.change(
        { ...region, strokes: [...region.strokes, stroke] },
        hand === 'keep' ? 'Box: this is product' : 'Box: this is backdrop',
      );
  } else if (hand === 'wall') {
    if (region?.kind === 'spread') clear.change({ ...region, walls: [...region.walls, stroke] }, 'Spread: a wall');
  } else if (hand === 'product' || hand === 'backdrop') {
    if (region?.kind === 'contrast')
      clear.change({ ...region, hints: [...region.hints, stroke] }, `Contrast map: ${hand} marked`);
  } else if (region?.kind === 'strokes') {
    const made: Of<'strokes'>['strokes'][number] = {
      keeps: hand === 'chalk',
      size: brush.size,
      softness: brush.softness,
      strength: brush.strength,
      guard: brush.guard,
      edges: brush.edges,
      points: some.map((at, i) => [...(places[i] ?? [0, 0]), at.pressure]),
    };
    clear.change({ ...region, strokes: [...region.strokes, made] }, hand === 'chalk' ? 'Chalk' : 'Rub');
  }
}

/** Touch, then move to widen or narrow. */
function TouchLayer({ clear, live, deck }: { clear: Clear; live: Live; deck: Deck }) {
  const [from, setFrom] = useState<{ at: At; tolerance: number } | null>(null);
  const { region, hand } = clear;
  const own = region?.kind === 'spread' ? region : null;
  return (
    <ToolLayer
      deck={deck}
      label="Touch the backdrop, then move right to widen, left to narrow"
      onDown={(at) => {
        const place = within(clear.placing.toPhoto(at));
        const more = own && hand === 'touch-more';
        const begun = own ? { ...own, points: more ? [...own.points, place] : [place] } : spreadFrom(place);
        setFrom({ at, tolerance: begun.tolerance });
        clear.setLive(begun);
      }}
      onMove={(at, pressed) => {
        if (!pressed || !from || !live) return;
        const moved = at.left - from.at.left - (at.top - from.at.top);
        if (Math.abs(moved) < MOVED) return;
        const wanted = from.tolerance + moved / PER_UNIT;
        const tolerance = Math.round(4 * Math.min(MOST_TOLERANCE, Math.max(0, wanted))) / 4;
        if (tolerance !== live.tolerance) clear.setLive({ ...live, tolerance });
      }}
      onUp={() => {
        if (!live) return;
        const what = `Spread, tolerance ${live.tolerance.toFixed(2)}`;
        if (own) clear.change(live, what);
        else clear.add(live, what, 'touch');
        setFrom(null);
        clear.setLive(null);
      }}
      onCancel={() => clear.setLive(null)}
    >
      {live && from && (
        <svg width="100%" height="100%" style={{ pointerEvents: 'none' }}>
          <text
            x={from.at.left + 14}
            y={from.at.top - 12}
            className="figures"
            fontSize="15"
            fontWeight="700"
            fill="#262B2F"
            stroke="#F8F8F6"
            strokeWidth="4"
            paintOrder="stroke"
          >
            {live.tolerance.toFixed(2)}
          </text>
        </svg>
      )}
    </ToolLayer>
  );
}

function RectangleLayer({ clear, deck }: { clear: Clear; deck: Deck }) {
  const [corners, setCorners] = useState<[At, At] | null>(null);
  const [a, b] = corners ?? [];
  return (
    <ToolLayer
      deck={deck}
      label="Drag a rough box round the product"
      onDown={(at) => setCorners([at, at])}
      onMove={(at, pressed) => pressed && setCorners((now) => now && [now[0], at])}
      onUp={(at) => {
        setCorners(null);
        if (!a || Math.abs(at.left - a.left) < MOVED || Math.abs(at.top - a.top) < MOVED) return;
        const round = [
          { x: a.x, y: a.y },
          { x: at.x, y: a.y },
          { x: at.x, y: at.y },
          { x: a.x, y: at.y },
        ];
        looped(clear, round);
      }}
      onCancel={() => setCorners(null)}
    >
      {a && b && (
        <svg width="100%" height="100%" style={{ pointerEvents: 'none' }}>
          <rect
            x={Math.min(a.left, b.left)}
            y={Math.min(a.top, b.top)}
            width={Math.abs(a.left - b.left)}
            height={Math.abs(a.top - b.top)}
            {...line}
          />
        </svg>
      )}
    </ToolLayer>
  );
}

/** Draws a loop over the viewer. */
export function LoopLayer(props: { deck: Deck; label: string; onLoop: (points: At[]) => void }) {
  const { deck, label, onLoop } = props;
  const [points, setPoints] = useState<At[]>([]);
  return (
    <ToolLayer
      deck={deck}
      label={label}
      onDown={(at) => setPoints([at])}
      onMove={(at, pressed) => {
        const last = points[points.length - 1];
        if (pressed && last && Math.hypot(at.left - last.left, at.top - last.top) > MOVED) setPoints([...points, at]);
      }}
      onUp={() => {
        setPoints([]);
        if (points.length >= 3) onLoop(thinned(points, 200));
      }}
      onCancel={() => setPoints([])}
    >
      <svg width="100%" height="100%" style={{ pointerEvents: 'none' }}>
        <polygon points={points.map((at) => `${at.left},${at.top}`).join(' ')} {...line} />
      </svg>
    </ToolLayer>
  );
}

/** A loop was drawn: the product's, or where a spread may go. */
function looped(clear: Clear, points: { x: number; y: number }[]) {
  const loop: Share[] = points.map((at) => within(clear.placing.toPhoto(at)));
  const { region, hand } = clear;
  if (hand === 'limit') {
    if (region?.kind === 'spread') {
      clear.change({ ...region, extent: 'loop', loop }, 'Spread: within a loop');
      clear.setHand(null);
    }
  } else if (region?.kind === 'box') {
    clear.change({ ...region, loop }, 'Box drawn anew');
    clear.setHand('keep');
  } else clear.add(roundAnother(clear.regions, boxRound(loop)), 'Clear: Box', 'keep');
}

/** The touched places of a spread, and where it leaks. */
function Places(props: {
  clear: Clear;
  deck: Deck;
  touched: number[][];
  leaks: { at: number[]; tolerance: number }[];
}) {
  const { clear, deck, touched, leaks } = props;
  const where = useWhere(deck);
  if (!touched.length || !where) return null;
  const on = (share: number[]) => where.onScreen({ ...clear.placing.toPicture(share), width: 0, height: 0 });
  return (
    <svg width="100%" height="100%" style={{ position: 'absolute', inset: 0, pointerEvents: 'none' }}>
      {touched.map((share, i) => {
        const at = on(share);
        return (
          <g key={i} transform={`translate(${at.x} ${at.y})`} stroke="#2C5AA0" fill="none">
            <circle r="6" stroke="#fff" strokeWidth="4" />
            <circle r="6" strokeWidth="2" />
            <circle r="1.5" fill="#2C5AA0" stroke="none" />
          </g>
        );
      })}
      {leaks.map((leak, i) => {
        const at = on(leak.at);
        return (
          <g key={`leak ${i}`} transform={`translate(${at.x} ${at.y})`}>
            <path d="M-8 -8 L8 8 M8 -8 L-8 8" stroke="#fff" strokeWidth="5" />
            <path d="M-8 -8 L8 8 M8 -8 L-8 8" stroke="#C2386F" strokeWidth="2.5" />
            <text
              x="12"
              y="4"
              fontSize="12"
              fill="#C2386F"
              stroke="#fff"
              strokeWidth="3"
              paintOrder="stroke"
              className="figures"
            >
              {`leaks at ${leak.tolerance}`}
            </text>
          </g>
        );
      })}
    </svg>
  );
}

const line = { fill: 'rgba(44, 90, 160, 0.08)', stroke: '#2C5AA0', strokeWidth: 2, strokeLinejoin: 'round' } as const;
