import { Box, Flex, Grid, Text } from '@chakra-ui/react';
import { useState } from 'react';
import { Choice } from '../bench/Choice';
import { Part } from '../bench/Part';
import { StagePanel } from '../bench/StagePanel';
import { Toggle } from '../bench/Toggle';
import { ValueSlider } from '../bench/ValueSlider';
import { Press, Quiet } from '../clear/parts';
import { SizeField } from '../clear/SizeField';
import { count, percent } from '../shared/format';
import type { Speck } from '../api/client';
import { nameOf, PUSHES, type Entry, type Mend, type Tool } from './useMend';

const TOOLS: { tool: Tool; name: string; hint: string }[] = [
  { tool: 'fill', name: 'Fill', hint: 'Paint over it: what is round it is carried on.' },
  { tool: 'clone', name: 'Clone', hint: 'Touch where it comes from, then paint.' },
  { tool: 'restore', name: 'Restore', hint: 'Paint where the original comes back.' },
  { tool: 'backdrop', name: 'To backdrop', hint: 'Paint what becomes backdrop.' },
  { tool: 'product', name: 'To product', hint: 'Paint what becomes product.' },
  {
    tool: 'nudge',
    name: 'Nudge',
    hint: 'Draw round a piece; then drag it, or use the arrow keys: 1 px, with Shift 10.',
  },
  { tool: 'push', name: 'Push', hint: 'Push the shape along the stroke.' },
  { tool: 'pull-in', name: 'Pull in', hint: 'Draw in to the brush’s middle; stay longer for more.' },
  { tool: 'let-out', name: 'Let out', hint: 'Swell from the brush’s middle; stay longer for more.' },
  { tool: 'relax', name: 'Relax', hint: 'Take pushes back, softly.' },
];
const TONES = [
  ['before-lift', 'balanced, not lifted'],
  ['as-shot', 'as it came in'],
  ['kept', 'as they are'],
] as const;
const BY = [
  ['auto', 'as it fits'],
  ['smooth', 'smoothly'],
  ['pieces', 'from pieces'],
] as const;

/** Mend: the last touches, each an entry that can be switched off, moved, changed or removed. */
export function MendPanel(props: {
  mend: Mend;
  trouble: string | undefined;
  onShow: (box: readonly number[], label: string) => void;
}) {
  const { mend, trouble, onShow } = props;
  const report = mend.report;
  const own = mend.photo.marks.mend;
  return (
    <StagePanel
      name="Mend"
      trouble={trouble ?? mend.trouble?.message}
      awaited={report || mend.trouble ? null : 'Measuring what was mended …'}
    >
      {[TOOLS.slice(0, 6), TOOLS.slice(6)].map((some, i) => (
        <Grid
          key={i}
          templateColumns={`repeat(${i === 0 ? 3 : 4}, 1fr)`}
          gap="1.5"
          flex="none"
          role="group"
          aria-label={i === 0 ? 'Tools' : 'Tools that shape'}
        >
          {some.map(({ tool, name, hint }) => (
            <Toggle
              key={tool}
              px="1"
              on={mend.tool === tool}
              title={hint}
              onChange={(on) => mend.take(on ? tool : null)}
            >
              {name}
            </Toggle>
          ))}
        </Grid>
      ))}
      {mend.tool && <ToolSettings mend={mend} tool={mend.tool} />}
      <Dust mend={mend} onShow={onShow} />
      {report && mend.entries.length > 0 && (
        <Text fontSize="13px" opacity={mend.outdated ? 0.5 : 1}>
          Touched: <b className="figures">{percent(report.total / 100)}</b> of the product
        </Text>
      )}
      <Entries mend={mend} shares={report?.shares ?? []} />
      {mend.entry && mend.chosen !== null && !mend.tool && (
        <EntrySettings key={mend.chosen} mend={mend} entry={mend.entry} />
      )}
      <Guides mend={mend} />
      {own.entries.length > 1 && (
        <Press size="2xs" alignSelf="start" onClick={mend.clear}>
          Take all mends away
        </Press>
      )}
    </StagePanel>
  );
}

