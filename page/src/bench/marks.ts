import type { Photo } from '../api/client';
import type { Region } from '../clear/regions';

/** A photo's own settings, its departures from the run sheet. */
export type Marks = Photo['marks'];
export type LiftMarks = Marks['lift'];
export type BalanceMarks = NonNullable<Marks['balance']>;
export type Stroke = NonNullable<LiftMarks['strokes']>[number];
export type EdgeMarks = Marks['edge'];
export type MendMarks = Marks['mend'];
export type ColourMarks = Marks['colour'];
export type PlaceMarks = Marks['place'];
export type FrameMarks = NonNullable<Marks['frame']>;
/** Left, top, right, bottom, as shares of the frame before the crop. */
export type Crop = [number, number, number, number];

/** Just what is set, in one order, so that the same marks are the same text. */
export function textOf(marks: Marks): string {
  const text = texts.get(marks) ?? written(marks);
  texts.set(marks, text);
  return text;
}

// Marks are never changed in place, and are asked for their text again and again.
const texts = new WeakMap<Marks, string>();

function written(marks: Marks): string {
  const frame = marks.frame ? filled(marks.frame) : undefined;
  const balance = marks.balance ? filled(marks.balance) : undefined;
  const lift = filled(marks.lift);
  const edge = filled(marks.edge);
  const mend = inOrder(filled(marks.mend)) as Record<string, unknown>;
  const colour = filled(marks.colour);
  const place = filled(marks.place);
  return JSON.stringify({
    ...(frame && { frame }),
    ...(balance && { balance }),
    ...(Object.keys(lift).length && { lift }),
    ...(Object.keys(edge).length && { edge }),
    ...(Object.keys(mend).length && { mend }),
    ...(Object.keys(colour).length && { colour }),
    ...(Object.keys(place).length && { place }),
    ...(marks.clear && { clear: marks.clear }),
  });
}

const byKey = ([a]: [string, unknown], [b]: [string, unknown]) => (a < b ? -1 : 1);

function filled(settings: object): Record<string, unknown> {
  const set = Object.entries(settings).filter(
    ([, value]) => value !== null && value !== undefined && !(Array.isArray(value) && value.length === 0),
  );
  return Object.fromEntries(set.sort(byKey));
}

/** The same value with the keys of all that is in it in one order: what was made here and what comes back is the same text. */
function inOrder(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(inOrder);
  if (value === null || typeof value !== 'object') return value;
  const sorted = Object.entries(value).sort(byKey);
  return Object.fromEntries(sorted.map(([key, part]) => [key, inOrder(part)]));
}

/** The marks with some of Lift's settings changed; null takes a setting back to the run sheet's. */
export const withLift = (marks: Marks, change: Partial<LiftMarks>): Marks => ({
  ...marks,
  lift: { ...marks.lift, ...change },
});

/** The same of Edge's settings. */
export const withEdge = (marks: Marks, change: Partial<EdgeMarks>): Marks => ({
  ...marks,
  edge: { ...marks.edge, ...change },
});

/** The same of its mends. */
export const withMend = (marks: Marks, change: Partial<MendMarks>): Marks => ({
  ...marks,
  mend: { ...marks.mend, ...change },
});

/** The same of its colours. */
export const withColour = (marks: Marks, change: Partial<ColourMarks>): Marks => ({
  ...marks,
  colour: { ...marks.colour, ...change },
});

/** The same of its place on the canvas; null takes a setting back to the listing spec's. */
export const withPlace = (marks: Marks, change: Partial<PlaceMarks>): Marks => ({
  ...marks,
  place: { ...marks.place, ...change },
});

export const withBalance = (marks: Marks, balance: BalanceMarks | null): Marks => ({ ...marks, balance });

export const withRegions = (marks: Marks, regions: Region[]): Marks => ({ ...marks, clear: { regions } });

export const WHOLE: FrameMarks = { turns: 0, angle: 0, crop: null };
/** With a frame of its own, even if that is the whole photo: a run sheet may crop where there is none. */
export const withFrame = (marks: Marks, change: Partial<FrameMarks>): Marks => ({
  ...marks,
  frame: { ...(marks.frame ?? WHOLE), ...change },
});

export const NO_MENDS: MendMarks = { entries: [], guides: [] };

/** Only what frames the photo: what the photo as it came in is shown under. */
export const frameOf = (marks: Marks): Marks => ({
  frame: marks.frame,
  balance: null,
  lift: {},
  edge: { wider: [], glass: [] },
  mend: NO_MENDS,
  colour: {},
  place: {},
  clear: null,
});

export const uncropped = (marks: Marks): Marks => withFrame(marks, { crop: null });
