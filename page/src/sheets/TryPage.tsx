import { Box, Button, Flex, Heading, NativeSelect, Text } from '@chakra-ui/react';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useNavigate, useParams, useSearchParams } from 'react-router';
import { answered, client, type Shelved, type TriedCell } from '../api/client';
import { keys, useLineup, useLot, useShelf } from '../api/queries';
import { amount, count, stem } from '../shared/format';
import { checkName, Mark } from '../shared/marks';
import { Empty, Loading, Trouble } from '../shared/states';
import { cardBackground, type Card } from '../cards/cards';
import { TestCards } from '../cards/TestCards';
import { called, optionsOf } from './shelf';

const SAMPLES = 4;
const MOST_SHEETS = 6;

/** Run sheets side by side: photos that are unlike each other across, sheets down; the winner is put in force for the lot. */
export function TryPage() {
  const lotId = Number(useParams().lotId);
  const navigate = useNavigate();
  const [search, setSearch] = useSearchParams();
  const lot = useLot(lotId);
  const shelf = useShelf('sheet');
  const tiles = useLineup(lotId);
  const [card, setCard] = useState<Card>('white');
  const asked = search.get('sheets')?.split(',').filter(Boolean) ?? (lot.data ? [lot.data.sheet] : []);
  const given = search.get('photos')?.split(',').map(Number) ?? null;
  const samples = useQuery({
    queryKey: ['samples', lotId],
    enabled: given === null,
    queryFn: () =>
      answered(
        client.GET('/api/lots/{lot_id}/samples', { params: { path: { lot_id: lotId }, query: { count: SAMPLES } } }),
      ),
  });
  const photos = given ?? samples.data ?? [];
  const path = { lot_id: lotId };
  const cells = useQuery({
    queryKey: [...keys.tries(lotId), asked.join(), photos.join()],
    enabled: asked.length > 0 && photos.length > 0,
    placeholderData: (before) => before,
    queryFn: () =>
      answered(
        client.POST('/api/lots/{lot_id}/tries', { params: { path }, body: { sheets: asked, photos, again: false } }),
      ),
  });
  const again = useMutation({
    mutationFn: () =>
      answered(
        client.POST('/api/lots/{lot_id}/tries', { params: { path }, body: { sheets: asked, photos, again: true } }),
      ),
    onSuccess: () => cells.refetch(),
  });
  const failed = cells.data?.some((cell) => cell.state === 'failed');
  const departures = useQuery({
    queryKey: keys.departures(lotId),
    queryFn: () => answered(client.GET('/api/lots/{lot_id}/departures', { params: { path } })),
  });
  const put = useMutation({
    mutationFn: (sheet: string) =>
      answered(client.PUT('/api/lots/{lot_id}', { params: { path }, body: { sheet, spec: lot.data?.spec ?? '' } })),
    onSuccess: () => navigate(`/lots/${lotId}`),
  });
  const trouble = lot.error ?? shelf.error ?? samples.error ?? cells.error ?? put.error;
  if (trouble) return <Trouble message={trouble.message} onRetry={() => void cells.refetch()} />;
  if (!lot.data || !shelf.data || !tiles.data) return <Loading what="the try" />;
  if (lot.data.photos === 0)
    return <Empty title="This lot is empty">Add photos to it first, then try run sheets on them.</Empty>;
  const set = (sheets: string[], chosen: number[] | null) =>
    setSearch({ sheets: sheets.join(','), ...(chosen && { photos: chosen.join(',') }) });
  const named = (id: number) => tiles.data.find((tile) => tile.id === id)?.name ?? '';
  const others = optionsOf(shelf.data, lot.data.sheet).filter((one) => !asked.includes(one.ref));
  return (
    <Box as="main" height="100%" overflow="auto" p="5">
      <Flex align="center" gap="4" pb="3" wrap="wrap">
        <Box>
          <Heading as="h1" size="xl">
            Try run sheets on {lot.data.name}
          </Heading>
          <Text color="slate.quiet">
            The sheet alone, without what single photos have of their own. Nothing of the lot changes until you put one
            in force.
          </Text>
        </Box>
        <Box flex="1" />
        {failed && (
          <Button size="sm" variant="outline" bg="white" loading={again.isPending} onClick={() => again.mutate()}>
            Try what failed again
          </Button>
        )}
        <TestCards card={card} onCard={setCard} />
        <Button size="sm" variant="outline" bg="white" asChild>
          <Link to={`/lots/${lotId}`}>Back to the line-up</Link>
        </Button>
      </Flex>
      <Box as="table" borderSpacing="0" style={{ borderCollapse: 'separate' }}>
        <thead>
          <tr>
            <th aria-label="Tried" />
            {photos.map((id) => (
              <Box as="th" key={id} textAlign="left" px="2" pb="1" fontWeight="400" fontSize="13px" maxWidth="210px">
                <NativeSelect.Root size="xs">
                  <NativeSelect.Field
                    aria-label={`Photo ${stem(named(id))}; choose another`}
                    bg="white"
                    value={id}
                    onChange={(event) =>
                      set(
                        asked,
                        photos.map((one) => (one === id ? Number(event.target.value) : one)),
                      )
                    }
                  >
                    {tiles.data
                      .filter((tile) => tile.id === id || !photos.includes(tile.id))
                      .map((tile) => (
                        <option key={tile.id} value={tile.id}>
                          {stem(tile.name)}
                        </option>
                      ))}
                  </NativeSelect.Field>
                  <NativeSelect.Indicator />
                </NativeSelect.Root>
              </Box>
            ))}
          </tr>
        </thead>
        <tbody>
          {asked.map((ref) => (
            <tr key={ref}>
              <Box as="th" textAlign="left" verticalAlign="top" width="210px" pr="3" py="2" fontWeight="400">
                <RowHead
                  sheet={shelf.data.find((one) => one.ref === ref)}
                  cells={cells.data?.filter((cell) => cell.sheet === ref) ?? []}
                  inForce={ref === lot.data.sheet}
                  running={put.isPending}
                  onPut={() => put.mutate(ref)}
                  onDrop={
                    asked.length > 1
                      ? () =>
                          set(
                            asked.filter((one) => one !== ref),
                            given,
                          )
                      : undefined
                  }
                />
              </Box>
              {photos.map((id) => (
                <Box as="td" key={id} verticalAlign="top" p="1">
                  <Cell
                    cell={cells.data?.find((cell) => cell.sheet === ref && cell.photo_id === id)}
                    card={card}
                    label={`${stem(named(id))} by ${ref}`}
                  />
                </Box>
              ))}
            </tr>
          ))}
        </tbody>
      </Box>
      {others.length > 0 && asked.length < MOST_SHEETS && (
        <Flex gap="2" align="center" pt="3">
          <NativeSelect.Root size="sm" width="260px">
            <NativeSelect.Field
              aria-label="One more run sheet"
              bg="white"
              value=""
              onChange={(event) => set([...asked, event.target.value], given)}
            >
              <option value="">One more run sheet …</option>
              {others.map((one) => (
                <option key={one.ref} value={one.ref}>
                  {called(one)}
                </option>
              ))}
            </NativeSelect.Field>
            <NativeSelect.Indicator />
          </NativeSelect.Root>
          <Button size="sm" variant="outline" bg="white" asChild>
            <Link to={`/sheets?sheet=${asked[0] ?? ''}`}>Make a variant</Link>
          </Button>
        </Flex>
      )}
      {departures.data && departures.data.length > 0 && (
        <Box pt="5" maxWidth="900px">
          <Heading as="h2" size="md">
            {count(departures.data.length, 'photo')} with settings of their own
          </Heading>
          <Text color="slate.quiet" pb="1">
            These stay as they are, whichever sheet is put in force.
          </Text>
          {departures.data.map((one) => (
            <Text key={one.id}>
              <Link to={`/lots/${lotId}/photos/${one.id}`}>
                <Box as="span" color="chalk.blue" textDecoration="underline">
                  {stem(one.name)}
                </Box>
              </Link>
              : {[...one.stages, one.sheet && `run sheet ${one.sheet}`].filter(Boolean).join(', ')}
            </Text>
          ))}
        </Box>
      )}
    </Box>
  );
}

