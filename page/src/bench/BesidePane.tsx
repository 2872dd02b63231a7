import { Box } from '@chakra-ui/react';
import { useEffect, useRef } from 'react';
import { Deck, type Source } from './deck';

/** The photo as it came in, in a viewer of its own that moves together with another. */
export function BesidePane({ source, beside }: { source: Source; beside: Deck }) {
  const element = useRef<HTMLDivElement>(null);
  const latest = useRef(source);
  useEffect(() => {
    latest.current = source;
  });
  const deck = useRef<Deck | null>(null);
  useEffect(() => {
    if (!element.current) return;
    const made = new Deck(element.current);
    deck.current = made;
    made.show(latest.current);
    const end = beside.join(made);
    return () => {
      end();
      made.close();
      deck.current = null;
    };
  }, [beside]);
  useEffect(() => deck.current?.show(source), [source]);
  return <Box ref={element} position="absolute" inset="0" role="img" aria-label="Before, beside it" />;
}
