import { Box, Flex, Text } from '@chakra-ui/react';
import { useMemo, useState } from 'react';
import { useNavigate, useParams, useSearchParams } from 'react-router';
import type { Tile } from '../api/client';
import { useLineup, useLot } from '../api/queries';
import { DropArea } from '../intake/DropArea';
import type { Gathered } from '../intake/gather';
import { IntakeReport } from '../intake/IntakeReport';
import { isRunning, send, useIntake } from '../intake/sending';
import { KeyHelp } from '../shared/KeyHelp';
import { useKeys } from '../shared/keys';
import { OneOf } from '../shared/OneOf';
import { wantsPerson } from '../shared/marks';
import { Empty, Loading, Trouble } from '../shared/states';
import { useNextCard, type Card } from '../cards/cards';
import { TestCards } from '../cards/TestCards';
import { FindingFilters, type Filter } from './FindingFilters';
import { FindingStrip } from './FindingStrip';
import { LotHeader } from './LotHeader';
import { OddOnes } from './OddOnes';
import { Selection } from './Selection';
import { TileBoard } from './TileBoard';

const LOOKS = [
  { name: 'board', label: 'By verdict' },
  { name: 'listing', label: 'Listing page' },
  { name: 'odd', label: 'Odd ones out' },
] as const;
type Look = (typeof LOOKS)[number]['name'];
const SIZES = { least: 110, most: 420, standard: 190 };
const NOTHING: Tile[] = [];

const KEYS: [string, string][] = [
  ['Arrows', 'from photo to photo; with Shift: choose on the way'],
  ['Space', 'choose the photo, or not; with Shift: all from the last one chosen'],
  ['Enter', 'open it on the bench'],
  ['N', 'open the first photo that wants a look'],
  ['Ctrl A', 'choose all that are shown'],
  ['R', 'run the chosen ones again'],
  ['A', 'allow a finding in the chosen ones'],
  ['M', 'mend the finding chosen at the left, in the chosen photos or all of them'],
  ['C', 'compare two to four chosen ones'],
  ['D', 'to Deliver; Enter does it'],
  ['V', 'the next test card behind all of them'],
  ['L', 'by verdict, as a listing page, odd ones out'],
  ['+ −', 'larger and smaller'],
  ['/', 'find by name'],
  ['Escape', 'choose none'],
];

