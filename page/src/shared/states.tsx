import { Button, Flex, Text } from '@chakra-ui/react';
import type { ReactNode } from 'react';

/** Something went wrong, with the words of whoever found it, and a way on. */
export function Trouble(props: { message: string; onRetry?: () => void; onClose?: () => void }) {
  const { message, onRetry, onClose } = props;
  return (
    <Flex direction="column" align="center" justify="center" gap="3" p="12" height="100%" role="alert">
      <Text fontSize="16px" maxWidth="560px" textAlign="center">
        {message}
      </Text>
      {onRetry && (
        <Button size="sm" variant="outline" onClick={onRetry}>
          Try again
        </Button>
      )}
      {onClose && (
        <Button size="sm" variant="outline" onClick={onClose}>
          Close
        </Button>
      )}
    </Flex>
  );
}

/** Nothing is here yet, and what to do about it. */
export function Empty({ title, children }: { title: string; children: ReactNode }) {
  return (
    <Flex direction="column" align="center" justify="center" gap="2" p="12" textAlign="center">
      <Text fontSize="18px" fontWeight="700">
        {title}
      </Text>
      <Text color="slate.quiet" maxWidth="520px">
        {children}
      </Text>
    </Flex>
  );
}

/** While something is fetched: quiet, and only seen if it takes long. */
export function Loading({ what }: { what: string }) {
  return (
    <Flex justify="center" p="12" role="status" color="slate.quiet">
      Fetching {what} …
    </Flex>
  );
}
