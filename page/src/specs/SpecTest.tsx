import { Box, Button, Flex, Heading, NativeSelect, Text } from '@chakra-ui/react';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { answered, client, type ListingSpec, type Schemas } from '../api/client';
import { useLineup, useLots } from '../api/queries';
import { bytes, stem } from '../shared/format';
import { Mark } from '../shared/marks';
import { cardBackground } from '../cards/cards';

/** A spec on a photo: the checked result it would give, and what each format would lose of this very picture. */
export function SpecTest({ spec }: { spec: ListingSpec }) {
  const lots = useLots();
  const [lotId, setLotId] = useState<number | null>(null);
  const inLot = lotId ?? lots.data?.find((lot) => lot.photos > 0)?.id ?? 0;
  if (!lots.data?.some((lot) => lot.photos > 0)) return null;
  return (
    <Box as="section" pb="5">
      <Heading as="h3" size="md" pb="2">
        Test on a photo
      </Heading>
      <Tester key={inLot} spec={spec} lotId={inLot}>
        <NativeSelect.Root size="sm" width="180px">
          <NativeSelect.Field
            aria-label="Lot"
            bg="white"
            value={inLot}
            onChange={(event) => setLotId(Number(event.target.value))}
          >
            {lots.data
              .filter((lot) => lot.photos > 0)
              .map((lot) => (
                <option key={lot.id} value={lot.id}>
                  {lot.name}
                </option>
              ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
      </Tester>
    </Box>
  );
}

function Tester({ spec, lotId, children }: { spec: ListingSpec; lotId: number; children: React.ReactNode }) {
  const tiles = useLineup(lotId);
  const [chosen, setChosen] = useState<number | null>(null);
  const photo = chosen ?? tiles.data?.[0]?.id;
  const path = { photo_id: photo ?? 0 };
  const placed = useMutation({
    mutationFn: () => answered(client.POST('/api/photos/{photo_id}/placed', { params: { path }, body: { spec } })),
  });
  const losses = useMutation({
    mutationFn: () => answered(client.POST('/api/photos/{photo_id}/losses', { params: { path }, body: { spec } })),
  });
  const trouble = tiles.error ?? placed.error ?? losses.error;
  return (
    <>
      <Flex gap="2" align="center" wrap="wrap">
        {children}
        <NativeSelect.Root size="sm" width="220px">
          <NativeSelect.Field
            aria-label="Photo"
            bg="white"
            value={photo}
            onChange={(event) => {
              setChosen(Number(event.target.value));
              placed.reset();
              losses.reset();
            }}
          >
            {tiles.data?.map((tile) => (
              <option key={tile.id} value={tile.id}>
                {stem(tile.name)}
              </option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
        <Button
          size="sm"
          colorPalette="blue"
          disabled={!photo}
          loading={placed.isPending}
          onClick={() => placed.mutate()}
        >
          Test
        </Button>
        <Button
          size="sm"
          variant="outline"
          bg="white"
          disabled={!photo}
          loading={losses.isPending}
          loadingText="Encoding …"
          onClick={() => losses.mutate()}
        >
          What formats lose
        </Button>
      </Flex>
      {trouble && (
        <Text role="alert" color="chalk.pink" pt="2">
          {trouble.message}
        </Text>
      )}
      {placed.data && <Placed data={placed.data} clear={spec.background === 'transparent'} />}
      {losses.data && <Losses formats={losses.data.formats} />}
    </>
  );
}

function Placed({ data, clear }: { data: Schemas['PlacedOut']; clear: boolean }) {
  const wanted = data.findings.filter((finding) => finding.severity !== 'note');
  return (
    <Flex gap="4" pt="3" role="status">
      <Box bg="surround" p="3" flex="none">
        <img
          src={data.picture}
          alt="The result"
          style={{
            maxWidth: '300px',
            maxHeight: '240px',
            display: 'block',
            background: clear ? cardBackground('checks') : 'white',
          }}
        />
      </Box>
      <Box>
        <Flex align="center" gap="2">
          <Mark standing={data.verdict} /> <b>{data.verdict}</b>
        </Flex>
        <Text className="figures">
          {data.width.toLocaleString('en')} × {data.height.toLocaleString('en')} px, {bytes(data.bytes)}
          {data.quality != null && `, quality ${data.quality}`}
        </Text>
        {wanted.length === 0 && <Text color="slate.quiet">Every check is passed.</Text>}
        {wanted.map((finding, i) => (
          <Text key={i} fontSize="13px">
            {finding.message}
          </Text>
        ))}
      </Box>
    </Flex>
  );
}

const NAMES: Record<string, string> = { jpeg: 'JPEG', png: 'PNG', webp: 'WebP', tiff: 'TIFF', gif: 'GIF' };

/** Side by side where each format loses most: the picture before it is written, and read back. */
function Losses({ formats }: { formats: Schemas['FormatLoss'][] }) {
  return (
    <Box pt="3">
      <Text color="slate.quiet" fontSize="13px" pb="1">
        At the left as it is, at the right as the file gives it back, at the place where the format loses most, enlarged
        twice.
      </Text>
      <Flex direction="column" gap="2">
        {formats.map((one) => (
          <Flex key={one.file} gap="3" align="flex-start" role="group" aria-label={NAMES[one.file]}>
            <Flex gap="1px" bg="surround" p="2px" flex="none">
              {[one.before, one.after].map((picture, i) => (
                <img
                  key={i}
                  src={picture}
                  alt={i ? `${NAMES[one.file]}, read back` : 'before it is written'}
                  style={{ width: '144px', height: '108px', objectFit: 'cover', imageRendering: 'pixelated' }}
                />
              ))}
            </Flex>
            <Box fontSize="13px">
              <Text>
                <b>{NAMES[one.file]}</b>{' '}
                <span className="figures">
                  {bytes(one.bytes)}
                  {one.quality != null && `, quality ${one.quality}`}
                </span>
              </Text>
              {one.words.length === 0 && <Text>Nothing is lost.</Text>}
              {one.words.map((line) => (
                <Text key={line}>{line}.</Text>
              ))}
            </Box>
          </Flex>
        ))}
      </Flex>
    </Box>
  );
}
