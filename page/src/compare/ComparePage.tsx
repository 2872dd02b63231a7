import { Box, Flex, Grid, Text } from '@chakra-ui/react';
import { useEffect, useRef, useState } from 'react';
import { Link, useNavigate, useParams, useSearchParams } from 'react-router';
import type { Photo } from '../api/client';
import { usePhoto } from '../api/queries';
import { useMarksAddress } from '../bench/address';
import { Deck } from '../bench/deck';
import { OnItsWay } from '../bench/OnItsWay';
import { useCard } from '../bench/useCard';
import { onACard, sourceOf, views, type View } from '../bench/Viewer';
import { isOpen } from '../findings/useWork';
import { stem } from '../shared/format';
import { checkName, Mark, standingOf } from '../shared/marks';
import { useKeys } from '../shared/keys';
import { OneOf } from '../shared/OneOf';
import { panel } from '../shared/panel';
import { Empty, Trouble } from '../shared/states';
import type { Card } from '../cards/cards';
import { TestCards } from '../cards/TestCards';

const SHOWN: View[] = ['picture', 'white', 'matte'];

/** Up to four photos of a lot beside each other, moving in step. */
export function ComparePage() {
  const { lotId } = useParams();
  const [search] = useSearchParams();
  const navigate = useNavigate();
  const ids = (search.get('photos') ?? '').split(',').map(Number).filter(Boolean).slice(0, 4);
  const [view, setView] = useState<View | 'before'>('picture');
  const { card, choose, next } = useCard(view, setView);
  const [decks, setDecks] = useState<ReadonlyMap<number, Deck>>(new Map());
  useEffect(() => {
    const all = [...decks.values()];
    const ends = all.slice(1).map((deck, i) => (all[i] as Deck).join(deck));
    return () => ends.forEach((end) => end());
  }, [decks]);
  useKeys({
    v: next,
    escape: () => void navigate(`/lots/${lotId}`),
  });
  if (ids.length === 0)
    return <Empty title="Nothing to compare">Choose two to four photos on the line-up, then Compare.</Empty>;
  const choice = [...views.filter((one) => SHOWN.includes(one.name)), { name: 'before', label: 'Before' } as const];
  return (
    <Flex direction="column" height="100%">
      <Flex px="4" height="44px" gap="5" align="center" bg="paper.raised" borderBottom="1px solid" borderColor="line">
        <Link to={`/lots/${lotId}`}>
          <Box as="span" color="chalk.blue">
            Back to the line-up
          </Box>
        </Link>
        <Text as="h1" fontWeight="700">
          {ids.length} photos in step
        </Text>
        <OneOf label="View" choice={choice} value={view} onChange={setView} />
        <Box flex="1" />
        <TestCards card={onACard(view) ? card : null} onCard={choose} />
      </Flex>
      <Grid
        as="main"
        flex="1"
        minHeight="0"
        gap="2px"
        bg="paper.raised"
        templateColumns={ids.length === 3 ? 'repeat(3, 1fr)' : 'repeat(2, 1fr)'}
        templateRows={ids.length === 4 ? 'repeat(2, minmax(0, 1fr))' : 'minmax(0, 1fr)'}
      >
        {ids.map((id) => (
          <Pane
            key={id}
            id={id}
            view={view}
            card={card}
            onDeck={(deck) =>
              setDecks((now) => {
                const next = new Map(now);
                if (deck) next.set(id, deck);
                else next.delete(id);
                return next;
              })
            }
          />
        ))}
      </Grid>
    </Flex>
  );
}

type PaneProps = { view: View | 'before'; card: Card; onDeck: (deck: Deck | null) => void };

function Pane({ id, ...rest }: PaneProps & { id: number }) {
  const photo = usePhoto(id);
  if (photo.isError) return <Trouble message={photo.error.message} onRetry={() => void photo.refetch()} />;
  return photo.data ? <PhotoPane photo={photo.data} {...rest} /> : <Box bg="surround" />;
}

function PhotoPane({ photo, view, card, onDeck }: PaneProps & { photo: Photo }) {
  const element = useRef<HTMLDivElement>(null);
  const [deck, setDeck] = useState<Deck | null>(null);
  const [busy, setBusy] = useState(true);
  const [arrived, setArrived] = useState(false);
  const tell = useRef(onDeck);
  const marks = useMarksAddress(photo.marks);
  useEffect(() => {
    if (!element.current) return;
    const told = tell.current;
    const made = new Deck(element.current, {
      onBusy: (now) => {
        setBusy(now);
        if (!now) setArrived(true);
      },
    });
    setDeck(made);
    told(made);
    return () => {
      told(null);
      made.close();
    };
  }, []);
  const { tile_base: base, width, height, steps } = photo;
  useEffect(() => {
    deck?.show(sourceOf(base, { width, height, steps }, view, card, marks));
  }, [deck, base, width, height, steps, view, card, marks]);
  const worst = photo.findings.find(isOpen);
  return (
    <Box position="relative" bg="surround" minHeight="0" overflow="hidden">
      <Box
        ref={element}
        position="absolute"
        inset="0"
        data-busy={busy}
        role="img"
        aria-label={`${photo.name}, ${view}`}
      />
      {!arrived && <OnItsWay photo={photo} />}
      <Flex
        position="absolute"
        left="10px"
        bottom="10px"
        maxWidth="calc(100% - 20px)"
        {...panel}
        px="2.5"
        height="28px"
        align="center"
        gap="2"
        fontSize="13px"
        whiteSpace="nowrap"
      >
        <Mark standing={standingOf(photo)} />
        <Link to={`/lots/${photo.lot_id}/photos/${photo.id}`}>
          <b>{stem(photo.name)}</b>
        </Link>
        <Text truncate color="slate.quiet">
          {worst ? checkName(worst.check) : 'nothing found'}
        </Text>
      </Flex>
    </Box>
  );
}
