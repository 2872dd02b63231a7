import { Box, Button, Flex, Image, Text } from '@chakra-ui/react';
import { Link } from 'react-router';
import type { LotCardData } from '../api/client';
import { count, moment } from '../shared/format';
import { Mark, type Standing } from '../shared/marks';
import { VerdictBar } from '../shared/VerdictBar';
import { DueDay } from './DueDay';

const STANDINGS: Standing[] = ['fix', 'look', 'failed', 'ready', 'waiting'];

/** One lot: a fan of its photos on white, and where it stands. */
export function LotCard(props: { lot: LotCardData; onChange: () => void; onRemove: () => void }) {
  const { lot, onChange, onRemove } = props;
  const counts = { ...lot, waiting: lot.waiting + lot.idle };
  return (
    <Box
      className="lot"
      position="relative"
      bg="paper.raised"
      border="1px solid"
      borderColor="line"
      borderRadius="yard"
      overflow="hidden"
      maxWidth="620px"
    >
      <Link to={`/lots/${lot.id}`}>
        <Flex
          bg="white"
          height="150px"
          wrap="wrap"
          align="center"
          justify="center"
          overflow="hidden"
          px="30px"
          borderBottom="1px solid"
          borderColor="line"
        >
          {lot.fan.map((digest, i) => (
            // As tall as the row, so that those there is no room for lie below it, out of sight.
            <Flex key={digest} flex="none" width="110px" height="149px" align="center" justify="center">
              <Image
                src={`/api/pictures/${digest}`}
                alt=""
                loading="lazy"
                height="112px"
                width="104px"
                objectFit="contain"
                transform={`rotate(${i % 2 ? 3 : -3}deg)`}
              />
            </Flex>
          ))}
          {lot.fan.length === 0 && (
            <Text color="slate.quiet">{lot.photos ? 'Pictures appear as they are done' : 'No photos yet'}</Text>
          )}
        </Flex>
        <Box p="3">
          <Flex justify="space-between" align="baseline" gap="3">
            <Text fontWeight="700" fontSize="17px" lineClamp={1}>
              {lot.name}
            </Text>
            <Text color="slate.quiet" fontSize="13px" whiteSpace="nowrap">
              {count(lot.photos, 'photo')} · from {moment(lot.created_at)}
            </Text>
          </Flex>
          <Box my="2">
            <VerdictBar counts={lot} height={8} />
          </Box>
          <Flex gap="4" fontSize="13px" wrap="wrap">
            {STANDINGS.filter((standing) => counts[standing] > 0).map((standing) => (
              <Flex key={standing} align="center" gap="1.5">
                <Mark standing={standing} size={10} />
                <span>
                  <span className="figures">{counts[standing]}</span> {standing}
                </span>
              </Flex>
            ))}
            {lot.refused > 0 && <Text color="slate.quiet">{lot.refused} refused at intake</Text>}
            <Flex ml="auto" gap="4">
              {lot.delivered > 0 && (
                <Text color="slate.quiet">{lot.delivered === lot.photos ? 'all' : lot.delivered} delivered</Text>
              )}
              <DueDay lot={lot} />
            </Flex>
          </Flex>
        </Box>
      </Link>
      <Flex
        position="absolute"
        top="8px"
        right="8px"
        gap="1.5"
        // In sight where the pointer or the keyboard is; always, where there is no pointer.
        css={{
          '@media (hover: hover)': { opacity: 0 },
          '.lot:hover &, .lot:focus-within &': { opacity: 1 },
        }}
      >
        <Button
          size="2xs"
          variant="outline"
          bg="white"
          aria-label={`Name and due day of ${lot.name}`}
          onClick={onChange}
        >
          Name, due
        </Button>
        <Button size="2xs" variant="outline" bg="white" aria-label={`Remove ${lot.name}`} onClick={onRemove}>
          Remove
        </Button>
      </Flex>
    </Box>
  );
}
