import { Flex, Text } from '@chakra-ui/react';
import { Choice } from '../bench/Choice';
import { percent } from '../shared/format';
import { HandToggle, Press, Quiet, RegionSlider, BrushWidth } from './parts';
import type { Of, SpreadOffer } from './regions';
import type { Clear, Live } from './useClear';

const W = 284;
const H = 96;
const MOST = 60;

/** Spread: how far, by what, against what, and where it leaks. */
export function SpreadControls({ clear, live, region }: { clear: Clear; live: Live; region: Of<'spread'> }) {
  const shown = live ?? region;
  const offer = clear.offer;
  const kept = (change: Partial<Of<'spread'>>, what: string) => {
    clear.setLive(null);
    clear.change({ ...region, ...change }, what);
  };
  const tolerance = (value: number) => kept({ tolerance: value }, `Spread, tolerance ${value.toFixed(2)}`);
  const preview = (value: number) => clear.setLive({ ...region, tolerance: value });
  return (
    <>
      <Flex gap="1.5" wrap="wrap">
        <HandToggle clear={clear} hand="touch">
          Touch anew
        </HandToggle>
        <HandToggle clear={clear} hand="touch-more">
          Touch one more
        </HandToggle>
        {region.points.length > 1 && (
          <Press onClick={() => kept({ points: region.points.slice(0, -1) }, 'Spread: the last place taken away')}>
            Without the last
          </Press>
        )}
      </Flex>
      <Graph offer={offer} tolerance={shown.tolerance} onDrag={preview} onSettle={tolerance} />
      {offer?.best != null && offer.best !== region.tolerance && (
        <Press alignSelf="start" onClick={() => tolerance(offer.best ?? 0)}>
          Best plateau: {offer.best.toFixed(2)}
        </Press>
      )}
      <RegionSlider
        label="Tolerance"
        unit="ΔE*ab"
        value={shown.tolerance}
        least={0}
        most={MOST}
        step={0.25}
        standard={4}
        offered={offer?.best == null ? null : { value: offer.best, name: `best plateau ${offer.best}` }}
        onPreview={preview}
        onSettle={tolerance}
      />
      {offer?.leaks.map((leak) => (
        <Flex key={`${leak.tolerance} ${leak.at.join(' ')}`} justify="space-between" align="center" gap="2">
          <Text fontSize="13px" color="chalk.pink">
            Leaks at {leak.tolerance}: {percent(leak.share)} more
          </Text>
          <Press
            size="2xs"
            onClick={() =>
              kept({ walls: [...region.walls, ...leak.wall] }, `Spread: leak at ${leak.tolerance} walled off`)
            }
          >
            Wall it off
          </Press>
        </Flex>
      ))}
      <Choice
        label="Where"
        value={region.extent}
        options={[
          ['joined', 'joined to the touch'],
          ['everywhere', 'everywhere'],
          ['loop', 'within a loop'],
        ]}
        onChange={(extent) => {
          if (extent === 'loop' && !region.loop) clear.setHand('limit');
          else kept({ extent }, `Spread: ${extent}`);
        }}
      />
      {(region.extent === 'loop' || clear.hand === 'limit') && (
        <HandToggle clear={clear} hand="limit">
          {region.loop ? 'Draw the loop anew' : 'Draw the loop now'}
        </HandToggle>
      )}
      <Choice
        label="Alike by"
        value={region.by}
        options={[
          ['all', 'all channels'],
          ['lightness', 'lightness'],
          ['hue', 'hue'],
        ]}
        onChange={(by) => kept({ by }, `Spread by ${by}`)}
      />
      <Choice
        label="Against"
        value={region.against}
        options={[
          ['backdrop', 'the evened backdrop'],
          ['colour', 'the plain colour'],
        ]}
        onChange={(against) => kept({ against }, `Spread against the ${against}`)}
      />
      <RegionSlider
        label="Softness"
        unit="ΔE*ab"
        value={region.softness}
        least={0}
        most={30}
        step={0.5}
        standard={0}
        onPreview={(softness) => clear.preview({ ...region, softness })}
        onSettle={(softness, what) => kept({ softness }, what)}
      />
      <Flex gap="1.5" align="center" wrap="wrap">
        <HandToggle clear={clear} hand="wall">
          Paint a wall
        </HandToggle>
        {region.walls.length > 0 && (
          <Press onClick={() => kept({ walls: [] }, 'Spread: walls taken down')}>Take down {region.walls.length}</Press>
        )}
      </Flex>
      {clear.hand === 'wall' && <BrushWidth clear={clear} />}
    </>
  );
}

