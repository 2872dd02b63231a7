import { Box, Flex, Grid, Input, Text } from '@chakra-ui/react';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { answered, client } from '../api/client';
import { queries } from '../api/queries';
import { StagePanel } from '../bench/StagePanel';
import { Toggle } from '../bench/Toggle';
import { percent } from '../shared/format';
import { BrushWidth, HandToggle, Press, Quiet } from './parts';
import { FollowEdges, RegionControls } from './controls';
import { kinds, nameOf, outlineOf, type Region } from './regions';
import { RegionRow } from './RegionRow';
import type { Clear, Live } from './useClear';

export type Place = { x: number; y: number; width: number; height: number; label: string };

const HINTS: Partial<Record<NonNullable<Clear['waiting']>, string>> = {
  spread: 'Touch the backdrop; then move right to widen, left to narrow.',
  family: 'Drag over the backdrop, over all its colours.',
  box: 'Drag a rough box round the product.',
  outline: 'Click point by point; drag for a curve; click the first point to close; Backspace takes the last one back.',
};

/** Clear: the regions that together say what is backdrop. */
export function ClearPanel(props: {
  clear: Clear;
  live: Live;
  trouble: string | undefined;
  onShow: (place: Place) => void;
}) {
  const { clear, onShow } = props;
  const { regions, region, chosen, waiting, report } = clear;
  const move = (from: number, to: number) => {
    if (to < 0 || to >= regions.length || from === to) return;
    const next = regions.filter((_, i) => i !== from);
    next.splice(to, 0, regions[from] as Region);
    clear.choose(to);
    clear.setList(next, `Clear: ${nameOf(regions[from] as Region)} moved`);
  };
  return (
    <StagePanel
      name="Clear"
      trouble={props.trouble ?? clear.trouble?.message}
      awaited={report ? null : 'Measuring what is removed …'}
    >
      {report && (
        <Text>
          Removed: <b className="figures">{percent(report.removed)}</b> of the frame,{' '}
          <span className="figures">
            {(report.removed_px / 1e6).toLocaleString('en', { maximumFractionDigits: 2 })} MP
          </span>
        </Text>
      )}
      {report?.advice && (
        <Box borderLeft="3px solid" borderColor="chalk.yellow" pl="2.5" role="note">
          <Text fontSize="13px">{report.advice}.</Text>
          <Flex gap="1.5" pt="1.5">
            {(['Ink', 'Box', 'Outline'] as const)
              .filter((name) => report.advice?.includes(name))
              .map((name) => (
                <Press
                  key={name}
                  size="2xs"
                  onClick={() => clear.begin(name.toLowerCase() as 'ink' | 'box' | 'outline')}
                >
                  {name}
                </Press>
              ))}
          </Flex>
        </Box>
      )}
      <Box as="ol" listStyleType="none" aria-label="Regions, in order">
        {regions.map((one, i) => (
          <RegionRow
            key={i}
            region={one}
            number={i}
            count={regions.length}
            chosen={i === chosen}
            share={report?.regions[i]?.share ?? null}
            trouble={report?.regions[i]?.trouble ?? null}
            onChoose={() => clear.choose(i === chosen ? null : i)}
            onChange={(changed, what) =>
              clear.setList(
                regions.map((other, k) => (k === i ? changed : other)),
                what,
              )
            }
            onMove={move}
          />
        ))}
      </Box>
      {regions.length === 0 && <Quiet>No region: the whole photo is kept. Begin with one of these.</Quiet>}
      {waiting && (
        <Box borderLeft="3px solid" borderColor="chalk.blue" pl="2.5" role="status">
          <Text>{HINTS[waiting]}</Text>
          {waiting === 'box' && (
            <Flex gap="1.5" pt="1.5">
              <HandToggle clear={clear} hand="box">
                Box
              </HandToggle>
              <HandToggle clear={clear} hand="loop">
                Loop
              </HandToggle>
            </Flex>
          )}
          {waiting === 'family' && <BrushWidth clear={clear} />}
          {waiting === 'outline' && (
            <Flex direction="column" gap="1.5" pt="1.5">
              <Flex gap="1.5">
                <Toggle on={clear.side === 'outside'} onChange={() => clear.setSide('outside')}>
                  Round the product
                </Toggle>
                <Toggle on={clear.side === 'inside'} onChange={() => clear.setSide('inside')}>
                  Round backdrop
                </Toggle>
              </Flex>
              <FollowEdges clear={clear} />
            </Flex>
          )}
        </Box>
      )}
      {region && chosen !== null && (
        <Flex direction="column" gap="2.5" borderTop="1px solid" borderColor="line" pt="2.5">
          <RegionControls clear={clear} live={props.live} region={region} onShow={onShow} />
          <About key={chosen} clear={clear} region={region} number={chosen} />
        </Flex>
      )}
      <Add clear={clear} />
    </StagePanel>
  );
}

