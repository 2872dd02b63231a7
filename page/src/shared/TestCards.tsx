import { Box, Flex, Text } from '@chakra-ui/react';

const cards = ['checks', 'white', 'black', 'grey', 'vivid'] as const;
export type Card = (typeof cards)[number];

export const nextCard = (card: Card): Card => cards[(cards.indexOf(card) + 1) % cards.length] ?? 'white';

export const cardBackground: Record<Card, string> = {
  checks: 'repeating-conic-gradient(#d6d6d6 0 25%, #fff 0 50%) 0 0 / 16px 16px',
  white: '#ffffff',
  black: '#000000',
  grey: '#808080',
  vivid: '#d6208c',
};

/** What lies behind the cut-outs, as a row of swatches; none is chosen where nothing lies behind what is seen. */
export function TestCards({ card, onCard }: { card: Card | null; onCard: (card: Card) => void }) {
  return (
    <Flex align="center" gap="2" role="radiogroup" aria-label="Test card">
      <Text fontSize="13px" whiteSpace="nowrap">
        Test card
      </Text>
      {cards.map((name) => (
        <Box
          as="button"
          key={name}
          role="radio"
          aria-checked={card === name}
          aria-label={name}
          title={`Test card: ${name}`}
          width="20px"
          height="20px"
          borderRadius="yard"
          cursor="pointer"
          border="1px solid"
          borderColor="slate.quiet"
          outline={card === name ? '2px solid {colors.chalk.blue}' : undefined}
          outlineOffset="2px"
          style={{ background: cardBackground[name] }}
          onClick={() => onCard(name)}
        />
      ))}
    </Flex>
  );
}
