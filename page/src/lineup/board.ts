import type { Tile } from '../api/client';
import { standingOf, type Standing } from '../shared/marks';

export type Row =
  { kind: 'heading'; standing: Standing; number: number } | { kind: 'tiles'; standing: Standing; tiles: Tile[] };

const ORDER: Standing[] = ['fix', 'look', 'ready', 'failed', 'waiting'];
export const GAP = 14;
// Photos that need a person are shown larger than those that do not.
const SHARE: Record<Standing, number> = { fix: 1, look: 1, ready: 0.62, failed: 1, waiting: 0.62 };

export type Arranged = { rows: Row[]; sizes: Record<Standing, number> };

/** The tiles in rows that fill a width, in groups; on a listing page all are of one size and in one group. */
export function arrange(tiles: Tile[], width: number, size: number, listing: boolean): Arranged {
  const rows: Row[] = [];
  const sizes = { fix: size, look: size, ready: size, failed: size, waiting: size };
  if (width <= 0) return { rows, sizes };
  const put = (group: Tile[], standing: Standing, wanted: number) => {
    // As many as fit; what is left of the width is shared out, so that the rows end flush.
    const across = Math.max(1, Math.floor((width + GAP) / (wanted + GAP)));
    sizes[standing] = Math.floor((width + GAP) / across) - GAP;
    for (let i = 0; i < group.length; i += across)
      rows.push({ kind: 'tiles', standing, tiles: group.slice(i, i + across) });
  };
  if (listing) {
    put(tiles, 'ready', size);
    return { rows, sizes };
  }
  const groups = new Map<Standing, Tile[]>(ORDER.map((standing) => [standing, []]));
  for (const tile of tiles) groups.get(standingOf(tile))?.push(tile);
  for (const [standing, group] of groups) {
    if (group.length === 0) continue;
    rows.push({ kind: 'heading', standing, number: group.length });
    put(group, standing, Math.max(84, Math.round(SHARE[standing] * size)));
  }
  return { rows, sizes };
}

/** The tile that a key leads to from another, in the order of the rows; null for other keys and at the ends. */
export function movedTo(key: string, from: number | null, rows: Row[]): Tile | null {
  const lines = rows.flatMap((row) => (row.kind === 'tiles' ? [row.tiles] : []));
  const all = lines.flat();
  if (key === 'Home') return all[0] ?? null;
  if (key === 'End') return all.at(-1) ?? null;
  const at = all.findIndex((tile) => tile.id === from);
  if (at < 0) return ['ArrowRight', 'ArrowDown', 'ArrowLeft', 'ArrowUp'].includes(key) ? (all[0] ?? null) : null;
  if (key === 'ArrowRight') return all[at + 1] ?? null;
  if (key === 'ArrowLeft') return all[at - 1] ?? null;
  const line = lines.findIndex((one) => one.some((tile) => tile.id === from));
  const column = lines[line]?.findIndex((tile) => tile.id === from) ?? 0;
  const other = key === 'ArrowDown' ? lines[line + 1] : key === 'ArrowUp' ? lines[line - 1] : undefined;
  // To the tile that lies nearest above or below; rows of another group may hold more or fewer.
  const share = column / Math.max(1, lines[line]?.length ?? 1);
  const same = other && other.length >= (lines[line]?.length ?? 1) ? column : Math.floor(share * (other?.length ?? 0));
  return other?.[Math.min(same, other.length - 1)] ?? null;
}

/** The tiles between two, both included, in the order of the rows. */
export function between(a: number, b: number, rows: Row[]): number[] {
  const all = rows.flatMap((row) => (row.kind === 'tiles' ? row.tiles : [])).map((tile) => tile.id);
  const [first = 0, last = 0] = [all.indexOf(a), all.indexOf(b)].sort((x, y) => x - y);
  return first < 0 ? [b] : all.slice(first, last + 1);
}
