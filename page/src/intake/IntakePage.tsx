import { Box, Button, Flex, Heading, NativeSelect, Table, Text } from '@chakra-ui/react';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { answered, client, type Arrival } from '../api/client';
import { useArrivals, useLots } from '../api/queries';
import { OneOf } from '../shared/OneOf';
import { bytes, moment, stem } from '../shared/format';
import { Empty, Loading, Trouble } from '../shared/states';

const KINDS = [
  { name: 'all', label: 'All' },
  { name: 'refused', label: 'Refused' },
  { name: 'known', label: 'Known already' },
  { name: 'taken', label: 'Taken in' },
] as const;
const WORDS: Record<Arrival['kind'], string> = { taken: 'taken in', refused: 'refused', known: 'known already' };

/** What came in and from where, what was refused and why; the watched folder; the capture station. */
export function IntakePage() {
  const arrivals = useArrivals();
  const [kind, setKind] = useState<(typeof KINDS)[number]['name']>('all');
  const shown = arrivals.data?.filter((one) => kind === 'all' || one.kind === kind) ?? [];
  return (
    <Flex as="main" height="100%">
      <Box flex="1" minWidth="0" overflowY="auto" p="5">
        <Flex align="center" gap="6" pb="3">
          <Heading as="h1" size="xl">
            Intake
          </Heading>
          <OneOf
            label="Show"
            choice={KINDS.map((one) => ({
              ...one,
              label: `${one.label} ${arrivals.data?.filter((a) => one.name === 'all' || a.kind === one.name).length ?? ''}`,
            }))}
            value={kind}
            onChange={setKind}
          />
        </Flex>
        {arrivals.isPending && <Loading what="what came in" />}
        {arrivals.isError && <Trouble message={arrivals.error.message} onRetry={() => void arrivals.refetch()} />}
        {arrivals.data && shown.length === 0 && (
          <Empty title={kind === 'refused' ? 'Nothing was refused' : 'Nothing here yet'}>
            Drop photos on Lots or on a line-up, put them into the watched folder, or take them at the capture station.
          </Empty>
        )}
        {shown.length > 0 && (
          <Table.Root size="sm">
            <Table.Header>
              <Table.Row bg="transparent">
                {['When', 'File', 'What became of it', 'From', 'Lot'].map((head) => (
                  <Table.ColumnHeader key={head}>{head}</Table.ColumnHeader>
                ))}
              </Table.Row>
            </Table.Header>
            <Table.Body>
              {shown.map((one, i) => (
                <Table.Row key={i} bg="transparent" verticalAlign="top">
                  <Table.Cell className="figures" whiteSpace="nowrap">
                    {moment(one.at)}
                  </Table.Cell>
                  <Table.Cell maxWidth="280px" wordBreak="break-word">
                    {one.photo_id ? (
                      <Link to={`/lots/${one.lot_id}/photos/${one.photo_id}`}>
                        <Box as="span" color="chalk.blue" textDecoration="underline">
                          {one.name}
                        </Box>
                      </Link>
                    ) : (
                      one.name
                    )}
                  </Table.Cell>
                  <Table.Cell fontSize="13px">
                    <b>{WORDS[one.kind]}</b>
                    {`: ${one.kind === 'taken' ? factsOf(one) : whyNot(one)}`}
                  </Table.Cell>
                  <Table.Cell whiteSpace="nowrap">{one.source}</Table.Cell>
                  <Table.Cell>
                    <Link to={`/lots/${one.lot_id}`}>
                      <Box as="span" color="chalk.blue" textDecoration="underline">
                        {one.lot_name}
                      </Box>
                    </Link>
                  </Table.Cell>
                </Table.Row>
              ))}
            </Table.Body>
          </Table.Root>
        )}
      </Box>
      <Box
        as="aside"
        width="320px"
        flex="none"
        bg="paper.raised"
        borderLeft="1px solid"
        borderColor="line"
        overflowY="auto"
        p="4"
      >
        <Capture />
        <Heading as="h2" size="md" pt="6" pb="1">
          Watched folder
        </Heading>
        <Text fontSize="13px">
          What is put into the folder <span className="figures">inbox</span> of the application is taken in by itself,
          as soon as it is wholly written. A folder in it becomes a lot of its name. The start command prints where it
          is.
        </Text>
        <Text fontSize="13px" pt="1" color="slate.quiet">
          Taken files are moved to <span className="figures">.taken</span>, refused ones to{' '}
          <span className="figures">.refused</span>; none is removed.
        </Text>
      </Box>
    </Flex>
  );
}

