import { useQuery } from '@tanstack/react-query';
import { useLayoutEffect, useRef, useState, type RefObject } from 'react';
import { answered, client, type Photo, type Speck } from '../api/client';
import type { Painted } from '../bench/BrushLayer';
import { haveKey } from '../bench/address';
import { NO_MENDS, textOf, withMend, type Marks, type MendMarks } from '../bench/marks';
import type { Asking } from '../bench/Viewer';
import { placingOf, thinned, within } from '../clear/placing';
import type { Share } from '../clear/regions';
import { useLater } from '../shared/useLater';

export type Entry = MendMarks['entries'][number];
export type Of<K extends Entry['kind']> = Extract<Entry, { kind: K }>;
export type Guide = MendMarks['guides'][number];
type Area = Of<'fill'>['area'];

/** What a press on the photo does. */
export type Tool =
  'clone' | 'fill' | 'restore' | 'backdrop' | 'product' | 'nudge' | 'push' | 'pull-in' | 'let-out' | 'relax';
type Pushing = 'push' | 'pull-in' | 'let-out' | 'relax';
export const PUSHES: Tool[] = ['push', 'pull-in', 'let-out', 'relax'] satisfies Pushing[];

export type Brush = {
  /** Share of the photo's longer side. */
  size: number;
  softness: number;
  strength: number;
  /** Whether a loop is drawn instead of a stroke. */
  loop: boolean;
};

export type Copying = {
  turn: number;
  scale: number;
  mirrored: boolean;
  /** Whether the next stroke goes on from where this one took its picture, at the same distance. */
  kept: boolean;
};

const MOST = 400; // entries that a photo may have
const WAIT = 500; // ms after the last key until a step is kept
const NAMES: Record<Entry['kind'], string> = {
  clone: 'Clone',
  fill: 'Fill',
  restore: 'Restore',
  cover: 'To product',
  nudge: 'Nudge',
  push: 'Push',
};

/** What an entry is called in front of a person. */
export const nameOf = (entry: Entry) =>
  entry.name || (entry.kind === 'cover' && entry.to === 'backdrop' ? 'To backdrop' : NAMES[entry.kind]);

