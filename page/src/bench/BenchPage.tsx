import { Box, Flex, Grid, Text } from '@chakra-ui/react';
import { useMutation } from '@tanstack/react-query';
import { useEffect, useMemo, useRef, useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { answered, client, type Finding, type Photo } from '../api/client';
import { useLift, usePhoto } from '../api/queries';
import { stem } from '../shared/format';
import { Mark, checkName, standingOf, standings } from '../shared/marks';
import { Offline } from '../shared/Offline';
import { Loading, Trouble } from '../shared/states';
import { nextCard, type Card } from '../shared/TestCards';
import { ClearPanel } from '../clear/ClearPanel';
import { ClearTool } from '../clear/ClearTool';
import { thinned, within } from '../clear/placing';
import { useClear } from '../clear/useClear';
import { EdgePanel } from '../edge/EdgePanel';
import { doubtful, useEdge, type Edge } from '../edge/useEdge';
import { ColourPanel } from '../colour/ColourPanel';
import { MendPanel } from '../mend/MendPanel';
import { MendTool } from '../mend/MendTool';
import { useMend } from '../mend/useMend';
import { AllowDialog } from '../findings/AllowDialog';
import { FindingsList } from '../findings/FindingsList';
import { isOpen, useArrival, useWork } from '../findings/useWork';
import { WhiteCheck } from '../findings/WhiteCheck';
import { BalancePanel } from './BalancePanel';
import { BrushLayer } from './BrushLayer';
import type { Box as Place, Taken } from './deck';
import { FramePanel } from './FramePanel';
import { KeyHelp } from '../shared/KeyHelp';
import { useKeys } from '../shared/keys';
import { KeepAsSheet } from './KeepAsSheet';
import { LiftPanel, type Brush } from './LiftPanel';
import { LotStrip } from './LotStrip';
import { textOf, withBalance, withFrame, withLift, type Crop, type Marks, type Stroke } from './marks';
import { PlacePanel } from './PlacePanel';
import { Snapshots } from './Snapshots';
import { useHold } from './useHold';
import { onACard, Viewer, type Asking, type Compare, type Focus, type View } from './Viewer';
import { STAGES, Yardstick, type Stage } from './Yardstick';
import { useSteps } from './useSteps';

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
  const first = useArrival(photo);
  const [stage, setStage] = useState<Stage>(() => stageFor(first, photo) ?? 'lift');
  const [view, setView] = useState<View>(firstView(stage));
  const [card, setCard] = useState<Card>('white');
  const [before, setBefore] = useState(false);
  const [help, setHelp] = useState(false);
  const [keeping, setKeeping] = useState(false);
  useHold(photo.id);
  const [aside, setAside] = useState(false);
  const [compare, setCompare] = useState<Compare | null>(null);
  const [brush, setBrush] = useState<Brush | null>(null);
  const [place, setPlace] = useState<Focus | null>(null);
  const [aspect, setAspect] = useState<number | null>(null);
  const [level, setLevel] = useState(255);
  const [islandShown, setIslandShown] = useState<Marks | null>(null);
  const [taking, setTaking] = useState<Taking | null>(null);
  // The photo is seen first; what panels measure of it follows.
  const [seen, setSeen] = useState(false);
  const lifting = seen && (stage === 'lift' || stage === 'balance');
  const { data: lift, error: notLifted } = useLift(photo.id, `${photo.tile_base} ${textOf(photo.marks)}`, lifting);

  const viewer = useRef<Asking>(null);
  // The first drag in Lift changes the view.
  const steps = useSteps(photo, viewer, stage === 'lift');
  const { shown, draft, dragging, asSeen, drag, settle } = steps;
  const path = { path: { photo_id: photo.id } };
  const { clear, live } = useClear(photo, seen && stage === 'clear', shown, drag, settle);
  const edge = useEdge(photo, seen && stage === 'edge', shown, drag, settle);
  const mend = useMend(photo, seen && stage === 'mend', shown, drag, settle, { asSeen, viewer });
  const {
    mutate: sample,
    reset: forgetSample,
    data: sampled,
    variables: sampling,
    error: notSampled,
  } = useMutation({
    mutationFn: ({ box }: { box: Place; what: Sampling }) =>
      answered(client.GET('/api/photos/{photo_id}/sample', { params: { ...path, query: box } })),
    onSuccess: (found, { what }) => {
      if (what === 'neutral')
        settle(withBalance(photo.marks, { red: found.red, blue: found.blue }), 'Balance: a place made neutral');
      else {
        const point = `${what}_point` as const;
        const level = found[point];
        settle(
          withLift(photo.marks, { [point]: level }),
          `${what === 'white' ? 'White' : 'Black'} point ${level}, touched`,
        );
      }
    },
  });
  const { mutate: straighten, error: notStraightened } = useMutation({
    mutationFn: ({ across, down }: Taken) =>
      answered(client.GET('/api/level', { params: { query: { dx: across, dy: down } } })),
    onSuccess: ({ angle }) => {
      const turned = Number(((photo.marks.frame?.angle ?? 0) + angle).toFixed(2));
      settle(withFrame(photo.marks, { angle: turned, crop: null }), `Straightened by ${turned.toFixed(1)}°`);
    },
  });
  const crop = ((shown.frame ? shown.frame.crop : photo.crop) ?? [0, 0, 1, 1]) as Crop;
  const paint = (points: { x: number; y: number }[]) => {
    if (!brush) return;
    const { placing } = clear;
    const stroke: Stroke = {
      adds: brush.adds,
      size: placing.toSize((brush.size / 1000) * Math.max(photo.width, photo.height)),
      points: thinned(points).map((at) => within(placing.toPhoto(at))),
    };
    const strokes = [...(shown.lift.strokes ?? []), stroke];
    settle(withLift(shown, { strokes }), brush.adds ? 'Painted: Lift acts here' : 'Painted: Lift does not act here');
  };
  const take = (what: Taking | null) => {
    setBrush(null);
    forgetSample();
    setTaking(what);
  };
  // Where no card lies behind what is seen, choosing one shows the picture on it.
  const chooseCard = (chosen: Card) => {
    setCard(chosen);
    if (!onACard(view)) setView('picture');
  };
  const choose = (next: Stage) => {
    setStage(next);
    setBrush(null);
    setTaking(null);
    clear.choose(null);
    edge.halt();
    mend.drop();
    // Views of other stages go with them.
    if (next === 'clear' || next === 'edge') setView(firstView(next));
    else if (!viewsOf(next, false).includes(view) || view === 'removed') setView('picture');
  };
  const trouble = steps.trouble ?? notSampled ?? notStraightened ?? notLifted;

  /** A finding is taken in hand: the viewer flies there, and the stage that can mend it opens. */
  const work = useWork(
    photo,
    first,
    steps.pending,
    settle,
    (taken) => {
      setPlace(null);
      const mends = stageFor(taken, photo);
      if (mends && mends !== stage) choose(mends);
    },
    (tool) => {
      if (stage !== 'clear') choose('clear');
      clear.begin(tool);
    },
  );
  const { chosen } = work;
  const at = photo.order.findIndex((one) => one.id === photo.id);
  const go = (by: number) => {
    const to = photo.order[at + by];
    if (to) void navigate(`/lots/${photo.lot_id}/photos/${to.id}`);
  };
  useKeys(
    {
      n: () => work.step(1),
      'shift+n': () => work.step(-1),
      enter: work.accept,
      a: () => {
        const allowed = chosen === null ? null : photo.findings[chosen]?.allowed;
        if (allowed) work.withdraw(allowed.id);
        else if (chosen !== null && photo.findings[chosen]?.severity !== 'note') work.setAllowing(chosen);
      },
      p: () => work.setPreview(chosen),
      b: () => setBefore(true),
      s: () => setCompare((now) => (now === 'split' ? null : 'split')),
      d: () => setCompare((now) => (now === 'side' ? null : 'side')),
      '1': () => choose('frame'),
      '2': () => choose('balance'),
      '3': () => choose('lift'),
      '4': () => choose('clear'),
      '5': () => choose('edge'),
      '6': () => choose('mend'),
      '7': () => choose('colour'),
      '8': () => choose('place'),
      ...(stage === 'mend' && mend.entry
        ? {
            arrowleft: () => mend.moveBy(-1, 0),
            arrowright: () => mend.moveBy(1, 0),
            arrowup: () => mend.moveBy(0, -1),
            arrowdown: () => mend.moveBy(0, 1),
            'shift+arrowleft': () => mend.moveBy(-10, 0),
            'shift+arrowright': () => mend.moveBy(10, 0),
            'shift+arrowup': () => mend.moveBy(0, -10),
            'shift+arrowdown': () => mend.moveBy(0, 10),
          }
        : {}),
      w: () => (stage === 'edge' ? edge.walk() : choose('edge')),
      'shift+w': () => stage === 'edge' && edge.back(),
      // On an edge walk the stretch is mended, with a brush; else the finding in hand, by what is offered.
      m: () => {
        if (stage === 'edge' && (edge.at !== null || chosen === null)) edge.takeBrush({ of: 'wider', adds: true });
        else if (chosen !== null) work.mend(chosen);
      },
      'ctrl+z': steps.undo,
      'ctrl+shift+z': steps.redo,
      v: () => chooseCard(nextCard(card)),
      pagedown: () => go(1),
      pageup: () => go(-1),
      '?': () => setHelp(true),
      escape: () =>
        help
          ? setHelp(false)
          : taking
            ? setTaking(null)
            : clear.hand !== null || clear.waiting !== null
              ? clear.drop()
              : mend.tool !== null || mend.chosen !== null
                ? mend.drop()
                : edge.brush !== null || edge.at !== null
                  ? edge.halt()
                  : chosen !== null
                    ? work.choose(null)
                    : void navigate(`/lots/${photo.lot_id}`),
    },
    { b: () => setBefore(false), p: () => work.setPreview(null) },
  );
  useEffect(() => {
    const release = () => setBefore(false);
    window.addEventListener('blur', release);
    return () => window.removeEventListener('blur', release);
  }, []);

  const finding = chosen === null ? undefined : photo.findings[chosen];
  const found = useFocus(finding);
  const walked = useStretch(edge);
  const focus =
    place && (stage === 'clear' || stage === 'mend' || view === 'white')
      ? place
      : stage === 'edge' && walked
        ? walked
        : found;
  const mapped = clear.region?.kind === 'contrast' || clear.region?.kind === 'ink';
  const standing = standingOf(photo);
  return (
    <Grid
      height="100%"
      templateRows="44px minmax(0, 1fr) 66px"
      templateColumns={{ base: '0 minmax(0, 1fr) 316px', xl: '232px minmax(0, 1fr) 316px' }}
    >
      <Flex
        as="header"
        gridColumn="1 / -1"
        bg="slate"
        color="paper.raised"
        px="14px"
        gap="4"
        align="center"
        whiteSpace="nowrap"
      >
        <Link to="/">
          <Text fontWeight="700" fontSize="15px">
            Yard Chalk
          </Text>
        </Link>
        {/* Where there is no room for all, the names are shortened: the lot's first. */}
        <Box flex="0 4 auto" minWidth="24px" maxWidth="190px">
          <Link to={`/lots/${photo.lot_id}`} title={photo.lot_name}>
            <Text truncate>{photo.lot_name}</Text>
          </Link>
        </Box>
        <Text as="h1" flex="0 1 auto" truncate minWidth="0" title={photo.name}>
          {stem(photo.name)}
        </Text>
        <Box
          as="button"
          display={{ base: 'block', xl: 'none' }}
          aria-expanded={aside}
          px="2"
          height="26px"
          borderRadius="yard"
          cursor="pointer"
          whiteSpace="nowrap"
          _hover={{ bg: 'slate.soft' }}
          onClick={() => setAside(!aside)}
        >
          Findings <span className="figures">{photo.findings.filter(isOpen).length}</span>
        </Box>
        <Flex flex="1 0 auto" justify="center" align="center" gap="3">
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
        <Step
          label={photo.undo ? `Undo: ${photo.undo} (Ctrl Z)` : 'Nothing to undo'}
          onClick={steps.undo}
          disabled={photo.undo === null}
          wide
        >
          Undo
        </Step>
        <Step
          label={photo.redo ? `Redo: ${photo.redo} (Ctrl Shift Z)` : 'Nothing to redo'}
          onClick={steps.redo}
          disabled={photo.redo === null}
          wide
        >
          Redo
        </Step>
        <Step label="Keep as sheet: the settings of this photo, for others" wide onClick={() => setKeeping(true)}>
          Keep as sheet
        </Step>
        <Snapshots photo={photo} />
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
      <Flex
        as="aside"
        gridColumn="1"
        gridRow="2"
        direction="column"
        borderRight="1px solid"
        borderColor="line"
        minHeight="0"
        // On a tablet the photo has the room; the findings come over it when they are asked for.
        width="232px"
        bg="paper"
        zIndex={{ base: '10', xl: 'auto' }}
        position={{ base: 'relative', xl: 'static' }}
        display={{ base: aside ? 'flex' : 'none', xl: 'flex' }}
      >
        <FindingsList photo={photo} work={work} />
        <LotStrip photo={photo} />
      </Flex>
      <Box as="main" gridColumn="2" gridRow="2" minWidth="0" minHeight="0">
        <Viewer
          ref={viewer}
          onSeen={setSeen}
          photo={photo}
          // What a white point does is seen in the clip view; while one is dragged over the finished picture, that is shown.
          view={live ? 'before' : dragging && view === 'picture' && stage === 'lift' ? 'clip' : view}
          choice={viewsOf(stage, mapped)}
          onView={setView}
          card={card}
          onCard={chooseCard}
          marks={asSeen(islandShown ?? work.preview ?? shown)}
          before={before}
          level={level}
          focus={focus}
          compare={compare}
          onCompare={setCompare}
          taking={taking && TAKING[taking]}
          onTaken={(taken) => {
            if (taking === 'line') straighten(taken);
            else if (taking) sample({ box: taken.box, what: taking });
            setTaking(null);
          }}
          tool={
            stage === 'clear'
              ? (deck) => <ClearTool clear={clear} live={live} deck={deck} />
              : stage === 'mend'
                ? (deck) => <MendTool mend={mend} deck={deck} />
                : stage === 'edge'
                  ? edge.brush &&
                    ((deck) => (
                      <BrushLayer
                        deck={deck}
                        adds={edge.brush?.adds ?? true}
                        label={edge.brush?.of === 'glass' ? 'Paint where it is seen through' : 'Paint the band wider'}
                        size={clear.placing.toPx(edge.size)}
                        onStroke={edge.paint}
                      />
                    ))
                  : brush &&
                    ((deck) => (
                      <BrushLayer
                        deck={deck}
                        adds={brush.adds}
                        label={brush.adds ? 'Paint where Lift acts' : 'Paint where Lift does not act'}
                        size={(brush.size / 1000) * Math.max(photo.width, photo.height)}
                        onStroke={paint}
                      />
                    ))
          }
          framing={
            stage === 'frame'
              ? {
                  crop,
                  aspect,
                  onDrag: (next) => drag(withFrame(photo.marks, { crop: next })),
                  onSettle: (next) => settle(withFrame(photo.marks, { crop: next }), 'Crop'),
                }
              : null
          }
        />
      </Box>
      <Box
        as="section"
        gridColumn="3"
        gridRow="2"
        aria-label={STAGES.find((one) => one.stage === stage)?.name}
        bg="paper.raised"
        borderLeft="1px solid"
        borderColor="line"
        minHeight="0"
        display="flex"
        flexDirection="column"
      >
        {view === 'white' && (
          <WhiteCheck
            photo={photo}
            marks={photo.marks}
            work={work}
            level={level}
            onLevel={setLevel}
            onShow={(island) => {
              const [x = 0, y = 0, width = 0, height = 0] = island.place.original;
              setPlace({
                place: { x, y, width, height },
                label: `${island.area.toLocaleString('en')} px, darkest ${island.worst}`,
                colour: COLOURS.fix,
              });
            }}
            onPreview={setIslandShown}
            onMend={settle}
          />
        )}
        {stage === 'frame' ? (
          <FramePanel
            photo={photo}
            crop={crop}
            aspect={aspect}
            onAspect={setAspect}
            taking={taking === 'line'}
            onTake={(on) => take(on ? 'line' : null)}
            onSettle={(change, what) => settle(withFrame(photo.marks, change), what)}
            trouble={trouble?.message}
          />
        ) : stage === 'clear' ? (
          <ClearPanel
            clear={clear}
            live={live}
            trouble={trouble?.message}
            onShow={({ label, ...box }) => setPlace({ place: box, label, colour: COLOURS.note })}
          />
        ) : stage === 'edge' ? (
          <EdgePanel edge={edge} trouble={trouble?.message} />
        ) : stage === 'mend' ? (
          <MendPanel
            mend={mend}
            trouble={trouble?.message}
            onShow={([x = 0, y = 0, width = 0, height = 0], label) =>
              setPlace({ place: { x, y, width, height }, label, colour: COLOURS.note })
            }
          />
        ) : stage === 'colour' ? (
          <ColourPanel photo={photo} marks={shown} trouble={trouble?.message} onDrag={drag} onSettle={settle} />
        ) : stage === 'place' ? (
          <PlacePanel photo={photo} marks={shown} trouble={trouble?.message} onDrag={drag} onSettle={settle} />
        ) : stage === 'lift' ? (
          <LiftPanel
            photo={photo}
            lift={lift}
            draft={draft?.lift ?? {}}
            brush={brush}
            onBrush={(next) => {
              setTaking(null);
              setBrush(next);
              if (next) setView('reach');
            }}
            onCleared={() => setView('picture')}
            taking={taking === 'white' || taking === 'black' ? taking : null}
            onTake={take}
            onDrag={(change) => drag(withLift(photo.marks, change))}
            onSettle={(change, what) => settle(withLift(photo.marks, change), what)}
            trouble={trouble?.message}
          />
        ) : (
          <BalancePanel
            photo={photo}
            lift={lift}
            draft={draft?.balance ?? null}
            sample={sampling?.what === 'neutral' ? (sampled ?? null) : null}
            taking={taking === 'neutral'}
            onTake={(on) => take(on ? 'neutral' : null)}
            onDrag={(balance) => drag(withBalance(photo.marks, balance))}
            onSettle={(balance, what) => settle(withBalance(photo.marks, balance), what)}
            trouble={trouble?.message}
          />
        )}
      </Box>
      <Box gridColumn="1 / -1">
        <Yardstick photo={photo} stage={stage} onStage={choose} />
      </Box>
      <KeyHelp title="Keys at the bench" keys={KEYS} open={help} onClose={() => setHelp(false)} />
      {keeping && <KeepAsSheet photo={photo} onClose={() => setKeeping(false)} />}
      {work.allowing !== null && (
        <AllowDialog
          what={photo.findings[work.allowing]?.message ?? ''}
          trouble={work.trouble}
          onAllow={work.allow}
          onClose={() => work.setAllowing(null)}
        />
      )}
    </Grid>
  );
}

