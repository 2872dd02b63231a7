import { Box, Flex, Text } from '@chakra-ui/react';
import { useRef, useState } from 'react';
import { percent } from '../shared/format';
import { hows, nameOf, type How, type Region } from './regions';

const ROW = 34; // px

type Props = {
  region: Region;
  number: number;
  count: number;
  chosen: boolean;
  /** Of the frame that it takes for backdrop by itself. */
  share: number | null;
  trouble: string | null;
  onChoose: () => void;
  onChange: (region: Region, what: string) => void;
  onMove: (from: number, to: number) => void;
};

/** One region of the list: what it does, its name, its share, whether it counts; dragged by its grip to another place. */
export function RegionRow({ region, number, count, chosen, share, trouble, onChoose, onChange, onMove }: Props) {
  const how = hows.find((one) => one.how === region.how) ?? hows[0];
  const next: How = hows[(hows.findIndex((one) => one.how === region.how) + 1) % hows.length]?.how ?? 'add';
  // While the grip is dragged, by mouse, pen or finger: how many places it has come.
  const [places, setPlaces] = useState<number | null>(null);
  const from = useRef(0);
  const moved = (clientY: number) => Math.round((clientY - from.current) / ROW);
  return (
    <Box
      as="li"
      position="relative"
      zIndex={places === null ? undefined : 1}
      style={places === null ? undefined : { transform: `translateY(${places * ROW}px)` }}
      boxShadow={places === null ? undefined : 'yard'}
      bg={places === null ? undefined : 'white'}
      borderRadius="yard"
    >
      <Flex
        align="center"
        gap="1.5"
        height="34px"
        borderRadius="yard"
        bg={chosen ? 'white' : undefined}
        color={region.on ? undefined : 'slate.quiet'}
      >
        <Box
          as="button"
          aria-label={`Move ${nameOf(region)}: drag, or press an arrow key`}
          title="Drag to another place, or arrow keys"
          cursor="grab"
          px="1"
          color="slate.quiet"
          style={{ touchAction: 'none' }}
          onPointerDown={(event: React.PointerEvent) => {
            event.currentTarget.setPointerCapture(event.pointerId);
            from.current = event.clientY;
            setPlaces(0);
          }}
          onPointerMove={(event: React.PointerEvent) => {
            if (places !== null) setPlaces(moved(event.clientY));
          }}
          onPointerUp={(event: React.PointerEvent) => {
            setPlaces(null);
            const to = Math.min(count - 1, Math.max(0, number + moved(event.clientY)));
            if (places !== null && to !== number) onMove(number, to);
          }}
          onPointerCancel={() => setPlaces(null)}
          onKeyDown={(event: React.KeyboardEvent) => {
            if (event.key === 'ArrowUp' && number > 0) onMove(number, number - 1);
            else if (event.key === 'ArrowDown' && number < count - 1) onMove(number, number + 1);
            else return;
            event.preventDefault();
          }}
        >
          ≡
        </Box>
        <Box
          as="button"
          width="24px"
          height="24px"
          flex="none"
          borderRadius="yard"
          border="1px solid"
          borderColor="line"
          bg="white"
          fontWeight="700"
          cursor="pointer"
          aria-label={`${nameOf(region)} ${how?.word}; press for another`}
          title={`${how?.word}; press for another`}
          onClick={() =>
            onChange({ ...region, how: next }, `${nameOf(region)}: ${hows.find((one) => one.how === next)?.word}`)
          }
        >
          {how?.sign}
        </Box>
        <Box
          as="button"
          flex="1"
          minWidth="0"
          textAlign="left"
          cursor="pointer"
          aria-expanded={chosen}
          fontWeight={chosen ? '700' : undefined}
          onClick={onChoose}
        >
          <Text truncate>{nameOf(region)}</Text>
        </Box>
        <Text className="figures" fontSize="12px" color="slate.quiet" title="of the frame, by itself">
          {trouble ? '!' : share === null ? '' : percent(share)}
        </Text>
        <Box
          as="button"
          role="switch"
          aria-checked={region.on}
          aria-label={`${nameOf(region)} counts`}
          fontSize="12px"
          px="1.5"
          height="22px"
          borderRadius="yard"
          border="1px solid"
          borderColor="line"
          bg={region.on ? 'slate' : 'white'}
          color={region.on ? 'white' : 'slate'}
          cursor="pointer"
          onClick={() => onChange({ ...region, on: !region.on }, `${nameOf(region)} ${region.on ? 'off' : 'on'}`)}
        >
          {region.on ? 'on' : 'off'}
        </Box>
      </Flex>
      {trouble && (
        <Text role="alert" fontSize="13px" color="chalk.pink" pl="6">
          {trouble}
        </Text>
      )}
    </Box>
  );
}