/** A share as a slider in %. */
function ShareSlider(props: {
  label: string;
  value: number;
  standard: number;
  least?: number;
  onDrag: (value: number) => void;
  onSettle: (value: number) => void;
}) {
  const { label, value, standard, least = 0, onDrag, onSettle } = props;
  return (
    <ValueSlider
      label={label}
      unit="%"
      value={Math.round(100 * value)}
      least={least}
      most={100}
      standard={{ value: Math.round(100 * standard), name: `as begun, ${Math.round(100 * standard)} %` }}
      onDrag={(next) => onDrag(next / 100)}
      onSettle={(next) => onSettle(next / 100)}
      onReset={() => onSettle(standard)}
    />
  );
}

/** What the next stroke will be. */
function ToolSettings({ mend, tool }: { mend: Mend; tool: Tool }) {
  const { brush, copying, restoring, setBrush, setCopying, setRestoring } = mend;
  const hint = TOOLS.find((one) => one.tool === tool)?.hint;
  const loops = !PUSHES.includes(tool) && tool !== 'clone' && tool !== 'nudge';
  return (
    <Flex direction="column" gap="1.5" borderLeft="3px solid" borderColor="chalk.blue" pl="2.5">
      <Text fontSize="13px" role="status">
        {mend.takingSource ? 'Touch where the clone comes from.' : hint}
      </Text>
      {loops && (
        <Choice
          label="Drawn as"
          value={brush.loop ? 'loop' : 'stroke'}
          options={[
            ['stroke', 'stroke'],
            ['loop', 'loop'],
          ]}
          onChange={(shape) => setBrush({ loop: shape === 'loop' })}
        />
      )}
      {tool !== 'nudge' && (
        <>
          {!(loops && brush.loop) && (
            <SizeField
              name="Brush width"
              photo={mend.photo}
              value={brush.size}
              least={0.0005}
              most={0.5}
              onSettle={(size) => setBrush({ size })}
            />
          )}
          {!PUSHES.includes(tool) && (
            <ShareSlider
              label="Softness"
              value={brush.softness}
              standard={0.3}
              onDrag={(softness) => setBrush({ softness })}
              onSettle={(softness) => setBrush({ softness })}
            />
          )}
          <ShareSlider
            label="Strength"
            value={brush.strength}
            standard={1}
            least={1}
            onDrag={(strength) => setBrush({ strength })}
            onSettle={(strength) => setBrush({ strength })}
          />
        </>
      )}
      {tool === 'clone' && (
        <>
          <Flex gap="1.5" wrap="wrap">
            <Toggle on={mend.takingSource} onChange={mend.setTakingSource}>
              Touch the source
            </Toggle>
            <Toggle on={copying.mirrored} onChange={(mirrored) => setCopying({ mirrored })}>
              Mirrored
            </Toggle>
          </Flex>
          <Choice
            label="The next stroke"
            value={copying.kept ? 'kept' : 'free'}
            options={[
              ['kept', 'goes on beside it'],
              ['free', 'begins at the source'],
            ]}
            onChange={(how) => setCopying({ kept: how === 'kept' })}
          />
          <ValueSlider
            label="Turned"
            unit="°"
            value={copying.turn}
            least={-180}
            most={180}
            standard={{ value: 0, name: 'not turned' }}
            onDrag={(turn) => setCopying({ turn })}
            onSettle={(turn) => setCopying({ turn })}
            onReset={() => setCopying({ turn: 0 })}
          />
          <ValueSlider
            label="Size of the copy"
            unit="%"
            value={Math.round(100 * copying.scale)}
            least={10}
            most={400}
            standard={{ value: 100, name: 'as large' }}
            onDrag={(scale) => setCopying({ scale: scale / 100 })}
            onSettle={(scale) => setCopying({ scale: scale / 100 })}
            onReset={() => setCopying({ scale: 1 })}
          />
        </>
      )}
      {tool === 'restore' && (
        <>
          <Choice label="Tones" value={restoring.tones} options={TONES} onChange={(tones) => setRestoring({ tones })} />
          <Toggle on={restoring.coverage} onChange={(coverage) => setRestoring({ coverage })}>
            What was cleared comes back too
          </Toggle>
        </>
      )}
    </Flex>
  );
}

