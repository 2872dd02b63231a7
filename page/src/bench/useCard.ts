import { useState } from 'react';
import { useNextCard, type Card } from '../cards/cards';
import { onACard, type View } from './Viewer';

/** The test card in force. Where no card lies behind what is seen, choosing one shows the picture on it. */
export function useCard(view: View | 'before', show: (view: 'picture') => void) {
  const [card, setCard] = useState<Card>('white');
  const nextCard = useNextCard();
  const choose = (chosen: Card) => {
    setCard(chosen);
    if (!onACard(view)) show('picture');
  };
  return { card, choose, next: () => choose(nextCard(card)) };
}
