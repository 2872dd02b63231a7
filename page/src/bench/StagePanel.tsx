import { Flex, Text } from '@chakra-ui/react';
import type { ReactNode } from 'react';

/** The controls of the stage in hand: its name, what went wrong, what is still awaited, and then the rest. */
export function StagePanel(props: {
  name: string;
  trouble: string | undefined;
  /** What is still being worked out, in words; null if nothing is. */
  awaited: string | null;
  children: ReactNode;
}) {
  const { name, trouble, awaited, children } = props;
  return (
    <Flex direction="column" gap="2.5" p="4" overflowY="auto" flex="1" minHeight="0">
      <Text as="h2" fontWeight="700" fontSize="18px">
        {name}
      </Text>
      {trouble && (
        <Text role="alert" color="chalk.pink">
          {trouble}
        </Text>
      )}
      {awaited && (
        <Text color="slate.quiet" role="status">
          {awaited}
        </Text>
      )}
      {children}
    </Flex>
  );
}
