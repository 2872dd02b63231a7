import { Flex, NativeSelect, Text } from '@chakra-ui/react';
import { useSyncExternalStore } from 'react';
import type { Photo } from '../api/client';
import { TypedNumber } from '../bench/TypedNumber';

type Unit = 'px' | '%' | 'mm';

// One choice for all sizes, wherever they stand.
let unit: Unit = 'px';
const listeners = new Set<() => void>();
const chosenUnit = {
  get: () => unit,
  set: (next: Unit) => {
    unit = next;
    listeners.forEach((listener) => listener());
  },
  subscribe: (listener: () => void) => {
    listeners.add(listener);
    return () => listeners.delete(listener);
  },
};

const STEP: Record<Unit, number> = { px: 1, '%': 0.01, mm: 0.1 };

/** A size, kept as a share of the photo's longer side, typed in px, % of that side, or mm if the photo has a resolution. */
export function SizeField(props: {
  name: string;
  photo: Photo;
  value: number;
  least: number;
  most: number;
  onSettle: (value: number) => void;
}) {
  const { name, photo, value, least, most, onSettle } = props;
  const wanted = useSyncExternalStore(chosenUnit.subscribe, chosenUnit.get);
  const dpi = photo.facts.dpi;
  const shown: Unit = wanted === 'mm' && !dpi ? 'px' : wanted;
  const factor = { px: photo.longest, '%': 100, mm: dpi ? (photo.longest / dpi) * 25.4 : photo.longest }[shown];
  const step = STEP[shown];
  const rounded = (share: number) => Number((Math.round((share * factor) / step) * step).toFixed(2));
  return (
    <Flex justify="space-between" align="center" gap="1" wrap="wrap">
      <Text flex="1">{name}</Text>
      <TypedNumber
        name={name}
        unit={shown}
        value={rounded(value)}
        least={least === 0 ? 0 : Math.max(step, rounded(least))}
        most={rounded(most)}
        step={step}
        bare
        onSettle={(typed) => onSettle(Math.min(most, Math.max(least, typed / factor)))}
      />
      <NativeSelect.Root size="xs" width="60px">
        <NativeSelect.Field
          aria-label="Unit of sizes"
          bg="white"
          height="24px"
          value={shown}
          onChange={(event) => chosenUnit.set(event.target.value as Unit)}
        >
          <option value="px">px</option>
          <option value="%">%</option>
          {dpi && <option value="mm">mm</option>}
        </NativeSelect.Field>
        <NativeSelect.Indicator />
      </NativeSelect.Root>
    </Flex>
  );
}