/** The stage that mends a finding; none if that is no stage of the bench. */
function stageFor(finding: Finding | null | undefined, photo: Photo): Stage | undefined {
  const mends = STAGES.find((one) => one.stage === finding?.stage)?.stage;
  // Frame shows the photo before its crop, where places are others.
  return mends === 'frame' && photo.crop ? undefined : mends;
}

/** What is removed is plain to see while it is decided, and the band while it is solved. */
const firstView = (stage: Stage): View => (stage === 'clear' ? 'removed' : stage === 'edge' ? 'edge' : 'picture');

const KEYS: [string, string][] = [
  ['N', 'next finding: the viewer flies there, the stage that mends it opens; after the last, the next photo'],
  ['Shift N', 'the finding before'],
  ['M', 'mend it by what is offered, or take the tool that does; on an edge walk: paint the band wider'],
  ['P', 'hold to see what that would do'],
  ['A', 'allow it, with a reason; or take that back'],
  ['Enter', 'accept the photo and go on; with an outline in hand: close it'],
  ['B', 'hold to see the photo as it came in'],
  ['V', 'the next test card behind the cut-out'],
  ['S', 'before and after, split by a line to drag'],
  ['D', 'before and after side by side, moving together'],
  ['1 … 8', 'Frame, Balance, Lift, Clear, Edge, Mend, Colour, Place'],
  ['W', 'walk along the outline, to where the next stretch wants a look; with Shift: one stretch back'],
  ['Ctrl Z', 'take the last step back; with Shift: do it again'],
  ['Space', 'hold to move the picture with a tool in hand; the wheel or two fingers zoom'],
  ['Page Down', 'the next photo of the lot; Page Up the one before'],
  ['← →', 'with a slider in hand: one step; with a mend in hand: 1 px; with Shift: ten'],
  ['Escape', 'let go of the finding; then back to the line-up'],
];

