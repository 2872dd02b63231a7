import { QueryClient, useQuery } from '@tanstack/react-query';
import { answered, client } from './client';

/** The one cache of what the server said. Live events tell it what changed, so nothing is asked twice on a timer. */
export const queries = new QueryClient({
  defaultOptions: { queries: { staleTime: Infinity, retry: 1, refetchOnWindowFocus: false } },
});

export const keys = {
  lots: ['lots'],
  lot: (id: number) => ['lot', id],
  lineup: (id: number) => ['lineup', id],
  photo: (id: number) => ['photo', id],
  lift: (id: number, settings: string) => ['lift', id, settings],
  deliveries: ['deliveries'],
  choices: ['choices'],
} as const;

export const useLots = () => useQuery({ queryKey: keys.lots, queryFn: () => answered(client.GET('/api/lots')) });

export const useChoices = () =>
  useQuery({ queryKey: keys.choices, queryFn: () => answered(client.GET('/api/choices')) });

export const useDeliveries = () =>
  useQuery({ queryKey: keys.deliveries, queryFn: () => answered(client.GET('/api/deliveries')) });

export const useLot = (id: number) =>
  useQuery({
    queryKey: keys.lot(id),
    queryFn: () => answered(client.GET('/api/lots/{lot_id}', { params: { path: { lot_id: id } } })),
  });

export const useLineup = (id: number) =>
  useQuery({
    queryKey: keys.lineup(id),
    queryFn: () => answered(client.GET('/api/lots/{lot_id}/lineup', { params: { path: { lot_id: id } } })),
  });

export const usePhoto = (id: number) =>
  useQuery({
    queryKey: keys.photo(id),
    queryFn: () => answered(client.GET('/api/photos/{photo_id}', { params: { path: { photo_id: id } } })),
  });

/** The graph hangs on the photo and the run sheet, which the tiles' base address stands for, and on the white point. */
export const useLift = (id: number, settings: string, active: boolean) =>
  useQuery({
    queryKey: keys.lift(id, settings),
    enabled: active,
    placeholderData: (before) => before,
    queryFn: () => answered(client.GET('/api/photos/{photo_id}/lift', { params: { path: { photo_id: id } } })),
  });
