import { Box, Flex, Text } from '@chakra-ui/react';

/** Names and figures, each with its unit. */
export function Figures({ rows }: { rows: [string, string][] }) {
  return (
    <Box as="dl" fontSize="13px">
      {rows.map(([name, figure]) => (
        <Flex key={name} justify="space-between" gap="2" py="0.5">
          <Text as="dt">{name}</Text>
          <Text as="dd" className="figures" whiteSpace="nowrap">
            {figure}
          </Text>
        </Flex>
      ))}
    </Box>
  );
}
