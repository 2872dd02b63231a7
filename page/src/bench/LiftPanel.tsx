import { Box, Button, Flex, Text } from '@chakra-ui/react';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { answered, client, type Graph, type Photo } from '../api/client';
import { keys, queries } from '../api/queries';
import { percent } from '../shared/format';
import { Contours } from './Contours';
import { Figures } from './Figures';
import { LiftGraph } from './LiftGraph';
import type { LiftMarks } from './marks';
import { StagePanel } from './StagePanel';
import { Toggle } from './Toggle';
import { ValueSlider } from './ValueSlider';

type Props = {
  photo: Photo;
  lift: Graph | undefined;
  /** What is being dragged, over what is kept. */
  draft: LiftMarks;
  taking: 'white' | 'black' | null;
  onTake: (what: 'white' | 'black' | null) => void;
  brush: Brush | null;
  onBrush: (brush: Brush | null) => void;
  onDrag: (change: LiftMarks) => void;
  onSettle: (change: LiftMarks, what: string) => void;
  /** Go on to the finished picture, where Clear has taken the backdrop away. */
  onCleared: () => void;
  trouble: string | undefined;
};

/** Lift: what each white point gives and takes, and the tones. */
export function LiftPanel({
  photo,
  lift,
  draft,
  taking,
  onTake,
  brush,
  onBrush,
  onDrag,
  onSettle,
  onCleared,
  trouble,
}: Props) {
  const own = photo.marks.lift;
  const whitePoint = draft.white_point ?? own.white_point ?? lift?.white_point ?? 255;
  const tones = lift && {
    even: draft.even ?? own.even ?? lift.tones.even,
    black: draft.black_point ?? own.black_point ?? lift.tones.black_point,
    mid: draft.mid ?? own.mid ?? lift.tones.mid,
    curve: draft.curve ?? own.curve ?? lift.tones.curve,
    scope: own.scope ?? lift.tones.scope,
  };
  const white = (level: number | null, what?: string) =>
    onSettle({ white_point: level }, what ?? (level === null ? 'White point: auto' : `White point ${level}`));
  const [channels, setChannels] = useState(false);
  const departs = Object.values(own).some((value) => value != null);
  return (
    <StagePanel name="Lift" trouble={trouble} awaited={lift ? null : 'Measuring the backdrop …'}>
      {lift && !photo.lift_on && (
        <Text>
          This lot's run sheet leaves Lift out: the product's tones stay as photographed. Choose another run sheet on
          the line-up to use a white point.
        </Text>
      )}
      {lift && tones && (
        <>
          <Box flex="none">
            <LiftGraph
              lift={lift}
              whitePoint={whitePoint}
              blackPoint={tones.black}
              mid={tones.mid}
              curve={tones.curve}
              channels={channels}
              disabled={!photo.lift_on}
              onDrag={onDrag}
              onSettle={onSettle}
            />
          </Box>
          <Flex justify="flex-end" mt="-1">
            <Button
              size="2xs"
              variant="outline"
              bg="white"
              aria-pressed={channels}
              onClick={() => setChannels(!channels)}
            >
              {channels ? 'Backdrop and product apart' : 'Channels apart'}
            </Button>
          </Flex>
          {photo.lift_on && (
            <>
              <Offers lift={lift} whitePoint={whitePoint} onSettle={white} />
              <ValueSlider
                label="White point"
                unit="of 255"
                value={whitePoint}
                least={128}
                most={255}
                standard={{ value: lift.graph.offer, name: `run sheet: auto, ${lift.graph.offer}` }}
                offered={
                  lift.graph.just_clips == null
                    ? null
                    : { value: lift.graph.just_clips, name: `just clips at ${lift.graph.just_clips}` }
                }
                onDrag={(level) => onDrag({ white_point: level })}
                onSettle={white}
                onReset={() => white(null)}
              />
              <ValueSlider
                label="Black point"
                unit="of 255"
                value={tones.black}
                least={0}
                most={100}
                standard={{ value: 0, name: 'no change, 0' }}
                onDrag={(level) => onDrag({ black_point: level })}
                onSettle={(level) => onSettle({ black_point: level }, `Black point ${level}`)}
                onReset={() => onSettle({ black_point: null }, 'Black point: as the run sheet says')}
              />
              <ValueSlider
                label="Mid-tone, lighter up"
                unit="power"
                step={0.01}
                value={tones.mid}
                least={0.2}
                most={5}
                standard={{ value: 1, name: 'no change, 1' }}
                onDrag={(mid) => onDrag({ mid })}
                onSettle={(mid) => onSettle({ mid }, `Mid-tone ${mid.toFixed(2)}`)}
                onReset={() => onSettle({ mid: null }, 'Mid-tone: as the run sheet says')}
              />
              <ValueSlider
                label="Even light"
                unit="%"
                value={Math.round(100 * tones.even)}
                least={0}
                most={100}
                standard={{ value: 100, name: 'wholly, 100 %' }}
                onDrag={(share) => onDrag({ even: share / 100 })}
                onSettle={(share) => onSettle({ even: share / 100 }, `Even light ${share} %`)}
                onReset={() => onSettle({ even: null }, 'Even light: as the run sheet says')}
              />
              <EmptySet photo={photo} />
              <Flex justify="space-between" align="center">
                <Text>Touch what should be</Text>
                <Flex gap="1.5">
                  {(['white', 'black'] as const).map((what) => (
                    <Toggle
                      key={what}
                      aria-label={`Touch what should be ${what}`}
                      on={taking === what}
                      onChange={(on) => onTake(on ? what : null)}
                    >
                      {what}
                    </Toggle>
                  ))}
                </Flex>
              </Flex>
              <Scope
                scope={tones.scope}
                onChange={(scope) =>
                  onSettle({ scope }, scope === 'photo' ? 'Lift: whole photo' : 'Lift: backdrop only')
                }
              />
              <PaintReach
                strokes={own.strokes ?? []}
                brush={brush}
                onBrush={onBrush}
                onForget={() => onSettle({ strokes: null }, 'Painting taken away')}
              />
              <Flex justify="space-between" align="center" fontSize="13px">
                <Text color="slate.quiet">{departs ? 'This photo’s own values' : 'As the run sheet says: auto'}</Text>
                {own.white_point != null && (
                  <Button size="2xs" variant="outline" bg="white" onClick={() => white(null)}>
                    Back to auto, {lift.graph.offer}
                  </Button>
                )}
              </Flex>
            </>
          )}
          <Contours lift={lift} photo={photo} />
          <Measured lift={lift} whitePoint={whitePoint} liftOn={photo.lift_on} />
          {photo.lift_on && <Text color="slate.quiet">{lift.graph.advice}</Text>}
          {photo.lift_on && lift.graph.just_clips == null && tones.scope === 'photo' && (
            <Flex gap="2" wrap="wrap">
              {tones.even < 1 && (
                <Button
                  size="xs"
                  variant="outline"
                  bg="white"
                  onClick={() => onSettle({ even: 1 }, 'Even light 100 %')}
                >
                  Even the light
                </Button>
              )}
              <Button
                size="xs"
                variant="outline"
                bg="white"
                onClick={() => onSettle({ scope: 'backdrop' }, 'Lift: backdrop only')}
              >
                Limit to the backdrop
              </Button>
              <Button size="xs" variant="outline" bg="white" onClick={onCleared}>
                See it cleared
              </Button>
            </Flex>
          )}
        </>
      )}
    </StagePanel>
  );
}

