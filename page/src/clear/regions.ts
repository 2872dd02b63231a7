import type { Photo, Schemas } from '../api/client';

export type Region = NonNullable<Photo['marks']['clear']>['regions'][number];
export type Kind = Region['kind'];
export type Of<K extends Kind> = Extract<Region, { kind: K }>;
export type How = NonNullable<Region['how']>;
export type PhotoStroke = Schemas['Stroke'];
export type Knot = Schemas['Knot'];
export type ContrastMap = Schemas['ContrastMap'];
export type ClearReport = Schemas['ClearReport'];
export type SpreadOffer = Schemas['SpreadOfferOut'];
/** x, y in shares of the upright photo. */
export type Share = [number, number];

export const kinds: { kind: Kind; name: string; what: string }[] = [
  { kind: 'automatic', name: 'Automatic', what: 'from the backdrop model' },
  { kind: 'spread', name: 'Spread', what: 'from a touched place, all that is alike' },
  { kind: 'family', name: 'Colour family', what: 'by samples of the backdrop’s colours' },
  { kind: 'box', name: 'Box', what: 'the product in a rough box or loop' },
  { kind: 'outline', name: 'Outline', what: 'lines and curves, point by point' },
  { kind: 'strokes', name: 'Chalk and Rub', what: 'keep and drop by hand' },
  { kind: 'contrast', name: 'Contrast map', what: 'where two channels tell them apart' },
  { kind: 'ink', name: 'Ink', what: 'paper away, as dense as printed' },
  { kind: 'gaps', name: 'Gaps', what: 'backdrop inside the product' },
];

// Those that a run sheet has: their places are found anew on every photo, so there is nothing of them to draw.
const rules: Partial<Record<Kind, string>> = {
  'spread-rule': 'Spread by rule',
  'family-rule': 'Colours by rule',
  'box-rule': 'Found box',
};

export const nameOf = (region: Region): string =>
  region.name || (rules[region.kind] ?? kinds.find((one) => one.kind === region.kind)?.name ?? '');

export const hows: { how: How; sign: string; word: string }[] = [
  { how: 'add', sign: '+', word: 'adds to the backdrop' },
  { how: 'take', sign: '−', word: 'takes from it' },
  { how: 'intersect', sign: '∩', word: 'leaves what both have' },
];

export const PLAIN = { name: '', on: true, how: 'add' } as const;

export const PLAIN_MAP: ContrastMap = {
  first: 'distance',
  second: 'L*',
  invert_first: false,
  invert_second: false,
  combine: 'first',
  scale: 1,
  offset: 0,
  black: 0,
  white: 1,
  mid: 1,
  invert: true,
};

/** A new spread from a touched place. */
export const spreadFrom = (at: Share): Of<'spread'> => ({
  ...PLAIN,
  kind: 'spread',
  points: [at],
  tolerance: 4,
  by: 'all',
  against: 'backdrop',
  extent: 'joined',
  softness: 0,
  walls: [],
});

export const boxRound = (loop: Share[]): Of<'box'> => ({ ...PLAIN, kind: 'box', loop, strokes: [] });

export const familyOf = (sample: PhotoStroke): Of<'family'> => ({
  ...PLAIN,
  kind: 'family',
  samples: [sample],
  reach: 3,
  softness: 0,
  grain: 0.003,
});

export const outlineOf = (paths: Knot[][], backdrop: Of<'outline'>['backdrop'] = 'outside'): Of<'outline'> => ({
  ...PLAIN,
  kind: 'outline',
  paths,
  backdrop,
  softness: 0,
  edge: 'drawn',
});

type Round = Of<'box'> | Of<'outline'>;

/** Whether a line goes round a product, so that all outside of it is backdrop. */
const isRound = (region: Region): region is Round =>
  region.kind === 'box' || (region.kind === 'outline' && region.backdrop === 'outside');

/** A line round another product than those before it keeps its own besides theirs; one round the same narrows it. */
export function roundAnother(before: Region[], made: Round): Round {
  const others = before.filter(isRound).filter((one) => one.on && one.how !== 'take');
  const apart = isRound(made) && others.length > 0 && others.every((one) => overlap(bounds(one), bounds(made)) < 0.5);
  return apart ? { ...made, how: 'intersect' } : made;
}

type Bounds = { left: number; top: number; right: number; bottom: number };

function bounds(round: Round): Bounds {
  const points = round.kind === 'box' ? round.loop : round.paths.flat().map((knot) => knot.at);
  const [xs, ys] = [points.map(([x = 0]) => x), points.map(([, y = 0]) => y)];
  return { left: Math.min(...xs), top: Math.min(...ys), right: Math.max(...xs), bottom: Math.max(...ys) };
}

const area = (b: Bounds) => Math.max(0, b.right - b.left) * Math.max(0, b.bottom - b.top);

/** The area that two have in common, as a share of the smaller. */
function overlap(a: Bounds, b: Bounds): number {
  const [left, top] = [Math.max(a.left, b.left), Math.max(a.top, b.top)];
  const common = { left, top, right: Math.min(a.right, b.right), bottom: Math.min(a.bottom, b.bottom) };
  return area(common) / Math.max(1e-9, Math.min(area(a), area(b)));
}

/** A region that needs nothing drawn first; null for those that do. */
export function begun(kind: Kind): Region | null {
  switch (kind) {
    case 'automatic':
      return { ...PLAIN, kind, ink: true };
    case 'gaps':
      return { ...PLAIN, kind };
    case 'strokes':
      return { ...PLAIN, kind, strokes: [] };
    case 'contrast':
      return { ...PLAIN, kind, map: PLAIN_MAP, hints: [], versions: [] };
    case 'ink':
      return { ...PLAIN, kind, floor: 'auto', full: 'auto' };
    default:
      return null;
  }
}

/** What holds where a photo has no regions of its own. */
export const standing = (photo: Photo): Region[] =>
  photo.marks.clear?.regions ??
  (photo.sheet_regions.length ? photo.sheet_regions : [{ ...PLAIN, kind: 'automatic', on: photo.clear_on, ink: true }]);
