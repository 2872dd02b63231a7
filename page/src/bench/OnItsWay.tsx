import { Flex, Text } from '@chakra-ui/react';
import type { Photo } from '../api/client';
import { panel } from '../shared/panel';

/** The photo faintly as it came in, until its picture is there: a large file is decoded for seconds. */
export function OnItsWay({ photo, aside = false }: { photo: Photo; aside?: boolean }) {
  // Turned or cropped, it would lie elsewhere.
  const there = photo.as_shot !== null && photo.to_frame.flat().join() === '1,0,0,0,1,0';
  return (
    <Flex
      position="absolute"
      inset="0"
      left={aside ? '50%' : '0'}
      align="center"
      justify="center"
      pointerEvents="none"
      css={{ animation: 'late 0.3s' }}
    >
      {there && (
        <img
          src={`/api/pictures/${photo.as_shot}`}
          alt=""
          style={{ position: 'absolute', width: '100%', height: '100%', objectFit: 'contain', opacity: 0.55 }}
        />
      )}
      <Text {...panel} position="relative" px="2.5" py="1">
        Reading the photo …
      </Text>
    </Flex>
  );
}
