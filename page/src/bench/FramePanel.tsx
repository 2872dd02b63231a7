import { Box, Button, Flex, Text } from '@chakra-ui/react';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { answered, client, type Photo } from '../api/client';
import { Choice } from './Choice';
import { fitted } from './CropBox';
import { frameOf, textOf, uncropped, WHOLE, type Crop, type FrameMarks } from './marks';
import { StagePanel } from './StagePanel';
import { Toggle } from './Toggle';
import { TypedNumber } from './TypedNumber';
import { ValueSlider } from './ValueSlider';

export const ASPECTS = [
  { name: 'free', value: null },
  { name: '1 : 1', value: 1 },
  { name: '4 : 5', value: 4 / 5 },
  { name: '3 : 4', value: 3 / 4 },
  { name: '4 : 3', value: 4 / 3 },
  { name: '3 : 2', value: 3 / 2 },
  { name: '16 : 9', value: 16 / 9 },
] as const;

type Props = {
  photo: Photo;
  /** The crop as it is shown, dragged or kept. */
  crop: Crop;
  aspect: number | null;
  onAspect: (aspect: number | null) => void;
  taking: boolean;
  onTake: (on: boolean) => void;
  onSettle: (change: Partial<FrameMarks>, what: string) => void;
  trouble: string | undefined;
};

/** Frame: quarter turns, straightening, and the crop. */
export function FramePanel({ photo, crop, aspect, onAspect, taking, onTake, onSettle, trouble }: Props) {
  const frame = photo.marks.frame ?? WHOLE;
  const [tilt, setTilt] = useState<number | null>(null);
  const offers = useQuery({
    queryKey: ['frame', photo.tile_base, textOf(uncropped(frameOf(photo.marks)))],
    queryFn: () => answered(client.GET('/api/photos/{photo_id}/frame', { params: { path: { photo_id: photo.id } } })),
  });
  const { whole_width: width, whole_height: height } = photo;
  // A turn makes another frame, so its crop is let go.
  const turn = (by: number, what: string) => onSettle({ turns: (frame.turns + by + 4) % 4, crop: null }, what);
  const straighten = (angle: number) => {
    setTilt(null);
    onSettle({ angle: Number(angle.toFixed(2)), crop: null }, `Straightened by ${angle.toFixed(1)}°`);
  };
  const cropped = (next: Crop, what = 'Crop') => onSettle({ crop: next }, what);
  const { data } = offers;
  const found = photo.crop && !photo.marks.frame;
  return (
    <StagePanel
      name="Frame"
      trouble={trouble ?? offers.error?.message}
      awaited={data || offers.error ? null : 'Looking for what tilts …'}
    >
      <Flex gap="2">
        <Offer onClick={() => turn(-1, 'Turned to the left')}>Turn to the left</Offer>
        <Offer onClick={() => turn(1, 'Turned to the right')}>Turn to the right</Offer>
      </Flex>
      <ValueSlider
        label="Straighten, clockwise up"
        unit="°"
        step={0.1}
        value={tilt ?? Number(frame.angle.toFixed(1))}
        least={-15}
        most={15}
        standard={{ value: 0, name: 'not turned' }}
        onDrag={setTilt}
        onSettle={straighten}
        onReset={() => straighten(0)}
      />
      <Toggle on={taking} onChange={onTake}>
        {taking ? 'Now draw the line on the photo' : 'Draw a line along something level or upright'}
      </Toggle>
      {data && (data.angle_of_base ?? data.angle_of_symmetry) != null && (
        <Flex gap="2">
          {data.angle_of_base != null && (
            <Offer onClick={() => straighten(frame.angle + (data.angle_of_base ?? 0))}>
              By its base, {signed(data.angle_of_base)}°
            </Offer>
          )}
          {data.angle_of_symmetry != null && (
            <Offer onClick={() => straighten(frame.angle + (data.angle_of_symmetry ?? 0))}>
              By its axis, {signed(data.angle_of_symmetry)}° ({Math.round(100 * (data.symmetry ?? 0))} % alike)
            </Offer>
          )}
        </Flex>
      )}
      {data && data.angle_of_base == null && data.angle_of_symmetry == null && (
        <Text fontSize="13px" color="slate.quiet">
          The product has neither a straight base nor an axis to go by.
        </Text>
      )}
      <Box borderTop="1px solid" borderColor="line" pt="3">
        <Choice
          label="Proportions of the crop"
          value={String(aspect)}
          options={ASPECTS.map(({ name, value }) => [String(value), name] as const)}
          onChange={(chosen) => {
            const next = ASPECTS.find(({ value }) => String(value) === chosen)?.value ?? null;
            onAspect(next);
            if (next !== null) cropped(fitted(crop, (next * height) / width));
          }}
        />
        <Sizes photo={photo} crop={crop} onSettle={cropped} />
        <Flex gap="2" pt="3" wrap="wrap">
          {data?.crop_to_set && String(data.crop_to_set) !== String(crop) && (
            <Offer onClick={() => cropped(data.crop_to_set as Crop, 'Crop to the set')}>
              Crop to the set: leaves the other surfaces out
            </Offer>
          )}
          {data?.crop_close && String(data.crop_close) !== String(crop) && (
            <Offer onClick={() => cropped(data.crop_close as Crop, 'Crop close to the product')}>
              Crop close: the product is small in the frame
            </Offer>
          )}
          {(crop[2] - crop[0] < 1 || crop[3] - crop[1] < 1) && (
            <Offer onClick={() => onSettle({ crop: null }, 'Crop taken away')}>Take the crop away</Offer>
          )}
        </Flex>
        {data && (found || !(data.crop_to_set ?? data.crop_close)) && (
          <Text fontSize="13px" color="slate.quiet" pt="2">
            {found
              ? 'The run sheet found this crop. What lies outside is background in the result. Move its sides, or take it away, and the photo has a frame of its own.'
              : 'Nothing but backdrop and product is in the frame, so there is nothing to crop to.'}
          </Text>
        )}
      </Box>
    </StagePanel>
  );
}