/** The reason, without the name that it begins with. */
const whyNot = ({ name, reason }: Arrival) => (reason.startsWith(`${name}: `) ? reason.slice(name.length + 2) : reason);

const factsOf = (one: Arrival) =>
  [
    one.format,
    one.width && one.height && `${one.width} × ${one.height} px`,
    one.dpi && `${one.dpi} dpi`,
    one.bytes && bytes(one.bytes),
    one.profile && one.profile !== 'sRGB' && `converted from ${one.profile}`,
    one.frames && one.frames > 1 && `the first of ${one.frames} frames`,
  ]
    .filter(Boolean)
    // A figure and its unit stay on one line.
    .map((part) => String(part).replaceAll(' ', '\u00a0'))
    .join(', ');

/** A new frame or scan from the capture station, into a lot. */
function Capture() {
  const lots = useLots();
  const station = useQuery({ queryKey: ['capture'], queryFn: () => answered(client.GET('/api/capture')) });
  const [scene, setScene] = useState('');
  const [device, setDevice] = useState<'camera' | 'flatbed'>('camera');
  const [dpi, setDpi] = useState(300);
  const [lot, setLot] = useState('new');
  const chosen = scene || (station.data?.scenes[0] ?? '');
  const take = useMutation({
    mutationFn: async () => {
      const lot_id =
        lot === 'new'
          ? (
              await answered(
                client.POST('/api/lots', {
                  body: { name: 'From the capture station', sheet: 'white', spec: 'square-2000' },
                }),
              )
            ).id
          : Number(lot);
      setLot(String(lot_id));
      return answered(
        client.POST('/api/lots/{lot_id}/capture', {
          params: { path: { lot_id } },
          body: { scene: chosen, device, dpi },
        }),
      );
    },
  });
  return (
    <>
      <Heading as="h2" size="md" pb="1">
        Capture station
      </Heading>
      {station.data === null || station.isError ? (
        <Text fontSize="13px" role="status">
          It does not answer. ./yard demo starts it with everything else.
        </Text>
      ) : (
        <Flex direction="column" gap="2">
          <Select label="Scene" value={chosen} onChange={setScene}>
            {station.data?.scenes.map((name) => (
              <option key={name} value={name}>
                {stem(name)}
              </option>
            ))}
          </Select>
          <Select label="Device" value={device} onChange={(value) => setDevice(value as typeof device)}>
            <option value="camera">camera</option>
            <option value="flatbed">flatbed scanner</option>
          </Select>
          {device === 'flatbed' && (
            <Select label="Resolution" value={dpi} onChange={(value) => setDpi(Number(value))}>
              {station.data?.resolutions.map((one) => (
                <option key={one} value={one}>
                  {one} dpi
                </option>
              ))}
            </Select>
          )}
          <Select label="Into" value={lot} onChange={setLot}>
            <option value="new">a new lot</option>
            {lots.data?.map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}
              </option>
            ))}
          </Select>
          <Button
            size="sm"
            colorPalette="blue"
            loading={take.isPending}
            disabled={!chosen}
            onClick={() => take.mutate()}
          >
            {device === 'camera' ? 'Take a frame' : 'Scan'}
          </Button>
          {take.data && (
            <Text fontSize="13px" role="status">
              Taken in.{' '}
              <Link to={`/lots/${lot}`}>
                <Box as="span" color="chalk.blue" textDecoration="underline">
                  See the lot
                </Box>
              </Link>
            </Text>
          )}
          {take.error && (
            <Text role="alert" color="chalk.pink">
              {take.error.message}
            </Text>
          )}
          <Text fontSize="12px" color="slate.quiet">
            A stand-in: every capture has noise, dust and a cast of its own.
          </Text>
        </Flex>
      )}
    </>
  );
}

function Select(props: {
  label: string;
  value: string | number;
  onChange: (value: string) => void;
  children: React.ReactNode;
}) {
  return (
    <Flex justify="space-between" align="center" gap="2">
      <Text>{props.label}</Text>
      <NativeSelect.Root size="xs" width="190px">
        <NativeSelect.Field
          aria-label={props.label}
          bg="white"
          value={props.value}
          onChange={(event) => props.onChange(event.target.value)}
        >
          {props.children}
        </NativeSelect.Field>
        <NativeSelect.Indicator />
      </NativeSelect.Root>
    </Flex>
  );
}