/** By which light the lot's photos are evened: each by its own backdrop, or all by a photo of the empty set. */
function EmptySet({ photo }: { photo: Photo }) {
  const set = useMutation({
    mutationFn: (chosen: number | null) =>
      answered(
        client.PUT('/api/lots/{lot_id}/empty-set', {
          params: { path: { lot_id: photo.lot_id } },
          body: { photo: chosen },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.photo(photo.id) }),
  });
  const here = photo.empty_id === photo.id;
  return (
    <Box fontSize="13px">
      <Flex justify="space-between" align="center" gap="2">
        <Text color="slate.quiet" truncate>
          {photo.empty_name ? `Evened by ${here ? 'this photo' : photo.empty_name}` : 'By its own backdrop'}
        </Text>
        <Button
          size="2xs"
          variant="outline"
          bg="white"
          flex="none"
          disabled={set.isPending}
          title={photo.empty_id === null ? 'For all photos of the lot' : undefined}
          onClick={() => set.mutate(photo.empty_id === null ? photo.id : null)}
        >
          {photo.empty_id === null ? 'This is the empty set' : 'By its own backdrop'}
        </Button>
      </Flex>
      {set.isError && (
        <Text role="alert" color="chalk.pink">
          {set.error.message}
        </Text>
      )}
    </Box>
  );
}

/** A brush for where Lift acts. Size: per mille of the photo's longer side. */
export type Brush = { adds: boolean; size: number };
const SIZES = [10, 25, 60, 120];

function PaintReach(props: {
  strokes: unknown[];
  brush: Brush | null;
  onBrush: (brush: Brush | null) => void;
  onForget: () => void;
}) {
  const { strokes, brush, onBrush, onForget } = props;
  const size = brush?.size ?? 25;
  return (
    <Box>
      <Flex justify="space-between" align="center">
        <Text>Paint where it acts</Text>
        <Flex gap="1.5">
          {[true, false].map((adds) => (
            <Toggle key={String(adds)} on={brush?.adds === adds} onChange={(on) => onBrush(on ? { adds, size } : null)}>
              {adds ? 'here' : 'not here'}
            </Toggle>
          ))}
        </Flex>
      </Flex>
      {brush && (
        <Flex
          justify="space-between"
          align="center"
          pt="1.5"
          fontSize="13px"
          role="radiogroup"
          aria-label="Width of the brush"
        >
          <Text color="slate.quiet">Width, ‰ of the photo</Text>
          <Flex gap="1">
            {SIZES.map((one) => (
              <Button
                key={one}
                size="2xs"
                variant={size === one ? 'solid' : 'outline'}
                role="radio"
                aria-checked={size === one}
                onClick={() => onBrush({ ...brush, size: one })}
              >
                {one}
              </Button>
            ))}
          </Flex>
        </Flex>
      )}
      {strokes.length > 0 && (
        <Flex justify="space-between" align="center" pt="1" fontSize="13px">
          <Text color="slate.quiet">{strokes.length} painted; soft round the product</Text>
          <Button size="2xs" variant="outline" bg="white" onClick={onForget}>
            Take them away
          </Button>
        </Flex>
      )}
    </Box>
  );
}

function Scope({ scope, onChange }: { scope: 'photo' | 'backdrop'; onChange: (scope: 'photo' | 'backdrop') => void }) {
  return (
    <Flex justify="space-between" align="center" role="radiogroup" aria-label="Lift acts on">
      <Text>Acts on</Text>
      <Flex border="1px solid" borderColor="line" borderRadius="yard" overflow="hidden">
        {(['photo', 'backdrop'] as const).map((one) => (
          <Box
            as="button"
            key={one}
            role="radio"
            aria-checked={scope === one}
            px="3"
            height="26px"
            fontSize="13px"
            cursor="pointer"
            bg={scope === one ? 'slate' : 'white'}
            color={scope === one ? 'white' : undefined}
            onClick={() => onChange(one)}
          >
            {one === 'photo' ? 'whole photo' : 'backdrop only'}
          </Box>
        ))}
      </Flex>
    </Flex>
  );
}

function shares({ graph }: Graph, level: number) {
  const i = Math.max(0, graph.levels.indexOf(level));
  return { short: graph.short[i] ?? 0, any: graph.lost_any[i] ?? 0, all: graph.lost_all[i] ?? 0 };
}

function Offers({
  lift,
  whitePoint,
  onSettle,
}: {
  lift: Graph;
  whitePoint: number;
  onSettle: (level: number) => void;
}) {
  const { just_clips: clips, clips_unshaded: unshaded, bearable } = lift.graph;
  const offers = [
    clips != null && { level: clips, words: 'Just clips at', rest: `loses ${percent(shares(lift, clips).any)}` },
    unshaded != null &&
      unshaded !== clips && {
        level: unshaded,
        words: 'But for shadows at',
        rest: `loses ${percent(shares(lift, unshaded).any)}`,
      },
    bearable !== clips && bearable !== unshaded && { level: bearable, words: 'Keeps the product from', rest: '' },
  ].filter((offer) => offer !== false);
  return (
    <>
      {offers.map(({ level, words, rest }) => (
        <Flex
          key={words}
          border="1px solid"
          borderColor="chalk.blue"
          borderRadius="yard"
          pl="2.5"
          bg="white"
          align="center"
          justify="space-between"
        >
          <Text color="chalk.blue" fontSize="13px">
            {words} <b className="figures">{level}</b>
            {rest && `, ${rest}`}
          </Text>
          <Button
            size="xs"
            variant="ghost"
            colorPalette="blue"
            disabled={whitePoint === level}
            onClick={() => onSettle(level)}
          >
            {whitePoint === level ? 'In use' : 'Use'}
          </Button>
        </Flex>
      ))}
    </>
  );
}

function Measured({ lift, whitePoint, liftOn }: { lift: Graph; whitePoint: number; liftOn: boolean }) {
  const now = shares(lift, whitePoint);
  return (
    <Figures
      rows={[
        ...(liftOn
          ? ([
              ['Backdrop still short of white', percent(now.short)],
              ['Product lost in one channel or more', percent(now.any)],
              ['Product lost in all three', percent(now.all)],
            ] satisfies [string, string][])
          : []),
        ['Backdrop’s levels, of 255', `${lift.backdrop_levels[0]} to ${lift.backdrop_levels[1]}`],
        ['Border that the backdrop explains', `${Math.round(100 * lift.sure_of_backdrop)} %`],
      ]}
    />
  );
}
