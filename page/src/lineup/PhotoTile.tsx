import { Box, Flex, Text } from '@chakra-ui/react';
import { Link } from 'react-router';
import type { Tile } from '../api/client';
import { amount, stem } from '../shared/format';
import { checkName, Mark, standingOf, standings } from '../shared/marks';
import { cardBackground, type Card } from '../cards/cards';

/** A photo as it will look on a listing page, with its verdict and its worst finding, or its worst of a kind, in words and in place. */
export function PhotoTile(props: {
  tile: Tile;
  lotId: number;
  card: Card;
  size: number;
  /** Whether just as a shopper would see it. */
  listing: boolean;
  /** The check whose findings are gone through, if it is one alone. */
  check: string | null;
  chosen: boolean;
  /** Whether the keyboard is at it. */
  reached: boolean;
  onChoose: (id: number, stretch: boolean) => void;
  onReach: (id: number) => void;
}) {
  const { tile, lotId, card, size, listing, check, chosen, reached, onChoose, onReach } = props;
  const standing = standingOf(tile);
  // While it waits, what was found before no longer counts.
  const ofCheck = tile.found.find((finding) => finding.check === check);
  const worst = standing === 'fix' || standing === 'look' ? (ofCheck ?? tile.found[0]) : undefined;
  const small = size < 160;
  const line = tile.error ?? worst?.message ?? (standing === 'waiting' ? waitingWords[tile.state] : undefined);
  return (
    <Box
      position="relative"
      width={`${size}px`}
      flex="none"
      bg={listing ? 'white' : 'paper.raised'}
      border="1px solid"
      borderColor={listing ? 'transparent' : 'line'}
      outline={chosen ? '3px solid {colors.chalk.blue}' : undefined}
      className="tile"
    >
      <Link
        to={`/lots/${lotId}/photos/${tile.id}`}
        state={check === null ? undefined : { check }}
        title={line ? `${tile.name}: ${line}` : tile.name}
        data-photo={tile.id}
        tabIndex={reached ? 0 : -1}
        onFocus={() => onReach(tile.id)}
        onClick={(event) => {
          if (!event.ctrlKey && !event.metaKey && !event.shiftKey) return;
          event.preventDefault();
          onChoose(tile.id, event.shiftKey);
        }}
      >
        <Box
          position="relative"
          overflow="hidden"
          height={`${size}px`}
          style={{ background: tile.preview ? cardBackground(card) : '#A6A6A6' }}
        >
          {/* Until something was found, faintly as it came in: not to be taken for a result. */}
          {tile.as_shot && !listing && (
            <img src={`/api/pictures/${tile.as_shot}`} alt="" loading="lazy" style={{ ...fitted, opacity: 0.55 }} />
          )}
          {tile.preview && <img src={`/api/pictures/${tile.preview}`} alt="" loading="lazy" style={fitted} />}
          {!listing && worst?.place && (
            <Ring tile={tile} place={worst.place} colour={standings[worst.severity].colour} />
          )}
          {!listing && (
            <Flex position="absolute" top="6px" right="6px" bg="white" p="3px" borderRadius="yard">
              <Mark standing={standing} size={small ? 11 : 13} />
            </Flex>
          )}
        </Box>
        <Box px="2.5" py="1.5" height="50px" borderTop="1px solid" borderColor={listing ? 'transparent' : 'line'}>
          <Text fontWeight="700" fontSize={small ? '12px' : '13px'} truncate>
            {listing ? shopName(tile.name) : stem(tile.name)}
          </Text>
          <Text fontSize="12px" color="slate.quiet" truncate>
            {listing
              ? 'Pennywort Homewares'
              : worst && !tile.error
                ? `${checkName(worst.check)}, ${amount(worst.figure)} ${worst.unit}`
                : (line ?? quietly(tile))}
          </Text>
        </Box>
      </Link>
      {!listing && (
        <Box
          as="label"
          position="absolute"
          top="4px"
          left="4px"
          p="5px"
          cursor="pointer"
          opacity={chosen ? 1 : 0}
          css={{ '.tile:hover &, .tile:focus-within &': { opacity: 1 } }}
        >
          <input
            type="checkbox"
            tabIndex={-1}
            aria-label={`Choose ${tile.name}`}
            checked={chosen}
            // The click says whether Shift was held; the change does not.
            onClick={(event) => onChoose(tile.id, event.shiftKey)}
            onChange={() => {}}
            style={{ width: '16px', height: '16px', accentColor: '#2C5AA0' }}
          />
        </Box>
      )}
    </Box>
  );
}

const quietly = (tile: Tile) =>
  [
    tile.allowed > 0 ? `${tile.allowed} allowed` : 'nothing found',
    ...(tile.sheet ? [`sheet ${tile.sheet}`] : []),
    ...(tile.own_marks ? ['own settings'] : []),
    ...(tile.delivered ? ['delivered'] : []),
  ].join(', ');

/** What a shop would call it: the words of the name without folder and number. */
const shopName = (name: string) => {
  const words = stem(name)
    .replace(/^.*\//, '')
    .replace(/^[A-Z]{2,}-?\d+[ _-]*/, '');
  return words.charAt(0).toUpperCase() + words.slice(1);
};

const fitted = { position: 'absolute', inset: 0, width: '100%', height: '100%', objectFit: 'contain' } as const;

const waitingWords: Record<string, string> = {
  waiting: 'waits for its turn',
  running: 'being worked on',
  idle: 'not run',
};

/** A ring round the place of a finding, at least large enough to be seen. */
function Ring({ tile, place, colour }: { tile: Tile; place: readonly number[]; colour: string }) {
  const { result_width: w, result_height: h } = tile;
  const [x = 0, y = 0, pw = 0, ph = 0] = place;
  if (!w || !h) return null;
  const longest = Math.max(w, h);
  const side = Math.min(92, Math.max(14, (100 * Math.max(pw, ph)) / longest + 4));
  const left = (100 * (x + pw / 2 + (longest - w) / 2)) / longest;
  const top = (100 * (y + ph / 2 + (longest - h) / 2)) / longest;
  return (
    <Box
      position="absolute"
      border="2px solid"
      borderColor={colour}
      borderRadius="50%"
      style={{ left: `${left - side / 2}%`, top: `${top - side / 2}%`, width: `${side}%`, height: `${side}%` }}
    />
  );
}
