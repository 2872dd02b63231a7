import { useCallback, useState } from 'react';
import { messageOf, type Intake } from '../api/client';
import type { Gathered } from './gather';

export type Progress = {
  total: number;
  done: number;
  known: string[];
  elsewhere: string[];
  refused: { name: string; reason: string }[];
  running: boolean;
};

const AT_ONCE = 3;
const SYSTEM_FILES = /(^|\/)(\.|__MACOSX|Thumbs\.db$)/;

/** Sends files into a lot, a few at a time; one that fails does not hold up the others. */
export function useIntake() {
  const [progress, setProgress] = useState<Progress | null>(null);
  const send = useCallback(async (lotId: number, gathered: Gathered[]) => {
    const files = gathered.filter((one) => !SYSTEM_FILES.test(one.name));
    const state: Progress = { total: files.length, done: 0, known: [], elsewhere: [], refused: [], running: true };
    const show = () =>
      setProgress({ ...state, known: [...state.known], elsewhere: [...state.elsewhere], refused: [...state.refused] });
    show();
    const waiting = [...files];
    const lane = async () => {
      for (let next = waiting.shift(); next; next = waiting.shift()) {
        try {
          const report = await sendOne(lotId, next);
          state.known.push(...report.known);
          state.elsewhere.push(...report.elsewhere);
          state.refused.push(...report.refused);
        } catch (error) {
          state.refused.push({
            name: next.name,
            reason: `${next.name}: ${messageOf(error) ?? 'was not sent'} Send it again.`,
          });
        }
        state.done += 1;
        show();
      }
    };
    await Promise.all(Array.from({ length: AT_ONCE }, lane));
    state.running = false;
    show();
  }, []);
  return { progress, send, dismiss: () => setProgress(null) };
}

const PATIENCE_MS = 60_000;
const AGAIN_MS = 1000;

/** Sends a file; again while the server does not answer, since it may be starting. The same content is never stored twice. */
async function sendOne(lotId: number, { name, file }: Gathered): Promise<Intake> {
  const address = `/api/lots/${lotId}/files?${new URLSearchParams({ name }).toString()}`;
  const request = { method: 'POST', body: file, headers: { 'Content-Type': 'application/octet-stream' } };
  const until = Date.now() + PATIENCE_MS;
  let response = await fetch(address, request).catch(() => null);
  while (response === null) {
    if (Date.now() > until) throw new Error('Yard Chalk does not answer.');
    await new Promise((done) => setTimeout(done, AGAIN_MS));
    response = await fetch(address, request).catch(() => null);
  }
  const answer = (await response.json().catch(() => ({}))) as Intake & { message?: string };
  if (!response.ok) throw new Error(answer.message ?? `The server answered ${response.status}.`);
  return answer;
}
