import { Box, Flex, Text } from '@chakra-ui/react';
import { useState, type ReactNode } from 'react';
import { Choice } from '../bench/Choice';
import { Part } from '../bench/Part';
import { StagePanel } from '../bench/StagePanel';
import { Toggle } from '../bench/Toggle';
import { ValueSlider } from '../bench/ValueSlider';
import type { EdgeMarks } from '../bench/marks';
import { Press, Quiet } from '../clear/parts';
import { SizeField } from '../clear/SizeField';
import { UnitChoice } from '../shared/UnitChoice';
import { LengthSlider } from './LengthSlider';
import { OutlineGraph } from './OutlineGraph';
import type { Edge, EdgeBrush, Length, Report } from './useEdge';

const SOLVERS = [
  ['auto', 'close look'],
  ['known', 'known backdrop alone'],
  ['open', 'colours alone'],
] as const;
const SHADOWS = [
  ['drop', 'left out'],
  ['keep', 'kept as shot'],
  ['draw', 'drawn anew'],
] as const;
const MIXINGS = [
  ['auto', 'as measured'],
  ['light', 'a photo'],
  ['codes', 'a drawing'],
] as const;

/** Edge: how the border is solved, cleaned, freed of the backdrop's colour, and what shadow lies under it. */
export function EdgePanel({ edge, trouble }: { edge: Edge; trouble: string | undefined }) {
  const report = edge.report;
  return (
    <StagePanel
      name="Edge"
      trouble={trouble ?? edge.trouble?.message}
      awaited={report || edge.trouble ? null : 'Measuring the outline …'}
    >
      {report?.given && (
        <Quiet>The file brought its own transparency: its edge is kept, and cleaned up as set here.</Quiet>
      )}
      {report?.only_ink && (
        <Quiet>
          A print in one ink: its density says what is covered, so no outline is solved. Clean-up acts as set here.
        </Quiet>
      )}
      {report && report.stretches.length > 0 && <Figures edge={edge} report={report} />}
      {report && <Settings edge={edge} report={report} />}
    </StagePanel>
  );
}

function Figures({ edge, report }: { edge: Edge; report: Report }) {
  const { here, at, walking } = edge;
  return (
    <>
      <Text>
        Fringe <Figure>{report.fringe.toFixed(1)} ΔE</Figure>, as shot{' '}
        <Figure>{report.fringe_before.toFixed(1)} ΔE</Figure>; edge <Figure>{report.width.toFixed(1)} px</Figure> wide.
      </Text>
      <OutlineGraph stretches={edge.stretches} fringeLimit={report.fringe_limit} at={at} onGo={edge.goTo} />
      <Flex gap="1.5" align="center">
        <Press onClick={edge.back} disabled={at === 0}>
          Back
        </Press>
        <Press onClick={walking ? () => edge.goTo(at) : edge.walk}>
          {walking ? 'Stop' : at === null ? 'Walk the edge' : 'Go on'}
        </Press>
        {at !== null && (
          <Text fontSize="13px" className="figures" role="status">
            {at + 1} of {edge.stretches.length}
            {here?.fault && ` · ${here.fault}`}
          </Text>
        )}
      </Flex>
    </>
  );
}

const Figure = ({ children }: { children: ReactNode }) => (
  <b className="figures" style={{ whiteSpace: 'nowrap' }}>
    {children}
  </b>
);