/** Dust: what is found on the backdrop, mended in one press; what lies on the product, one by one. */
function Dust({ mend, onShow }: { mend: Mend; onShow: (box: readonly number[], label: string) => void }) {
  const { specks, looking, dust } = mend;
  const paper = specks.filter((speck) => speck.on === 'backdrop');
  const product = specks.filter((speck) => speck.on === 'product');
  const always = mend.report?.dust ?? 0;
  const [next] = product;
  const inSheet = mend.photo.marks.mend.dust ?? null;
  return (
    <Part
      name="Dust"
      aside={
        <Toggle on={looking} onChange={mend.look}>
          Find dust
        </Toggle>
      }
    >
      {always > 0 && <Quiet>{count(always, 'speck')} on the backdrop found and mended by rule.</Quiet>}
      {looking && !dust && <Quiet>Looking …</Quiet>}
      {looking && dust && (
        <>
          <Flex justify="space-between" align="center" gap="2">
            <Text fontSize="13px">
              On the backdrop: {paper.length === 0 ? 'none left' : count(paper.length, 'speck')}
            </Text>
            {paper.length > 0 && <Press onClick={() => mend.mendSpecks(paper)}>Mend all</Press>}
          </Flex>
          <SpeckList specks={paper.slice(0, 6)} onShow={onShow} onMend={(speck) => mend.mendSpecks([speck])} />
          {paper.length > 6 && <Quiet>and {paper.length - 6} more</Quiet>}
          <Text fontSize="13px">
            On the product: {product.length === 0 ? 'none' : `${count(product.length, 'speck')}, perhaps meant`}
          </Text>
          {next && (
            <SpeckList
              specks={[next]}
              onShow={onShow}
              onMend={(speck) => mend.mendSpecks([speck])}
              onPass={mend.pass}
            />
          )}
        </>
      )}
      <Choice
        label="On this photo"
        value={inSheet === null ? 'sheet' : inSheet ? 'on' : 'off'}
        options={[
          ['sheet', 'as the run sheet'],
          ['on', 'always'],
          ['off', 'never'],
        ]}
        onChange={(how) => mend.setDust(how === 'sheet' ? null : how === 'on')}
      />
    </Part>
  );
}

function SpeckList(props: {
  specks: Speck[];
  onShow: (box: readonly number[], label: string) => void;
  onMend: (speck: Speck) => void;
  onPass?: (speck: Speck) => void;
}) {
  return (
    <Box as="ul" listStyleType="none">
      {props.specks.map((speck) => {
        const what = `${speck.area} px, ${Math.abs(speck.height).toFixed(0)} ${speck.height < 0 ? 'darker' : 'lighter'}`;
        return (
          <Flex as="li" key={speck.box.join(' ')} justify="space-between" align="center" gap="1.5" py="0.5">
            <Text className="figures" fontSize="13px" truncate>
              {what}
            </Text>
            <Flex gap="1" flex="none">
              <Press size="2xs" aria-label={`Show the speck of ${what}`} onClick={() => props.onShow(speck.box, what)}>
                Show
              </Press>
              <Press size="2xs" aria-label={`Mend the speck of ${what}`} onClick={() => props.onMend(speck)}>
                Mend
              </Press>
              {props.onPass && (
                <Press size="2xs" aria-label={`Leave the speck of ${what}`} onClick={() => props.onPass?.(speck)}>
                  Leave
                </Press>
              )}
            </Flex>
          </Flex>
        );
      })}
    </Box>
  );
}

