import { Button, Flex, Input, Text } from '@chakra-ui/react';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { answered, client } from '../api/client';
import { Choice } from '../bench/Choice';
import { Toggle } from '../bench/Toggle';
import { percent } from '../shared/format';
import type { Place } from './ClearPanel';
import { ContrastControls } from './ContrastControls';
import { split } from './curves';
import { removeKnot } from './OutlineLayer';
import { BrushWidth, HandToggle, Press, Quiet, RegionSlider } from './parts';
import { nameOf, type Of, type Region } from './regions';
import { SizeField } from './SizeField';
import { SpreadControls } from './SpreadControls';
import type { Clear, Live } from './useClear';

/** The controls of the region in hand. */
export function RegionControls({
  clear,
  live,
  region,
  onShow,
}: {
  clear: Clear;
  live: Live;
  region: Region;
  onShow: (place: Place) => void;
}) {
  switch (region.kind) {
    case 'automatic':
      return <AutomaticControls clear={clear} region={region} />;
    case 'spread':
      return <SpreadControls clear={clear} live={live} region={region} />;
    case 'family':
      return <FamilyControls clear={clear} region={region} />;
    case 'box':
      return <BoxControls clear={clear} region={region} />;
    case 'outline':
      return <OutlineControls clear={clear} region={region} />;
    case 'strokes':
      return <StrokesControls clear={clear} region={region} />;
    case 'contrast':
      return <ContrastControls clear={clear} region={region} />;
    case 'ink':
      return <InkControls clear={clear} region={region} />;
    case 'gaps':
      return <GapsControls clear={clear} region={region} onShow={onShow} />;
    case 'spread-rule':
    case 'family-rule':
    case 'box-rule':
      return <RuleControls clear={clear} region={region} />;
  }
}

function AutomaticControls({ clear, region }: { clear: Clear; region: Of<'automatic'> }) {
  const full = clear.report?.regions[clear.chosen ?? -1]?.figures.full;
  return (
    <>
      <Quiet>What the backdrop model and the steps of the photo say.</Quiet>
      <Toggle
        alignSelf="start"
        on={region.ink}
        onChange={(ink) => clear.change({ ...region, ink }, ink ? 'Prints by density' : 'Prints like any product')}
      >
        Prints in one ink by their density
      </Toggle>
      {full !== undefined && (
        <Quiet>
          This photo is one: ink of density {full.toFixed(2)} covers wholly, thinner ink is as see-through as it is
          thin.
        </Quiet>
      )}
    </>
  );
}

const STARTS = [
  ['border', 'along the border'],
  ['corners', 'in the corners'],
  ['brightest', 'in the brightest part'],
] as const;

/** A region whose places are found anew on every photo. */
function RuleControls({ clear, region }: { clear: Clear; region: Of<'spread-rule' | 'family-rule' | 'box-rule'> }) {
  return (
    <>
      <Quiet>From the run sheet: its places are found anew on every photo.</Quiet>
      {region.kind !== 'box-rule' && (
        <Choice
          label="Starts"
          value={region.start}
          options={STARTS}
          onChange={(start) => clear.change({ ...region, start }, `${nameOf(region)}: starts elsewhere`)}
        />
      )}
      {region.kind === 'spread-rule' && (
        <RegionSlider
          label="Tolerance"
          unit="ΔE"
          value={region.tolerance}
          least={0}
          most={60}
          step={0.25}
          standard={8}
          onPreview={(tolerance) => clear.preview({ ...region, tolerance })}
          onSettle={(tolerance, what) => clear.change({ ...region, tolerance }, what)}
        />
      )}
    </>
  );
}

