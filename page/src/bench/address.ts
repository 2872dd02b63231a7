import { useQuery } from '@tanstack/react-query';
import { answered, client } from '../api/client';
import type { Marks } from './marks';

const LONGEST = 480;

/** How marks stand in the address of a tile: as they are if they are short, else by a key; null until that is known. */
export function useMarksAddress(marks: Marks, text: string): string | null {
  const long = text.length > LONGEST;
  const { data } = useQuery({
    queryKey: ['marks', text],
    enabled: long,
    queryFn: () => answered(client.POST('/api/marks', { body: marks })),
  });
  if (!long) return encodeURIComponent(text);
  return data ? `~${data.key}` : null;
}
