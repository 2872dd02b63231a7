import { useState } from 'react';
import { nextCard, type Card } from '../shared/TestCards';
import { onACard, type View } from './Viewer';

/** The test card in force. Where no card lies behind what is seen, choosing one shows the picture on it. */
export function useCard(view: View | 'before', show: (view: 'picture') => void) {
  const [card, setCard] = useState<Card>('white');
  const choose = (chosen: Card) => {
    setCard(chosen);
    if (!onACard(view)) show('picture');
  };
  return { card, choose, next: () => choose(nextCard(card)) };
}
