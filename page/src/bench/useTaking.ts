import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { answered, client, type Photo } from '../api/client';
import type { Box, Taken } from './deck';
import { withBalance, withFrame, withLift, type Marks } from './marks';

type Sampling = 'neutral' | 'white' | 'black';
export type Taking = Sampling | 'line';

const HINTS: Record<Taking, string> = {
  neutral: 'Touch or drag over what should be neutral; Escape leaves it',
  white: 'Touch or drag over what should be white; Escape leaves it',
  black: 'Touch or drag over what should be black; Escape leaves it',
  line: 'Draw along something level or upright; Escape leaves it',
};

/** What a place of the photo is touched for, or a line drawn along: what it shows becomes neutral, white, black or level. */
export function useTaking(photo: Photo, settle: (marks: Marks, what: string) => void) {
  const [taking, setTaking] = useState<Taking | null>(null);
  const path = { path: { photo_id: photo.id } };
  const {
    mutate: sample,
    reset: forgetSample,
    data: sampled,
    variables: sampling,
    error: notSampled,
  } = useMutation({
    mutationFn: ({ box }: { box: Box; what: Sampling }) =>
      answered(client.GET('/api/photos/{photo_id}/sample', { params: { ...path, query: box } })),
    onSuccess: (found, { what }) => {
      if (what === 'neutral')
        settle(withBalance(photo.marks, { red: found.red, blue: found.blue }), 'Balance: a place made neutral');
      else {
        const point = `${what}_point` as const;
        const level = found[point];
        settle(
          withLift(photo.marks, { [point]: level }),
          `${what === 'white' ? 'White' : 'Black'} point ${level}, touched`,
        );
      }
    },
  });
  const { mutate: straighten, error: notStraightened } = useMutation({
    mutationFn: ({ across, down }: Taken) =>
      answered(client.GET('/api/level', { params: { query: { dx: across, dy: down } } })),
    onSuccess: ({ angle }) => {
      const turned = Number(((photo.marks.frame?.angle ?? 0) + angle).toFixed(2));
      settle(withFrame(photo.marks, { angle: turned, crop: null }), `Straightened by ${turned.toFixed(1)}°`);
    },
  });
  return {
    taking,
    hint: taking && HINTS[taking],
    take: (what: Taking | null) => {
      forgetSample();
      setTaking(what);
    },
    leave: () => setTaking(null),
    onTaken: (taken: Taken) => {
      if (taking === 'line') straighten(taken);
      else if (taking) sample({ box: taken.box, what: taking });
      setTaking(null);
    },
    /** What was measured where something was to be neutral. */
    sampled: sampling?.what === 'neutral' ? (sampled ?? null) : null,
    trouble: notSampled ?? notStraightened,
  };
}
