import { Box, Flex } from '@chakra-ui/react';
import { useState } from 'react';
import { useParams } from 'react-router';
import type { Tile } from '../api/client';
import { useLineup, useLot } from '../api/queries';
import { DropArea } from '../intake/DropArea';
import { IntakeReport } from '../intake/IntakeReport';
import { useIntake } from '../intake/useIntake';
import { Empty, Loading, Trouble } from '../shared/states';
import type { Card } from '../shared/TestCards';
import { FindingFilters, type Filter } from './FindingFilters';
import { LotHeader } from './LotHeader';
import { TileBoard } from './TileBoard';

/** One lot: its photos as they will look on a listing page, those that need a person first. */
export function LineupPage() {
  const lotId = Number(useParams().lotId);
  const lot = useLot(lotId);
  const tiles = useLineup(lotId);
  const { progress, send, dismiss } = useIntake();
  const [card, setCard] = useState<Card>('white');
  const [filter, setFilter] = useState<Filter>({ check: null, name: '' });

  if (lot.isError) return <Trouble message={lot.error.message} onRetry={() => void lot.refetch()} />;
  if (!lot.data || !tiles.data) return <Loading what="the line-up" />;
  const shown = tiles.data.filter((tile) => matches(tile, filter));
  return (
    <DropArea what={`Drop to add to ${lot.data.name}`} onFiles={(files) => void send(lotId, files)}>
      <Flex direction="column" height="100%">
        <LotHeader lot={lot.data} onFiles={(files) => void send(lotId, files)} />
        <Flex flex="1" minHeight="0">
          <FindingFilters tiles={tiles.data} refusals={lot.data.refusals} filter={filter} onFilter={setFilter} />
          <Flex as="main" direction="column" flex="1" minWidth="0">
            {progress && (
              <Box p="3" pb="0">
                <IntakeReport progress={progress} onDismiss={dismiss} />
              </Box>
            )}
            {tiles.data.length === 0 ? (
              <Empty title="This lot is empty">Drop photos, folders or ZIPs here, or press Add photos.</Empty>
            ) : shown.length === 0 ? (
              <Empty title="No photo matches">Choose another finding at the left, or clear the name.</Empty>
            ) : (
              <TileBoard tiles={shown} lotId={lotId} card={card} onCard={setCard} />
            )}
          </Flex>
        </Flex>
      </Flex>
    </DropArea>
  );
}

function matches(tile: Tile, filter: Filter): boolean {
  const named = tile.name.toLowerCase().includes(filter.name.toLowerCase());
  return named && (filter.check === null || tile.found.some((finding) => finding.check === filter.check));
}