function Entries({ mend, shares }: { mend: Mend; shares: (number | null)[] }) {
  const [each, setEach] = useState(false);
  if (!mend.entries.length) return <Quiet>Nothing is mended yet. Each mend becomes an entry here.</Quiet>;
  const found = mend.entries.flatMap((entry, i) => (entry.kind === 'fill' && entry.found ? [i] : []));
  const grouped = found.length > 3;
  const on = found.some((i) => mend.entries[i]?.on);
  const total = found.reduce((sum, i) => sum + (shares[i] ?? 0), 0);
  return (
    <Box as="ol" listStyleType="none" aria-label="Mends, in order" maxHeight="190px" overflowY="auto" flex="none">
      {grouped && (
        <Flex as="li" align="center" gap="1.5" py="1" px="1.5" borderLeft="3px solid" borderColor="transparent">
          <Box
            as="button"
            flex="1"
            minWidth="0"
            textAlign="left"
            cursor="pointer"
            aria-expanded={each}
            onClick={() => setEach(!each)}
          >
            <Text truncate>
              {each ? '▾' : '▸'} Dust, {count(found.length, 'speck')}
            </Text>
          </Box>
          <Text className="figures" fontSize="12px" color="slate.quiet" whiteSpace="nowrap">
            {on ? percent(total / 100) : ''}
          </Text>
          <Press
            size="2xs"
            aria-pressed={on}
            aria-label={`${on ? 'On' : 'Off'}: all dust`}
            onClick={() => mend.toggleAll(found, !on)}
          >
            {on ? 'On' : 'Off'}
          </Press>
          <Press size="2xs" aria-label="Remove all dust" onClick={() => mend.removeAll(found)}>
            Remove
          </Press>
        </Flex>
      )}
      {mend.entries.map((entry, i) => {
        if (grouped && !each && found.includes(i)) return null;
        const share = shares[i];
        const here = mend.chosen === i;
        return (
          <Flex
            as="li"
            key={i}
            align="center"
            gap="1.5"
            py="1"
            px="1.5"
            bg={here ? 'white' : undefined}
            borderLeft="3px solid"
            borderColor={here ? 'chalk.blue' : 'transparent'}
          >
            <Box
              as="button"
              flex="1"
              minWidth="0"
              textAlign="left"
              aria-pressed={here}
              cursor="pointer"
              opacity={entry.on ? 1 : 0.55}
              onClick={() => mend.choose(here ? null : i)}
            >
              <Text truncate>
                {i + 1}. {nameOf(entry)}
              </Text>
            </Box>
            <Text className="figures" fontSize="12px" color="slate.quiet" whiteSpace="nowrap">
              {entry.on && share != null ? percent(share / 100) : ''}
            </Text>
            <Press
              size="2xs"
              aria-label={`${entry.on ? 'On' : 'Off'}: mend ${i + 1}, ${nameOf(entry)}`}
              aria-pressed={entry.on}
              onClick={() => mend.toggle(i)}
            >
              {entry.on ? 'On' : 'Off'}
            </Press>
            <Press size="2xs" aria-label={`Remove mend ${i + 1}, ${nameOf(entry)}`} onClick={() => mend.remove(i)}>
              Remove
            </Press>
          </Flex>
        );
      })}
    </Box>
  );
}

