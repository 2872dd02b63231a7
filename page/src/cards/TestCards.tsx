import { Box, Flex, Text } from '@chakra-ui/react';
import { useOwnCards } from '../api/queries';
import { cardBackground, shipped, type Card } from './cards';
import { OwnCards } from './OwnCards';

/** What lies behind the cut-outs, as a row of swatches; none is chosen where nothing lies behind what is seen. */
export function TestCards({ card, onCard }: { card: Card | null; onCard: (card: Card) => void }) {
  const own = useOwnCards().data ?? [];
  // Of one's own the one in force is in the row, or the last one made; all are behind the mark beside it.
  const shown = own.find((one) => one.card === card) ?? own.at(-1);
  return (
    <Flex align="center" gap="2">
      <Flex align="center" gap="2" role="radiogroup" aria-label="Test card">
        <Text fontSize="13px" whiteSpace="nowrap">
          Test card
        </Text>
        {shipped.map((name) => (
          <Swatch key={name} card={name} name={name} on={card === name} onPress={() => onCard(name)} />
        ))}
        {shown && (
          <Swatch card={shown.card} name={shown.name} on={card === shown.card} onPress={() => onCard(shown.card)} />
        )}
      </Flex>
      <OwnCards own={own} card={card} onCard={onCard} />
    </Flex>
  );
}

/** One card, small, as a button. */
export function Swatch(props: { card: Card; name: string; on: boolean; large?: boolean; onPress: () => void }) {
  const { card, name, on, large = false, onPress } = props;
  return (
    <Box
      as="button"
      role="radio"
      aria-checked={on}
      aria-label={name}
      title={`Test card: ${name}`}
      flex="none"
      width={large ? '56px' : '20px'}
      height={large ? '40px' : '20px'}
      borderRadius="yard"
      cursor="pointer"
      border="1px solid"
      borderColor="slate.quiet"
      outline={on ? '2px solid {colors.chalk.blue}' : undefined}
      outlineOffset="2px"
      style={{ background: cardBackground(card) }}
      onClick={onPress}
    />
  );
}