const signed = (angle: number) => (angle > 0 ? `+${angle.toFixed(1)}` : angle.toFixed(1));

function Offer(props: { onClick: () => void; children: React.ReactNode }) {
  return (
    <Button size="xs" variant="outline" bg="white" flex="1" minW="fit-content" onClick={props.onClick}>
      {props.children}
    </Button>
  );
}

/** Place and size of the crop in px of the photo, to type; and in mm where the file has a resolution. */
function Sizes({ photo, crop, onSettle }: { photo: Photo; crop: Crop; onSettle: (crop: Crop) => void }) {
  const { whole_width: width, whole_height: height } = photo;
  const { dpi } = photo.facts;
  const [left, top, right, bottom] = crop;
  const clamp = (value: number) => Math.min(1, Math.max(0, value));
  const rows = [
    {
      name: 'From the left',
      share: left,
      of: width,
      put: (v: number): Crop => [clamp(v), top, clamp(v + right - left), bottom],
    },
    {
      name: 'From the top',
      share: top,
      of: height,
      put: (v: number): Crop => [left, clamp(v), right, clamp(v + bottom - top)],
    },
    { name: 'Width', share: right - left, of: width, put: (v: number): Crop => [left, top, clamp(left + v), bottom] },
    { name: 'Height', share: bottom - top, of: height, put: (v: number): Crop => [left, top, right, clamp(top + v)] },
  ];
  return (
    <>
      {rows.map(({ name, share, of, put }) => (
        <Flex key={name} justify="space-between" align="center" py="0.5">
          <Text>{name}</Text>
          <Flex align="center" gap="1.5">
            {dpi && (
              <Text className="figures" fontSize="12px" color="slate.quiet">
                {((share * of * 25.4) / dpi).toFixed(1)} mm
              </Text>
            )}
            <TypedNumber
              name={name}
              unit="px"
              value={Math.round(share * of)}
              least={0}
              most={of}
              step={1}
              onSettle={(px) => onSettle(put(px / of))}
            />
          </Flex>
        </Flex>
      ))}
    </>
  );
}
