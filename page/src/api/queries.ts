import { notifyManager, QueryClient, useQuery } from '@tanstack/react-query';
import { answered, client, type DeliveredOf, type Photo, type Tile } from './client';

/** The one cache of what the server said. Live events tell it what changed, so nothing is asked twice on a timer. */
export const queries = new QueryClient({
  defaultOptions: {
    // Whatever the browser thinks of the network: the server is on this machine or beside it.
    queries: { staleTime: Infinity, retry: 1, refetchOnWindowFocus: false, networkMode: 'always' },
    mutations: { networkMode: 'always' },
  },
});

// What is kept is told to the page before whoever kept it goes on: a draft that is dropped after an answer was put here
// must not show, for a frame, what the page knew before.
notifyManager.setScheduler(queueMicrotask);

export const keys = {
  lots: ['lots'],
  removedLots: ['removed lots'],
  lot: (id: number) => ['lot', id],
  lineup: (id: number) => ['lineup', id],
  strips: (id: number) => ['strips', id],
  allowances: (id: number) => ['allowances', id],
  photo: (id: number) => ['photo', id],
  lift: (id: number, settings: string) => ['lift', id, settings],
  deliveries: ['deliveries'],
  shelf: (kind: Kind) => ['shelf', kind],
  arrivals: ['arrivals'],
  ownCards: ['own cards'],
  departures: (lot: number) => ['departures', lot],
  tries: (lot: number) => ['tries', lot],
} as const;

export const useLots = () => useQuery({ queryKey: keys.lots, queryFn: () => answered(client.GET('/api/lots')) });

/** Those that were removed and are still kept. */
export const useRemovedLots = () =>
  useQuery({ queryKey: keys.removedLots, queryFn: () => answered(client.GET('/api/removed-lots')) });

export type Kind = 'sheet' | 'spec';

/** Every version of every run sheet or listing spec. */
export const useShelf = (kind: Kind) =>
  useQuery({
    queryKey: keys.shelf(kind),
    queryFn: () => answered(client.GET('/api/shelf/{kind}', { params: { path: { kind } } })),
  });

export const useArrivals = () =>
  useQuery({ queryKey: keys.arrivals, queryFn: () => answered(client.GET('/api/arrivals')) });

/** Test cards of one's own. */
export const useOwnCards = () =>
  useQuery({ queryKey: keys.ownCards, queryFn: () => answered(client.GET('/api/test-cards')) });

export const useDeliveries = () =>
  useQuery({ queryKey: keys.deliveries, queryFn: () => answered(client.GET('/api/deliveries')) });

/** The first of a delivery's files. */
export const useDeliveryFiles = (delivery_id: number, which: DeliveredOf, limit: number) =>
  useQuery({
    queryKey: [...keys.deliveries, delivery_id, which, limit],
    placeholderData: (before) => before,
    queryFn: () =>
      answered(
        client.GET('/api/deliveries/{delivery_id}/files', {
          params: { path: { delivery_id }, query: { which, limit } },
        }),
      ),
  });

export const useLot = (id: number) =>
  useQuery({
    queryKey: keys.lot(id),
    queryFn: () => answered(client.GET('/api/lots/{lot_id}', { params: { path: { lot_id: id } } })),
  });

const FIRST = 200; // tiles: what is seen at first is there soon; the server names this page to the browser as well
const PAGE = 2000;

/** All tiles of a lot, page by page in its order; what has come is shown while the rest is on its way. */
export const useLineup = (id: number) =>
  useQuery({
    queryKey: keys.lineup(id),
    queryFn: async () => {
      const known = queries.getQueryData<Tile[]>(keys.lineup(id)) !== undefined;
      const at = ++asked;
      let tiles = await pageOf(id, { limit: FIRST });
      for (let limit = FIRST, got = tiles.length; got === limit;) {
        if (!known) queries.setQueryData(keys.lineup(id), tiles);
        limit = PAGE;
        const next = await pageOf(id, { limit, after: tiles.at(-1)?.id });
        got = next.length;
        // A photo that moved down meanwhile comes a second time.
        const there = new Set(next.map((tile) => tile.id));
        tiles = [...tiles.filter((tile) => !there.has(tile.id)), ...next];
      }
      return settled(id, tiles, at);
    },
  });

const pageOf = (id: number, query: { limit?: number; after?: number; photo?: number[] }) =>
  answered(client.GET('/api/lots/{lot_id}/lineup', { params: { path: { lot_id: id }, query } }));

let asked = 0;
const askedLast = new Map<number, number>(); // photo, and the request that its tile was asked for with

/** Answers overtake each other: of each photo the tile that was asked for last stands. `at` is the request of these. */
function settled(id: number, tiles: Tile[], at: number): Tile[] {
  const newer = (tile: Tile) => (askedLast.get(tile.id) ?? 0) > at;
  const kept = (queries.getQueryData<Tile[]>(keys.lineup(id)) ?? []).filter(newer);
  const rest = tiles.filter((tile) => !newer(tile));
  rest.forEach((tile) => askedLast.set(tile.id, at));
  return kept.length === 0 ? tiles : [...rest, ...kept].sort(inOrder);
}

/** Ask again for the tiles of some photos of a lot, and put them where they belong now. */
export async function refreshTiles(id: number, photos: number[]) {
  const tiles = queries.getQueryData<Tile[]>(keys.lineup(id));
  if (!tiles) return;
  const at = ++asked;
  const fresh = await pageOf(id, { photo: photos });
  const mine = new Set(photos.filter((photo) => (askedLast.get(photo) ?? 0) < at));
  mine.forEach((photo) => askedLast.set(photo, at));
  queries.setQueryData<Tile[]>(keys.lineup(id), (now) =>
    [...(now ?? tiles).filter((tile) => !mine.has(tile.id)), ...fresh.filter((tile) => mine.has(tile.id))].sort(
      inOrder,
    ),
  );
}

const inOrder = (a: Tile, b: Tile) =>
  a.rank - b.rank || b.worst - a.worst || (a.name < b.name ? -1 : a.name > b.name ? 1 : a.id - b.id);

export const useStrips = (id: number) =>
  useQuery({
    queryKey: keys.strips(id),
    queryFn: () => answered(client.GET('/api/lots/{lot_id}/strips', { params: { path: { lot_id: id } } })),
  });

export const useAllowances = (id: number) =>
  useQuery({
    queryKey: keys.allowances(id),
    queryFn: () => answered(client.GET('/api/lots/{lot_id}/allowances', { params: { path: { lot_id: id } } })),
  });

export const usePhoto = (id: number) =>
  useQuery({
    queryKey: keys.photo(id),
    queryFn: () => answered(client.GET('/api/photos/{photo_id}', { params: { path: { photo_id: id } } })),
  });

/** What the server answered of a photo is what stands; what was asked before that would bring back what has been changed since. */
export async function keepPhoto(answer: Photo) {
  const queryKey = keys.photo(answer.id);
  const asked = queries.isFetching({ queryKey }) > 0;
  if (asked) await queries.cancelQueries({ queryKey });
  queries.setQueryData(queryKey, answer);
  if (asked) void queries.invalidateQueries({ queryKey });
}

/** The graph hangs on the photo and the run sheet, which the tiles' base address stands for, and on the white point. */
export const useLift = (id: number, settings: string, active: boolean) =>
  useQuery({
    queryKey: keys.lift(id, settings),
    enabled: active,
    placeholderData: (before) => before,
    queryFn: () => answered(client.GET('/api/photos/{photo_id}/lift', { params: { path: { photo_id: id } } })),
  });
