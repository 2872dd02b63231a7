import { Box, Button, Flex, Table, Text } from '@chakra-ui/react';
import { useState } from 'react';
import { Link } from 'react-router';
import type { DeliveredFile, DeliveredOf, Delivery } from '../api/client';
import { useDeliveryFiles } from '../api/queries';
import { bytes, count } from '../shared/format';
import { Mark } from '../shared/marks';
import { OneOf } from '../shared/OneOf';
import { Loading, Trouble } from '../shared/states';
import { cardBackground } from '../cards/cards';

const MORE = 100; // rows at a time

/** A delivery's files with what was found on them and what the listing desk says, so many at a time. */
export function DeliveredFiles({ delivery }: { delivery: Delivery }) {
  const [which, setWhich] = useState<DeliveredOf>('all');
  const [most, setMost] = useState(MORE);
  const files = useDeliveryFiles(delivery.id, which, most);
  const choice: { name: DeliveredOf; label: string }[] = [
    { name: 'all', label: `All ${delivery.files + delivery.left_out}` },
    { name: 'found', label: 'With findings' },
  ];
  if (delivery.sent > 0) choice.push({ name: 'unaccepted', label: 'Not accepted' });
  if (files.isError) return <Trouble message={files.error.message} onRetry={() => void files.refetch()} />;
  if (!files.data) return <Loading what="the files" />;
  return (
    <Box borderTop="1px solid" borderColor="line">
      <Box px="3" pt="2">
        <OneOf
          label="Files"
          choice={choice}
          value={which}
          onChange={(next) => {
            setWhich(next);
            setMost(MORE);
          }}
        />
      </Box>
      {files.data.length === 0 ? (
        <Text p="3" color="slate.quiet">
          None.
        </Text>
      ) : (
        <Table.Root size="sm">
          <Table.Header>
            <Table.Row bg="transparent">
              {['Picture', 'File', 'Size', 'Findings', 'Listing desk', 'SHA-256'].map((head) => (
                <Table.ColumnHeader key={head}>{head}</Table.ColumnHeader>
              ))}
            </Table.Row>
          </Table.Header>
          <Table.Body>
            {files.data.map((file) => (
              <FileRow key={file.id} file={file} address={`/api/deliveries/${delivery.id}/files/${file.id}`} />
            ))}
          </Table.Body>
        </Table.Root>
      )}
      {files.data.length === most && most < delivery.files + delivery.left_out && (
        <Flex p="3" gap="4" align="center">
          <Button
            size="xs"
            variant="outline"
            bg="white"
            loading={files.isFetching}
            onClick={() => setMost(most + MORE)}
          >
            {MORE} more
          </Button>
          <Text fontSize="13px" color="slate.quiet">
            {count(most, 'file')} shown; the manifest has all.
          </Text>
        </Flex>
      )}
    </Box>
  );
}

function FileRow({ file, address }: { file: DeliveredFile; address: string }) {
  return (
    <Table.Row bg="transparent" verticalAlign="top">
      <Table.Cell width="80px">
        <a {...(file.digest && { href: address, target: '_blank', rel: 'noreferrer', title: `Open ${file.name}` })}>
          <Box
            width="64px"
            height="64px"
            border="1px solid"
            borderColor="line"
            bg="line"
            style={file.digest ? { background: cardBackground(file.see_through ? 'checks' : 'white') } : undefined}
          >
            {file.preview && (
              <img
                src={`/api/pictures/${file.preview}`}
                alt={file.name}
                loading="lazy"
                style={{ width: '100%', height: '100%', objectFit: 'contain' }}
              />
            )}
          </Box>
        </a>
      </Table.Cell>
      <Table.Cell>
        <Text fontWeight="700">{file.name}</Text>
        <Text fontSize="13px" color="slate.quiet">
          from{' '}
          {file.lot_id === null || file.photo_id === null ? (
            file.source
          ) : (
            <Link to={`/lots/${file.lot_id}/photos/${file.photo_id}`} title="To the bench">
              <Box as="span" color="chalk.blue" textDecoration="underline">
                {file.source}
              </Box>
            </Link>
          )}
        </Text>
        {file.named && (
          <Text fontSize="13px" color="slate.quiet">
            {file.named}
          </Text>
        )}
      </Table.Cell>
      <Table.Cell className="figures" whiteSpace="nowrap">
        {file.digest && bytes(file.bytes)}
      </Table.Cell>
      <Table.Cell fontSize="13px">
        <Found file={file} />
      </Table.Cell>
      <Table.Cell fontSize="13px">
        {file.answer === null ? (
          <Text color="slate.quiet">{file.left_out === null && 'not sent'}</Text>
        ) : (
          <>
            <b>{file.answer === 'asked' ? 'being sent' : file.answer}</b>
            {file.reasons.map((reason) => (
              <Text key={reason}>{reason}</Text>
            ))}
          </>
        )}
      </Table.Cell>
      <Table.Cell className="figures" title={file.digest ?? undefined}>
        {file.digest && `${file.digest.slice(0, 10)}…`}
      </Table.Cell>
    </Table.Row>
  );
}

/** The verdict, what it rests on, and the notes for those who ask. */
function Found({ file }: { file: DeliveredFile }) {
  if (file.left_out !== null)
    return (
      <>
        <Text fontWeight="700" color="chalk.pink">
          left out
        </Text>
        <Text>{file.left_out}</Text>
      </>
    );
  if (file.verdict === null) return <Text color="slate.quiet">not made yet</Text>;
  const notes = file.findings.filter((finding) => finding.severity === 'note');
  return (
    <>
      <Flex align="center" gap="2" fontWeight="700">
        <Mark standing={file.verdict} size={10} /> {file.verdict}
      </Flex>
      {file.findings
        .filter((finding) => finding.severity !== 'note')
        .map((finding, i) => (
          <Text key={i}>{inWords(finding)}</Text>
        ))}
      {notes.length > 0 && (
        <details>
          <summary style={{ cursor: 'pointer' }}>{count(notes.length, 'note')}</summary>
          {notes.map((note, i) => (
            <Text key={i} color="slate.quiet">
              {inWords(note)}
            </Text>
          ))}
        </details>
      )}
    </>
  );
}

/** A finding, with the reason if it was let pass. */
const inWords = (finding: DeliveredFile['findings'][number]) =>
  finding.allowed ? `${finding.message} (allowed: ${finding.allowed.reason})` : finding.message;
