import { useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { answered, client, type EdgeReport, type Photo } from '../api/client';
import { textOf, withEdge, type EdgeMarks, type Marks, type Stroke } from '../bench/marks';
import { placingOf, thinned, within } from '../clear/placing';
import { useLater } from '../shared/useLater';

export type Length = { value: number; unit: 'px' | '%' | 'mm' };
export type { EdgeReport as Report };
export type Stretch = EdgeReport['stretches'][number];
/** What is painted: where the band is open wide, or where the product is seen through. */
export type EdgeBrush = { of: 'wider' | 'glass'; adds: boolean };

const NONE: Stretch[] = [];
const PACE = 700; // ms at each stretch

/** Whether a person should look at a stretch: an edge walk stops there. */
export const doubtful = (stretch: Stretch) => stretch.fault !== null;

/** What is in hand in Edge, the outline's figures, and the walk along it. */
export function useEdge(
  photo: Photo,
  /** Whether Edge is the stage in hand; nothing is measured for it before. */
  active: boolean,
  shown: Marks,
  drag: (marks: Marks) => void,
  settle: (marks: Marks, what: string) => void,
) {
  const [brush, setBrush] = useState<EdgeBrush | null>(null);
  const [size, setSize] = useState(0.02);
  const [at, setAt] = useState<number | null>(null);
  const [walking, setWalking] = useState(false);
  // What is seen comes first; figures follow.
  const measured = useLater(photo.marks);
  const asked = textOf({ ...measured, lift: {}, balance: null });
  const { data: report, error: trouble } = useQuery({
    queryKey: ['edge', photo.id, photo.tile_base, asked],
    enabled: active,
    placeholderData: (before) => before,
    queryFn: () =>
      answered(
        client.POST('/api/photos/{photo_id}/edge', {
          params: { path: { photo_id: photo.id } },
          body: measured,
        }),
      ),
  });
  const stretches = report?.stretches ?? NONE;
  const count = stretches.length;
  const here = at === null ? undefined : stretches[at];

  useEffect(() => {
    if (!active || !walking || at === null || count === 0) return;
    const timer = setTimeout(() => {
      const next = at + 1;
      if (next >= count) setWalking(false);
      else {
        setAt(next);
        const one = stretches[next];
        if (one && doubtful(one)) setWalking(false);
      }
    }, PACE);
    return () => clearTimeout(timer);
  }, [active, walking, at, count, stretches]);

  const own = shown.edge;
  const change = (edge: Partial<EdgeMarks>) => withEdge(shown, edge);
  return {
    photo,
    report,
    trouble,
    stretches,
    own,
    at,
    walking,
    here,
    brush,
    size,
    setSize,
    takeBrush: (next: EdgeBrush | null) => {
      setWalking(false);
      setBrush(next);
    },
    goTo: (index: number | null) => {
      setWalking(false);
      setAt(index);
    },
    /** Go on along the outline, to where the next stretch wants a look. */
    walk: () => {
      if (!count) return;
      setBrush(null);
      setAt((now) => (now === null ? 0 : Math.min(now + 1, count - 1)));
      setWalking(true);
    },
    /** One stretch back. */
    back: () => {
      setWalking(false);
      setAt((now) => (count === 0 ? null : Math.max((now ?? count) - 1, 0)));
    },
    halt: () => {
      setWalking(false);
      setAt(null);
      setBrush(null);
    },
    preview: (edge: Partial<EdgeMarks>) => drag(change(edge)),
    set: (edge: Partial<EdgeMarks>, what: string) => settle(change(edge), `Edge: ${what}`),
    paint: (points: { x: number; y: number }[]) => {
      if (!brush) return;
      const placing = placingOf(photo);
      const stroke: Stroke = {
        adds: brush.adds,
        size,
        points: thinned(points).map((point) => within(placing.toPhoto(point))),
      };
      const strokes = [...own[brush.of], stroke];
      settle(
        change({ [brush.of]: strokes }),
        brush.of === 'wider' ? 'Edge: band painted wider' : 'Edge: glass painted',
      );
    },
  };
}

export type Edge = ReturnType<typeof useEdge>;
