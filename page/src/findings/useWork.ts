import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { useLocation, useNavigate } from 'react-router';
import { answered, client, type Finding, type Photo, type Scope } from '../api/client';
import { keepPhoto, keys, queries } from '../api/queries';
import type { Marks } from '../bench/marks';
import { amount } from '../shared/format';
import { checkName, wantsPerson } from '../shared/marks';

type Tried = { check: string; place: Finding['place']; words: string };

/** Whether a finding wants a person: neither a note nor let pass. */
export const isOpen = (finding: Finding) => finding.severity !== 'note' && !finding.allowed;

export type HandTool = 'outline' | 'box';
/** The tool for what only a person can draw; null where a mend is offered, or nothing is to be drawn. */
export const handTool = ({ mend, tool }: Finding): HandTool | null =>
  !mend && (tool === 'outline' || tool === 'box') ? tool : null;

/**
 * The finding to begin with: for whoever comes from those of another photo its first, or its last on the way back; and for whoever
 * goes through those of one check its first of that.
 */
export function useArrival(photo: Photo): Finding | undefined {
  const { work, check } = useTravel();
  const open = photo.findings.filter(isOpen);
  const ofCheck = open.filter((finding) => finding.check === check);
  if (ofCheck.length > 0) return ofCheck.at(work === 'last' ? -1 : 0);
  return work && open.at(work === 'first' ? 0 : -1);
}

/** What goes along from photo to photo: at which end of its findings to begin, and the one check whose findings are gone through. */
export type Travel = { work?: 'first' | 'last'; check?: string | null };
export const useTravel = () => (useLocation().state ?? {}) as Travel;
/** The line-up, with the photos of that check. */
export const lineupAt = (lot: number, check?: string | null) => `/lots/${lot}${check ? `?check=${check}` : ''}`;

/**
 * Working through a photo's findings, and from photo to photo: which finding is in hand, its mend previewed and applied, what
 * came of it, findings let pass, the photo accepted.
 */