const viewsOf = (stage: Stage, mapped: boolean): View[] => [
  'picture',
  ...(stage === 'clear' ? (['removed'] as const) : stage === 'edge' ? (['edge'] as const) : (['clip'] as const)),
  'white',
  'matte',
  ...(stage === 'lift' ? (['reach'] as const) : []),
  ...(stage === 'clear' && mapped ? (['map'] as const) : []),
];

type Sampling = 'neutral' | 'white' | 'black';
type Taking = Sampling | 'line';
const TAKING: Record<Taking, string> = {
  neutral: 'Touch or drag over what should be neutral; Escape leaves it',
  white: 'Touch or drag over what should be white; Escape leaves it',
  black: 'Touch or drag over what should be black; Escape leaves it',
  line: 'Draw along something level or upright; Escape leaves it',
};

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

/** Where the viewer flies to on a walk along the edge; the same object as long as it is the same stretch. */
function useStretch({ here, at }: Edge): Focus | null {
  return useMemo(() => {
    if (!here || at === null) return null;
    const [x = 0, y = 0, width = 0, height = 0] = here.box;
    return {
      place: { x, y, width, height },
      label: here.fault ?? `fringe ${here.fringe.toFixed(1)} ΔE`,
      colour: doubtful(here) ? COLOURS.look : COLOURS.note,
      zoom: 2,
    };
  }, [here, at]);
}

function Step(props: { label: string; onClick: () => void; disabled?: boolean; wide?: boolean; children: string }) {
  return (
    <Box
      as="button"
      aria-label={props.label}
      title={props.label}
      flex="none"
      minWidth="26px"
      px={props.wide ? '2' : undefined}
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
