import type { Photo } from '../api/client';
import { digitsOf } from '../bench/TypedNumber';
import { ValueSlider } from '../bench/ValueSlider';
import { pxOf, useUnit, type Unit } from '../shared/units';
import type { Length } from './useEdge';

const DIGITS: Record<Unit, number> = { px: 1, '%': 3, mm: 2 };

/** A length on the photo: kept in the unit it was set in, shown in the unit that is chosen. */
export function LengthSlider(props: {
  label: string;
  photo: Photo;
  value: Length;
  standard: Length;
  /** px of the original. */
  least?: number;
  most: number;
  step?: number;
  onDrag: (value: Length) => void;
  onSettle: (value: Length, what: string) => void;
  onReset: () => void;
}) {
  const { label, photo, value, standard, least = 0, most, step = 0.1, onDrag, onSettle, onReset } = props;
  const unit = useUnit(photo);
  const shownIn = (length: Length) => (length.value * pxOf(length.unit, photo)) / pxOf(unit, photo);
  const fine = unit === 'px' ? step : 10 ** -DIGITS[unit];
  const even = (v: number) => Number((Math.round(v / fine) * fine).toFixed(digitsOf(fine)));
  const range = (px: number) => even(px / pxOf(unit, photo));
  const made = (v: number): Length => ({ value: v, unit });
  return (
    <ValueSlider
      label={label}
      value={even(shownIn(value))}
      least={range(least)}
      most={range(most)}
      unit={unit}
      step={fine}
      standard={{ value: even(shownIn(standard)), name: 'as the run sheet has it' }}
      onDrag={(v) => onDrag(made(v))}
      onSettle={(v) => onSettle(made(v), `${label} ${v.toFixed(digitsOf(fine))} ${unit}`)}
      onReset={onReset}
    />
  );
}
