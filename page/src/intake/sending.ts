import { useSyncExternalStore } from 'react';
import type { Intake } from '../api/client';
import type { Gathered } from './gather';

/** How far the files are that were given to a lot. They go on being sent whichever page is shown. */
export type Progress = {
  lot: { id: number; name: string };
  /** Files: of all, those that are done with, and those that were not sent because a person stopped it. */
  total: number;
  done: number;
  unsent: number;
  /** Photos that came of them: of a ZIP many, of what was there already none. */
  taken: number;
  /** Bytes of all that is to be sent, and of what was. */
  bytes: number;
  sent: number;
  /** ms, when the first of them was begun. */
  since: number;
  known: readonly { name: string; reason: string }[];
  elsewhere: readonly string[];
  refused: readonly { name: string; reason: string }[];
};

type One = { lotId: number; given: Gathered };
type Answer = { status: number; report: Partial<Intake> & { message?: string } };

const AT_ONCE = 3;
const PATIENCE_MS = 60_000;
const AGAIN_MS = 1000;
const SURE_MS = 2000; // of sending, after which it can be said how long it takes

let all: ReadonlyMap<number, Progress> = new Map();
let waiting: One[] = [];
let lanes = 0;
const listeners = new Set<() => void>();
const subscribe = (listener: () => void) => {
  listeners.add(listener);
  return () => listeners.delete(listener);
};

/** What was given to a lot last; null if nothing was, or its report was closed. */
export const useIntake = (lotId: number) => useSyncExternalStore(subscribe, () => all.get(lotId) ?? null);

/** What was given to all lots. */
export const useIntakes = () => useSyncExternalStore(subscribe, () => all);

export const isRunning = ({ total, done, unsent }: Progress) => done + unsent < total;

/** Seconds until all is sent, at the pace so far; null while that cannot be told. */
export function secondsLeft({ since, bytes, sent }: Progress): number | null {
  const took = Date.now() - since;
  return took < SURE_MS || sent === 0 ? null : ((took / sent) * (bytes - sent)) / 1000;
}

/** Send files into a lot, a few at a time; one that fails does not hold up the others. */
export function send(lot: Progress['lot'], files: readonly Gathered[]) {
  if (files.length === 0) return;
  const before = all.get(lot.id);
  const now =
    before && isRunning(before)
      ? before
      : {
          total: 0,
          done: 0,
          unsent: 0,
          taken: 0,
          bytes: 0,
          sent: 0,
          since: Date.now(),
          known: [],
          elsewhere: [],
          refused: [],
        };
  const bytes = files.reduce((sum, { file }) => sum + (file?.size ?? 0), 0);
  keep({ ...now, lot, total: now.total + files.length, bytes: now.bytes + bytes });
  waiting.push(...files.map((given) => ({ lotId: lot.id, given })));
  while (lanes < AT_ONCE && waiting.length > 0) void lane();
}

/** Send no more of what waits to go into a lot. */
export function stop(lotId: number) {
  const rest = waiting.filter((one) => one.lotId === lotId);
  waiting = waiting.filter((one) => one.lotId !== lotId);
  change(lotId, ({ unsent, bytes }) => ({
    unsent: unsent + rest.length,
    bytes: bytes - rest.reduce((sum, { given }) => sum + (given.file?.size ?? 0), 0),
  }));
}

/** Close the report of what was given to a lot. */
export function dismiss(lotId: number) {
  const rest = new Map(all);
  rest.delete(lotId);
  tell(rest);
}

function tell(next: ReadonlyMap<number, Progress>) {
  all = next;
  listeners.forEach((listener) => listener());
}

const keep = (progress: Progress) => tell(new Map(all).set(progress.lot.id, progress));

function change(lotId: number, how: (now: Progress) => Partial<Progress>) {
  const now = all.get(lotId);
  if (now) keep({ ...now, ...how(now) });
}

async function lane() {
  lanes += 1;
  for (let next = waiting.shift(); next; next = waiting.shift()) await sendOne(next);
  lanes -= 1;
}

async function sendOne({ lotId, given }: One) {
  const size = given.file?.size ?? 0;
  let seen = 0;
  const onSent = (bytes: number) => {
    const more = Math.min(bytes, size) - seen;
    seen += more;
    change(lotId, ({ sent }) => ({ sent: sent + more }));
  };
  const { status, report } = await answerTo(lotId, given, onSent);
  onSent(size);
  const refused =
    status === 200 ? (report.refused ?? []) : [{ name: given.name, reason: whyNot(given, status, report) }];
  change(lotId, (now) => ({
    done: now.done + 1,
    taken: now.taken + (report.added?.length ?? 0),
    known: [...now.known, ...(report.known ?? [])],
    elsewhere: [...now.elsewhere, ...(report.elsewhere ?? [])],
    refused: [...now.refused, ...refused],
  }));
  // The lot is gone: so would all the others be.
  if (status === 404) stop(lotId);
}

/** The answer to a file; asked again while the server gives none, since it may be starting. The same content is never stored twice. */
async function answerTo(lotId: number, { name, file }: Gathered, onSent: (bytes: number) => void): Promise<Answer> {
  const nothing = { status: 0, report: {} };
  if (file === null) return nothing;
  const address = `/api/lots/${lotId}/files?${new URLSearchParams({ name }).toString()}`;
  const until = Date.now() + PATIENCE_MS;
  for (;;) {
    const answer = await post(address, file, onSent);
    if (answer || Date.now() > until) return answer ?? nothing;
    await new Promise((done) => setTimeout(done, AGAIN_MS));
  }
}

function whyNot({ name, file }: Gathered, status: number, { message }: Answer['report']): string {
  if (file === null) return `${name}: the browser may not read it. Look at its permissions, and drop it again.`;
  if (status === 0) return `${name}: Yard Chalk does not answer. Send it again once it is back.`;
  return `${name}: ${message ?? `The server answered ${status}. Send it again.`}`;
}

/** One attempt; null if there was no answer. Not by `fetch`, which does not say how much of a large file is sent. */
function post(address: string, file: File, onSent: (bytes: number) => void): Promise<Answer | null> {
  return new Promise((done) => {
    const request = new XMLHttpRequest();
    request.open('POST', address);
    request.setRequestHeader('Content-Type', 'application/octet-stream');
    request.upload.onprogress = (event) => onSent(event.loaded);
    request.onload = () => done({ status: request.status, report: parsed(request.responseText) });
    request.onerror = () => done(null);
    request.send(file);
  });
}

function parsed(text: string): Answer['report'] {
  try {
    return JSON.parse(text) as Answer['report'];
  } catch {
    return {};
  }
}

// What was not sent would be lost without a word.
addEventListener('beforeunload', (event) => {
  if ([...all.values()].some(isRunning)) event.preventDefault();
});
