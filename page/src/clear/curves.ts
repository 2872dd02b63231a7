import type { Knot, Share } from './regions';

export type Path = Knot[];
type OnScreen = (share: readonly number[]) => readonly [number, number];

/** An outline as SVG path data, in px of the screen. */
export function pathData(knots: Path, onScreen: OnScreen, closed: boolean): string {
  const first = knots[0];
  if (!first) return '';
  const parts = [`M ${onScreen(first.at).join(' ')}`];
  const last = closed ? knots.length : knots.length - 1;
  for (let i = 0; i < last; i++) {
    const here = knots[i] ?? first;
    const there = knots[(i + 1) % knots.length] ?? first;
    const end = onScreen(there.at).join(' ');
    if (!here.after && !there.before) parts.push(`L ${end}`);
    else
      parts.push(
        `C ${onScreen(here.after ?? here.at).join(' ')} ${onScreen(there.before ?? there.at).join(' ')} ${end}`,
      );
  }
  return parts.join(' ') + (closed ? ' Z' : '');
}

/** With one point moved, its handles along with it, or one of its handles. */
export function moved(
  paths: Path[],
  held: { path: number; at: number; what: 'at' | 'before' | 'after' },
  to: Share,
): Path[] {
  return paths.map((knots, path) =>
    path !== held.path
      ? knots
      : knots.map((one, i) => {
          if (i !== held.at) return one;
          if (held.what !== 'at') return { ...one, [held.what]: to };
          const by: Share = [to[0] - (one.at[0] ?? 0), to[1] - (one.at[1] ?? 0)];
          return { at: to, before: shifted(one.before, by), after: shifted(one.after, by) };
        }),
  );
}

const shifted = (place: number[] | null | undefined, by: Share) =>
  place ? [(place[0] ?? 0) + by[0], (place[1] ?? 0) + by[1]] : null;

/** With a point more where a place on the screen lies on a segment; null if it lies on none. Curves stay as they are. */
export function inserted(paths: Path[], place: [number, number], onScreen: OnScreen, near: number): Path[] | null {
  let best: { far: number; path: number; at: number; t: number } | null = null;
  for (const [path, knots] of paths.entries())
    for (let i = 0; i < knots.length; i++) {
      const points = segment(knots, i).map(onScreen) as [number, number][];
      for (let k = 1; k < STEPS; k++) {
        const [x, y] = along(points, k / STEPS);
        const far = Math.hypot(x - place[0], y - place[1]);
        if (!best || far < best.far) best = { far, path, at: i, t: k / STEPS };
      }
    }
  if (!best || best.far > near) return null;
  const { path, at, t } = best;
  return paths.map((knots, i) => (i === path ? split(knots, at, t) : knots));
}

const STEPS = 64;

function segment(knots: Path, i: number): number[][] {
  const here = knots[i] as Knot;
  const there = knots[(i + 1) % knots.length] as Knot;
  return here.after || there.before
    ? [here.at, here.after ?? here.at, there.before ?? there.at, there.at]
    : [here.at, there.at];
}

const mix = (a: readonly number[], b: readonly number[], t: number): [number, number] => [
  (a[0] ?? 0) + t * ((b[0] ?? 0) - (a[0] ?? 0)),
  (a[1] ?? 0) + t * ((b[1] ?? 0) - (a[1] ?? 0)),
];

/** A place along a line or a curve (de Casteljau). */
function along(points: (readonly number[])[], t: number): [number, number] {
  let now = points;
  while (now.length > 1) now = now.slice(1).map((point, i) => mix(now[i] as number[], point, t));
  return now[0] as [number, number];
}

/** With a point more on a segment, at a share of its length; a curve stays as it is. */
export function split(knots: Path, i: number, t: number): Path {
  const points = segment(knots, i);
  const next = (i + 1) % knots.length;
  if (points.length === 2) {
    const made: Knot = { at: along(points, t) };
    return [...knots.slice(0, i + 1), made, ...knots.slice(i + 1)];
  }
  const [a = [], b = [], c = [], d = []] = points;
  const [ab, bc, cd] = [mix(a, b, t), mix(b, c, t), mix(c, d, t)];
  const [abc, bcd] = [mix(ab, bc, t), mix(bc, cd, t)];
  const made: Knot = { at: mix(abc, bcd, t), before: abc, after: bcd };
  const bent = knots.map((one, k) => (k === i ? { ...one, after: ab } : k === next ? { ...one, before: cd } : one));
  return [...bent.slice(0, i + 1), made, ...bent.slice(i + 1)];
}
