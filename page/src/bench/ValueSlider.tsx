import { Box, Flex, Text } from '@chakra-ui/react';
import { useRef } from 'react';
import { steppedBy } from '../shared/keys';
import { digitsOf, TypedNumber } from './TypedNumber';

type Props = {
  label: string;
  value: number;
  least: number;
  most: number;
  /** Where the track begins and ends, if values are kept to less of it for now. */
  track?: readonly [number, number];
  unit: string;
  /** What one key press moves it by; values are its multiples. 1 by default. */
  step?: number;
  /** Where a double click takes it, and how that is called. */
  standard: { value: number; name: string };
  /** A value that was measured and is offered; shown as a dotted mark. */
  offered?: { value: number; name: string } | null;
  disabled?: boolean;
  onDrag: (value: number) => void;
  onSettle: (value: number) => void;
  onReset: () => void;
};

/** A named value: to drag, to step by keys, to type, to reset. */
export function ValueSlider(props: Props) {
  const { label, value, least, most, unit, step = 1, standard, offered, disabled = false } = props;
  const { onDrag, onSettle, onReset } = props;
  const whole = (v: number) => Number((Math.round(v / step) * step).toFixed(digitsOf(step)));
  const bar = useRef<HTMLDivElement>(null);
  const [from, to] = props.track ?? [least, most];
  const share = (v: number) => `${(100 * (v - from)) / (to - from)}%`;
  const valueAt = (clientX: number) => {
    const box = bar.current?.getBoundingClientRect();
    if (!box) return value;
    return whole(Math.min(most, Math.max(least, from + ((to - from) * (clientX - box.left)) / box.width)));
  };
  return (
    <Box opacity={disabled ? 0.5 : 1}>
      <Flex justify="space-between" align="center">
        <Text>{label}</Text>
        <Flex align="center" justify="flex-end" gap="1" wrap="wrap">
          <TypedNumber
            name={label}
            unit={unit}
            value={value}
            least={least}
            most={most}
            step={step}
            disabled={disabled}
            onSettle={onSettle}
          />
        </Flex>
      </Flex>
      <Box
        ref={bar}
        position="relative"
        height="18px"
        cursor={disabled ? 'default' : 'ew-resize'}
        style={{ touchAction: 'none' }}
        role="slider"
        tabIndex={disabled ? -1 : 0}
        aria-label={label}
        aria-valuemin={least}
        aria-valuemax={most}
        aria-valuenow={value}
        aria-disabled={disabled}
        onPointerDown={(event) => {
          if (disabled) return;
          event.currentTarget.setPointerCapture(event.pointerId);
          onDrag(valueAt(event.clientX));
        }}
        onPointerMove={(event) => {
          if (event.currentTarget.hasPointerCapture(event.pointerId)) onDrag(valueAt(event.clientX));
        }}
        onPointerUp={(event) => {
          if (!disabled) onSettle(valueAt(event.clientX));
        }}
        onDoubleClick={() => {
          if (!disabled) onReset();
        }}
        onKeyDown={(event) => {
          const next = steppedBy(event, value, least, most, step);
          if (next === null || disabled) return;
          event.preventDefault();
          onSettle(whole(next));
        }}
      >
        <Box position="absolute" top="8px" left="0" right="0" height="2px" bg="#A9ABA7" />
        <Box
          position="absolute"
          top="3px"
          height="12px"
          width="1px"
          bg="slate.quiet"
          left={share(standard.value)}
          title={standard.name}
        />
        {offered && (
          <Box
            position="absolute"
            top="0"
            height="18px"
            borderLeft="2px dotted"
            borderColor="chalk.blue"
            left={share(offered.value)}
            title={offered.name}
          />
        )}
        <Box position="absolute" top="0" height="18px" width="4px" ml="-2px" bg="chalk.blue" left={share(value)} />
      </Box>
    </Box>
  );
}
