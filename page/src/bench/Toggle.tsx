import { Button, type ButtonProps } from '@chakra-ui/react';

/** A button that is in or out: filled while it is in. */
export function Toggle({
  on,
  onChange,
  ...rest
}: { on: boolean; onChange: (on: boolean) => void } & Omit<ButtonProps, 'onChange'>) {
  return (
    <Button
      size="xs"
      variant={on ? 'solid' : 'outline'}
      colorPalette={on ? 'blue' : undefined}
      bg={on ? undefined : 'white'}
      aria-pressed={on}
      onClick={() => onChange(!on)}
      {...rest}
    />
  );
}
