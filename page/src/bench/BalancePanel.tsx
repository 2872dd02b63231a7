import { Box, Button, Flex, Text } from '@chakra-ui/react';
import { useMutation } from '@tanstack/react-query';
import { answered, client, type Graph, type Photo, type Sample } from '../api/client';
import { count } from '../shared/format';
import { Figures } from './Figures';
import type { BalanceMarks } from './marks';
import { StagePanel } from './StagePanel';
import { Toggle } from './Toggle';
import { ValueSlider } from './ValueSlider';

const COOLEST = 12000;
const DAYLIGHT = 6500;

type Props = {
  photo: Photo;
  lift: Graph | undefined;
  draft: BalanceMarks | null;
  sample: Sample | null;
  taking: boolean;
  onTake: (on: boolean) => void;
  onDrag: (balance: BalanceMarks) => void;
  onSettle: (balance: BalanceMarks | null, what: string) => void;
  trouble: string | undefined;
};

/** Balance: which light counts as white, from a neutral place, from the backdrop, or by its temperature and tint. */
export function BalancePanel({ photo, lift, draft, sample, taking, onTake, onDrag, onSettle, trouble }: Props) {
  const own = photo.marks.balance ?? null;
  const shown = draft?.temperature != null ? draft : own?.temperature != null ? own : null;
  const temperature = Math.round((shown?.temperature ?? lift?.balance.temperature ?? DAYLIGHT) / 50) * 50;
  const tint = Math.round(shown?.tint ?? lift?.balance.tint ?? 0);
  return (
    <StagePanel name="Balance" trouble={trouble} awaited={lift ? null : 'Measuring the backdrop …'}>
      {lift && (
        <>
          <Figures
            rows={[
              ['Backdrop’s cast, as shot', `${lift.balance.cast_before.toFixed(1)} ΔE00`],
              ['Backdrop’s cast now', `${lift.balance.cast_after.toFixed(1)} ΔE00`],
              ['Gain on red', `× ${lift.balance.red.toFixed(3)}`],
              ['Gain on blue', `× ${lift.balance.blue.toFixed(3)}`],
            ]}
          />
          <Button
            size="xs"
            variant="outline"
            bg="white"
            onClick={() =>
              onSettle(
                { red: lift.balance.backdrop_red, blue: lift.balance.backdrop_blue },
                'Balance: backdrop made neutral',
              )
            }
          >
            Make the backdrop neutral
          </Button>
          <Toggle on={taking} onChange={onTake}>
            {taking ? 'Touch or drag over it on the photo' : 'Touch what should be neutral'}
          </Toggle>
          {sample && (
            <Box role="status">
              <Figures
                rows={[
                  ['Place that was touched', count(sample.count, 'px', 'px')],
                  ['Its spread', `${sample.spread.toFixed(1)} ΔE00`],
                  ['Its cast, as shot', `${sample.cast_before.toFixed(1)} ΔE00`],
                  ['Its cast with the gains it asks for', `${sample.cast_after.toFixed(1)} ΔE00`],
                ]}
              />
            </Box>
          )}
          <ValueSlider
            label="Temperature of the light"
            unit="K"
            step={50}
            value={Math.min(COOLEST, Math.max(2000, temperature))}
            least={2000}
            most={COOLEST}
            standard={{ value: DAYLIGHT, name: `daylight, ${DAYLIGHT} K` }}
            onDrag={(value) => onDrag({ temperature: value, tint })}
            onSettle={(value) => onSettle({ temperature: value, tint }, `Balance: ${value} K`)}
            onReset={() => onSettle(null, 'Balance: as the run sheet says')}
          />
          <ValueSlider
            label="Tint of the light, green up"
            unit="‰ u v"
            value={Math.min(60, Math.max(-60, tint))}
            least={-60}
            most={60}
            standard={{ value: 0, name: 'no tint' }}
            onDrag={(value) => onDrag({ temperature, tint: value })}
            onSettle={(value) => onSettle({ temperature, tint: value }, `Balance: tint ${value}`)}
            onReset={() => onSettle({ temperature, tint: 0 }, 'Balance: no tint')}
          />
          <Flex justify="space-between" align="center" fontSize="13px">
            <Text color="slate.quiet">{own ? 'This photo’s own balance' : 'As the run sheet says'}</Text>
            {own && (
              <Button
                size="2xs"
                variant="outline"
                bg="white"
                onClick={() => onSettle(null, 'Balance: as the run sheet says')}
              >
                Back to the run sheet
              </Button>
            )}
          </Flex>
          {own && <SameLight photo={photo} />}
        </>
      )}
    </StagePanel>
  );
}

/** The balance for all photos of the lot that were taken in the same light. */
function SameLight({ photo }: { photo: Photo }) {
  const copy = useMutation({
    mutationFn: () =>
      answered(client.POST('/api/photos/{photo_id}/same-light', { params: { path: { photo_id: photo.id } } })),
  });
  const { data } = copy;
  return (
    <Box borderTop="1px solid" borderColor="line" pt="3">
      <Button
        size="xs"
        variant="outline"
        bg="white"
        width="100%"
        disabled={copy.isPending}
        onClick={() => copy.mutate()}
      >
        Copy to the lot’s photos in the same light
      </Button>
      {copy.isError && (
        <Text role="alert" color="chalk.pink" pt="2">
          {copy.error.message}
        </Text>
      )}
      {data && (
        <Box role="status" fontSize="13px" pt="2">
          <Text>Copied to {count(data.copied.length, 'photo')}; each can be undone.</Text>
          {data.differing.length > 0 && (
            <>
              <Text pt="1">In another light:</Text>
              {data.differing.map(([name, off]) => (
                <Flex key={String(name)} justify="space-between" gap="2">
                  <Text truncate>{name}</Text>
                  <Text className="figures" whiteSpace="nowrap">
                    {off} ΔE00
                  </Text>
                </Flex>
              ))}
            </>
          )}
          {data.unmeasured.length > 0 && <Text pt="1">Not run yet: {data.unmeasured.join(', ')}</Text>}
        </Box>
      )}
    </Box>
  );
}
