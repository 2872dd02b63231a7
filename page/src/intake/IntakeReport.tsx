import { Box, Button, Flex, Text } from '@chakra-ui/react';
import type { ReactNode } from 'react';
import { count, duration } from '../shared/format';
import { dismiss, isRunning, secondsLeft, stop, useIntake } from './sending';

const LISTED = 5; // lines of a kind; the rest on demand

/** How far the files are that were given to a lot, what was there already, what was refused and why; nothing if none were given. */
export function IntakeReport({ lotId }: { lotId: number }) {
  const progress = useIntake(lotId);
  if (!progress) return null;
  const { total, done, unsent, taken, refused, known, elsewhere } = progress;
  const running = isRunning(progress);
  const left = secondsLeft(progress);
  return (
    <Box p="3" pb="0">
      <Box bg="paper.raised" border="1px solid" borderColor="line" borderRadius="yard" p="3" role="status">
        <Flex justify="space-between" align="center" gap="3">
          <Text fontWeight="600">
            {running
              ? `Taking in ${done} of ${count(total, 'file')}${left === null ? '' : `, ${duration(left)} left`}`
              : [
                  `${count(taken, 'photo')} taken in`,
                  ...(refused.length > 0 ? [`${refused.length} refused`] : []),
                  ...(known.length > 0 ? [`${known.length} there already`] : []),
                  ...(unsent > 0 ? [`${unsent} not sent`] : []),
                ].join(', ')}
          </Text>
          {running ? (
            <Button size="xs" variant="outline" bg="white" onClick={() => stop(lotId)}>
              Stop
            </Button>
          ) : (
            <Button size="xs" variant="ghost" onClick={() => dismiss(lotId)}>
              Close
            </Button>
          )}
        </Flex>
        {running && (
          <Box bg="line" height="6px" mt="2">
            <Box bg="chalk.blue" height="100%" width={`${share(progress)}%`} />
          </Box>
        )}
        <Lines>
          {refused.map(({ reason }) => (
            <Text key={reason} mt="2" fontSize="13px">
              <Box as="span" color="chalk.pink" fontWeight="600">
                Refused:{' '}
              </Box>
              {reason}
            </Text>
          ))}
        </Lines>
        <Lines>
          {[...known.map(({ reason }) => `Not stored twice: ${reason}.`), ...elsewhere.map((line) => `${line}.`)].map(
            (line) => (
              <Text key={line} mt="2" fontSize="13px" color="slate.quiet">
                {line}
              </Text>
            ),
          )}
        </Lines>
      </Box>
    </Box>
  );
}

const share = ({ sent, bytes }: { sent: number; bytes: number }) => (100 * sent) / Math.max(bytes, 1);

/** The first of some lines, and the rest of them on demand. */
function Lines({ children }: { children: ReactNode[] }) {
  const rest = children.slice(LISTED);
  return (
    <>
      {children.slice(0, LISTED)}
      {rest.length > 0 && (
        <Box as="details" mt="2" fontSize="13px">
          <summary style={{ cursor: 'pointer' }}>{rest.length} more</summary>
          {rest}
        </Box>
      )}
    </>
  );
}
