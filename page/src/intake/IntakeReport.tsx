import { Box, Button, Flex, Text } from '@chakra-ui/react';
import { count } from '../shared/format';
import type { Progress } from './useIntake';

/** What a drop came to: how far it is, what was there already, what was refused and why. */
export function IntakeReport({ progress, onDismiss }: { progress: Progress; onDismiss: () => void }) {
  const share = (100 * progress.done) / Math.max(progress.total, 1);
  return (
    <Box bg="paper.raised" border="1px solid" borderColor="line" borderRadius="yard" p="3" role="status">
      <Flex justify="space-between" align="center" gap="3">
        <Text fontWeight="600">
          {progress.running
            ? `Taking in ${progress.done} of ${progress.total}`
            : `${count(progress.done, 'file')} taken in`}
        </Text>
        {!progress.running && (
          <Button size="xs" variant="ghost" onClick={onDismiss}>
            Close
          </Button>
        )}
      </Flex>
      {progress.running && (
        <Box bg="line" height="6px" mt="2">
          <Box bg="chalk.blue" height="100%" width={`${share}%`} />
        </Box>
      )}
      {progress.refused.map((refusal) => (
        <Text key={refusal.reason} mt="2" fontSize="13px">
          <Box as="span" color="chalk.pink" fontWeight="600">
            Refused:{' '}
          </Box>
          {refusal.reason}
        </Text>
      ))}
      {progress.known.map((line) => (
        <Text key={line} mt="2" fontSize="13px" color="slate.quiet">
          Not stored twice: {line}.
        </Text>
      ))}
      {progress.elsewhere.map((line) => (
        <Text key={line} mt="2" fontSize="13px" color="slate.quiet">
          {line}.
        </Text>
      ))}
    </Box>
  );
}