/** One lot: its photos as they will look on a listing page, those that need a person first. */
export function LineupPage() {
  const lotId = Number(useParams().lotId);
  const navigate = useNavigate();
  const lot = useLot(lotId);
  const lineup = useLineup(lotId);
  const [card, setCard] = useState<Card>('white');
  const nextCard = useNextCard();
  // The check is in the address, so that the way back from the bench leads to it.
  const [params, setParams] = useSearchParams();
  const [name, setName] = useState('');
  const check = params.get('check');
  const filter = useMemo<Filter>(() => ({ check, name }), [check, name]);
  const setFilter = (to: Filter) => {
    setName(to.name);
    if (to.check !== check) setParams(to.check === null ? {} : { check: to.check }, { replace: true });
  };
  const [only, setOnly] = useState<ReadonlySet<number> | null>(null);
  const [look, setLook] = useState<Look>('board');
  const [size, setSize] = useState(SIZES.standard);
  const [chosen, setChosen] = useState<ReadonlySet<number>>(new Set());
  const [help, setHelp] = useState(false);
  const tiles = lineup.data ?? NOTHING;
  const shown = useMemo(
    () => tiles.filter((tile) => (only ? only.has(tile.id) : matches(tile, filter))),
    [tiles, filter, only],
  );
  const picked = useMemo(() => shown.filter((tile) => chosen.has(tile.id)), [shown, chosen]);
  const sized = (by: number) => setSize((now) => Math.min(SIZES.most, Math.max(SIZES.least, now + by)));
  useKeys({
    v: () => setCard(nextCard),
    l: () => setLook((now) => LOOKS[(LOOKS.findIndex((one) => one.name === now) + 1) % LOOKS.length]?.name ?? 'board'),
    'ctrl+a': () => setChosen(new Set(shown.map((tile) => tile.id))),
    '+': () => sized(40),
    '-': () => sized(-40),
    d: () => document.getElementById('deliver')?.focus(),
    '/': () => document.getElementById('find-by-name')?.focus(),
    n: () => {
      const first = shown.find(wantsPerson);
      if (first) void navigate(`/lots/${lotId}/photos/${first.id}`, { state: { work: 'first', check: filter.check } });
    },
    '?': () => setHelp(true),
    escape: () => (help ? setHelp(false) : setChosen(new Set())),
  });

  if (lot.isError) return <Trouble message={lot.error.message} onRetry={() => void lot.refetch()} />;
  if (lineup.isError && !lineup.data)
    return <Trouble message={lineup.error.message} onRetry={() => void lineup.refetch()} />;
  if (!lot.data || !lineup.data) return <Loading what="the line-up" />;
  const take = (files: Gathered[]) => send({ id: lotId, name: lot.data.name }, files);
  return (
    <DropArea what={`Drop to add to ${lot.data.name}`} onFiles={take}>
      <Flex direction="column" height="100%">
        <LotHeader lot={lot.data} onFiles={take} />
        <Flex flex="1" minHeight="0">
          <FindingFilters
            lotId={lotId}
            tiles={tiles}
            refusals={lot.data.refusals}
            filter={filter}
            onFilter={(filter) => {
              setFilter(filter);
              setOnly(null);
            }}
          />
          <Flex as="main" direction="column" flex="1" minWidth="0">
            <IntakeReport lotId={lotId} />
            {tiles.length === 0 ? (
              <NoPhotos lotId={lotId} />
            ) : (
              <>
                <Flex
                  align="center"
                  gap="4"
                  px="18px"
                  height="44px"
                  flex="none"
                  borderBottom="1px solid"
                  borderColor="line"
                >
                  {picked.length > 0 ? (
                    <Selection lotId={lotId} tiles={picked} check={filter.check} onClear={() => setChosen(new Set())} />
                  ) : (
                    <>
                      <OneOf label="Show the lot" choice={LOOKS} value={look} onChange={setLook} />
                      <Box flex="1" />
                      {look !== 'odd' && <TileSize size={size} onSize={setSize} />}
                    </>
                  )}
                  {look !== 'odd' && <TestCards card={card} onCard={setCard} />}
                </Flex>
                <FindingStrip
                  lotId={lotId}
                  check={filter.check}
                  at={picked.length > 0 ? picked : shown}
                  tiles={tiles}
                  mendable={lot.data.mendable}
                  onMended={(photos) => {
                    setOnly(photos && new Set(photos));
                    if (!photos) setFilter({ check: null, name: '' });
                  }}
                />
                {shown.length === 0 ? (
                  <Empty title="No photo matches">Choose another finding at the left, or clear the name.</Empty>
                ) : look === 'odd' ? (
                  <OddOnes lotId={lotId} shown={new Set(shown.map((tile) => tile.id))} />
                ) : (
                  <TileBoard
                    tiles={shown}
                    lotId={lotId}
                    card={card}
                    size={size}
                    listing={look === 'listing'}
                    check={filter.check}
                    chosen={chosen}
                    onChosen={setChosen}
                  />
                )}
              </>
            )}
          </Flex>
        </Flex>
      </Flex>
      <KeyHelp title="Keys on the line-up" keys={KEYS} open={help} onClose={() => setHelp(false)} />
    </DropArea>
  );
}

function NoPhotos({ lotId }: { lotId: number }) {
  const progress = useIntake(lotId);
  if (progress && isRunning(progress))
    return <Empty title="On their way">Each photo is shown as soon as it is in.</Empty>;
  return <Empty title="This lot is empty">Drop photos, folders or ZIPs here, or press Add photos.</Empty>;
}

function TileSize({ size, onSize }: { size: number; onSize: (size: number) => void }) {
  return (
    <Flex as="label" align="center" gap="2" fontSize="13px">
      <Text whiteSpace="nowrap">Size</Text>
      <input
        type="range"
        min={SIZES.least}
        max={SIZES.most}
        step={10}
        value={size}
        aria-valuetext={`${size} px`}
        style={{ width: '90px', accentColor: '#2C5AA0' }}
        onChange={(event) => onSize(Number(event.target.value))}
      />
    </Flex>
  );
}

function matches(tile: Tile, filter: Filter): boolean {
  const named = tile.name.toLowerCase().includes(filter.name.toLowerCase());
  return named && (filter.check === null || tile.found.some((finding) => finding.check === filter.check));
}