/** Area against tolerance: plateaus shaded, leaks marked; the line is dragged to set the tolerance. */
function Graph(props: {
  offer: SpreadOffer | undefined;
  tolerance: number;
  onDrag: (tolerance: number) => void;
  onSettle: (tolerance: number) => void;
}) {
  const { offer, tolerance, onDrag, onSettle } = props;
  if (!offer) return <Quiet>Measuring what every tolerance reaches …</Quiet>;
  // The root gives small tolerances, where most happens, more room.
  const x = (t: number) => W * Math.sqrt(t / MOST);
  const y = (share: number) => H - 4 - (H - 16) * share;
  const valueAt = (event: React.PointerEvent<SVGSVGElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const share = Math.min(1, Math.max(0, (event.clientX - box.left) / box.width));
    return Math.round(4 * MOST * share * share) / 4;
  };
  return (
    <svg
      viewBox={`0 0 ${W} ${H + 14}`}
      width="100%"
      role="img"
      aria-label={`Area against tolerance; ${percent(offer.areas[Math.round(4 * tolerance)] ?? 0)} at ${tolerance}`}
      style={{ cursor: 'ew-resize', touchAction: 'none', flex: 'none' }}
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        onDrag(valueAt(event));
      }}
      onPointerMove={(event) => {
        if (event.currentTarget.hasPointerCapture(event.pointerId)) onDrag(valueAt(event));
      }}
      onPointerUp={(event) => onSettle(valueAt(event))}
    >
      <rect x="0.5" y="0.5" width={W - 1} height={H - 1} fill="#fff" stroke="#D2D2CD" />
      {offer.plateaus.map(([a = 0, b = 0]) => (
        <rect key={a} x={x(a)} width={x(b) - x(a)} y="1" height={H - 2} fill="#2C5AA0" opacity="0.12" />
      ))}
      <polyline
        points={offer.areas.map((share, i) => `${x(i / 4).toFixed(1)},${y(share).toFixed(1)}`).join(' ')}
        fill="none"
        stroke="#3B4247"
        strokeWidth="1.5"
      />
      {offer.leaks.map((leak) => (
        <path key={leak.tolerance} d={`M ${x(leak.tolerance)} 2 l -4 7 h 8 Z`} fill="#C2386F">
          <title>{`Leak at ${leak.tolerance}`}</title>
        </path>
      ))}
      {offer.best != null && (
        <line
          x1={x(offer.best)}
          x2={x(offer.best)}
          y1="1"
          y2={H - 1}
          stroke="#2C5AA0"
          strokeWidth="2"
          strokeDasharray="2 3"
        />
      )}
      <line x1={x(tolerance)} x2={x(tolerance)} y1="1" y2={H - 1} stroke="#2C5AA0" strokeWidth="3" />
      <text
        x={W - 6}
        y={H - 10}
        fontSize="12"
        textAnchor="end"
        className="figures"
        fill="#262B2F"
        stroke="#fff"
        strokeWidth="4"
        paintOrder="stroke"
      >
        {`${percent(offer.areas[Math.round(4 * tolerance)] ?? 0)} of the frame`}
      </text>
      {[0, 2, 8, 20, 40, 60].map((t) => (
        <text
          key={t}
          x={Math.min(W - 8, Math.max(4, x(t)))}
          y={H + 12}
          fontSize="11"
          textAnchor="middle"
          className="figures"
          fill="#5A6268"
        >
          {t}
        </text>
      ))}
    </svg>
  );
}
