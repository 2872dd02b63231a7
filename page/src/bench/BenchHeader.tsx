import { Box, Flex, Text } from '@chakra-ui/react';
import { Link } from 'react-router';
import type { Photo } from '../api/client';
import { isOpen, lineupAt, useTravel } from '../findings/useWork';
import { Intaking } from '../intake/Intaking';
import { stem } from '../shared/format';
import { Mark, standingOf, standings } from '../shared/marks';
import { Offline } from '../shared/Offline';
import { Snapshots } from './Snapshots';
import type { Steps } from './useSteps';

/** Which photo it is, the way to the ones beside it, and what was done to it. */
export function BenchHeader(props: {
  photo: Photo;
  steps: Steps;
  /** To the next photo of the lot, or the one before. */
  onGo: (by: 1 | -1) => void;
  aside: boolean;
  onAside: (aside: boolean) => void;
  onKeep: () => void;
  onHelp: () => void;
}) {
  const { photo, steps, onGo, aside, onAside, onKeep, onHelp } = props;
  const at = photo.order.findIndex((one) => one.id === photo.id);
  const standing = standingOf(photo);
  const { check } = useTravel();
  return (
    <Flex
      as="header"
      gridColumn="1 / -1"
      bg="slate"
      color="paper.raised"
      px="14px"
      gap="4"
      align="center"
      whiteSpace="nowrap"
    >
      <Link to="/">
        <Text fontWeight="700" fontSize="15px">
          Yard Chalk
        </Text>
      </Link>
      {/* Where there is no room for all, the names are shortened: the lot's first. */}
      <Box flex="0 4 auto" minWidth="24px" maxWidth="190px">
        <Link to={lineupAt(photo.lot_id, check)} title={photo.lot_name}>
          <Text truncate>{photo.lot_name}</Text>
        </Link>
      </Box>
      <Text as="h1" flex="0 1 auto" truncate minWidth="0" title={photo.name}>
        {stem(photo.name)}
      </Text>
      <Box
        as="button"
        display={{ base: 'block', xl: 'none' }}
        aria-expanded={aside}
        px="2"
        height="26px"
        borderRadius="yard"
        cursor="pointer"
        whiteSpace="nowrap"
        _hover={{ bg: 'slate.soft' }}
        onClick={() => onAside(!aside)}
      >
        Findings <span className="figures">{photo.findings.filter(isOpen).length}</span>
      </Box>
      <Flex flex="1 0 auto" justify="center" align="center" gap="3">
        <Step label="Previous photo" onClick={() => onGo(-1)} disabled={at <= 0}>
          ‹
        </Step>
        <Text className="figures">
          {at + 1} of {photo.order.length}
        </Text>
        <Step label="Next photo" onClick={() => onGo(1)} disabled={at >= photo.order.length - 1}>
          ›
        </Step>
      </Flex>
      <Intaking brief />
      <Offline />
      <Step
        label={photo.undo ? `Undo: ${photo.undo} (Ctrl Z)` : 'Nothing to undo'}
        onClick={steps.undo}
        disabled={photo.undo === null}
        wide
      >
        Undo
      </Step>
      <Step
        label={photo.redo ? `Redo: ${photo.redo} (Ctrl Shift Z)` : 'Nothing to redo'}
        onClick={steps.redo}
        disabled={photo.redo === null}
        wide
      >
        Redo
      </Step>
      <Step label="Keep as sheet: the settings of this photo, for others" wide onClick={onKeep}>
        Keep as sheet
      </Step>
      <Snapshots photo={photo} />
      <Flex
        bg="paper.raised"
        color="slate"
        borderRadius="yard"
        px="2.5"
        height="26px"
        align="center"
        gap="2"
        role="status"
      >
        <Mark standing={standing} /> {standings[standing].word}
      </Flex>
      <Step label="Keys (?)" onClick={onHelp}>
        ?
      </Step>
    </Flex>
  );
}

function Step(props: { label: string; onClick: () => void; disabled?: boolean; wide?: boolean; children: string }) {
  return (
    <Box
      as="button"
      aria-label={props.label}
      title={props.label}
      flex="none"
      minWidth="26px"
      px={props.wide ? '2' : undefined}
      height="26px"
      borderRadius="yard"
      cursor="pointer"
      _hover={{ bg: 'slate.soft' }}
      _disabled={{ opacity: 0.4, cursor: 'default' }}
      onClick={props.onClick}
      {...{ disabled: props.disabled }}
    >
      {props.children}
    </Box>
  );
}
