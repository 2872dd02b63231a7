import { Flex, Text } from '@chakra-ui/react';
import type { ReactNode } from 'react';

/** A part of a stage's panel, under a heading. */
export function Part({ name, aside, children }: { name: string; aside?: ReactNode; children: ReactNode }) {
  return (
    <Flex direction="column" gap="1.5" borderTop="1px solid" borderColor="line" pt="2" flex="none">
      <Flex justify="space-between" align="center">
        <Text as="h3" fontWeight="700">
          {name}
        </Text>
        {aside}
      </Flex>
      {children}
    </Flex>
  );
}
