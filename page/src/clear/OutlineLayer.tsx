import { useEffect, useRef, useState } from 'react';
import { answered, client } from '../api/client';
import type { Deck } from '../bench/deck';
import { ToolLayer, type At } from '../bench/ToolLayer';
import { useWhere } from '../bench/useWhere';
import { inserted, moved, pathData, type Path } from './curves';
import { within } from './placing';
import { outlineOf, roundAnother, type Knot, type Share } from './regions';
import type { Clear } from './useClear';

const NEAR = 9; // px on the screen; this near to a point is on it
const SNAP = 0.008; // share of the longer side; an edge this near is meant
const BENT = 5; // px; dragged so far, a new point becomes a curve

type Held = { path: number; at: number; what: 'at' | 'before' | 'after' };

/** Outlines over the viewer: clicked and dragged point by point, then moved, added to and taken from. */
export function OutlineLayer({ clear, deck }: { clear: Clear; deck: Deck }) {
  const { region, hand, knot } = clear;
  const own = region?.kind === 'outline' ? region : null;
  const [open, setOpen] = useState<Path>([]);
  const [pointer, setPointer] = useState<At | null>(null);
  const [editing, setEditing] = useState<Path[] | null>(null);
  // The way along edges to the pointer, as a press would add it.
  const [way, setWay] = useState<Share[]>([]);
  const asking = useRef(false);
  const closing = useRef(false);
  const held = useRef<Held | null>(null);
  const bending = useRef<At | null>(null);
  const paths = editing ?? own?.paths ?? [];
  const toShare = (at: { x: number; y: number }): Share => clear.placing.toPhoto(at);
  const where = useWhere(deck);
  const onScreen = (share: readonly number[]) => {
    const at = where?.onScreen({ ...clear.placing.toPicture(share), width: 0, height: 0 });
    return at ? ([at.x, at.y] as const) : ([0, 0] as const);
  };
  const near = (share: readonly number[] | null | undefined, at: At) => {
    if (!share) return false;
    const [x, y] = onScreen(share);
    return Math.hypot(x - at.left, y - at.top) < NEAR;
  };
  const found = (at: At): Held | null => {
    for (const what of ['at', 'before', 'after'] as const)
      for (const [path, knots] of paths.entries())
        for (const [i, one] of knots.entries())
          if ((what === 'at' || (knot?.path === path && knot.at === i)) && near(one[what], at))
            return { path, at: i, what };
    return null;
  };

  const wayTo = async (start: Share | null, end: Share): Promise<Share[]> => {
    const params = { path: { photo_id: clear.photo.id } };
    const body = { start, end, reach: SNAP };
    const { points } = await answered(client.POST('/api/photos/{photo_id}/clear/way', { params, body }));
    return points as Share[];
  };

  /** Close it, along the edges if the rest went so and the last piece is no curve of the hand's. */
  const close = async (knots: Path, straight: boolean) => {
    const [first, last] = [knots[0], knots[knots.length - 1]];
    if (!first || !last || knots.length < 2) return setOpen([]);
    if (closing.current) return;
    closing.current = true;
    const free = straight || !clear.followEdges || first.before || last.after;
    const points = free ? [] : await wayTo(last.at as Share, first.at as Share).catch(() => []);
    closing.current = false;
    setOpen([]);
    const path = [...knots, ...points.slice(1, -1).map((place): Knot => ({ at: place }))];
    // A line that crosses itself is refused; it is in hand again then, to go back along.
    const again = () => {
      setOpen(knots);
      if (own) clear.setHand('draw');
      else clear.begin('outline');
    };
    if (own) {
      clear.setHand('edit');
      clear.change({ ...own, paths: [...own.paths, path] }, 'Outline: another one', again);
    } else clear.add(roundAnother(clear.regions, outlineOf([path], clear.side)), 'Clear: Outline', 'edit', again);
  };

  /** Show the way to the pointer; while one is asked for, the pointer goes on alone. */
  const lookAhead = (at: At) => {
    const last = open[open.length - 1];
    if (!last || !clear.followEdges || at.shift || asking.current) return;
    asking.current = true;
    void wayTo(last.at as Share, within(toShare(at)))
      .then(setWay)
      .catch(() => setWay([]))
      .finally(() => {
        asking.current = false;
      });
  };

  const extend = async (at: At) => {
    const last = open[open.length - 1];
    const here = toShare(at);
    setWay([]);
    if (!clear.followEdges || at.shift) {
      setOpen((now) => [...now, { at: here }]);
      return;
    }
    const [snapped = here] = await wayTo(null, within(here));
    if (!last) return setOpen([{ at: snapped }]);
    const points = await wayTo(last.at as Share, snapped);
    setOpen((now) => [...now, ...points.slice(1).map((place): Knot => ({ at: place }))]);
  };

  const settleEdit = (next: Path[], what: string) => {
    setEditing(null);
    if (own) clear.change({ ...own, paths: next }, what);
  };

  useEffect(() => {
    const keys = (event: KeyboardEvent) => {
      if (event.target instanceof HTMLElement && /^(INPUT|TEXTAREA|SELECT)$/.test(event.target.tagName)) return;
      if (event.key === 'Enter' && open.length > 1) void close(open, event.shiftKey);
      else if (event.key === 'Escape' && open.length) {
        event.stopImmediatePropagation();
        setOpen([]);
      } else if ((event.key === 'Delete' || event.key === 'Backspace') && open.length) setOpen(open.slice(0, -1));
      else if ((event.key === 'Delete' || event.key === 'Backspace') && own && knot) removeKnot(clear);
      else return;
      event.preventDefault();
    };
    window.addEventListener('keydown', keys, true);
    return () => window.removeEventListener('keydown', keys, true);
  });

  return (
    <ToolLayer
      deck={deck}
      label={
        hand === 'draw'
          ? 'Click point by point round the product; click the first one to close'
          : 'Move the points of the outline'
      }
      cursor={hand === 'draw' ? 'crosshair' : 'default'}
      onDown={(at) => {
        if (hand === 'draw') {
          if (open.length > 1 && near(open[0]?.at, at)) return void close(open, at.shift);
          bending.current = at;
          void extend(at);
          return;
        }
        held.current = found(at);
        clear.setKnot(held.current && { path: held.current.path, at: held.current.at });
      }}
      onMove={(at, pressed) => {
        setPointer(at);
        if (!pressed) {
          if (hand === 'draw') lookAhead(at);
          return;
        }
        if (hand === 'draw') {
          const from = bending.current;
          if (!from || Math.hypot(at.left - from.left, at.top - from.top) < BENT) return;
          setOpen((now) => {
            const last = now[now.length - 1];
            if (!last) return now;
            const after = toShare(at);
            const before: Share = [2 * (last.at[0] ?? 0) - after[0], 2 * (last.at[1] ?? 0) - after[1]];
            return [...now.slice(0, -1), { ...last, after, before }];
          });
        } else if (held.current) setEditing(moved(paths, held.current, toShare(at)));
      }}
      onUp={() => {
        bending.current = null;
        if (held.current && editing) settleEdit(editing, 'Outline: a point moved');
        held.current = null;
      }}
      onDouble={(at) => {
        if (hand === 'draw') return void close(open, at.shift);
        const next = inserted(paths, [at.left, at.top], onScreen, NEAR);
        if (next) settleEdit(next, 'Outline: a point more');
      }}
      onCancel={() => {
        setEditing(null);
        held.current = null;
      }}
      onLeave={() => setPointer(null)}
    >
      <svg width="100%" height="100%" style={{ pointerEvents: 'none' }}>
        {paths.map((knots, i) => (
          <Line key={i} d={pathData(knots, onScreen, true)} />
        ))}
        {open.length > 0 && (
          <>
            <Line d={pathData(open, onScreen, false)} />
            {pointer && (
              <Line
                d={[
                  ...(way.length && clear.followEdges && !pointer.shift
                    ? way.map(onScreen)
                    : ahead(open, onScreen, pointer)),
                ]
                  .map(([x, y], i) => `${i ? 'L' : 'M'} ${x} ${y}`)
                  .join(' ')}
                thin
              />
            )}
          </>
        )}
        {[...paths.map((knots, path) => ({ knots, path })), { knots: open, path: -1 }].map(({ knots, path }) =>
          knots.map((one, i) => {
            const here = knot?.path === path && knot.at === i;
            const [x, y] = onScreen(one.at);
            return (
              <g key={`${path} ${i}`}>
                {here &&
                  [one.before, one.after].map((handle, k) => {
                    if (!handle) return null;
                    const [u, v] = onScreen(handle);
                    return (
                      <g key={k}>
                        <line x1={x} y1={y} x2={u} y2={v} stroke="#2C5AA0" />
                        <circle cx={u} cy={v} r="4" fill="#2C5AA0" stroke="#fff" strokeWidth="1.5" />
                      </g>
                    );
                  })}
                <circle
                  cx={x}
                  cy={y}
                  r={path === -1 && i === 0 ? 6 : here ? 5 : knots.length > 60 ? 1.8 : 3.5}
                  fill={here ? '#2C5AA0' : '#fff'}
                  stroke="#2C5AA0"
                  strokeWidth="1.5"
                />
              </g>
            );
          }),
        )}
      </svg>
    </ToolLayer>
  );
}

/** A straight line from the last point to the pointer. */
const ahead = (open: Path, onScreen: (share: readonly number[]) => readonly [number, number], pointer: At) => [
  onScreen(open[open.length - 1]?.at ?? [0, 0]),
  [pointer.left, pointer.top] as const,
];

function Line({ d, thin = false }: { d: string; thin?: boolean }) {
  return (
    <>
      <path d={d} fill="none" stroke="#fff" strokeWidth={thin ? 3 : 4} />
      <path d={d} fill="none" stroke="#2C5AA0" strokeWidth={thin ? 1 : 2} />
    </>
  );
}

/** Take the point in hand out of its outline; an outline of two loses its second and goes. */
export function removeKnot(clear: Clear) {
  const { region, knot } = clear;
  if (region?.kind !== 'outline' || !knot) return;
  const left = region.paths.map((knots, i) => (i === knot.path ? knots.filter((_, k) => k !== knot.at) : knots));
  const paths = left.filter((knots) => knots.length >= 2);
  clear.setKnot(null);
  if (paths.length) clear.change({ ...region, paths }, 'Outline: a point less');
}
