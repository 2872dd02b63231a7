import { Box, Text } from '@chakra-ui/react';
import type { ListingSpec } from '../api/client';

const WIDTH = 520;
const HEIGHT = 300;
const GAP = 46;

/** The canvas to scale, with the room that the product gets; its middle and its base line are dragged. */
export function CanvasDrawing(props: {
  spec: ListingSpec;
  /** The finished picture, laid on the canvas. */
  picture?: string | null;
  onChange: (spec: ListingSpec) => void;
  /** The size of that picture, px, where the canvas is none of its own. */
  size?: [number, number];
  /** Once it is let go. */
  onSettle?: () => void;
}) {
  const { spec, picture = null, size, onChange, onSettle } = props;
  const fixed = spec.canvas ?? null;
  const [aw = 1, ah = 1] = spec.aspect ?? [];
  // Without a canvas the product's own size rules: a square one stands for it.
  const [cw, ch] = fixed
    ? [fixed.width, fixed.height]
    : (size ?? [1000 * Math.max(1, aw / ah), 1000 * Math.max(1, ah / aw)]);
  const s = Math.min(WIDTH / cw, HEIGHT / ch);
  const [w, h] = [cw * s, ch * s];
  const margin = spec.margin / (100 + 2 * spec.margin);
  const beside = (2 * Math.min(spec.across, 100 - spec.across)) / 100;
  const above = spec.stand === 'base-line' ? spec.base_line / 100 : 1;
  const room = fixed
    ? {
        width: w * Math.min(spec.fill / 100, beside),
        height: h * Math.min(spec.fill / 100, above),
      }
    : size
      ? { width: w - 2 * margin * Math.max(w, h), height: h - 2 * margin * Math.max(w, h) }
      : { width: Math.min(w, h) * (1 - 2 * margin), height: Math.min(w, h) * (1 - 2 * margin) };
  const middle = fixed ? (w * spec.across) / 100 : w / 2;
  const foot = fixed && spec.stand === 'base-line' ? h * above : h / 2 + room.height / 2;
  const drag = (event: React.PointerEvent<SVGGElement>, what: 'across' | 'base_line') => {
    const box = event.currentTarget.ownerSVGElement?.getBoundingClientRect();
    if (event.buttons !== 1 || !box) return;
    const scale = box.width / (w + 2 * GAP);
    const share =
      what === 'across' ? (event.clientX - box.left) / scale - GAP : (event.clientY - box.top) / scale - GAP / 2;
    const value = Math.round(Math.min(99, Math.max(1, (100 * share) / (what === 'across' ? w : h))) * 2) / 2;
    onChange({ ...spec, [what]: value });
  };
  const grip = (what: 'across' | 'base_line', label: string) => ({
    role: 'slider',
    tabIndex: 0,
    'aria-label': label,
    'aria-valuenow': spec[what],
    'aria-valuemin': 1,
    'aria-valuemax': 99,
    'aria-valuetext': `${spec[what]} %`,
    style: { cursor: what === 'across' ? 'ew-resize' : 'ns-resize', touchAction: 'none' },
    onPointerDown: (event: React.PointerEvent) => event.currentTarget.setPointerCapture(event.pointerId),
    onPointerMove: (event: React.PointerEvent<SVGGElement>) => drag(event, what),
    onPointerUp: () => onSettle?.(),
    onKeyUp: () => onSettle?.(),
    onKeyDown: (event: React.KeyboardEvent) => {
      const by = { ArrowLeft: -0.5, ArrowUp: -0.5, ArrowRight: 0.5, ArrowDown: 0.5 }[event.key];
      if (by === undefined) return;
      event.preventDefault();
      onChange({ ...spec, [what]: Math.min(99, Math.max(1, spec[what] + by)) });
    },
  });
  const behind =
    spec.background === 'colour' ? spec.colour : spec.background === 'white' ? '#fff' : 'url(#yard-checks)';
  return (
    <Box as="figure" pb="4">
      <Box bg="surround">
        <svg
          viewBox={`0 0 ${w + 2 * GAP} ${h + GAP}`}
          style={{ width: '100%', maxWidth: `${w + 2 * GAP}px`, display: 'block', margin: '0 auto' }}
          role="group"
          aria-label="The canvas, drawn to scale"
        >
          <defs>
            <pattern id="yard-checks" width="16" height="16" patternUnits="userSpaceOnUse">
              <rect width="16" height="16" fill="#fff" />
              <path d="M0 0h8v8H0zM8 8h8v8H8z" fill="#D6D6D6" />
            </pattern>
          </defs>
          <g transform={`translate(${GAP} ${GAP / 2})`} fontSize="12" fill="#262B2F">
            <rect width={w} height={h} fill={behind} />
            {spec.background === 'picture' && spec.picture && (
              <image href={spec.picture} width={w} height={h} preserveAspectRatio="xMidYMid slice" />
            )}
            {picture && <image href={picture} width={w} height={h} preserveAspectRatio="none" />}
            <rect
              x={middle - room.width / 2}
              y={foot - room.height}
              width={room.width}
              height={room.height}
              fill="#2C5AA0"
              fillOpacity={picture ? 0.06 : 0.14}
              stroke="#2C5AA0"
              strokeWidth="1.5"
            />
            {!picture && (
              <text
                x={middle}
                y={foot - room.height / 2}
                textAnchor="middle"
                className="figures"
                stroke="#fff"
                strokeWidth="5"
                paintOrder="stroke"
              >
                {fixed ? `fills ${spec.fill} %` : `margin ${spec.margin} %`}
              </text>
            )}
            {spec.added.map((one, i) => {
              const width = (w * one.width) / 100;
              return (
                <image
                  key={i}
                  href={one.picture}
                  width={width}
                  height={width}
                  x={one.across * (w - width)}
                  y={one.down * (h - width)}
                  opacity={one.strength}
                  preserveAspectRatio={`xMidY${one.down > 0.5 ? 'Max' : 'Min'} meet`}
                />
              );
            })}
            {fixed && (
              <g {...grip('across', 'The product’s middle, % from the left')}>
                <line x1={middle} x2={middle} y1={-8} y2={h + 8} stroke="transparent" strokeWidth="14" />
                <line x1={middle} x2={middle} y1={-8} y2={h + 8} stroke="#262B2F" strokeDasharray="2 4" />
                <path d={`M${middle} ${h + 3}l6 9h-12z`} fill="#262B2F" />
              </g>
            )}
            {fixed && spec.stand === 'base-line' && (
              <g {...grip('base_line', 'The base line, % from the top')}>
                <line x1={-8} x2={w + 8} y1={foot} y2={foot} stroke="transparent" strokeWidth="14" />
                <line x1={-8} x2={w + 8} y1={foot} y2={foot} stroke="#262B2F" strokeDasharray="6 3" />
                <path d={`M-3 ${foot}l-9 -6v12z`} fill="#262B2F" />
              </g>
            )}
          </g>
        </svg>
      </Box>
      <Text as="figcaption" fontSize="13px" color="slate.quiet" pt="1">
        {fixed
          ? `${fixed.width.toLocaleString('en')} × ${fixed.height.toLocaleString('en')} px; the product’s room in blue, no side of it is exceeded.`
          : `As large as the product with its margin${spec.aspect ? `, widened to ${aw} : ${ah}` : ''}${size ? '.' : '; drawn for a square product.'}`}
      </Text>
    </Box>
  );
}
