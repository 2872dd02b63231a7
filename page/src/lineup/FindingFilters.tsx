import { Box, Flex, Input, Text } from '@chakra-ui/react';
import type { Lot, Tile } from '../api/client';
import { checkName } from '../shared/marks';
import { Allowances } from './Allowances';

export type Filter = { check: string | null; name: string };

type Row = { check: string; photos: number; fix: boolean };

function byCheck(tiles: Tile[]): Row[] {
  const rows = new Map<string, Row>();
  for (const tile of tiles) {
    for (const check of new Set(tile.found.map((finding) => finding.check))) {
      const row = rows.get(check) ?? { check, photos: 0, fix: false };
      row.photos += 1;
      row.fix ||= tile.found.some((finding) => finding.check === check && finding.severity === 'fix');
      rows.set(check, row);
    }
  }
  return [...rows.values()].sort((a, b) => Number(b.fix) - Number(a.fix) || b.photos - a.photos);
}

/** Findings by kind, as bars to filter with; below them what intake refused. */
export function FindingFilters(props: {
  lotId: number;
  tiles: Tile[];
  refusals: Lot['refusals'];
  filter: Filter;
  onFilter: (filter: Filter) => void;
}) {
  const { lotId, tiles, refusals, filter, onFilter } = props;
  const rows = byCheck(tiles);
  const most = Math.max(1, ...rows.map((row) => row.photos));
  return (
    <Box as="aside" width="232px" flex="none" borderRight="1px solid" borderColor="line" overflowY="auto" py="3">
      <Text fontWeight="700" px="3.5" mb="2">
        What the checks found
      </Text>
      <FilterRow
        label="All photos"
        number={tiles.length}
        chosen={filter.check === null}
        onChoose={() => onFilter({ ...filter, check: null })}
      />
      {rows.map((row) => (
        <FilterRow
          key={row.check}
          label={checkName(row.check)}
          number={row.photos}
          share={row.photos / most}
          colour={row.fix ? 'chalk.pink' : 'chalk.yellow'}
          chosen={filter.check === row.check}
          onChoose={() => onFilter({ ...filter, check: filter.check === row.check ? null : row.check })}
        />
      ))}
      <Box px="3.5" mt="4">
        <Input
          size="sm"
          bg="white"
          id="find-by-name"
          aria-label="Find by name"
          placeholder="Find by name  ( / )"
          value={filter.name}
          onChange={(event) => onFilter({ ...filter, name: event.target.value })}
        />
      </Box>
      <Allowances lotId={lotId} />
      {refusals.length > 0 && (
        <Box px="3.5" mt="5">
          <Text fontWeight="700" mb="1">
            Refused at intake
          </Text>
          {refusals.map((refusal) => (
            <Text key={`${refusal.name} ${refusal.at}`} fontSize="13px" mb="2" overflowWrap="anywhere">
              {refusal.reason}
            </Text>
          ))}
        </Box>
      )}
    </Box>
  );
}

function FilterRow(props: {
  label: string;
  number: number;
  share?: number;
  colour?: string;
  chosen: boolean;
  onChoose: () => void;
}) {
  const { label, number, share, colour, chosen, onChoose } = props;
  return (
    <Box
      as="button"
      display="block"
      width="100%"
      textAlign="left"
      px="3.5"
      py="1.5"
      cursor="pointer"
      bg={chosen ? 'paper.raised' : undefined}
      boxShadow={chosen ? 'inset 4px 0 {colors.chalk.blue}' : undefined}
      aria-pressed={chosen}
      onClick={onChoose}
    >
      <Flex justify="space-between">
        <span>{label}</span>
        <span className="figures">{number}</span>
      </Flex>
      {share !== undefined && (
        <Box bg="line" height="5px" mt="1">
          <Box bg={colour} height="100%" width={`${100 * share}%`} />
        </Box>
      )}
    </Box>
  );
}
