import { Box, Text } from '@chakra-ui/react';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { answered, client, type Photo } from '../api/client';
import type { Card } from '../cards/cards';
import { panel } from '../shared/panel';
import { textOf, type Marks } from './marks';

const PAUSE = 90; // ms that the pointer rests before its pixel is asked for

type Props = { photo: Photo; card: Card; at: { x: number; y: number }; settings: Marks };

/** The pixel under the pointer: where, its levels before and after, and how far from white it is after. */
export function Readout({ photo, card, at, settings }: Props) {
  const [asked, setAsked] = useState<{ x: number; y: number } | null>(null);
  useEffect(() => {
    const later = window.setTimeout(() => setAsked(at), PAUSE);
    return () => window.clearTimeout(later);
  }, [at]);
  const pixel = useQuery({
    queryKey: ['pixel', photo.tile_base, textOf(settings), card, asked?.x, asked?.y],
    enabled: asked !== null,
    gcTime: 10_000,
    queryFn: ({ signal }) =>
      answered(
        client.GET('/api/photos/{photo_id}/pixel', {
          params: { path: { photo_id: photo.id }, query: { x: asked?.x ?? 0, y: asked?.y ?? 0, card } },
          signal,
        }),
      ),
  });
  const { data } = pixel;
  const there = data && asked && asked.x === at.x && asked.y === at.y;
  return (
    <Box
      className="figures"
      position="absolute"
      bottom="10px"
      right="12px"
      width="calc(25ch + 20px)"
      {...panel}
      px="2.5"
      py="1"
      fontSize="13px"
      aria-hidden="true"
      whiteSpace="nowrap"
      pointerEvents="none"
    >
      <Text>{`x ${at.x} y ${at.y}`}</Text>
      <Text>{there ? `${data.before.join(' ')} → ${data.after.join(' ')}` : ' '}</Text>
      <Text>{there ? `${data.after_off_white.toFixed(1)} ΔE00 off white` : ' '}</Text>
    </Box>
  );
}
