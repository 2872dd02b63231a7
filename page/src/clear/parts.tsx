import { Button, Text, type ButtonProps } from '@chakra-ui/react';
import type { ReactNode } from 'react';
import { Toggle } from '../bench/Toggle';
import { digitsOf } from '../bench/TypedNumber';
import { ValueSlider } from '../bench/ValueSlider';
import { SizeField } from './SizeField';
import type { Clear, Hand } from './useClear';

/** A small button of the panels. */
export const Press = (props: ButtonProps) => <Button size="xs" variant="outline" bg="white" {...props} />;

/** Takes something in hand over the photo, or puts it down. */
export function HandToggle({ clear, hand, children }: { clear: Clear; hand: Hand; children: ReactNode }) {
  const on = clear.hand === hand;
  return (
    <Toggle on={on} onChange={(next) => clear.setHand(next ? hand : null)}>
      {children}
    </Toggle>
  );
}

/** A slider for one value of a region: previewed while dragged, kept when let go. */
export function RegionSlider(props: {
  label: string;
  unit: string;
  value: number;
  least: number;
  most: number;
  step: number;
  standard: number;
  offered?: { value: number; name: string } | null;
  onPreview: (value: number) => void;
  onSettle: (value: number, what: string) => void;
}) {
  const { label, standard, onPreview, onSettle, step } = props;
  const kept = (value: number) => onSettle(value, `${label} ${value.toFixed(digitsOf(step))}`);
  return (
    <ValueSlider
      {...props}
      standard={{ value: standard, name: `as begun, ${standard}` }}
      onDrag={onPreview}
      onSettle={kept}
      onReset={() => kept(standard)}
    />
  );
}

/** Width of the brush in hand. */
export function BrushWidth({ clear }: { clear: Clear }) {
  return (
    <SizeField
      name="Brush width"
      photo={clear.photo}
      value={clear.brush.size}
      least={0.0005}
      most={0.5}
      onSettle={(size) => clear.setBrush({ size })}
    />
  );
}

export const Quiet = ({ children }: { children: ReactNode }) => (
  <Text fontSize="13px" color="slate.quiet">
    {children}
  </Text>
);