/** The entry in hand: its own settings, and how it is moved. */
function EntrySettings({ mend, entry }: { mend: Mend; entry: Entry }) {
  const { photo, change, preview } = mend;
  const name = nameOf(entry);
  const slid = (label: string, field: 'softness' | 'strength', standard: number) =>
    field in entry && (
      <ShareSlider
        label={label}
        value={(entry as { softness: number; strength: number })[field]}
        standard={standard}
        least={field === 'strength' && entry.kind !== 'push' ? 1 : 0}
        onDrag={(value) => preview({ ...entry, [field]: value })}
        onSettle={(value) => change({ ...entry, [field]: value }, `${label} ${Math.round(100 * value)} %`)}
      />
    );
  const turned = (entry.kind === 'nudge' || entry.kind === 'clone') && (
    <ValueSlider
      label="Turned"
      unit="°"
      step={0.5}
      value={entry.turn}
      least={-180}
      most={180}
      standard={{ value: 0, name: 'not turned' }}
      onDrag={(turn) => preview({ ...entry, turn })}
      onSettle={(turn) => change({ ...entry, turn }, `${name} turned by ${turn}°`)}
      onReset={() => change({ ...entry, turn: 0 }, `${name} not turned`)}
    />
  );
  return (
    <Flex direction="column" gap="1.5" borderTop="1px solid" borderColor="line" pt="2">
      {entry.kind !== 'push' && <Quiet>Drag it on the photo, or use the arrow keys: 1 px, with Shift 10.</Quiet>}
      {entry.kind !== 'nudge' && entry.kind !== 'push' && entry.area.shape === 'stroke' && (
        <SizeField
          name="Brush width"
          photo={photo}
          value={entry.area.size}
          least={0.0005}
          most={0.5}
          onSettle={(size) => change({ ...entry, area: { ...entry.area, size } } as Entry, `${name} wider or narrower`)}
        />
      )}
      {slid('Softness', 'softness', entry.kind === 'nudge' ? 0.15 : entry.kind === 'fill' && entry.found ? 0.2 : 0.3)}
      {slid('Strength', 'strength', 1)}
      {turned}
      {entry.kind === 'clone' && (
        <>
          <ValueSlider
            label="Size of the copy"
            unit="%"
            value={Math.round(100 * entry.scale)}
            least={10}
            most={400}
            standard={{ value: 100, name: 'as large' }}
            onDrag={(scale) => preview({ ...entry, scale: scale / 100 })}
            onSettle={(scale) => change({ ...entry, scale: scale / 100 }, `Clone at ${scale} %`)}
            onReset={() => change({ ...entry, scale: 1 }, 'Clone as large')}
          />
          <Toggle on={entry.mirrored} onChange={(mirrored) => change({ ...entry, mirrored }, 'Clone mirrored')}>
            Mirrored
          </Toggle>
        </>
      )}
      {entry.kind === 'fill' && (
        <Choice
          label="Filled"
          value={entry.by}
          options={BY}
          onChange={(by) => change({ ...entry, by }, `filled ${by}`)}
        />
      )}
      {(entry.kind === 'fill' || entry.kind === 'nudge') && (
        <Press
          size="2xs"
          alignSelf="start"
          onClick={() => change({ ...entry, attempt: (entry.attempt + 1) % 21 }, 'filled with other pieces')}
        >
          Try other pieces
        </Press>
      )}
      {entry.kind === 'restore' && (
        <>
          <Choice
            label="Tones"
            value={entry.tones}
            options={TONES}
            onChange={(tones) => change({ ...entry, tones }, 'restored otherwise')}
          />
          <Toggle on={entry.coverage} onChange={(coverage) => change({ ...entry, coverage }, 'restored otherwise')}>
            What was cleared comes back too
          </Toggle>
        </>
      )}
    </Flex>
  );
}

function Guides({ mend }: { mend: Mend }) {
  const { guides, setGuides } = mend;
  const add = (runs: 'level' | 'upright') => setGuides([...guides, { runs, at: 0.5 }], `${runs} guide`);
  return (
    <Part name="Guides">
      <Flex gap="1.5" align="center" wrap="wrap">
        <Press size="2xs" disabled={guides.length >= 20} onClick={() => add('level')}>
          Level line
        </Press>
        <Press size="2xs" disabled={guides.length >= 20} onClick={() => add('upright')}>
          Upright line
        </Press>
        {guides.length > 0 && (
          <Press size="2xs" onClick={() => setGuides([], 'guides taken away')}>
            Take {guides.length} away
          </Press>
        )}
      </Flex>
    </Part>
  );
}
