import { Flex, Text } from '@chakra-ui/react';
import type { Photo } from '../api/client';
import { TypedNumber } from '../bench/TypedNumber';
import { UnitChoice } from '../shared/UnitChoice';
import { pxOf, useUnit, type Unit } from '../shared/units';

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
  const shown = useUnit(photo);
  const factor = photo.longest / pxOf(shown, photo);
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
      <UnitChoice photo={photo} />
    </Flex>
  );
}
