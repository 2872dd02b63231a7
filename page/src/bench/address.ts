import { useQuery } from '@tanstack/react-query';
import { answered, client } from '../api/client';
import type { Marks } from './marks';

const LONGEST = 480;
const keys = new Map<string, string>();

function keyOf(text: string): string {
  const key = keys.get(text) ?? crypto.randomUUID();
  keys.set(text, key);
  return key;
}

/**
 * How marks stand in the address of a tile: as they are if they are short, else by a key. The marks are sent along with
 * the first tile that is asked for under it, and again when the server was away.
 */
export function useMarksAddress(marks: Marks, text: string): string {
  const long = text.length > LONGEST;
  const key = long ? keyOf(text) : '';
  useQuery({
    queryKey: ['marks', key],
    enabled: long,
    queryFn: async () => {
      await answered(client.PUT('/api/marks/{key}', { params: { path: { key } }, body: marks }));
      return true;
    },
  });
  return long ? `~${key}` : encodeURIComponent(text);
}