function RowHead(props: {
  sheet: Shelved | undefined;
  cells: TriedCell[];
  inForce: boolean;
  running: boolean;
  onPut: () => void;
  onDrop: (() => void) | undefined;
}) {
  const { sheet, cells, inForce, running, onPut, onDrop } = props;
  const ready = cells.filter((cell) => cell.verdict === 'ready').length;
  const done = cells.filter((cell) => cell.state === 'done').length;
  return (
    <>
      <Text fontWeight="700" fontSize="15px">
        {sheet ? called(sheet) : 'not on the shelf'}
      </Text>
      <Text fontSize="13px" className="figures">
        {done < cells.length ? `${done} of ${cells.length} tried` : `${ready} of ${cells.length} ready`}
      </Text>
      {inForce ? (
        <Text fontSize="13px" color="slate.quiet" py="1">
          in force
        </Text>
      ) : (
        <Button size="xs" colorPalette="blue" my="1" loading={running} onClick={onPut}>
          Put in force and run
        </Button>
      )}
      {sheet?.words.map((line) => (
        <Text key={line} fontSize="12px" color="slate.quiet">
          {line}
        </Text>
      ))}
      {onDrop && (
        <Button size="2xs" variant="ghost" mt="1" onClick={onDrop}>
          Leave out
        </Button>
      )}
    </>
  );
}

