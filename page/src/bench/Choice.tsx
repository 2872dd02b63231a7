import { Flex, NativeSelect, Text } from '@chakra-ui/react';

/** One of a few named choices. */
export function Choice<T extends string>(props: {
  label: string;
  value: T;
  options: readonly (readonly [T, string])[];
  onChange: (value: T) => void;
}) {
  return (
    <Flex justify="space-between" align="center" gap="2">
      <Text flex="none">{props.label}</Text>
      <NativeSelect.Root size="xs" width="168px">
        <NativeSelect.Field
          aria-label={props.label}
          bg="white"
          value={props.value}
          onChange={(event) => props.onChange(event.target.value as T)}
        >
          {props.options.map(([value, name]) => (
            <option key={value} value={value}>
              {name}
            </option>
          ))}
        </NativeSelect.Field>
        <NativeSelect.Indicator />
      </NativeSelect.Root>
    </Flex>
  );
}
