import { Box, Flex, Input, Text } from '@chakra-ui/react';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useRef } from 'react';
import { answered, client, type Photo } from '../api/client';
import { BASE, Curve, H, W, x } from '../bench/Curve';
import { textOf, withColour, type ColourMarks, type Marks } from '../bench/marks';
import { StagePanel } from '../bench/StagePanel';
import { Toggle } from '../bench/Toggle';
import { ValueSlider } from '../bench/ValueSlider';
import { Press, Quiet } from '../clear/parts';
import { count, percent } from '../shared/format';
import { useLater } from '../shared/useLater';

type Single = 'exposure' | 'brightness' | 'contrast' | 'hue' | 'saturation' | 'vibrance' | 'amount';
type Range = 'shadows' | 'middles' | 'lights';
const CHANNELS = ['red', 'green', 'blue'];

/** Colour: the product's own colours, in one pass, never touching the backdrop. */
export function ColourPanel(props: {
  photo: Photo;
  /** Kept, or as they are being dragged. */
  marks: Marks;
  trouble: string | undefined;
  onDrag: (marks: Marks) => void;
  onSettle: (marks: Marks, what: string) => void;
}) {
  const { photo, marks, trouble, onDrag, onSettle } = props;
  // What is seen comes first; figures follow.
  const late = useLater(photo.marks);
  const report = useQuery({
    queryKey: ['colour', photo.id, photo.tile_base, textOf(late)],
    placeholderData: (before) => before,
    queryFn: () =>
      answered(client.POST('/api/photos/{photo_id}/colour', { params: { path: { photo_id: photo.id } }, body: late })),
  });
  const measured = report.data;
  const own = Object.fromEntries(Object.entries(marks.colour).filter(([, value]) => value != null)) as ColourMarks;
  const departs = Object.keys(own).length > 0;
  const set = (change: Partial<ColourMarks>, what: string) => onSettle(withColour(marks, change), `Colour: ${what}`);
  if (!measured)
    return (
      <StagePanel
        name="Colour"
        trouble={trouble ?? report.error?.message}
        awaited={report.error ? null : 'Measuring the colours …'}
      >
        {null}
      </StagePanel>
    );
  const { sheet, left, neutral_shift: shift } = measured;
  const inForce = { ...sheet, ...own };
  const slider = (name: Single, label: string, unit: string, least: number, most: number, step = 1) => (
    <ValueSlider
      label={label}
      unit={unit}
      value={inForce[name] ?? 0}
      least={least}
      most={most}
      step={step}
      standard={{ value: sheet[name], name: 'as the run sheet has it' }}
      onDrag={(value) => onDrag(withColour(marks, { [name]: value }))}
      onSettle={(value) => set({ [name]: value }, `${label} ${value} ${unit}`)}
      onReset={() => set({ [name]: null }, `${label} as the run sheet has it`)}
    />
  );
  return (
    <StagePanel name="Colour" trouble={trouble ?? report.error?.message} awaited={null}>
      <Text fontSize="13px" opacity={report.isPlaceholderData ? 0.5 : 1}>
        Out of sRGB: <b className="figures">{percent(left / 100)}</b> of the product
        {shift != null && (
          <>
            ; neutrals moved by <b className="figures">{shift.toFixed(1)}</b> in a*, b*
          </>
        )}
      </Text>
      {slider('exposure', 'Exposure', 'stops', -3, 3, 0.05)}
      {slider('brightness', 'Brightness', '%', -100, 100)}
      {slider('contrast', 'Contrast', '%', -100, 100)}
      <CurveGraph
        points={inForce.curve ?? []}
        onDrag={(curve) => onDrag(withColour(marks, { curve }))}
        onSettle={(curve, what) => set({ curve }, what)}
      />
      {slider('hue', 'Hue', '°', -180, 180)}
      {slider('saturation', 'Saturation', '%', -100, 100)}
      {slider('vibrance', 'Vibrance', '%', -100, 100)}
      <Text as="h3" fontWeight="700" borderTop="1px solid" borderColor="line" pt="2">
        Balance by tone
      </Text>
      {(['shadows', 'middles', 'lights'] as const).map((range: Range) => {
        const values = inForce[range] ?? [0, 0, 0];
        const changed = (k: number, value: number) =>
          values.map((v, i) => (i === k ? value : v)) as [number, number, number];
        return CHANNELS.map((channel, k) => (
          <ValueSlider
            key={`${range} ${channel}`}
            label={`${range[0]?.toUpperCase()}${range.slice(1)}, ${channel}`}
            unit="%"
            value={values[k] ?? 0}
            least={-100}
            most={100}
            standard={{ value: sheet[range][k] ?? 0, name: 'as the run sheet has it' }}
            onDrag={(value) => onDrag(withColour(marks, { [range]: changed(k, value) }))}
            onSettle={(value) => set({ [range]: changed(k, value) }, `${range} ${channel} ${value} %`)}
            onReset={() => set({ [range]: null }, `${range} as the run sheet has them`)}
          />
        ));
      })}
      <OneColour
        name="Single tint"
        what="one hue, at each place’s own lightness"
        value={inForce.tint ?? ''}
        begun="#a0522d"
        onChange={(tint) => set({ tint }, tint ? `tint ${tint}` : 'no tint')}
      />
      <OneColour
        name="Solid recolour"
        what="one colour for all: for ink"
        value={inForce.recolour ?? ''}
        begun="#262b2f"
        onChange={(recolour) => set({ recolour }, recolour ? `all in ${recolour}` : 'no recolour')}
      />
      {slider('amount', 'Amount of all this', '%', 0, 100)}
      {departs ? (
        <>
          <ToTheLot photo={photo} />
          <Press size="xs" onClick={() => onSettle({ ...marks, colour: {} }, 'Colour as the run sheet has it')}>
            Take this photo’s own colours away
          </Press>
        </>
      ) : (
        <Quiet>As the run sheet has it. Hold B for the photo as it came in.</Quiet>
      )}
    </StagePanel>
  );
}

