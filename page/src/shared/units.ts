import { useSyncExternalStore } from 'react';
import type { Photo } from '../api/client';

export type Unit = 'px' | '%' | 'mm';

// One choice for all lengths, wherever they stand.
let unit: Unit = 'px';
const listeners = new Set<() => void>();

export const chooseUnit = (next: Unit) => {
  unit = next;
  listeners.forEach((listener) => listener());
};

/** The unit that lengths of this photo are shown in: mm only where the file says how many px an inch has. */
export function useUnit(photo: Photo): Unit {
  const wanted = useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => unit,
  );
  return wanted === 'mm' && !photo.facts.dpi ? 'px' : wanted;
}

/** px of the original that one of a unit is. */
export function pxOf(of: Unit, photo: Photo): number {
  if (of === 'px') return 1;
  return of === '%' ? photo.longest / 100 : (photo.facts.dpi ?? 25.4) / 25.4;
}
