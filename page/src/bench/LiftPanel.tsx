import { Box, Button, Flex, Text } from '@chakra-ui/react';
import type { Graph, Photo } from '../api/client';
import { LiftGraph } from './LiftGraph';
import { ValueSlider } from './ValueSlider';

type Props = {
  photo: Photo;
  lift: Graph | undefined;
  whitePoint: number;
  onDrag: (level: number) => void;
  onSettle: (level: number) => void;
  onReset: () => void;
  trouble: string | undefined;
};

/** Lift: what each white point gives and takes, and the white point itself. */
export function LiftPanel({ photo, lift, whitePoint, onDrag, onSettle, onReset, trouble }: Props) {
  const own = photo.marks.white_point != null;
  return (
    <Flex direction="column" gap="3" p="4" overflowY="auto" height="100%">
      <Text as="h2" fontWeight="700" fontSize="18px">
        Lift
      </Text>
      {trouble && (
        <Text role="alert" color="chalk.pink">
          {trouble}
        </Text>
      )}
      {!lift && (
        <Text color="slate.quiet" role="status">
          Measuring the backdrop …
        </Text>
      )}
      {lift && !photo.lift_on && (
        <Text>
          This lot's run sheet leaves Lift out: the product's tones stay as photographed. Choose another run sheet on
          the line-up to use a white point.
        </Text>
      )}
      {lift && (
        <>
          <Box flex="none">
            <LiftGraph
              lift={lift}
              whitePoint={whitePoint}
              disabled={!photo.lift_on}
              onDrag={onDrag}
              onSettle={onSettle}
            />
          </Box>
          {photo.lift_on && <Offers lift={lift} whitePoint={whitePoint} onSettle={onSettle} />}
          {photo.lift_on && (
            <ValueSlider
              label="White point"
              unit="of 255"
              value={whitePoint}
              least={128}
              most={255}
              standard={{ value: lift.graph.offer, name: `run sheet: auto, ${lift.graph.offer}` }}
              offered={lift.graph.just_clips ?? null}
              disabled={false}
              onDrag={onDrag}
              onSettle={onSettle}
              onReset={onReset}
            />
          )}
          {photo.lift_on && (
            <Flex justify="space-between" align="center" fontSize="13px">
              <Text color="slate.quiet">{own ? 'This photo’s own value' : 'As the run sheet says: auto'}</Text>
              {own && (
                <Button size="2xs" variant="outline" bg="white" onClick={onReset}>
                  Back to auto, {lift.graph.offer}
                </Button>
              )}
            </Flex>
          )}
          <Figures lift={lift} whitePoint={whitePoint} liftOn={photo.lift_on} />
          {photo.lift_on && <Text color="slate.quiet">{lift.graph.advice}</Text>}
        </>
      )}
    </Flex>
  );
}

const percent = (share: number) => `${(100 * share).toFixed(2)} %`;

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

function Figures({ lift, whitePoint, liftOn }: { lift: Graph; whitePoint: number; liftOn: boolean }) {
  const now = shares(lift, whitePoint);
  const rows = [
    ...(liftOn
      ? [
          ['Backdrop still short of white', percent(now.short)],
          ['Product lost in one channel or more', percent(now.any)],
          ['Product lost in all three', percent(now.all)],
        ]
      : []),
    ['Backdrop’s levels, of 255', `${lift.backdrop_levels[0]} to ${lift.backdrop_levels[1]}`],
    ['Border that the backdrop explains', `${Math.round(100 * lift.sure_of_backdrop)} %`],
  ];
  return (
    <Box as="dl" fontSize="13px">
      {rows.map(([name, figure]) => (
        <Flex key={name} justify="space-between" gap="2" py="0.5">
          <Text as="dt">{name}</Text>
          <Text as="dd" className="figures" whiteSpace="nowrap">
            {figure}
          </Text>
        </Flex>
      ))}
    </Box>
  );
}
