import { useSyncExternalStore } from 'react';
import type { Deck, Where } from './deck';

/** Where the deck's picture is on the screen, to lay something over it that stays on its place. */
export const useWhere = (deck: Deck): Where | null => useSyncExternalStore(deck.follow, deck.where);