function CurveGraph(props: {
  points: number[][];
  onDrag: (points: [number, number][]) => void;
  onSettle: (points: [number, number][] | null, what: string) => void;
}) {
  const svg = useRef<SVGSVGElement>(null);
  return (
    <Box flex="none">
      <svg
        ref={svg}
        viewBox={`0 0 ${W} ${H}`}
        width="100%"
        role="group"
        aria-label="Curve from level in to level out"
        style={{ touchAction: 'none' }}
      >
        <rect x="0.5" y="0.5" width={W - 1} height={H - 1} fill="#fff" stroke="#D2D2CD" />
        {[64, 128, 191].map((level) => (
          <line key={level} x1={x(level)} x2={x(level)} y1="22" y2={BASE} stroke="#E4E4E0" />
        ))}
        <text x="8" y="16" fontSize="12" fill="#5C646A">
          level in to level out; press for a point
        </text>
        <text x="4" y={H - 5} fontSize="11" className="figures" fill="#5C646A">
          0
        </text>
        <text x={W - 4} y={H - 5} fontSize="11" textAnchor="end" className="figures" fill="#5C646A">
          255
        </text>
        <Curve points={props.points} disabled={false} graph={svg} onDrag={props.onDrag} onSettle={props.onSettle} />
      </svg>
    </Box>
  );
}

/** A colour that is used or not; an empty text takes the run sheet's away. */
function OneColour(props: {
  name: string;
  what: string;
  value: string;
  begun: string;
  onChange: (colour: string) => void;
}) {
  const { name, what, value, begun, onChange } = props;
  return (
    <Flex justify="space-between" align="center" gap="2" title={what}>
      <Text>{name}</Text>
      <Flex gap="1.5" align="center">
        {value && (
          <Input
            type="color"
            size="2xs"
            width="44px"
            px="0.5"
            aria-label={`${name}: colour`}
            defaultValue={value}
            key={value}
            onBlur={(event) => event.target.value !== value && onChange(event.target.value)}
          />
        )}
        <Toggle
          aria-label={`${name}: ${value ? 'on' : 'off'}`}
          on={value !== ''}
          onChange={(on) => onChange(on ? begun : '')}
        >
          {value ? 'on' : 'off'}
        </Toggle>
      </Flex>
    </Flex>
  );
}

function ToTheLot({ photo }: { photo: Photo }) {
  const copy = useMutation({
    mutationFn: () =>
      answered(client.POST('/api/photos/{photo_id}/same-colour', { params: { path: { photo_id: photo.id } } })),
  });
  return (
    <Box borderTop="1px solid" borderColor="line" pt="2">
      <Press width="100%" disabled={copy.isPending} onClick={() => copy.mutate()}>
        Copy these colours to the lot
      </Press>
      {copy.error && (
        <Text role="alert" color="chalk.pink" pt="1">
          {copy.error.message}
        </Text>
      )}
      {copy.data && (
        <Text fontSize="13px" role="status" pt="1">
          {copy.data.copied.length
            ? `Copied to ${count(copy.data.copied.length, 'photo')}; each can be undone there.`
            : 'All other photos of the lot have them already.'}
        </Text>
      )}
    </Box>
  );
}
