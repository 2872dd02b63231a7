import { useMutation } from '@tanstack/react-query';
import { useState, type RefObject } from 'react';
import { answered, client, type Photo } from '../api/client';
import { keepPhoto, keys, queries } from '../api/queries';
import { textOf, type Marks } from './marks';
import type { Asking } from './Viewer';

const LATEST = 400; // ms that an answer waits for the picture

/** What was refused; the page has no numbers for the entries of a list, so what is wrong with a whole one goes without. */
const inWords = (error: Error | null) =>
  error?.message.replace(/^[a-z_.]+\.\d+: (.)/, (_, first: string) => first.toUpperCase());

/** The photo's marks as they are changed: shown at once, kept by the server step by step, taken back and done again. */
export function useSteps(
  photo: Photo,
  viewer: RefObject<Asking | null>,
  /** Whether a first drag shows another view, so that the picture is not asked for under its marks before that. */
  otherView: boolean,
) {
  // What is being changed, until the server has it.
  const [draft, setDraft] = useState<Marks | null>(null);
  const [dragging, setDragging] = useState(false);
  const shown = draft ?? photo.marks;
  const path = { path: { photo_id: photo.id } };
  const done = {
    // One after the other, in the order in which they were done.
    scope: { id: `marks ${photo.id}` },
    onSuccess: async (answer: Photo, sent: { marks: Marks } | 'undo' | 'redo') => {
      // All that hangs on the photo is drawn anew, so what was asked for is shown first.
      await Promise.race([viewer.current?.arrived(), new Promise((resolve) => setTimeout(resolve, LATEST))]);
      await keepPhoto(answer);
      // What was changed since is on its way and goes on being shown.
      setDraft((now) => (now && typeof sent === 'object' && textOf(now) !== textOf(sent.marks) ? now : null));
    },
    onError: () => setDraft(null),
  };
  // Its parts alone are the same from one drawing of the page to the next.
  const {
    mutate: keep,
    isPending: keeping,
    variables: kept,
    error: notKept,
  } = useMutation({
    mutationFn: ({ marks, what }: { marks: Marks; what: string }) =>
      answered(client.PUT('/api/photos/{photo_id}/marks', { params: { ...path, query: { what } }, body: marks })),
    ...done,
  });
  const { mutate: step, error: notTaken } = useMutation({
    mutationFn: async (way: 'undo' | 'redo') => {
      // Pressed faster than the server answers, or just after a change: what there is to undo is known when its turn comes.
      const now = queries.getQueryData<Photo>(keys.photo(photo.id)) ?? photo;
      return now[way] === null ? now : answered(client.POST(`/api/photos/{photo_id}/${way}`, { params: path }));
    },
    ...done,
  });
  // Sizes come with the kept frame, so that is what the tiles are asked under.
  const asSeen = (marks: Marks): Marks => ({
    ...marks,
    frame: photo.marks.frame,
    ...(photo.lift_on ? {} : { lift: {} }),
  });
  return {
    shown,
    draft,
    dragging,
    /** Whether steps are on their way to the server. */
    pending: keeping || draft !== null,
    trouble: inWords(notKept ?? notTaken),
    asSeen,
    /** Show the photo under marks while a value is dragged. */
    drag: (marks: Marks) => {
      if (dragging || !otherView) viewer.current?.ask(asSeen(marks));
      setDragging(true);
      setDraft(marks);
    },
    /** Keep marks, as one step; `refused` is called if the server does not take them. */
    settle: (marks: Marks, what: string, refused?: () => void) => {
      viewer.current?.ask(asSeen(marks));
      setDragging(false);
      const last = keeping ? kept.marks : photo.marks;
      if (textOf(marks) === textOf(last)) setDraft(keeping ? last : null);
      else {
        setDraft(marks);
        keep({ marks, what }, refused && { onError: refused });
      }
    },
    undo: () => step('undo'),
    redo: () => step('redo'),
  };
}

export type Steps = ReturnType<typeof useSteps>;
