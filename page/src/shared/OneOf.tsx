import { Box, Flex } from '@chakra-ui/react';

/** One of a few, as words with a line under the one in hand. */
export function OneOf<T extends string>(props: {
  label: string;
  choice: readonly { name: T; label: string }[];
  value: T;
  onChange: (value: T) => void;
}) {
  const { label, choice, value, onChange } = props;
  return (
    <Flex role="radiogroup" aria-label={label} gap="4">
      {choice.map((one) => (
        <Box
          as="button"
          key={one.name}
          role="radio"
          aria-checked={value === one.name}
          cursor="pointer"
          height="30px"
          whiteSpace="nowrap"
          borderBottom="3px solid"
          borderColor={value === one.name ? 'chalk.blue' : 'transparent'}
          onClick={() => onChange(one.name)}
        >
          {one.label}
        </Box>
      ))}
    </Flex>
  );
}
