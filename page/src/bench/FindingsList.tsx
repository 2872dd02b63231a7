import { Box, Button, Flex, Text } from '@chakra-ui/react';
import type { Finding, Photo } from '../api/client';
import { amount } from '../shared/format';
import { checkName, Mark } from '../shared/marks';

/** What the checks found, worst first: the work list. */
export function FindingsList(props: {
  photo: Photo;
  chosen: number | null;
  onChoose: (index: number) => void;
  onNext: () => void;
}) {
  const { photo, chosen, onChoose, onNext } = props;
  const { findings } = photo;
  const settled = photo.state === 'done';
  return (
    <Flex direction="column" flex="1" minHeight="0">
      <Flex justify="space-between" align="center" px="3.5" py="2.5">
        <Text as="h2" fontWeight="700">
          Findings
        </Text>
        <Text className="figures">{findings.length}</Text>
      </Flex>
      <Box overflowY="auto" flex="1">
        {photo.error && (
          <Text px="3.5" py="2" role="alert">
            {photo.error}
          </Text>
        )}
        {findings.map((finding, i) => (
          <FindingRow key={i} finding={finding} chosen={chosen === i} onChoose={() => onChoose(i)} />
        ))}
        {findings.length === 0 && settled && (
          <Text px="3.5" color="slate.quiet">
            The checks found nothing. This photo is ready.
          </Text>
        )}
        {!settled && photo.state !== 'failed' && (
          <Text px="3.5" py="2" color="slate.quiet" role="status">
            {photo.state === 'idle' ? 'Not checked yet. Run the lot.' : 'Being checked anew …'}
          </Text>
        )}
      </Box>
      {findings.length > 0 && (
        <Flex px="3.5" py="2" borderTop="1px solid" borderColor="line" align="center" justify="space-between">
          <Button size="xs" variant="outline" bg="white" onClick={onNext}>
            Next finding
          </Button>
          <Text color="slate.quiet" fontSize="13px">
            key N
          </Text>
        </Flex>
      )}
    </Flex>
  );
}

function FindingRow({ finding, chosen, onChoose }: { finding: Finding; chosen: boolean; onChoose: () => void }) {
  return (
    <Box
      as="button"
      display="flex"
      gap="2.5"
      width="100%"
      textAlign="left"
      px="3.5"
      py="2"
      cursor="pointer"
      bg={chosen ? 'paper.raised' : undefined}
      boxShadow={chosen ? 'inset 4px 0 {colors.chalk.blue}' : undefined}
      aria-pressed={chosen}
      onClick={onChoose}
    >
      <Box pt="4px">
        {finding.severity === 'note' ? (
          <Box width="12px" height="3px" mt="5px" bg="slate.quiet" role="img" aria-label="Note" />
        ) : (
          <Mark standing={finding.severity} />
        )}
      </Box>
      <Box>
        <Text fontWeight={chosen ? '700' : '500'}>{checkName(finding.check)}</Text>
        <Text fontSize="13px" color="slate.quiet">
          {finding.message}
        </Text>
        <Text fontSize="12px" color="slate.quiet" className="figures">
          {finding.severity === 'note'
            ? `${amount(finding.figure)} ${finding.unit}`
            : `limit ${amount(finding.limit)} ${finding.unit}`}
        </Text>
      </Box>
    </Box>
  );
}