export function useWork(
  photo: Photo,
  /** The finding that is in hand at first. */
  first: Finding | undefined,
  /** Whether marks are on their way to the server. */
  pending: boolean,
  settle: (marks: Marks, what: string) => void,
  /** Called with a finding that is taken in hand, or null. */
  onTake: (finding: Finding | null) => void,
  /** Called to take a tool in hand, where the mend is drawn by a person. */
  onTool: (tool: HandTool) => void,
) {
  const navigate = useNavigate();
  const [key, setKey] = useState<string | null>(first ? keyOf(first) : null);
  const [preview, setPreview] = useState<Marks | null>(null);
  const [tried, setTried] = useState<Tried | null>(null);
  const [allowing, setAllowing] = useState<number | null>(null);
  const [said, setSaid] = useState<string | null>(null);
  const { findings } = photo;
  const path = { photo_id: photo.id };
  const { check = null } = useTravel();
  const found = findings.findIndex((finding) => keyOf(finding) === key);
  const chosen = found < 0 ? null : found;

  const choose = (at: number | null) => {
    const finding = at === null ? undefined : findings[at];
    setPreview(null);
    setSaid(null);
    setKey(finding ? keyOf(finding) : null);
    onTake(finding ?? null);
  };
  /** To the next (1) or last (-1) photo of the lot that wants a person. */
  const leave = (by: 1 | -1) => {
    const { order } = photo;
    const at = order.findIndex((one) => one.id === photo.id);
    const others = [...order.slice(at + 1), ...order.slice(0, Math.max(at, 0))];
    const wanted = (one: (typeof order)[number]) => (check ? one.checks.includes(check) : wantsPerson(one));
    const next = by > 0 ? others.find(wanted) : others.findLast(wanted);
    const travel: Travel = { work: by > 0 ? 'first' : 'last', check };
    if (next) void navigate(`/lots/${photo.lot_id}/photos/${next.id}`, { state: travel });
    else if (check)
      setSaid(`No other photo of this lot has “${checkName(check)}”. All findings, above, goes on with the rest.`);
    else setSaid('No other photo of this lot wants a look. Escape leads to the line-up.');
  };
  const step = (by: 1 | -1) => {
    const open = findings.flatMap((finding, i) =>
      isOpen(finding) && (check === null || finding.check === check) ? [i] : [],
    );
    const at = chosen === null ? (by > 0 ? -1 : open.length) : open.indexOf(chosen);
    // From a finding that was let pass, or a note: the first one or the last.
    const to = chosen !== null && at < 0 ? open.at(by > 0 ? 0 : -1) : open[at + by];
    if (to !== undefined) choose(to);
    else leave(by);
  };

  const put = async (answer: Photo) => {
    await keepPhoto(answer);
    void queries.invalidateQueries({ queryKey: keys.allowances(photo.lot_id) });
  };
  const { mutate: accept, error: notAccepted } = useMutation({
    mutationFn: () => answered(client.POST('/api/photos/{photo_id}/accept', { params: { path } })),
    onSuccess: async (answer) => {
      await put(answer);
      leave(1);
    },
  });
  const { mutate: allow, error: notAllowed } = useMutation({
    mutationFn: ({ at, scope, reason }: { at: number; scope: Scope; reason: string }) =>
      answered(
        client.POST('/api/photos/{photo_id}/allow', {
          params: { path },
          body: { number: at, message: findings[at]?.message ?? '', scope, reason },
        }),
      ),
    onSuccess: async (answer) => {
      await put(answer);
      setAllowing(null);
    },
  });
  const { mutate: withdraw, error: notWithdrawn } = useMutation({
    mutationFn: (allowance_id: number) =>
      answered(client.DELETE('/api/allowances/{allowance_id}', { params: { path: { allowance_id } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.photo(photo.id) }),
  });

  const mend = (at: number) => {
    const finding = findings[at];
    if (!finding) return;
    const tool = handTool(finding);
    if (tool) onTool(tool);
    if (!finding.mend) return;
    setPreview(null);
    setTried({ check: finding.check, place: finding.place, words: finding.mend.words });
    settle(finding.mend.marks, `${checkName(finding.check)}: ${finding.mend.words.toLowerCase()}`);
  };
  const still =
    tried && findings.find((one) => one.check === tried.check && isOpen(one) && overlap(one.place, tried.place));
  const outcome =
    !tried || pending || photo.state !== 'done'
      ? null
      : still
        ? `“${tried.words}” was not enough: still ${amount(still.figure)} ${still.unit}, limit ${amount(still.limit)}.`
        : `“${tried.words}” put it right.`;
  const trouble = notAccepted ?? notAllowed ?? notWithdrawn;
  return {
    /** The one check whose findings are gone through, through the whole lot. */
    check,
    /** To go through all of them again. */
    showAll: () => void navigate('.', { replace: true, state: null }),
    chosen,
    choose,
    step,
    leave,
    preview,
    setPreview: (at: number | null) => setPreview(at === null ? null : (findings[at]?.mend?.marks ?? null)),
    mend,
    outcome,
    said,
    allowing,
    setAllowing,
    allow: (scope: Scope, reason: string) => allowing !== null && allow({ at: allowing, scope, reason }),
    withdraw,
    accept: () => (findings.some(isOpen) ? accept() : leave(1)),
    trouble: trouble?.message,
  };
}
export type Work = ReturnType<typeof useWork>;

const keyOf = (finding: Finding) =>
  `${finding.check} ${finding.place?.original.join() ?? ''} ${finding.stage} ${finding.unit}`;

export function overlap(a: Finding['place'], b: Finding['place']): boolean {
  if (!a || !b) return !a && !b;
  const [ax = 0, ay = 0, aw = 0, ah = 0] = a.original;
  const [bx = 0, by = 0, bw = 0, bh = 0] = b.original;
  return ax < bx + bw && bx < ax + aw && ay < by + bh && by < ay + ah;
}
