import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { answered, client, messageOf, type Photo } from '../api/client';
import { textOf, withRegions, type Marks } from '../bench/marks';
import type { Steps } from '../bench/useSteps';
import { useLater } from '../shared/useLater';
import { placingOf } from './placing';
import { begun, nameOf, PLAIN_MAP, standing, type Kind, type Of, type Region } from './regions';

/** What a press on the photo does, within the region in hand. */
export type Hand =
  | 'touch'
  | 'touch-more'
  | 'limit'
  | 'wall'
  | 'sample'
  | 'unsample'
  | 'box'
  | 'loop'
  | 'keep'
  | 'drop'
  | 'draw'
  | 'edit'
  | 'chalk'
  | 'rub'
  | 'product'
  | 'backdrop';

export type BrushSettings = {
  /** Share of the photo's longer side. */
  size: number;
  softness: number;
  strength: number;
  guard: boolean;
  edges: boolean;
  straight: boolean;
};

const FIRST_HAND: Partial<Record<Kind, Hand>> = {
  spread: 'touch',
  family: 'sample',
  box: 'box',
  outline: 'draw',
  strokes: 'chalk',
};

export type ReachMap = { levels: Uint8Array; width: number; height: number };

/** What is in hand in Clear, and what it does to the photo's marks. */
export function useClear(
  photo: Photo,
  /** Whether Clear is the stage in hand; nothing is measured for it before. */
  active: boolean,
  shown: Marks,
  drag: (marks: Marks) => void,
  settle: Steps['settle'],
) {
  const regions = shown.clear?.regions ?? standing(photo);
  const [chosen, setChosen] = useState<number | null>(null);
  // A kind that was asked for and begins with the first press on the photo.
  const [waiting, setWaiting] = useState<Kind | null>(null);
  const [hand, setHand] = useState<Hand | null>(null);
  const [brush, setBrush] = useState<BrushSettings>({
    size: 0.02,
    softness: 0.3,
    strength: 1,
    guard: false,
    edges: false,
    straight: false,
  });
  const [followEdges, setFollowEdges] = useState(true);
  // Where the backdrop lies of the outline that is drawn next.
  const [side, setSide] = useState<Of<'outline'>['backdrop']>('outside');
  const [knot, setKnot] = useState<{ path: number; at: number } | null>(null);
  // A spread whose tolerance follows the pointer; it is kept when the pointer is let go.
  const [live, setLive] = useState<Of<'spread'> | null>(null);
  const region = chosen === null ? undefined : regions[chosen];
  const path = { path: { photo_id: photo.id } };
  const place = { params: path };

  const setList = (next: Region[], what: string, refused?: () => void) =>
    settle(withRegions(shown, next), what, refused);
  const inHand = {
    photo,
    regions,
    chosen,
    region,
    waiting,
    hand,
    brush,
    followEdges,
    side,
    knot,
    placing: placingOf(photo),
    setBrush: (change: Partial<BrushSettings>) => setBrush((now) => ({ ...now, ...change })),
    setHand,
    setFollowEdges,
    setSide,
    setKnot,
    setLive,
    setList,
    choose: (at: number | null) => {
      setChosen(at);
      setWaiting(null);
      setLive(null);
      setKnot(null);
      const kind = at === null ? undefined : regions[at]?.kind;
      setHand(kind === 'strokes' ? 'chalk' : kind === 'outline' ? 'edit' : null);
    },
    /** Begin a region of a kind; some begin with a press on the photo. */
    begin: (kind: Kind) => {
      const made = begun(kind);
      setLive(null);
      setKnot(null);
      setHand(FIRST_HAND[kind] ?? null);
      if (made) {
        setWaiting(null);
        setChosen(regions.length);
        setList([...regions, made], `Clear: ${nameOf(made)}`);
      } else {
        setChosen(null);
        setWaiting(kind);
      }
    },
    /** Put a new region at the end of the list and in hand. */
    add: (made: Region, what: string, next: Hand | null = null, refused?: () => void) => {
      setWaiting(null);
      setChosen(regions.length);
      setHand(next);
      setList([...regions, made], what, refused);
    },
    /** Change the region in hand, to be undone as one step. */
    change: (made: Region, what: string, refused?: () => void) => {
      if (chosen === null) return;
      setList(
        regions.map((one, i) => (i === chosen ? made : one)),
        what,
        refused,
      );
    },
    /** Show the region in hand so while a value is dragged. */
    preview: (made: Region) => {
      if (chosen === null) return;
      drag(
        withRegions(
          shown,
          regions.map((one, i) => (i === chosen ? made : one)),
        ),
      );
    },
    drop: () => {
      setHand(null);
      setWaiting(null);
      setLive(null);
    },
  };

  // What is seen comes first; figures follow.
  const measured = useLater(photo.marks);
  // Of what is asked, the parts alone are the same from one drawing of the page to the next.
  const { data: report, error: notMeasured } = useQuery({
    queryKey: ['clear', photo.id, photo.tile_base, textOf({ ...measured, lift: {}, balance: null })],
    enabled: active,
    placeholderData: (before) => before,
    queryFn: () => answered(client.POST('/api/photos/{photo_id}/clear', { ...place, body: measured })),
  });
  const spread = live ?? (region?.kind === 'spread' ? region : null);
  const asked = spread && { ...spread, name: '', on: true, how: 'add' as const, tolerance: 0, softness: 0 };
  const key = [photo.id, photo.tile_base, JSON.stringify([photo.marks.frame, asked])];
  const { data: reach, error: notReached } = useQuery({
    queryKey: ['reach', ...key],
    enabled: asked !== null,
    gcTime: 20_000,
    queryFn: async (): Promise<ReachMap> => {
      const response = await fetch(`/api/photos/${photo.id}/clear/reach-map`, {
        method: 'POST',
        headers: { 'Content-Type': 'application/json' },
        body: JSON.stringify(asked),
      });
      if (!response.ok) throw new Error(messageOf(await response.json()) ?? 'The reach map did not come.');
      return {
        levels: new Uint8Array(await response.arrayBuffer()),
        width: Number(response.headers.get('Width')),
        height: Number(response.headers.get('Height')),
      };
    },
  });
  const { data: offer } = useQuery({
    queryKey: ['offer', ...key],
    // While the pointer is down, the map alone counts.
    enabled: asked !== null && live === null,
    queryFn: () =>
      answered(client.POST('/api/photos/{photo_id}/clear/spread-offer', { ...place, body: asked as Of<'spread'> })),
  });
  const contrast = region?.kind === 'contrast' ? region : null;
  const { data: variants, error: notVaried } = useQuery({
    queryKey: ['variants', photo.id, photo.tile_base, JSON.stringify([photo.marks.frame, contrast?.hints])],
    enabled: contrast !== null,
    placeholderData: (before) => before,
    queryFn: () =>
      answered(
        client.POST('/api/photos/{photo_id}/clear/variants', {
          ...place,
          body: { ...(contrast as Of<'contrast'>), map: PLAIN_MAP, level: null, versions: [] },
        }),
      ),
  });
  const before = chosen === null ? regions : regions.slice(0, chosen);
  const {
    data: gaps,
    isFetching: seeking,
    error: notSought,
  } = useQuery({
    queryKey: ['gaps', photo.id, photo.tile_base, JSON.stringify([photo.marks.frame, before])],
    enabled: region?.kind === 'gaps',
    placeholderData: (given) => given,
    queryFn: () =>
      answered(client.POST('/api/photos/{photo_id}/clear/gaps', { ...place, body: withRegions(photo.marks, before) })),
  });
  const {
    mutateAsync: trace,
    isPending: tracing,
    error: notTraced,
  } = useMutation({
    mutationFn: (number: number | null) =>
      answered(
        client.POST('/api/photos/{photo_id}/clear/trace', {
          params: { ...path, query: number === null ? {} : { number } },
          body: photo.marks,
        }),
      ),
  });
  const trouble = notMeasured ?? notReached ?? notVaried ?? notSought ?? notTraced;
  const clear = { ...inHand, report, reach, offer, variants, gaps, seeking, trace, tracing, trouble };
  // What follows the pointer goes by itself: all else stays as it is meanwhile, and is not drawn anew.
  return { clear, live };
}

export type Clear = ReturnType<typeof useClear>['clear'];
/** A spread whose tolerance follows the pointer. */
export type Live = ReturnType<typeof useClear>['live'];
