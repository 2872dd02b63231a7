import { Box, Flex, Text } from '@chakra-ui/react';
import type { Photo } from '../api/client';
import { Mark } from '../shared/marks';

export const STAGES = [
  { key: 1, name: 'Frame', stage: 'frame' },
  { key: 2, name: 'Balance', stage: 'balance' },
  { key: 3, name: 'Lift', stage: 'lift' },
  { key: 4, name: 'Clear', stage: 'clear' },
  { key: 5, name: 'Edge', stage: 'edge' },
  { key: 6, name: 'Mend', stage: 'mend' },
  { key: 7, name: 'Colour', stage: 'colour' },
  { key: 8, name: 'Place', stage: 'place' },
] as const;
export type Stage = (typeof STAGES)[number]['stage'];
const TICK = 12;

/** The stages along a rule; a count where findings belong, a dash where a stage is off or differs from the run sheet. */
export function Yardstick(props: { photo: Photo; stage: Stage; onStage: (stage: Stage) => void }) {
  const { photo, stage: current, onStage } = props;
  const own = {
    frame: photo.marks.frame != null,
    balance: photo.marks.balance != null,
    lift: isOwn(photo.marks.lift),
    clear: photo.marks.clear != null,
    edge: isOwn(photo.marks.edge),
    mend: isOwn({ ...photo.marks.mend, guides: null }),
    colour: isOwn(photo.marks.colour),
    place: isOwn(photo.marks.place),
  };
  return (
    <Flex
      as="nav"
      aria-label="Stages"
      position="relative"
      height="66px"
      bg="#E0DFDA"
      flex="none"
      borderTop="1px solid"
      borderColor="line"
    >
      <Ticks />
      {STAGES.map(({ key, name, stage }) => {
        const found = photo.findings.filter((finding) => finding.stage === stage && finding.severity !== 'note');
        const worst = found[0]?.severity;
        const here = stage === current;
        return (
          <Flex
            as="button"
            key={name}
            aria-current={here ? 'step' : undefined}
            width={{ base: '118px', xl: '152px' }}
            gap="1.5"
            whiteSpace="nowrap"
            px={{ base: '2', xl: '3.5' }}
            pt="14px"
            align="center"
            justify="space-between"
            cursor="pointer"
            bg={here ? 'paper.raised' : undefined}
            borderTop="4px solid"
            borderColor={here ? 'chalk.blue' : 'transparent'}
            borderRight="1px solid"
            borderRightColor="line"
            position="relative"
            onClick={() => onStage(stage)}
          >
            <Text>
              <b>{name}</b> <span className="figures">{key}</span>
              <Box as="span" fontSize="12px" color="slate.quiet">
                {((stage === 'lift' && !photo.lift_on) || (stage === 'clear' && !photo.clear_on)) && ' off'}
                {own[stage] && ' own'}
              </Box>
            </Text>
            {worst && worst !== 'note' && (
              <Flex align="center" gap="1.5">
                <Mark standing={worst} size={10} /> <span className="figures">{found.length}</span>
              </Flex>
            )}
          </Flex>
        );
      })}
    </Flex>
  );
}

/** Whether anything is set. */
const isOwn = (settings: object) =>
  Object.values(settings).some((value) => value != null && !(Array.isArray(value) && value.length === 0));

function Ticks() {
  return (
    <Box
      position="absolute"
      top="0"
      left="0"
      right="0"
      height="18px"
      pointerEvents="none"
      aria-hidden="true"
      zIndex="1"
    >
      <svg width="100%" height="18">
        <defs>
          <pattern id="ticks" width={TICK * 5} height="18" patternUnits="userSpaceOnUse">
            {[0, 1, 2, 3, 4].map((i) => (
              <line key={i} x1={i * TICK + 0.5} x2={i * TICK + 0.5} y1="0" y2={i === 0 ? 16 : 7} stroke="#8B8C88" />
            ))}
          </pattern>
        </defs>
        <rect width="100%" height="18" fill="url(#ticks)" />
      </svg>
    </Box>
  );
}
