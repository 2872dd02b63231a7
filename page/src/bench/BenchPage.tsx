import { Box, Flex, Grid } from '@chakra-ui/react';
import { useEffect, useRef, useState } from 'react';
import { useNavigate, useParams } from 'react-router';
import type { Finding, Photo } from '../api/client';
import { useLift, usePhoto } from '../api/queries';
import { Loading, Trouble } from '../shared/states';
import { ClearPanel } from '../clear/ClearPanel';
import { ClearTool } from '../clear/ClearTool';
import { thinned, within } from '../clear/placing';
import { useClear } from '../clear/useClear';
import { EdgePanel } from '../edge/EdgePanel';
import { useEdge } from '../edge/useEdge';
import { ColourPanel } from '../colour/ColourPanel';
import { MendPanel } from '../mend/MendPanel';
import { MendTool } from '../mend/MendTool';
import { useMend } from '../mend/useMend';
import { AllowDialog } from '../findings/AllowDialog';
import { FindingsList } from '../findings/FindingsList';
import { lineupAt, useArrival, useWork } from '../findings/useWork';
import { WhiteCheck } from '../findings/WhiteCheck';
import { BalancePanel } from './BalancePanel';
import { BrushLayer } from './BrushLayer';
import { BenchHeader } from './BenchHeader';
import { COLOURS, useFocus, useStretch } from './focus';
import { FramePanel } from './FramePanel';
import { KeyHelp } from '../shared/KeyHelp';
import { useKeys } from '../shared/keys';
import { KEYS } from './keys';
import { KeepAsSheet } from './KeepAsSheet';
import { LiftPanel, type Brush } from './LiftPanel';
import { LotStrip } from './LotStrip';
import { textOf, withBalance, withFrame, withLift, type Crop, type Marks, type Stroke } from './marks';
import { PlacePanel } from './PlacePanel';
import { useCard } from './useCard';
import { useHold } from './useHold';
import { Viewer, type Asking, type Compare, type Focus, type View } from './Viewer';
import { STAGES, Yardstick, type Stage } from './Yardstick';
import { useSteps } from './useSteps';
import { useTaking, type Taking } from './useTaking';

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
  const { card, choose: chooseCard, next: nextCard } = useCard(view, setView);
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
  // The photo is seen first; what panels measure of it follows.
  const [seen, setSeen] = useState(false);
  const lifting = seen && (stage === 'lift' || stage === 'balance');
  const { data: lift, error: notLifted } = useLift(photo.id, `${photo.tile_base} ${textOf(photo.marks)}`, lifting);

  const viewer = useRef<Asking>(null);
  // The first drag in Lift changes the view.
  const steps = useSteps(photo, viewer, stage === 'lift');
  const { shown, draft, dragging, asSeen, drag, settle } = steps;
  const taken = useTaking(photo, settle);
  const { clear, live } = useClear(photo, seen && stage === 'clear', shown, drag, settle);
  const edge = useEdge(photo, seen && stage === 'edge', shown, drag, settle);
  const mend = useMend(photo, seen && stage === 'mend', shown, drag, settle, { asSeen, viewer });
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
    taken.take(what);
  };
  const choose = (next: Stage) => {
    setStage(next);
    setBrush(null);
    taken.leave();
    clear.choose(null);
    edge.halt();
    mend.drop();
    // Views of other stages go with them.
    if (next === 'clear' || next === 'edge') setView(firstView(next));
    else if (!viewsOf(next, false).includes(view) || view === 'removed') setView('picture');
  };
  const trouble = steps.trouble ?? (taken.trouble ?? notLifted)?.message;

  /** A finding is taken in hand: the viewer flies there, and the stage that can mend it opens. */
  const work = useWork(
    photo,
    first,
    steps.pending,
    settle,
    (finding) => {
      setPlace(null);
      const mends = stageFor(finding, photo);
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
    if (to)
      void navigate(`/lots/${photo.lot_id}/photos/${to.id}`, { state: work.check ? { check: work.check } : null });
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
      v: nextCard,
      pagedown: () => go(1),
      pageup: () => go(-1),
      '?': () => setHelp(true),
      escape: () =>
        help
          ? setHelp(false)
          : taken.taking
            ? taken.leave()
            : clear.hand !== null || clear.waiting !== null
              ? clear.drop()
              : mend.tool !== null || mend.chosen !== null
                ? mend.drop()
                : edge.brush !== null || edge.at !== null
                  ? edge.halt()
                  : chosen !== null
                    ? work.choose(null)
                    : void navigate(lineupAt(photo.lot_id, work.check)),
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
  return (
    <Grid
      height="100%"
      templateRows="44px minmax(0, 1fr) 66px"
      templateColumns={{ base: '0 minmax(0, 1fr) 316px', xl: '232px minmax(0, 1fr) 316px' }}
    >
      <BenchHeader
        photo={photo}
        steps={steps}
        onGo={go}
        aside={aside}
        onAside={setAside}
        onKeep={() => setKeeping(true)}
        onHelp={() => setHelp(true)}
      />
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
          taking={taken.hint}
          onTaken={taken.onTaken}
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
            taking={taken.taking === 'line'}
            onTake={(on) => take(on ? 'line' : null)}
            onSettle={(change, what) => settle(withFrame(photo.marks, change), what)}
            trouble={trouble}
          />
        ) : stage === 'clear' ? (
          <ClearPanel
            clear={clear}
            live={live}
            trouble={trouble}
            onShow={({ label, ...box }) => setPlace({ place: box, label, colour: COLOURS.note })}
          />
        ) : stage === 'edge' ? (
          <EdgePanel edge={edge} trouble={trouble} />
        ) : stage === 'mend' ? (
          <MendPanel
            mend={mend}
            trouble={trouble}
            onShow={([x = 0, y = 0, width = 0, height = 0], label) =>
              setPlace({ place: { x, y, width, height }, label, colour: COLOURS.note })
            }
          />
        ) : stage === 'colour' ? (
          <ColourPanel photo={photo} marks={shown} trouble={trouble} onDrag={drag} onSettle={settle} />
        ) : stage === 'place' ? (
          <PlacePanel photo={photo} marks={shown} trouble={trouble} onDrag={drag} onSettle={settle} />
        ) : stage === 'lift' ? (
          <LiftPanel
            photo={photo}
            lift={lift}
            draft={draft?.lift ?? {}}
            brush={brush}
            onBrush={(next) => {
              taken.leave();
              setBrush(next);
              if (next) setView('reach');
            }}
            onCleared={() => setView('picture')}
            taking={taken.taking === 'white' || taken.taking === 'black' ? taken.taking : null}
            onTake={take}
            onDrag={(change) => drag(withLift(photo.marks, change))}
            onSettle={(change, what) => settle(withLift(photo.marks, change), what)}
            trouble={trouble}
          />
        ) : (
          <BalancePanel
            photo={photo}
            lift={lift}
            draft={draft?.balance ?? null}
            sample={taken.sampled}
            taking={taken.taking === 'neutral'}
            onTake={(on) => take(on ? 'neutral' : null)}
            onDrag={(balance) => drag(withBalance(photo.marks, balance))}
            onSettle={(balance, what) => settle(withBalance(photo.marks, balance), what)}
            trouble={trouble}
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

const viewsOf = (stage: Stage, mapped: boolean): View[] => [
  'picture',
  ...(stage === 'clear' ? (['removed'] as const) : stage === 'edge' ? (['edge'] as const) : (['clip'] as const)),
  'white',
  'matte',
  ...(stage === 'lift' ? (['reach'] as const) : []),
  ...(stage === 'clear' && mapped ? (['map'] as const) : []),
];
