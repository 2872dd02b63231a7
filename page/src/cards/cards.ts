import { useOwnCards } from '../api/queries';

/** Those that ship, by name; a colour of one's own, by its levels in hexadecimals; or a picture, by the digest of its file. */
export type Card = string;

export const shipped = ['checks', 'white', 'black', 'grey', 'vivid'] as const;

const colours: Record<string, string> = {
  checks: 'repeating-conic-gradient(#d6d6d6 0 25%, #fff 0 50%) 0 0 / 16px 16px',
  white: '#ffffff',
  black: '#000000',
  grey: '#808080',
  vivid: '#d6208c',
};

const PICTURE = 64; // letters of a digest

/** How a card lies behind something, as a style's background. */
export const cardBackground = (card: Card): string =>
  colours[card] ?? (card.length === PICTURE ? `#a6a6a6 url(/api/pictures/${card}) center / cover` : `#${card}`);

/** Goes from a card to the next one, those of one's own after those that ship. */
export function useNextCard(): (card: Card) => Card {
  const own = useOwnCards().data ?? [];
  const all: Card[] = [...shipped, ...own.map((one) => one.card)];
  return (card) => all[(all.indexOf(card) + 1) % all.length] ?? 'white';
}
