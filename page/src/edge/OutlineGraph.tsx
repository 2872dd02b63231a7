import { Box, Flex, Text } from '@chakra-ui/react';
import { useState } from 'react';
import { steppedBy } from '../shared/keys';
import { doubtful, type Stretch } from './useEdge';

const W = 284;
const H = 72;
const FIGURES = [
  { key: 'fringe', name: 'Fringe', unit: 'ΔE' },
  { key: 'width', name: 'Width', unit: 'px' },
  { key: 'roughness', name: 'Roughness', unit: 'px' },
] as const;

/** The outline unrolled: a figure for each stretch of it, and under it what told product from backdrop there. */
export function OutlineGraph(props: {
  stretches: Stretch[];
  fringeLimit: number;
  at: number | null;
  onGo: (index: number) => void;
}) {
  const { stretches, fringeLimit, at, onGo } = props;
  const [shown, setShown] = useState<(typeof FIGURES)[number]>(FIGURES[0]);
  const limit = shown.key === 'fringe' ? fringeLimit : null;
  const whole = stretches.reduce((sum, one) => sum + one.length, 0) || 1;
  const values = stretches.map((one) => one[shown.key]);
  const most = Math.max(limit ? limit * 1.5 : 0.5, ...values);
  const starts = stretches.map((_, i) => (W * stretches.slice(0, i).reduce((sum, one) => sum + one.length, 0)) / whole);
  const widths = stretches.map((one) => (W * one.length) / whole);
  const here = at === null ? undefined : stretches[at];
  return (
    <Box flex="none">
      <Flex justify="space-between" align="baseline" pb="1" gap="2">
        <Flex role="radiogroup" aria-label="Figure along the outline" gap="2.5" fontSize="13px">
          {FIGURES.map((one) => (
            <Box
              as="button"
              key={one.key}
              role="radio"
              aria-checked={one.key === shown.key}
              cursor="pointer"
              borderBottom="2px solid"
              borderColor={one.key === shown.key ? 'chalk.blue' : 'transparent'}
              onClick={() => setShown(one)}
            >
              {one.name}
            </Box>
          ))}
        </Flex>
        <Text fontSize="13px" color="slate.quiet" className="figures">
          {here
            ? `${here[shown.key].toFixed(1)} ${shown.unit}`
            : `up to ${Math.max(...values).toFixed(1)} ${shown.unit}`}
        </Text>
      </Flex>
      <Box
        role="slider"
        tabIndex={0}
        aria-label="Place along the outline"
        aria-valuemin={1}
        aria-valuemax={stretches.length}
        aria-valuenow={(at ?? 0) + 1}
        aria-valuetext={here ? `stretch ${(at ?? 0) + 1}, ${here[shown.key].toFixed(1)} ${shown.unit}` : 'none'}
        onKeyDown={(event: React.KeyboardEvent) => {
          const next = steppedBy(event, at ?? -1, 0, stretches.length - 1);
          if (next === null) return;
          event.preventDefault();
          onGo(Math.max(0, next));
        }}
      >
        <svg viewBox={`0 0 ${W} ${H + 10}`} width="100%" aria-hidden="true">
          <rect x="0.5" y="0.5" width={W - 1} height={H - 1} fill="#fff" stroke="#D2D2CD" />
          {stretches.map((one, i) => {
            const height = Math.max(1, ((H - 4) * (values[i] ?? 0)) / most);
            const over = limit !== null ? (values[i] ?? 0) > limit : doubtful(one);
            return (
              <g key={i} cursor="pointer" onClick={() => onGo(i)}>
                <rect x={starts[i]} y="0" width={widths[i]} height={H + 10} fill="transparent" />
                <rect
                  x={starts[i]}
                  y={H - 1 - height}
                  width={Math.max(0.8, (widths[i] ?? 0) - 0.6)}
                  height={height}
                  fill={i === at ? '#2C5AA0' : over ? '#C98A00' : '#9AA0A3'}
                />
                <rect
                  x={starts[i]}
                  y={H + 3}
                  width={widths[i]}
                  height="6"
                  fill={one.looked > 0.5 ? '#2F857A' : one.told > 0.5 ? '#2C5AA0' : '#ECC454'}
                />
              </g>
            );
          })}
          {limit !== null && (
            <line
              x1="0"
              x2={W}
              y1={H - 1 - ((H - 4) * limit) / most}
              y2={H - 1 - ((H - 4) * limit) / most}
              stroke="#C98A00"
              strokeDasharray="3 3"
            />
          )}
        </svg>
      </Box>
      <Flex justify="space-between" fontSize="12px" color="slate.quiet" className="figures">
        <span>0</span>
        <span>along the outline</span>
        <span>{Math.round(whole).toLocaleString('en')} px</span>
      </Flex>
      <Flex gap="3" fontSize="12px" color="slate.quiet">
        <Key colour="#2F857A">close look</Key>
        <Key colour="#2C5AA0">backdrop</Key>
        <Key colour="#ECC454">colours alone</Key>
      </Flex>
    </Box>
  );
}

const Key = ({ colour, children }: { colour: string; children: string }) => (
  <Flex align="center" gap="1.5">
    <Box width="12px" height="6px" bg={colour} /> {children}
  </Flex>
);