function FamilyControls({ clear, region }: { clear: Clear; region: Of<'family'> }) {
  const kept = (change: Partial<Of<'family'>>, what: string) => clear.change({ ...region, ...change }, what);
  return (
    <>
      <Flex gap="1.5" wrap="wrap">
        <HandToggle clear={clear} hand="sample">
          Add a sample
        </HandToggle>
        <HandToggle clear={clear} hand="unsample">
          This does not belong
        </HandToggle>
      </Flex>
      {(clear.hand === 'sample' || clear.hand === 'unsample') && <BrushWidth clear={clear} />}
      <Flex gap="1.5" wrap="wrap" align="center">
        {region.samples.map((sample, i) => (
          <Press
            key={i}
            size="2xs"
            aria-label={`Take sample ${i + 1} away`}
            disabled={region.samples.length === 1}
            onClick={() =>
              kept({ samples: region.samples.filter((_, k) => k !== i) }, `Colour family: sample ${i + 1} taken away`)
            }
          >
            {sample.adds ? '+' : '−'} {i + 1} ✕
          </Press>
        ))}
      </Flex>
      <RegionSlider
        label="Reach"
        unit="spreads"
        value={region.reach}
        least={0.5}
        most={12}
        step={0.1}
        standard={3}
        onPreview={(reach) => clear.preview({ ...region, reach })}
        onSettle={(reach, what) => kept({ reach }, what)}
      />
      <RegionSlider
        label="Softness"
        unit="spreads"
        value={region.softness}
        least={0}
        most={6}
        step={0.1}
        standard={0}
        onPreview={(softness) => clear.preview({ ...region, softness })}
        onSettle={(softness, what) => kept({ softness }, what)}
      />
      <SizeField
        name="Grain"
        photo={clear.photo}
        value={region.grain}
        least={0.0005}
        most={0.05}
        onSettle={(grain) => kept({ grain }, 'Colour family: grain')}
      />
    </>
  );
}

function BoxControls({ clear, region }: { clear: Clear; region: Of<'box'> }) {
  return (
    <>
      <Flex gap="1.5" wrap="wrap">
        <HandToggle clear={clear} hand="keep">
          This is product
        </HandToggle>
        <HandToggle clear={clear} hand="drop">
          This is backdrop
        </HandToggle>
      </Flex>
      <BrushWidth clear={clear} />
      <Flex gap="1.5" wrap="wrap">
        <HandToggle clear={clear} hand="box">
          Box anew
        </HandToggle>
        <HandToggle clear={clear} hand="loop">
          Loop anew
        </HandToggle>
        {region.strokes.length > 0 && (
          <Press onClick={() => clear.change({ ...region, strokes: [] }, 'Box: strokes taken away')}>
            {region.strokes.length === 1 ? 'Without the stroke' : `Without the ${region.strokes.length} strokes`}
          </Press>
        )}
      </Flex>
    </>
  );
}

function OutlineControls({ clear, region }: { clear: Clear; region: Of<'outline'> }) {
  const [text, setText] = useState('');
  const [copied, setCopied] = useState(false);
  const params = { path: { photo_id: clear.photo.id } };
  const kept = (change: Partial<Of<'outline'>>, what: string) => clear.change({ ...region, ...change }, what);
  const save = useMutation({
    mutationFn: () => answered(client.POST('/api/photos/{photo_id}/clear/svg', { params, body: region })),
    onSuccess: async ({ svg }) => {
      await navigator.clipboard.writeText(svg);
      setCopied(true);
    },
  });
  const read = useMutation({
    mutationFn: (d: string) =>
      answered(client.POST('/api/photos/{photo_id}/clear/from-svg', { params, body: { d: pathIn(d) } })),
    onSuccess: ({ paths }) => {
      kept({ paths: [...region.paths, ...paths] }, 'Outline: from SVG');
      setText('');
    },
  });
  const knots = region.paths.reduce((sum, path) => sum + path.length, 0);
  return (
    <>
      <Text fontSize="13px">
        {region.paths.length} {region.paths.length === 1 ? 'outline' : 'outlines'}, {knots} points
      </Text>
      <Flex gap="1.5" wrap="wrap">
        <HandToggle clear={clear} hand="edit">
          Move points
        </HandToggle>
        <HandToggle clear={clear} hand="draw">
          Draw another
        </HandToggle>
        <Press disabled={!clear.knot} onClick={() => removeKnot(clear)}>
          Remove point
        </Press>
        <Press
          disabled={!clear.knot}
          onClick={() => {
            const at = clear.knot;
            if (at)
              kept(
                { paths: region.paths.map((knots, i) => (i === at.path ? split(knots, at.at, 0.5) : knots)) },
                'Outline: a point more',
              );
          }}
        >
          Point after it
        </Press>
      </Flex>
      <FollowEdges clear={clear} />
      <Choice
        label="Backdrop lies"
        value={region.backdrop}
        options={[
          ['outside', 'outside'],
          ['inside', 'inside'],
        ]}
        onChange={(backdrop) => kept({ backdrop }, `Outline: backdrop ${backdrop}`)}
      />
      <Choice
        label="Cut"
        value={region.edge}
        options={[
          ['drawn', 'as drawn'],
          ['found', 'at the photo’s edge'],
        ]}
        onChange={(edge) => kept({ edge }, `Outline: cut as ${edge}`)}
      />
      <SizeField
        name="Softness"
        photo={clear.photo}
        value={region.softness}
        least={0}
        most={0.1}
        onSettle={(softness) => kept({ softness }, 'Outline: softness')}
      />
      <Press alignSelf="start" onClick={() => save.mutate()}>
        {copied ? 'Copied as SVG' : 'Copy as SVG'}
      </Press>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          if (text.trim()) read.mutate(text);
        }}
      >
        <Flex gap="1.5">
          <Input
            size="xs"
            bg="white"
            aria-label="SVG path to add"
            placeholder="M 10 10 L 90 10 … or a whole SVG"
            value={text}
            onChange={(event) => setText(event.target.value)}
          />
          <Press type="submit" disabled={!text.trim()}>
            Add
          </Press>
        </Flex>
      </form>
      {(read.error ?? save.error) && (
        <Text role="alert" color="chalk.pink">
          {(read.error ?? save.error)?.message}
        </Text>
      )}
    </>
  );
}

