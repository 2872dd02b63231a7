import { Box, Flex, Text } from '@chakra-ui/react';
import { useState } from 'react';
import { percent } from './parts';
import { hows, nameOf, type How, type Region } from './regions';

type Props = {
  region: Region;
  number: number;
  last: boolean;
  chosen: boolean;
  /** Of the frame that it takes for backdrop by itself. */
  share: number | null;
  trouble: string | null;
  onChoose: () => void;
  onChange: (region: Region, what: string) => void;
  onMove: (from: number, to: number) => void;
};

/** One region of the list: what it does, its name, its share, whether it counts; dragged by its grip to another place. */
export function RegionRow({ region, number, last, chosen, share, trouble, onChoose, onChange, onMove }: Props) {
  const [over, setOver] = useState(false);
  const how = hows.find((one) => one.how === region.how) ?? hows[0];
  const next: How = hows[(hows.findIndex((one) => one.how === region.how) + 1) % hows.length]?.how ?? 'add';
  return (
    <Box
      as="li"
      borderTop="2px solid"
      borderColor={over ? 'chalk.blue' : 'transparent'}
      onDragOver={(event: React.DragEvent) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(event: React.DragEvent) => {
        event.preventDefault();
        setOver(false);
        const from = Number(event.dataTransfer.getData('text/plain'));
        onMove(from, from < number ? number - 1 : number);
      }}
    >
      <Flex
        align="center"
        gap="1.5"
        height="32px"
        borderRadius="yard"
        bg={chosen ? 'white' : undefined}
        color={region.on ? undefined : 'slate.quiet'}
      >
        <Box
          as="button"
          draggable
          aria-label={`Move ${nameOf(region)}: drag, or press an arrow key`}
          title="Drag to another place, or arrow keys"
          cursor="grab"
          px="1"
          color="slate.quiet"
          onDragStart={(event: React.DragEvent) => event.dataTransfer.setData('text/plain', String(number))}
          onKeyDown={(event: React.KeyboardEvent) => {
            if (event.key === 'ArrowUp' && number > 0) onMove(number, number - 1);
            else if (event.key === 'ArrowDown' && !last) onMove(number, number + 1);
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