/** Name, duplicate, keep, trace, remove. */
function About({ clear, region, number }: { clear: Clear; region: Region; number: number }) {
  const [name, setName] = useState(region.name);
  const keep = useMutation({
    mutationFn: (kept: Region) =>
      answered(client.POST('/api/kept-regions', { body: { name: name.trim() || nameOf(region), region: kept } })),
    onSuccess: (all) => queries.setQueryData(['kept-regions'], all),
  });
  const rename = () => {
    if (name !== region.name) clear.change({ ...region, name: name.trim() }, `Named ${name.trim() || nameOf(region)}`);
  };
  const trace = async (whole: boolean) => {
    const { paths } = await clear.trace(whole ? null : number);
    clear.add(
      { ...outlineOf(paths), name: `${name.trim() || nameOf(region)}, traced` },
      'Traced to an outline',
      'edit',
    );
  };
  return (
    <>
      <Input
        size="xs"
        bg="white"
        aria-label="Name of the region"
        placeholder={`Name: ${nameOf(region)}`}
        maxLength={60}
        value={name}
        onChange={(event) => setName(event.target.value)}
        onBlur={rename}
        onKeyDown={(event) => event.key === 'Enter' && rename()}
      />
      <Flex gap="1.5" wrap="wrap">
        <Press
          size="2xs"
          onClick={() => {
            const next = [...clear.regions];
            next.splice(number + 1, 0, region);
            clear.setList(next, `${nameOf(region)} duplicated`);
            clear.choose(number + 1);
          }}
        >
          Duplicate
        </Press>
        <Press size="2xs" onClick={() => keep.mutate(region)}>
          {keep.isSuccess ? 'Kept for other photos' : 'Keep for other photos'}
        </Press>
        {region.kind !== 'strokes' && region.kind !== 'gaps' && (
          <Press size="2xs" loading={clear.tracing} onClick={() => void trace(false)}>
            Trace to an outline
          </Press>
        )}
        <Press
          size="2xs"
          color="chalk.pink"
          onClick={() => {
            clear.choose(null);
            clear.setList(
              clear.regions.filter((_, i) => i !== number),
              `${nameOf(region)} removed`,
            );
          }}
        >
          Remove
        </Press>
      </Flex>
      {keep.error && (
        <Text role="alert" color="chalk.pink">
          {keep.error.message}
        </Text>
      )}
    </>
  );
}

/** A region more, of a kind, or one that was kept. */
function Add({ clear }: { clear: Clear }) {
  const kept = useQuery({
    queryKey: ['kept-regions'],
    queryFn: () => answered(client.GET('/api/kept-regions')),
  });
  const forget = useMutation({
    mutationFn: (kept_id: number) =>
      answered(client.DELETE('/api/kept-regions/{kept_id}', { params: { path: { kept_id } } })),
    onSuccess: (all) => queries.setQueryData(['kept-regions'], all),
  });
  const whole = async () => {
    const { paths } = await clear.trace(null);
    const all = await answered(
      client.POST('/api/kept-regions', {
        body: { name: `Mask of ${clear.photo.name}`.slice(0, 60), region: outlineOf(paths) },
      }),
    );
    queries.setQueryData(['kept-regions'], all);
  };
  return (
    <Box borderTop="1px solid" borderColor="line" pt="2.5">
      <Text fontWeight="700" pb="1.5">
        One more region
      </Text>
      <Grid templateColumns="1fr 1fr" gap="1.5">
        {kinds.map(({ kind, name, what }) => (
          <Toggle
            key={kind}
            on={clear.waiting === kind}
            title={what}
            onChange={(on) => (on ? clear.begin(kind) : clear.drop())}
          >
            {name}
          </Toggle>
        ))}
      </Grid>
      {clear.photo.marks.clear && (
        <Flex gap="1.5" pt="2" wrap="wrap">
          <Press size="2xs" onClick={() => void whole()}>
            Keep the result as a mask
          </Press>
        </Flex>
      )}
      {kept.data?.map((one) => (
        <Flex key={one.id} align="center" justify="space-between" gap="2" pt="1.5">
          <Text fontSize="13px" truncate>
            {one.name}
          </Text>
          <Flex gap="1" flex="none">
            <Press size="2xs" onClick={() => clear.add({ ...one.region, name: one.name }, `Clear: ${one.name}`)}>
              Use here
            </Press>
            <Press size="2xs" variant="ghost" aria-label={`Forget ${one.name}`} onClick={() => forget.mutate(one.id)}>
              Forget
            </Press>
          </Flex>
        </Flex>
      ))}
    </Box>
  );
}
