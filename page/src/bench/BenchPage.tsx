import { Box, Flex, Grid, Text } from '@chakra-ui/react';
import { useMutation } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { answered, client, type Finding, type Photo } from '../api/client';
import { keys, queries, useLift, usePhoto } from '../api/queries';
import { stem } from '../shared/format';
import { Mark, checkName, standingOf, standings } from '../shared/marks';
import { Offline } from '../shared/Offline';
import { Loading, Trouble } from '../shared/states';
import { cards, type Card } from '../shared/TestCards';
import { FindingsList } from './FindingsList';
import { KeyHelp } from './KeyHelp';
import { useKeys } from './keys';
import { LiftPanel } from './LiftPanel';
import { LotStrip } from './LotStrip';
import { Viewer, type Focus, type View } from './Viewer';
import { Yardstick } from './Yardstick';

/** One photo: its findings, the viewer, and the stage in hand. */
export function BenchPage() {
  const photoId = Number(useParams().photoId);
  const photo = usePhoto(photoId);
  if (photo.isError) return <Trouble message={photo.error.message} onRetry={() => void photo.refetch()} />;
  if (!photo.data) return <Loading what="the photo" />;
  return <Bench key={photoId} photo={photo.data} />;
}

function Bench({ photo }: { photo: Photo }) {
  const navigate = useNavigate();
  const [view, setView] = useState<View>('picture');
  const [card, setCard] = useState<Card>('white');
  const [before, setBefore] = useState(false);
  const [chosen, setChosen] = useState<number | null>(null);
  const [help, setHelp] = useState(false);
  // The white point while it is dragged, and until the server has it.
  const [draft, setDraft] = useState<number | null>(null);
  const [dragging, setDragging] = useState(false);
  const own = photo.marks.white_point ?? null;
  const lift = useLift(photo.id, `${photo.tile_base} ${own}`);
  const whitePoint = draft ?? own ?? lift.data?.white_point ?? 255;

  const keep = useMutation({
    mutationFn: (level: number | null) =>
      answered(
        client.PUT('/api/photos/{photo_id}/marks', {
          params: { path: { photo_id: photo.id } },
          body: { white_point: level },
        }),
      ),
    onSuccess: (answer) => {
      queries.setQueryData(keys.photo(photo.id), answer);
      setDraft(null);
    },
    onError: () => setDraft(null),
  });
  const drag = (level: number) => {
    setDragging(true);
    setDraft(level);
  };
  const settle = (level: number | null) => {
    setDragging(false);
    if (level === own) setDraft(null);
    else {
      setDraft(level);
      keep.mutate(level);
    }
  };

  const placed = photo.findings.map((finding, i) => ({ finding, i }));
  const step = (by: number) => {
    if (placed.length === 0) return;
    const at = chosen === null ? (by > 0 ? 0 : placed.length - 1) : (chosen + by + placed.length) % placed.length;
    setChosen(at);
  };
  const at = photo.order.findIndex((one) => one.id === photo.id);
  const go = (by: number) => {
    const to = photo.order[at + by];
    if (to) void navigate(`/lots/${photo.lot_id}/photos/${to.id}`);
  };
  useKeys(
    {
      n: () => step(1),
      'shift+n': () => step(-1),
      b: () => setBefore(true),
      v: () => setCard((now) => cards[(cards.indexOf(now) + 1) % cards.length] ?? 'white'),
      pagedown: () => go(1),
      pageup: () => go(-1),
      '?': () => setHelp(true),
      escape: () =>
        help ? setHelp(false) : chosen !== null ? setChosen(null) : void navigate(`/lots/${photo.lot_id}`),
    },
    { b: () => setBefore(false) },
  );
  useEffect(() => {
    const release = () => setBefore(false);
    window.addEventListener('blur', release);
    return () => window.removeEventListener('blur', release);
  }, []);

  const finding = chosen === null ? undefined : photo.findings[chosen];
  const focus = useFocus(finding);
  const standing = standingOf(photo);
  return (
    <Grid height="100%" templateRows="44px minmax(0, 1fr) 66px" templateColumns="232px minmax(0, 1fr) 316px">
      <Flex as="header" gridColumn="1 / -1" bg="slate" color="paper.raised" px="14px" gap="4" align="center">
        <Link to="/">
          <Text fontWeight="700" fontSize="15px">
            Yard Chalk
          </Text>
        </Link>
        <Link to={`/lots/${photo.lot_id}`}>{photo.lot_name}</Link>
        <Text as="h1" truncate>
          {stem(photo.name)}
        </Text>
        <Flex flex="1" justify="center" align="center" gap="3">
          <Step label="Previous photo" onClick={() => go(-1)} disabled={at <= 0}>
            ‹
          </Step>
          <Text className="figures">
            {at + 1} of {photo.order.length}
          </Text>
          <Step label="Next photo" onClick={() => go(1)} disabled={at >= photo.order.length - 1}>
            ›
          </Step>
        </Flex>
        <Offline />
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
        <Step label="Keys (?)" onClick={() => setHelp(true)}>
          ?
        </Step>
      </Flex>
      <Flex as="aside" direction="column" borderRight="1px solid" borderColor="line" minHeight="0">
        <FindingsList photo={photo} chosen={chosen} onChoose={setChosen} onNext={() => step(1)} />
        <LotStrip photo={photo} />
      </Flex>
      <Box as="main" minWidth="0" minHeight="0">
        <Viewer
          photo={photo}
          // What a white point does is seen in the clip view; while one is dragged over the finished picture, that is shown.
          view={dragging && view === 'picture' ? 'clip' : view}
          onView={setView}
          card={card}
          onCard={setCard}
          whitePoint={photo.lift_on ? (draft ?? own ?? 0) : 0}
          before={before}
          focus={focus}
        />
      </Box>
      <Box as="section" aria-label="Lift" bg="paper.raised" borderLeft="1px solid" borderColor="line" minHeight="0">
        <LiftPanel
          photo={photo}
          lift={lift.data}
          whitePoint={whitePoint}
          onDrag={drag}
          onSettle={settle}
          onReset={() => settle(null)}
          trouble={keep.error?.message ?? lift.error?.message}
        />
      </Box>
      <Box gridColumn="1 / -1">
        <Yardstick photo={photo} />
      </Box>
      <KeyHelp open={help} onClose={() => setHelp(false)} />
    </Grid>
  );
}

const COLOURS = { fix: '#C2386F', look: '#C98A00', note: '#3B4247' };

/** Where the viewer flies to for a finding; the same object as long as it is the same finding. */
function useFocus(finding: Finding | undefined): Focus | null {
  const [focus, setFocus] = useState<{ of: Finding | undefined; focus: Focus | null }>({ of: undefined, focus: null });
  if (focus.of !== finding) {
    const [x = 0, y = 0, width = 0, height = 0] = finding?.place?.original ?? [];
    const made = finding?.place
      ? {
          place: { x, y, width, height },
          label: `${checkName(finding.check)} · ${finding.figure.toLocaleString('en')} ${finding.unit}`,
          colour: COLOURS[finding.severity],
        }
      : null;
    setFocus({ of: finding, focus: made });
    return made;
  }
  return focus.focus;
}

function Step(props: { label: string; onClick: () => void; disabled?: boolean; children: string }) {
  return (
    <Box
      as="button"
      aria-label={props.label}
      title={props.label}
      width="26px"
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
