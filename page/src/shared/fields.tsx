import { Box, Flex, Input, Text } from '@chakra-ui/react';
import type { Ref } from 'react';
import { TypedNumber } from '../bench/TypedNumber';

/** A line of text with its name above. */
export function TextField(props: {
  label: string;
  value: string;
  most: number;
  placeholder?: string;
  width?: string;
  inputRef?: Ref<HTMLInputElement>;
  onChange: (value: string) => void;
}) {
  const { label, value, most, placeholder, width, inputRef, onChange } = props;
  return (
    <Box as="label" fontWeight="700" flex={width ? undefined : '1'} width={width} minWidth="200px">
      {label}
      <Input
        ref={inputRef}
        size="sm"
        bg="white"
        fontWeight="400"
        maxLength={most}
        value={value}
        placeholder={placeholder}
        onChange={(event) => onChange(event.target.value)}
      />
    </Box>
  );
}

/** A day of the calendar (YYYY-MM-DD) with its name above, or none. */
export function DayField(props: { label: string; value: string | null; onChange: (day: string | null) => void }) {
  const { label, value, onChange } = props;
  return (
    <Box as="label" fontWeight="700">
      {label}
      <Input
        type="date"
        size="sm"
        bg="white"
        fontWeight="400"
        width="170px"
        value={value ?? ''}
        onChange={(event) => onChange(event.target.value || null)}
      />
    </Box>
  );
}

/** A figure with its name at the left and its unit at the right. */
export function FigureField(props: {
  label: string;
  unit: string;
  value: number;
  least: number;
  most: number;
  step?: number;
  onSettle: (value: number) => void;
}) {
  const { label, step = 1, ...rest } = props;
  return (
    <Flex justify="space-between" align="center" gap="2" wrap="wrap">
      <Text flex="1">{label}</Text>
      <TypedNumber name={label} step={step} {...rest} />
    </Flex>
  );
}
