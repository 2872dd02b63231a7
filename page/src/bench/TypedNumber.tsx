import { Input, Text } from '@chakra-ui/react';
import { useState } from 'react';

type Props = {
  name: string;
  unit: string;
  value: number;
  least: number;
  most: number;
  /** Values are its multiples. */
  step: number;
  disabled?: boolean;
  /** Whether the unit is shown elsewhere. */
  bare?: boolean;
  onSettle: (value: number) => void;
};

export const digitsOf = (step: number) => (step < 1 ? Math.ceil(-Math.log10(step)) + (step === 0.25 ? 1 : 0) : 0);

/** A figure to type, with its unit; a wrong one is refused in place, with the range. */
export function TypedNumber({ name, unit, value, least, most, step, disabled = false, bare = false, onSettle }: Props) {
  const [typed, setTyped] = useState<string | null>(null);
  const given = Number(typed);
  const even = Math.abs(given / step - Math.round(given / step)) < 1e-6;
  const wrong = typed !== null && !(given >= least && given <= most && even);
  const enter = () => {
    if (typed !== null && typed !== '' && !wrong && given !== value) onSettle(given);
    if (!wrong) setTyped(null);
  };
  return (
    <>
      <Input
        size="2xs"
        width="60px"
        textAlign="right"
        className="figures"
        bg="white"
        aria-label={`${name}, ${unit}`}
        aria-invalid={wrong}
        disabled={disabled}
        value={typed ?? value.toFixed(digitsOf(step))}
        onChange={(event) => setTyped(event.target.value)}
        onBlur={enter}
        onKeyDown={(event) => {
          if (event.key === 'Enter') enter();
          if (event.key === 'Escape') setTyped(null);
        }}
      />
      {!bare && (
        <Text fontSize="12px" color="slate.quiet">
          {unit}
        </Text>
      )}
      {wrong && (
        <Text role="alert" fontSize="12px" color="chalk.pink" flexBasis="100%" textAlign="right">
          {step === 1 ? 'A whole number' : step > 1 ? `A multiple of ${step}` : 'A number'} from {least} to {most}.
        </Text>
      )}
    </>
  );
}