/** The path data in a whole SVG document, or the text itself. */
function pathIn(text: string): string {
  const found = [...text.matchAll(/\sd="([^"]*)"/g)].map((match) => match[1]);
  return found.length ? found.join(' ') : text;
}

export function FollowEdges({ clear }: { clear: Clear }) {
  return (
    <Flex align="center" gap="2">
      <Toggle on={clear.followEdges} onChange={clear.setFollowEdges}>
        Follow edges
      </Toggle>
      <Quiet>hold Shift for a free point</Quiet>
    </Flex>
  );
}

function StrokesControls({ clear, region }: { clear: Clear; region: Of<'strokes'> }) {
  const { brush } = clear;
  return (
    <>
      <Flex gap="1.5">
        <HandToggle clear={clear} hand="chalk">
          Chalk: keep
        </HandToggle>
        <HandToggle clear={clear} hand="rub">
          Rub: drop
        </HandToggle>
      </Flex>
      <BrushWidth clear={clear} />
      {(['softness', 'strength'] as const).map((name) => (
        <RegionSlider
          key={name}
          label={name === 'softness' ? 'Softness' : 'Strength'}
          unit="%"
          value={Math.round(100 * brush[name])}
          least={name === 'softness' ? 0 : 1}
          most={100}
          step={1}
          standard={name === 'softness' ? 30 : 100}
          onPreview={(value) => clear.setBrush({ [name]: value / 100 })}
          onSettle={(value) => clear.setBrush({ [name]: value / 100 })}
        />
      ))}
      <Flex gap="1.5" wrap="wrap">
        <Toggle on={brush.guard} onChange={(guard) => clear.setBrush({ guard })}>
          Guard what is solid
        </Toggle>
        <Toggle on={brush.edges} onChange={(edges) => clear.setBrush({ edges })}>
          Stop at edges
        </Toggle>
        <Toggle on={brush.straight} onChange={(straight) => clear.setBrush({ straight })}>
          Straight lines
        </Toggle>
      </Flex>
      {brush.guard && <Quiet>Chalk touches only what is nearly kept, Rub only what is nearly dropped.</Quiet>}
      {brush.straight && <Quiet>Press from point to point; press the last one again to end the line.</Quiet>}
      <Flex justify="space-between" align="center">
        <Text fontSize="13px">
          {region.strokes.length} {region.strokes.length === 1 ? 'stroke' : 'strokes'}
        </Text>
        <Press
          disabled={!region.strokes.length}
          onClick={() =>
            clear.change({ ...region, strokes: region.strokes.slice(0, -1) }, 'The last stroke taken away')
          }
        >
          Without the last
        </Press>
      </Flex>
    </>
  );
}