/** What is in hand in Mend, and what it does to the photo's marks. */
export function useMend(
  photo: Photo,
  /** Whether Mend is the stage in hand; nothing is measured for it before. */
  active: boolean,
  shown: Marks,
  drag: (marks: Marks) => void,
  settle: (marks: Marks, what: string) => void,
  /** The viewer, and the marks that it shows when these are in force. */
  { asSeen, viewer }: { asSeen: (marks: Marks) => Marks; viewer: RefObject<Asking | null> },
) {
  const { entries, guides } = shown.mend;
  const [tool, setTool] = useState<Tool | null>(null);
  const [chosen, setChosen] = useState<number | null>(null);
  const [brush, setBrush] = useState<Brush>({ size: 0.03, softness: 0.3, strength: 1, loop: false });
  const [copying, setCopying] = useState<Copying>({ turn: 0, scale: 1, mirrored: false, kept: true });
  const [restoring, setRestoring] = useState<Pick<Of<'restore'>, 'tones' | 'coverage'>>({
    tones: 'before-lift',
    coverage: true,
  });
  // Where clones come from: the place that was touched, and the first place that took it.
  const [source, setSource] = useState<Share | null>(null);
  const [anchor, setAnchor] = useState<Share | null>(null);
  const [takingSource, setTakingSource] = useState(false);
  const placing = placingOf(photo);
  const path = { path: { photo_id: photo.id } };
  // What is seen comes first; figures follow.
  const measured = useLater(photo.marks);
  const asked = textOf(measured);
  const {
    data: report,
    isPlaceholderData: outdated,
    error: notMeasured,
  } = useQuery({
    queryKey: ['mends', photo.id, photo.tile_base, asked],
    enabled: active,
    placeholderData: (before) => before,
    queryFn: () => answered(client.POST('/api/photos/{photo_id}/mends', { params: path, body: measured })),
  });
  const [looking, setLooking] = useState(false);
  const { data: dust, error: notSought } = useQuery({
    queryKey: ['dust', photo.id, photo.tile_base, asked],
    enabled: active && looking,
    placeholderData: (before) => before,
    queryFn: () => answered(client.POST('/api/photos/{photo_id}/dust', { params: path, body: measured })),
  });
  const [passed, setPassed] = useState<string[]>([]);
  const key = (speck: Speck) => speck.box.join(' ');
  const specks = looking ? (dust?.specks ?? []).filter((speck) => !passed.includes(key(speck))) : [];

  const withEntries = (next: Entry[]) => withMend(shown, { entries: next });
  // A move by keys that is shown but not kept yet; what is settled meanwhile has it in it.
  const timer = useRef<number>(undefined);
  const pending = useRef<(() => void) | null>(null);
  const settled = (marks: Marks, what: string) => {
    window.clearTimeout(timer.current);
    pending.current = null;
    settle(marks, `Mend: ${what}`);
  };
  const keepMove = () => {
    window.clearTimeout(timer.current);
    pending.current?.();
    pending.current = null;
  };
  const put = (next: Entry[], what: string) => settled(withEntries(next), what);
  const add = (made: Entry, what: string) => {
    setChosen(entries.length);
    put([...entries, made], what);
  };
  const replaced = (i: number, made: Entry) => entries.map((one, k) => (k === i ? made : one));

  // Strokes that push are worked out by the server, one after the other, each on what those before it came to.
  const standing = useRef({ marks: shown, chosen });
  useLayoutEffect(() => {
    standing.current = { marks: shown, chosen };
  });
  const pushes = useRef(Promise.resolve());
  const [pushTrouble, setPushTrouble] = useState<Error | null>(null);
  const push = (points: Share[], by: Pushing) => {
    const { size, strength } = brush;
    const one = async () => {
      const { marks, chosen } = standing.current;
      const { entries } = marks.mend;
      const last = chosen !== null && entries[chosen]?.kind === 'push' ? chosen : entries.length - 1;
      const goesOn = entries[last]?.kind === 'push';
      const at = goesOn ? last : entries.length;
      // The picture is asked for along with what it is to show.
      const key = crypto.randomUUID();
      const body = { marks: asSeen(marks), at: goesOn ? at : null, key, tool: by, points, size, strength };
      const answer = answered(client.POST('/api/photos/{photo_id}/push', { params: path, body }));
      viewer.current?.askByKey(key);
      const made = await answer.catch((error: unknown) => {
        viewer.current?.ask(asSeen(marks));
        throw error;
      });
      const next = withMend(marks, { entries: [...entries.slice(0, at), made, ...entries.slice(at + 1)] });
      haveKey(key, asSeen(next));
      standing.current = { marks: next, chosen: at };
      settled(next, by);
      setChosen(at);
      setPushTrouble(null);
    };
    pushes.current = pushes.current.then(one).catch(setPushTrouble);
  };

  /** Where a stroke that begins at a place takes its picture from. */
  const sourceFor = (first: Share): Share | null => {
    if (!source || !copying.kept || !anchor) return source;
    // The same map goes on: source = touched place + map(first - anchor), in px of the upright photo.
    const [a, b] = [placing.toPicture(first), placing.toPicture(anchor)];
    const [dx, dy] = mapBack(copying, a.x - b.x, a.y - b.y);
    const from = placing.toPicture(source);
    return within(placing.toPhoto({ x: from.x + dx, y: from.y + dy }));
  };

  const areaOf = (points: Share[]): Area =>
    brush.loop && points.length >= 3 ? { shape: 'loop', points } : { shape: 'stroke', size: brush.size, points };

  /** What a stroke or loop comes to. */
  const painted = (given: (Painted | { x: number; y: number })[]) => {
    const points = thinned(given).map((at) => within(placing.toPhoto(at)));
    const [first] = points;
    if (!first || !tool) return;
    const common = { name: '', on: true, softness: brush.softness, strength: brush.strength };
    if (tool === 'clone') {
      const from = sourceFor(first);
      if (!from) return setTakingSource(true);
      const { turn, scale, mirrored } = copying;
      if (!anchor) setAnchor(first);
      add({ ...common, kind: 'clone', area: areaOf(points), source: from, turn, scale, mirrored }, 'clone');
    } else if (tool === 'fill') {
      add({ ...common, kind: 'fill', area: areaOf(points), by: 'auto', attempt: 0, found: false }, 'fill');
    } else if (tool === 'restore') add({ ...common, kind: 'restore', area: areaOf(points), ...restoring }, 'restore');
    else if (tool === 'backdrop' || tool === 'product')
      add({ ...common, kind: 'cover', to: tool, area: areaOf(points) }, `to ${tool}`);
    else if (tool === 'nudge') {
      if (points.length < 3) return;
      const area = { shape: 'loop' as const, points };
      add(
        { kind: 'nudge', name: '', on: true, area, softness: 0.15, by: [0, 0], turn: 0, attempt: 0 },
        'a piece to nudge',
      );
      setTool(null);
    } else push(points, tool);
  };

  const change = (made: Entry, what: string) => {
    if (chosen !== null) put(replaced(chosen, made), what);
  };
  const preview = (made: Entry) => {
    if (chosen !== null) drag(withEntries(replaced(chosen, made)));
  };
  /** Move the entry in hand by so many px of the framed photo; kept when no key has come for a while. */
  const moveBy = (dx: number, dy: number) => {
    const entry = chosen === null ? undefined : entries[chosen];
    const moved = entry && movedBy(entry, dx, dy, placing);
    if (!moved || chosen === null) return;
    const next = withEntries(replaced(chosen, moved));
    drag(next);
    window.clearTimeout(timer.current);
    pending.current = () => settle(next, `Mend: ${nameOf(moved)} moved`);
    timer.current = window.setTimeout(keepMove, WAIT);
  };

  return {
    photo,
    placing,
    entries,
    guides,
    report,
    outdated,
    tool,
    chosen,
    entry: chosen === null ? undefined : entries[chosen],
    brush,
    copying,
    restoring,
    takingSource,
    specks,
    looking,
    dust,
    trouble: notMeasured ?? notSought ?? pushTrouble,
    sourceFor,
    setBrush: (part: Partial<Brush>) => setBrush((now) => ({ ...now, ...part })),
    setCopying: (part: Partial<Copying>) => {
      setAnchor(null);
      setCopying((now) => ({ ...now, ...part }));
    },
    setRestoring: (part: Partial<typeof restoring>) => setRestoring((now) => ({ ...now, ...part })),
    setTakingSource,
    takeSource: (at: { x: number; y: number }) => {
      setSource(within(placing.toPhoto(at)));
      setAnchor(null);
      setTakingSource(false);
    },
    take: (next: Tool | null) => {
      setTool(next);
      setTakingSource(next === 'clone' && source === null);
      setChosen((now) => (now !== null && next && PUSHES.includes(next) && entries[now]?.kind === 'push' ? now : null));
    },
    choose: (i: number | null) => {
      keepMove();
      setTool(null);
      setChosen(i);
    },
    painted,
    change,
    preview,
    moveBy,
    moved: (entry: Entry, dx: number, dy: number) => movedBy(entry, dx, dy, placing),
    toggle: (i: number) => {
      const entry = entries[i];
      if (entry) put(replaced(i, { ...entry, on: !entry.on }), `${nameOf(entry)} ${entry.on ? 'off' : 'on'}`);
    },
    toggleAll: (some: number[], on: boolean) =>
      put(
        entries.map((one, i) => (some.includes(i) ? { ...one, on } : one)),
        `dust ${on ? 'on' : 'off'}`,
      ),
    removeAll: (some: number[]) => {
      setChosen(null);
      put(
        entries.filter((_, i) => !some.includes(i)),
        'dust removed',
      );
    },
    remove: (i: number) => {
      setChosen(null);
      put(
        entries.filter((_, k) => k !== i),
        `${entries[i] ? nameOf(entries[i]) : 'entry'} removed`,
      );
    },
    look: setLooking,
    mendSpecks: (some: Speck[]) => {
      setChosen(null);
      put(
        [...entries, ...some.map((speck) => speck.mend)].slice(0, MOST),
        some.length === 1 ? 'a speck' : `${some.length} specks`,
      );
    },
    pass: (speck: Speck) => setPassed((now) => [...now, key(speck)]),
    setDust: (on: boolean | null) =>
      settled(
        withMend(shown, { dust: on }),
        on === null ? 'dust as the run sheet has it' : on ? 'dust found and mended' : 'dust left',
      ),
    setGuides: (next: Guide[], what: string) => settled(withMend(shown, { guides: next }), what),
    dragGuides: (next: Guide[]) => drag(withMend(shown, { guides: next })),
    clear: () => {
      setChosen(null);
      settled(withMend(shown, { ...NO_MENDS, guides, dust: null }), 'all taken away');
    },
    drop: () => {
      keepMove();
      setTool(null);
      setChosen(null);
      setTakingSource(false);
    },
  };
}

