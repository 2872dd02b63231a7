import { NativeSelect } from '@chakra-ui/react';
import type { Photo } from '../api/client';
import { chooseUnit, useUnit, type Unit } from './units';

/** Chooses the unit that lengths are shown in. */
export function UnitChoice({ photo }: { photo: Photo }) {
  return (
    <NativeSelect.Root size="xs" width="60px">
      <NativeSelect.Field
        aria-label="Unit of lengths"
        bg="white"
        height="24px"
        value={useUnit(photo)}
        onChange={(event) => chooseUnit(event.target.value as Unit)}
      >
        <option value="px">px</option>
        <option value="%">%</option>
        {photo.facts.dpi && <option value="mm">mm</option>}
      </NativeSelect.Field>
      <NativeSelect.Indicator />
    </NativeSelect.Root>
  );
}