function InkControls({ clear, region }: { clear: Clear; region: Of<'ink'> }) {
  const figures = clear.report?.regions[clear.chosen ?? -1]?.figures;
  const kept = (change: Partial<Of<'ink'>>, what: string) => clear.change({ ...region, ...change }, what);
  return (
    <>
      {(['floor', 'full'] as const).map((name) => {
        const value = region[name] === 'auto' ? (figures?.[name] ?? (name === 'floor' ? 0.05 : 1)) : region[name];
        return (
          <Flex key={name} direction="column">
            <RegionSlider
              label={name === 'floor' ? 'Floor: paper and pencil' : 'Full: covers wholly'}
              unit="density"
              value={Number(value.toFixed(2))}
              least={0}
              most={2}
              step={0.01}
              standard={Number((figures?.[name] ?? 0).toFixed(2))}
              onPreview={(density) => clear.preview({ ...region, [name]: density })}
              onSettle={(density, what) => kept({ [name]: density }, what)}
            />
            {region[name] === 'auto' ? (
              <Quiet>measured on this photo</Quiet>
            ) : (
              <Press size="2xs" alignSelf="start" onClick={() => kept({ [name]: 'auto' }, `Ink: ${name} measured`)}>
                Measure it again
              </Press>
            )}
          </Flex>
        );
      })}
      <Flex align="center" gap="2">
        <Text flex="1">Print in</Text>
        <input
          type="color"
          aria-label="Colour of the ink"
          value={region.colour ?? '#262b2f'}
          onChange={(event) => clear.preview({ ...region, colour: event.target.value })}
          onBlur={(event) => {
            if (
              event.target.value !==
              (clear.photo.marks.clear?.regions[clear.chosen ?? -1] as Of<'ink'> | undefined)?.colour
            )
              kept({ colour: event.target.value }, `Ink in ${event.target.value}`);
          }}
        />
        <Press disabled={region.colour == null} onClick={() => kept({ colour: null }, 'Ink in its own colour')}>
          Its own colour
        </Press>
      </Flex>
    </>
  );
}

function GapsControls({ clear, region, onShow }: { clear: Clear; region: Of<'gaps'>; onShow: (place: Place) => void }) {
  const found = clear.gaps?.gaps ?? [];
  const points = region.points ?? [];
  const has = (at: number[]) => points.some((one) => one[0] === at[0] && one[1] === at[1]);
  const set = (next: number[][], what: string) => clear.change({ ...region, points: next.length ? next : null }, what);
  const left = found.filter((gap) => !has(gap.at));
  return (
    <>
      <Quiet>
        {region.points == null
          ? 'Takes the gaps that Automatic is sure of. Or choose from these, where the backdrop may show inside the product:'
          : `${points.length} chosen.`}
      </Quiet>
      {clear.seeking && !clear.gaps && <Quiet>Looking for gaps …</Quiet>}
      {clear.gaps && !found.length && <Quiet>No other place inside the product looks like backdrop.</Quiet>}
      {found.length > 1 && (
        <Flex gap="1.5">
          <Press
            disabled={!left.length}
            onClick={() => set([...points, ...left.map((gap) => gap.at)], 'All gaps cleared')}
          >
            Clear all {found.length}
          </Press>
          {points.length > 0 && <Press onClick={() => set([], 'Gaps: none chosen')}>None</Press>}
        </Flex>
      )}
      {found.map((gap, i) => {
        const on = has(gap.at);
        const [x = 0, y = 0, width = 0, height = 0] = gap.box;
        return (
          <Flex key={gap.at.join(' ')} align="center" justify="space-between" gap="2">
            <Button
              size="2xs"
              variant="ghost"
              onClick={() =>
                onShow({ x, y, width, height, label: `gap ${i + 1} · ${percent(gap.share)} of the frame` })
              }
            >
              {i + 1} · {percent(gap.share)} · alike {Math.round(100 * gap.likeness)} %
            </Button>
            <Toggle
              size="2xs"
              on={on}
              onChange={(next) =>
                set(
                  next ? [...points, gap.at] : points.filter((one) => one[0] !== gap.at[0] || one[1] !== gap.at[1]),
                  next ? 'A gap cleared' : 'A gap kept',
                )
              }
            >
              {on ? 'Cleared' : 'Clear it'}
            </Toggle>
          </Flex>
        );
      })}
    </>
  );
}