function Cell({ cell, card, label }: { cell: TriedCell | undefined; card: Card; label: string }) {
  const wanted = cell?.findings.filter((finding) => finding.severity !== 'note') ?? [];
  const worst = wanted[0];
  return (
    <Box width="204px" bg="paper.raised" border="1px solid" borderColor="line" aria-label={label} role="group">
      <Box height="170px" style={{ background: cell?.preview ? cardBackground(card) : '#A6A6A6' }}>
        {cell?.preview && (
          <img
            src={`/api/pictures/${cell.preview}`}
            alt={label}
            style={{ width: '100%', height: '100%', objectFit: 'contain' }}
          />
        )}
      </Box>
      <Box px="2.5" py="1.5" fontSize="12px" borderTop="1px solid" borderColor="line" minHeight="74px">
        {cell?.state === 'done' && cell.verdict ? (
          <>
            <Flex align="center" gap="1.5">
              <Mark standing={cell.verdict} size={11} />
              <span>
                <b>{cell.verdict}</b>
                {wanted.length > 1 && `, ${wanted.length} findings`}
              </span>
            </Flex>
            {worst && (
              <Text truncate title={worst.message}>
                {checkName(worst.check)}, {amount(worst.figure)} {worst.unit}
              </Text>
            )}
            <Text className="figures" color="slate.quiet">
              {FIGURES.map(([key, word, unit]) => figure(cell, key, word, unit))
                .filter(Boolean)
                .join(', ')}
            </Text>
          </>
        ) : (
          <Text color={cell?.error ? 'chalk.pink' : 'slate.quiet'}>
            {cell?.error ?? (cell?.state === 'running' ? 'is being tried …' : 'waits for its turn')}
          </Text>
        )}
      </Box>
    </Box>
  );
}

const FIGURES = [
  ['white point (level)', 'white', 'of 255'],
  ['product burnt (%)', 'burnt', '%'],
  ['fringe (ΔE00)', 'fringe', 'ΔE'],
] as const;

/** A figure with its name and unit; nothing where it says nothing, as a white point where white was. */
const figure = (cell: TriedCell, key: string, word: string, unit: string) => {
  const value = cell.figures[key];
  return value == null || value === 255 ? '' : `${word} ${amount(value)} ${unit}`.replaceAll(' ', '\u00a0');
};