function Settings({ edge, report }: { edge: Edge; report: Report }) {
  const { photo } = edge;
  // What is being changed stands before the server has it.
  const { see_through } = report.usual;
  const inForce = { see_through, ...report.settings, ...setOf(edge.own) };
  const sheet = { see_through, ...report.sheet };
  const changed = (name: string) => {
    const found = report.changes[name];
    if (!found || found.area === 0) return null;
    const pieces = found.count > 0 ? `${found.count.toLocaleString('en')} of ` : '';
    return `${pieces}${found.area.toLocaleString('en')} px`;
  };
  const length = (name: keyof EdgeMarks & LengthName, label: string, most: number, least = 0, step = 0.1) => (
    <LengthSlider
      label={label}
      photo={photo}
      value={inForce[name]}
      standard={sheet[name]}
      least={least}
      most={most}
      step={step}
      onDrag={(value) => edge.preview({ [name]: value })}
      onSettle={(value, what) => edge.set({ [name]: value }, what)}
      onReset={() => edge.set({ [name]: null }, `${label} as the run sheet has it`)}
    />
  );
  const percent = (name: ShareName, label: string, factor = 100, least = 0, most = 100) => (
    <ValueSlider
      label={label}
      value={Math.round(inForce[name] * factor)}
      least={least}
      most={most}
      track={[0, 100]}
      unit="%"
      standard={{
        value: Math.round(sheet[name] * factor),
        name: 'as the run sheet has it',
      }}
      onDrag={(value) => edge.preview({ [name]: value / factor })}
      onSettle={(value) => edge.set({ [name]: value / factor }, `${label} ${value} %`)}
      onReset={() => edge.set({ [name]: null }, `${label} as the run sheet has it`)}
    />
  );
  // Solving anew takes a moment, so it is done once, when the slider is let go.
  const [opening, setOpening] = useState<Length | null>(null);
  const usual: Length = { value: report.usual.width, unit: 'px' };
  return (
    <>
      {!report.only_ink && (
        <Part name="Fine edge">
          <Choice
            label="Solved by"
            value={inForce.solver}
            options={SOLVERS}
            onChange={(solver) => edge.set({ solver }, `solved by ${nameOf(SOLVERS, solver)}`)}
          />
          {!report.given && (
            <>
              <Choice
                label="Treated as"
                value={inForce.mixing}
                options={MIXINGS}
                onChange={(mixing) => edge.set({ mixing }, `treated as ${nameOf(MIXINGS, mixing)}`)}
              />
              {inForce.mixing === 'auto' && report.drawn && (
                <Quiet>
                  Measured to be a drawing on one exact colour: its edges blend as programs blend, not as a lens.
                </Quiet>
              )}
            </>
          )}
          <LengthSlider
            label="Open to either side"
            photo={photo}
            value={opening ?? inForce.width ?? usual}
            standard={sheet.width ?? usual}
            least={1}
            most={60}
            step={1}
            onDrag={setOpening}
            onSettle={(width, what) => {
              setOpening(null);
              edge.set({ width }, what);
            }}
            onReset={() => edge.set({ width: null }, 'open as far as measured')}
          />
          <Brushes edge={edge} of="wider" name="Bristles, wires" here="wider" not="not" />
        </Part>
      )}
      <Part name="Fringe">
        {percent('fringe', 'Freed of the backdrop')}
        {!report.only_ink && length('fringe_width', 'Colour from deeper in', 12)}
      </Part>
      <Part name="Clean-up" aside={<UnitChoice photo={photo} />}>
        {length('specks', 'Specks dropped under', 60, 0, 1)}
        <Changed what={changed('specks')} />
        {length('holes', 'Holes filled under', 60, 0, 1)}
        <Changed what={changed('holes')} />
        {length('grow', 'Grow or shrink', 8, -8)}
        <Changed what={changed('grow')} />
        {length('smooth', 'Smooth', 12)}
        <Changed what={changed('smooth')} />
        {length('feather', 'Feather', 12)}
        <Changed what={changed('feather')} />
        {percent('black', 'Coverage that becomes none', 1, 0, Math.floor(inForce.white) - 1)}
        {percent('white', 'Coverage that becomes full', 1, Math.ceil(inForce.black) + 1, 100)}
        <Changed what={changed('levels')} />
        {!report.only_ink && (
          <>
            {percent('density', 'Density of thin detail')}
            <Changed what={changed('density')} />
          </>
        )}
      </Part>
      <Part name="Shadow">
        <Choice
          label="Shadow"
          value={inForce.shadow}
          options={SHADOWS}
          onChange={(shadow) => edge.set({ shadow }, `shadow ${nameOf(SHADOWS, shadow)}`)}
        />
        {inForce.shadow !== 'drop' && percent('shadow_strength', 'Strength')}
        {inForce.shadow === 'draw' && length('shadow_softness', 'Softness', photo.longest / 10)}
      </Part>
      <Part name="Glass">
        <Brushes edge={edge} of="glass" name="Seen through" here="here" not="not" />
        {edge.own.glass.length > 0 && percent('see_through', 'How far')}
      </Part>
    </>
  );
}

type LengthName = 'specks' | 'holes' | 'smooth' | 'grow' | 'feather' | 'fringe_width' | 'shadow_softness';
type ShareName = 'fringe' | 'density' | 'black' | 'white' | 'shadow_strength' | 'see_through';

const nameOf = <Key,>(options: readonly (readonly [Key, string])[], wanted: Key) =>
  options.find(([key]) => key === wanted)?.[1];

/** Just what is set of these. */
function setOf(marks: EdgeMarks): Partial<Report['settings']> {
  const set = Object.entries(marks).filter(([, value]) => value !== null);
  return Object.fromEntries(set);
}

const Changed = ({ what }: { what: string | null }) =>
  what && (
    <Text fontSize="12px" color="slate.quiet" className="figures" textAlign="right" mt="-1">
      changed {what}
    </Text>
  );

function Brushes(props: { edge: Edge; of: EdgeBrush['of']; name: string; here: string; not: string }) {
  const { edge, of, name, here, not } = props;
  const painted = edge.own[of];
  return (
    <Box>
      <Flex justify="space-between" align="center">
        <Text>{name}</Text>
        <Flex gap="1.5">
          {[true, false].map((adds) => (
            <Toggle
              key={String(adds)}
              aria-label={`${name}: paint ${adds ? here : not}`}
              on={edge.brush?.of === of && edge.brush.adds === adds}
              onChange={(on) => edge.takeBrush(on ? { of, adds } : null)}
            >
              {adds ? here : not}
            </Toggle>
          ))}
        </Flex>
      </Flex>
      {edge.brush?.of === of && (
        <SizeField
          name="Brush width"
          photo={edge.photo}
          value={edge.size}
          least={0.0005}
          most={0.5}
          onSettle={edge.setSize}
        />
      )}
      {painted.length > 0 && (
        <Flex justify="space-between" align="center" pt="1" fontSize="13px">
          <Text color="slate.quiet">{painted.length} painted</Text>
          <Press size="2xs" onClick={() => edge.set({ [of]: [] }, 'painting taken away')}>
            Take them away
          </Press>
        </Flex>
      )}
    </Box>
  );
}
