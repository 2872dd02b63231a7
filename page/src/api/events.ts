import type { QueryClient } from '@tanstack/react-query';
import { keys, refreshTiles } from './queries';

type Event = { lot: number | null; photo: number | null };

let isOnline = true;
const listeners = new Set<() => void>();

/** Whether the server answers, for `useSyncExternalStore`. */
export const connection = {
  online: () => isOnline,
  subscribe: (listener: () => void) => {
    listeners.add(listener);
    return () => listeners.delete(listener);
  },
};

function setOnline(online: boolean) {
  if (online === isOnline) return;
  isOnline = online;
  listeners.forEach((listener) => listener());
}

const GATHER_MS = 200;
const MANY = 100; // photos, from which on all are asked for at once

/** Listen to what changes and mark it as out of date in the cache; changes in quick succession are gathered. */
export function followEvents(queries: QueryClient) {
  const source = new EventSource('/api/events');
  let gathered: Event[] = [];
  let timer: number | undefined;
  const settle = () => {
    timer = undefined;
    const events = gathered;
    gathered = [];
    if (events.some((event) => event.lot === null)) {
      void queries.invalidateQueries();
      return;
    }
    void queries.invalidateQueries({ queryKey: keys.lots });
    void queries.invalidateQueries({ queryKey: keys.removedLots });
    void queries.invalidateQueries({ queryKey: keys.arrivals });
    // What concerns a photo alone changes no delivery.
    if (events.some((event) => event.photo === null)) void queries.invalidateQueries({ queryKey: keys.deliveries });
    for (const lot of new Set(events.map((event) => event.lot as number))) {
      void queries.invalidateQueries({ queryKey: keys.lot(lot) });
      void queries.invalidateQueries({ queryKey: keys.strips(lot) });
      void queries.invalidateQueries({ queryKey: keys.departures(lot) });
      void queries.invalidateQueries({ queryKey: keys.tries(lot) });
      void queries.invalidateQueries({ queryKey: keys.allowances(lot) });
      const photos = new Set(events.filter((event) => event.lot === lot).map((event) => event.photo));
      const some = [...photos].filter((photo) => photo !== null);
      // Of a lot that is running, only what changed is asked again.
      if (photos.has(null) || some.length > MANY) void queries.invalidateQueries({ queryKey: keys.lineup(lot) });
      else void refreshTiles(lot, some).catch(() => queries.invalidateQueries({ queryKey: keys.lineup(lot) }));
    }
    for (const photo of new Set(events.map((event) => event.photo))) {
      if (photo !== null) void queries.invalidateQueries({ queryKey: keys.photo(photo) });
    }
  };
  source.onmessage = (message: MessageEvent<string>) => {
    setOnline(true);
    gathered.push(JSON.parse(message.data) as Event);
    timer ??= window.setTimeout(settle, GATHER_MS);
  };
  source.onerror = () => setOnline(false);
}
