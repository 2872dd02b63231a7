import { Box, Flex, Text } from '@chakra-ui/react';
import { Link } from 'react-router';
import type { Photo } from '../api/client';
import { useTravel } from '../findings/useWork';
import { Mark, standingOf, wantsPerson } from '../shared/marks';

const SHOWN = 4;

/** The photos round this one in the lot's order. */
export function LotStrip({ photo }: { photo: Photo }) {
  const at = photo.order.findIndex((one) => one.id === photo.id);
  const first = Math.max(0, Math.min(at - 1, photo.order.length - SHOWN));
  const { check } = useTravel();
  const open = photo.order.filter(wantsPerson).length;
  return (
    <Box borderTop="1px solid" borderColor="line" px="2.5" py="2.5">
      <Flex justify="space-between" px="1" mb="1.5">
        <Text as="h2" fontWeight="700">
          In this lot
        </Text>
        <Text fontSize="13px" color="slate.quiet">
          {open} to see to
        </Text>
      </Flex>
      <Flex gap="1.5">
        {photo.order.slice(first, first + SHOWN).map((one) => (
          <Link
            key={one.id}
            to={`/lots/${photo.lot_id}/photos/${one.id}`}
            state={check ? { check } : undefined}
            title={one.name}
            aria-label={one.name}
          >
            <Box
              position="relative"
              width="49px"
              height="49px"
              bg="white"
              outline={one.id === photo.id ? '3px solid {colors.chalk.blue}' : '1px solid {colors.line}'}
            >
              {one.preview && (
                <img
                  src={`/api/pictures/${one.preview}`}
                  alt=""
                  style={{ width: '100%', height: '100%', objectFit: 'contain' }}
                />
              )}
              <Box position="absolute" right="1px" bottom="-2px" bg="white" borderRadius="2px" lineHeight="0" p="1px">
                <Mark standing={standingOf(one)} size={10} />
              </Box>
            </Box>
          </Link>
        ))}
      </Flex>
    </Box>
  );
}
