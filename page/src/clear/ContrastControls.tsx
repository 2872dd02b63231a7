import { Box, Button, Flex, Grid, Text } from '@chakra-ui/react';
import { Choice } from '../bench/Choice';
import { Toggle } from '../bench/Toggle';
import { BrushWidth, HandToggle, Press, Quiet, RegionSlider } from './parts';
import type { ContrastMap, Of } from './regions';
import type { Clear } from './useClear';

const SOURCES = (['R', 'G', 'B', 'L*', 'a*', 'b*', 'saturation', 'distance'] as const).map(
  (name) => [name, name === 'distance' ? 'backdrop distance' : name] as const,
);
const COMBINATIONS = [
  ['first', 'the first alone'],
  ['multiply', 'multiply'],
  ['lighten', 'lighten'],
  ['darken', 'darken'],
  ['add', 'add'],
  ['subtract', 'subtract'],
  ['difference', 'difference'],
  ['dodge', 'dodge'],
] as const;

/** Contrast map: a wall of variants, and every setting of the one in hand. */
export function ContrastControls({ clear, region }: { clear: Clear; region: Of<'contrast'> }) {
  const { map } = region;
  const variants = clear.variants?.variants;
  const set = (change: Partial<ContrastMap>, what: string) =>
    clear.change({ ...region, map: { ...map, ...change } }, `Contrast map: ${what}`);
  const preview = (change: Partial<ContrastMap>) => clear.preview({ ...region, map: { ...map, ...change } });
  const separation = clear.report?.regions[clear.chosen ?? -1]?.figures.separation;
  const slider = (
    name: 'scale' | 'offset' | 'black' | 'mid' | 'white',
    label: string,
    least: number,
    most: number,
    standard: number,
  ) => (
    <RegionSlider
      label={label}
      unit={name === 'scale' ? '×' : 'of 1'}
      value={map[name]}
      least={least}
      most={most}
      step={name === 'scale' || name === 'mid' ? 0.1 : 0.01}
      standard={standard}
      onPreview={(value) => preview({ [name]: value })}
      onSettle={(value, what) => set({ [name]: value }, what)}
    />
  );
  return (
    <>
      <Quiet>
        {variants
          ? 'Best apart first; the figure is Fisher’s ratio. A press takes one.'
          : 'Looking for the best maps …'}
      </Quiet>
      <Grid templateColumns="repeat(3, 1fr)" gap="1.5" flex="none">
        {variants?.map((variant, i) => {
          const on = JSON.stringify(variant.map) === JSON.stringify(map);
          return (
            <Box
              as="button"
              key={i}
              aria-pressed={on}
              title={described(variant.map)}
              cursor="pointer"
              border="2px solid"
              borderColor={on ? 'chalk.blue' : 'line'}
              borderRadius="yard"
              overflow="hidden"
              bg="white"
              onClick={() => set(variant.map, described(variant.map))}
            >
              <img src={variant.picture} alt={described(variant.map)} width="100%" style={{ display: 'block' }} />
              <Text className="figures" fontSize="12px">
                {variant.separation.toLocaleString('en', { maximumFractionDigits: 1 })}
              </Text>
            </Box>
          );
        })}
      </Grid>
      <Flex justify="space-between" align="center">
        <Text>
          Separation now{' '}
          <b className="figures">{separation?.toLocaleString('en', { maximumFractionDigits: 2 }) ?? '…'}</b>
        </Text>
        {variants?.[0] && <Press onClick={() => set(variants[0]?.map ?? map, 'the best')}>Take the best</Press>}
      </Flex>
      <Choice
        label="First"
        value={map.first}
        options={SOURCES}
        onChange={(first) => set({ first }, `first ${first}`)}
      />
      <Choice
        label="Together"
        value={map.combine}
        options={COMBINATIONS}
        onChange={(combine) => set({ combine }, combine)}
      />
      {map.combine !== 'first' && (
        <Choice
          label="Second"
          value={map.second}
          options={SOURCES}
          onChange={(second) => set({ second }, `second ${second}`)}
        />
      )}
      <Flex gap="1.5" wrap="wrap">
        <Toggle on={map.invert_first} onChange={(on) => set({ invert_first: on }, 'first inverted')}>
          Invert first
        </Toggle>
        {map.combine !== 'first' && (
          <Toggle on={map.invert_second} onChange={(on) => set({ invert_second: on }, 'second inverted')}>
            Invert second
          </Toggle>
        )}
        <Toggle on={map.invert} onChange={(on) => set({ invert: on }, 'result inverted')}>
          Invert result
        </Toggle>
      </Flex>
      {slider('black', 'Black', 0, 0.99, 0)}
      {slider('mid', 'Mid', 0.1, 10, 1)}
      {slider('white', 'White', 0.01, 1, 1)}
      {slider('scale', 'Scale', 0.1, 10, 1)}
      {slider('offset', 'Offset', -1, 1, 0)}
      <Choice
        label="Taken as"
        value={region.level == null ? 'matte' : 'level'}
        options={[
          ['matte', 'the matte itself'],
          ['level', 'all over a level'],
        ]}
        onChange={(as) => clear.change({ ...region, level: as === 'matte' ? null : 0.5 }, `Contrast map as ${as}`)}
      />
      {region.level != null && (
        <RegionSlider
          label="Level"
          unit="of 1"
          value={region.level}
          least={0}
          most={1}
          step={0.01}
          standard={0.5}
          onPreview={(level) => clear.preview({ ...region, level })}
          onSettle={(level, what) => clear.change({ ...region, level }, what)}
        />
      )}
      <Quiet>Measured on what is marked, or else on what Automatic is sure of.</Quiet>
      <Flex gap="1.5" wrap="wrap">
        <HandToggle clear={clear} hand="product">
          Mark product
        </HandToggle>
        <HandToggle clear={clear} hand="backdrop">
          Mark backdrop
        </HandToggle>
        {region.hints.length > 0 && (
          <Press onClick={() => clear.change({ ...region, hints: [] }, 'Contrast map: marks taken away')}>
            {region.hints.length === 1 ? 'Without the mark' : `Without the ${region.hints.length} marks`}
          </Press>
        )}
      </Flex>
      {(clear.hand === 'product' || clear.hand === 'backdrop') && <BrushWidth clear={clear} />}
      <Flex gap="1.5" wrap="wrap" align="center">
        <Press
          disabled={region.versions.length >= 12}
          onClick={() =>
            clear.change(
              { ...region, versions: [...region.versions, { name: described(map), map }] },
              'Contrast map: version kept',
            )
          }
        >
          Keep this version
        </Press>
        {region.versions.map((one, i) => (
          <Button
            key={i}
            size="2xs"
            variant="subtle"
            maxWidth="100%"
            onClick={() => set(one.map, `back to ${one.name}`)}
          >
            <Text truncate>{one.name}</Text>
          </Button>
        ))}
      </Flex>
    </>
  );
}

function described(map: ContrastMap): string {
  const first = (map.invert_first ? 'inverted ' : '') + map.first;
  if (map.combine === 'first') return first;
  return `${first} ${map.combine} ${map.invert_second ? 'inverted ' : ''}${map.second}`;
}