export type Mend = ReturnType<typeof useMend>;

/** A step on the copy as a step on its source. */
export function mapBack({ turn, scale, mirrored }: Copying, dx: number, dy: number): [number, number] {
  const [c, s] = [Math.cos((-turn * Math.PI) / 180), Math.sin((-turn * Math.PI) / 180)];
  const [x, y] = [(c * dx - s * dy) / scale, (s * dx + c * dy) / scale];
  return [mirrored ? -x : x, y];
}

/** An entry moved by px of the framed photo; a nudge's piece, not its loop. Null where there is nothing to move. */
function movedBy(entry: Entry, dx: number, dy: number, placing: ReturnType<typeof placingOf>): Entry | null {
  const [x0, y0] = placing.toPhoto({ x: 0, y: 0 });
  const [x1, y1] = placing.toPhoto({ x: dx, y: dy });
  const [across, down] = [x1 - x0, y1 - y0];
  if (entry.kind === 'push') return null;
  if (entry.kind === 'nudge') {
    const by = (v: number, d: number) => Math.min(1, Math.max(-1, Number((v + d).toFixed(6))));
    return { ...entry, by: [by(entry.by[0] ?? 0, across), by(entry.by[1] ?? 0, down)] };
  }
  const points = entry.area.points.map(([x = 0, y = 0]) => within([x + across, y + down]));
  return { ...entry, area: { ...entry.area, points } };
}
