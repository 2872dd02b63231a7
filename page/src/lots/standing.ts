import type { Lot } from '../api/client';

/** Whether all of a lot is delivered as it is. */
export const isDelivered = (lot: Pick<Lot, 'photos' | 'delivered'>) => lot.photos > 0 && lot.delivered === lot.photos;
