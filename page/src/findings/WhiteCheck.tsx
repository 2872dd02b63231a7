import { Box, Button, Flex, Text } from '@chakra-ui/react';
import { useQuery } from '@tanstack/react-query';
import { answered, client, type Island, type Islands, type Photo } from '../api/client';
import { textOf, type Marks } from '../bench/marks';
import { steppedBy } from '../shared/keys';
import { TypedNumber } from '../bench/TypedNumber';
import { count } from '../shared/format';
import { isOpen, overlap, type Work } from './useWork';

const LEAST = 200;
const W = 284;
const H = 54;
const SHOWN = 40;

/** What is off white apart from the product: how far from pure, island by island, and what to do about each. */
export function WhiteCheck(props: {
  photo: Photo;
  marks: Marks;
  work: Work;
  level: number;
  onLevel: (level: number) => void;
  onShow: (island: Island) => void;
  onPreview: (marks: Marks | null) => void;
  onMend: (marks: Marks, what: string) => void;
}) {
  const { photo, marks, work, level, onLevel, onShow, onPreview, onMend } = props;
  const report = useQuery({
    queryKey: ['islands', photo.id, photo.tile_base, textOf(marks), level],
    placeholderData: (before) => before,
    queryFn: () =>
      answered(
        client.POST('/api/photos/{photo_id}/islands', {
          params: { path: { photo_id: photo.id }, query: { level } },
          body: marks,
        }),
      ),
  });
  const found = report.data;
  return (
    <Flex
      direction="column"
      flex="none"
      maxHeight="44%"
      borderBottom="1px solid"
      borderColor="line"
      as="section"
      aria-label="White check"
    >
      <Box px="4" pt="3" pb="2">
        <Flex justify="space-between" align="center">
          <Text as="h2" fontWeight="700">
            White check, from level
          </Text>
          <TypedNumber
            name="White from level"
            unit="of 255"
            value={level}
            least={LEAST}
            most={255}
            step={1}
            disabled={false}
            onSettle={onLevel}
          />
        </Flex>
        {found && <Sweep sweep={found.sweep} level={level} onLevel={onLevel} />}
        <Text fontSize="13px" role="status" pt="1">
          {!found
            ? 'Looking at every pixel …'
            : found.count === 0
              ? `Every pixel meant as backdrop reaches ${level}.`
              : `${count(found.count, 'island')}, ${found.area.toLocaleString('en')} px, not up to ${level}.`}
        </Text>
      </Box>
      <Box overflowY="auto" borderTop={found?.count ? '1px solid' : undefined} borderColor="line">
        {found?.islands.slice(0, SHOWN).map((island, i) => (
          <Row
            key={i}
            island={island}
            onShow={() => onShow(island)}
            onPreview={onPreview}
            onMend={onMend}
            onAllow={allowOf(photo, island, work)}
          />
        ))}
        {found && found.count > SHOWN && (
          <Text px="3" py="2" fontSize="13px" color="slate.quiet">
            and {found.count - SHOWN} smaller ones
          </Text>
        )}
      </Box>
    </Flex>
  );
}

/** What allows the finding at an island; none where no check found anything there. */
function allowOf(photo: Photo, island: Island, work: Work): (() => void) | null {
  const at = photo.findings.findIndex((finding) => isOpen(finding) && overlap(finding.place, island.place));
  return at < 0 ? null : () => work.setAllowing(at);
}

function Row(props: {
  island: Island;
  onShow: () => void;
  onPreview: (marks: Marks | null) => void;
  onMend: (marks: Marks, what: string) => void;
  onAllow: (() => void) | null;
}) {
  const { island, onShow, onPreview, onMend, onAllow } = props;
  return (
    <Flex px="4" py="1" align="center" justify="space-between" gap="2" fontSize="13px">
      <Box as="button" textAlign="left" cursor="pointer" onClick={onShow}>
        {island.area.toLocaleString('en')} px, darkest {island.worst}
      </Box>
      <Flex gap="1" flex="none">
        {[island.paint, island.keep].map(
          (mend, i) =>
            mend && (
              <Button
                key={i}
                size="2xs"
                variant="outline"
                bg="white"
                title={mend.words}
                onMouseEnter={() => onPreview(mend.marks)}
                onMouseLeave={() => onPreview(null)}
                onFocus={() => onPreview(mend.marks)}
                onBlur={() => onPreview(null)}
                onClick={() => {
                  onPreview(null);
                  onMend(mend.marks, `White check: ${mend.words.toLowerCase()}`);
                }}
              >
                {i === 0 ? 'Paint' : 'Keep'}
              </Button>
            ),
        )}
        {onAllow && (
          <Button size="2xs" variant="outline" bg="white" onClick={onAllow}>
            Allow
          </Button>
        )}
      </Flex>
    </Flex>
  );
}

/** For every level how many px do not reach it, on a scale of tens; the level in hand is dragged. */
function Sweep(props: { sweep: Islands['sweep']; level: number; onLevel: (level: number) => void }) {
  const { sweep, level, onLevel } = props;
  const counts = sweep.map(([, px]) => px ?? 0);
  const most = Math.max(3, Math.log10(1 + Math.max(...counts)));
  const step = W / sweep.length;
  const short = counts[level - LEAST] ?? 0;
  const take = (event: React.PointerEvent<HTMLDivElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const at = Math.floor(((event.clientX - box.left) / box.width) * sweep.length);
    onLevel(LEAST + Math.min(sweep.length - 1, Math.max(0, at)));
  };
  return (
    <Box
      role="slider"
      tabIndex={0}
      aria-label="White from level, on the graph"
      aria-valuemin={LEAST}
      aria-valuemax={255}
      aria-valuenow={level}
      aria-valuetext={`${level}: ${short} px do not reach it`}
      cursor="ew-resize"
      style={{ touchAction: 'none' }}
      onPointerDown={(event: React.PointerEvent<HTMLDivElement>) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        take(event);
      }}
      onPointerMove={(event: React.PointerEvent<HTMLDivElement>) =>
        event.currentTarget.hasPointerCapture(event.pointerId) && take(event)
      }
      onKeyDown={(event: React.KeyboardEvent) => {
        const next = steppedBy(event, level, LEAST, 255);
        if (next === null) return;
        event.preventDefault();
        onLevel(next);
      }}
    >
      <svg width={W} height={H + 14} aria-hidden="true">
        <rect width={W} height={H} fill="#fff" stroke="#D2D2CD" />
        {counts.map((px, i) => {
          const tall = (H * Math.log10(1 + px)) / most;
          return <rect key={i} x={i * step} width={step - 0.5} y={H - tall} height={tall} fill="#5C646A" />;
        })}
        <line
          x1={(level - LEAST + 0.5) * step}
          x2={(level - LEAST + 0.5) * step}
          y1="0"
          y2={H}
          stroke="#2C5AA0"
          strokeWidth="2"
        />
        <text x="0" y={H + 12} fontSize="11" fill="#5C646A">
          {LEAST}
        </text>
        <text x={W / 2} y={H + 12} fontSize="11" fill="#5C646A" textAnchor="middle">
          px short of each level
        </text>
        <text x={W} y={H + 12} fontSize="11" fill="#5C646A" textAnchor="end">
          255
        </text>
      </svg>
    </Box>
  );
}
