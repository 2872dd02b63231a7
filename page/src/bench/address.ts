import { queryOptions, useQuery } from '@tanstack/react-query';
import { answered, client } from '../api/client';
import { queries } from '../api/queries';
import { textOf, type Marks } from './marks';

const LONGEST = 480;
const keys = new Map<string, string>();

function keyOf(text: string): string {
  const key = keys.get(text) ?? crypto.randomUUID();
  keys.set(text, key);
  return key;
}

/** How marks stand in an address that the server has under a key before this page knows them. */
export const keyInAddress = (key: string) => `~${key}`;

/** Marks that the server has under a key already. */
export function haveKey(key: string, marks: Marks) {
  keys.set(textOf(marks), key);
  queries.setQueryData(sending(key, marks).queryKey, true);
}

const sending = (key: string, marks: Marks) =>
  queryOptions({
    queryKey: ['marks', key],
    queryFn: async () => {
      await answered(client.PUT('/api/marks/{key}', { params: { path: { key } }, body: marks }));
      return true;
    },
  });

/** Whether marks go by a key: long ones, those that are no part of a path (a slash ends it), and those that have a key. */
const byKey = (text: string) => text.length > LONGEST || text.includes('/') || keys.has(text);

/** How marks stand in the address of a tile: as they are, else by a key. */
const inAddress = (text: string) => (byKey(text) ? keyInAddress(keyOf(text)) : encodeURIComponent(text));

/** The same, for tiles that are asked for at once: marks that go by a key are on their way with them. */
export function marksAddress(marks: Marks): string {
  const text = textOf(marks);
  if (byKey(text)) void queries.query(sending(keyOf(text), marks)).catch(() => {});
  return inAddress(text);
}

/** The same, while something is shown under it: marks are sent along with their key, and again when the server was away. */
export function useMarksAddress(marks: Marks): string {
  const text = textOf(marks);
  const sent = byKey(text);
  useQuery({ ...sending(sent ? keyOf(text) : '', marks), enabled: sent });
  return inAddress(text);
}
