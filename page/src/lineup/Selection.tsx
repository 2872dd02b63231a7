import { Button, Flex, Kbd, NativeSelect, Text } from '@chakra-ui/react';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { answered, client, type Tile } from '../api/client';
import { keys, queries, useShelf } from '../api/queries';
import { AllowDialog } from '../findings/AllowDialog';
import { count } from '../shared/format';
import { checkName } from '../shared/marks';
import { useKeys } from '../shared/keys';
import { called, newestOf } from '../sheets/shelf';

const MOST_COMPARED = 4;

/** What can be done with the chosen photos at once. */
export function Selection(props: {
  lotId: number;
  tiles: Tile[];
  /** The finding that the line-up is filtered by: that one is allowed, else the first of them. */
  check: string | null;
  onClear: () => void;
}) {
  const { lotId, tiles, check, onClear } = props;
  const navigate = useNavigate();
  const sheets = useShelf('sheet');
  const [allowing, setAllowing] = useState<string | null>(null);
  const [sure, setSure] = useState(false);
  const photos = tiles.map((tile) => tile.id);
  const path = { lot_id: lotId };
  const done = { onSuccess: () => queries.invalidateQueries({ queryKey: keys.lineup(lotId) }) };
  const run = useMutation({
    mutationFn: () =>
      answered(
        client.POST('/api/lots/{lot_id}/run', { params: { path }, body: { photos, anew: true, failed: false } }),
      ),
    ...done,
  });
  const sheet = useMutation({
    mutationFn: (name: string | null) =>
      answered(client.PUT('/api/lots/{lot_id}/photo-sheet', { params: { path }, body: { photos, sheet: name } })),
    ...done,
  });
  const allow = useMutation({
    mutationFn: ({ kind, reason }: { kind: string; reason: string }) =>
      answered(client.POST('/api/lots/{lot_id}/allow', { params: { path }, body: { photos, check: kind, reason } })),
    onSuccess: () => {
      setAllowing(null);
      return queries.invalidateQueries({ queryKey: keys.lineup(lotId) });
    },
  });
  const remove = useMutation({
    mutationFn: () => answered(client.POST('/api/lots/{lot_id}/remove', { params: { path }, body: { photos } })),
    onSuccess: () => {
      onClear();
      return queries.invalidateQueries();
    },
  });
  const kinds = [...new Set(tiles.flatMap((tile) => tile.found.map((finding) => finding.check)))];
  const kind = check !== null && kinds.includes(check) ? check : kinds[0];
  const comparable = photos.length >= 2 && photos.length <= MOST_COMPARED;
  const compare = () => void navigate(`/lots/${lotId}/compare?photos=${photos.join(',')}`);
  useKeys({
    r: () => run.mutate(),
    c: () => comparable && compare(),
    a: () => kind && setAllowing(kind),
  });
  const trouble = run.error ?? sheet.error ?? allow.error ?? remove.error;
  return (
    <Flex align="center" gap="2" flex="1" minWidth="0">
      <Text fontWeight="700" whiteSpace="nowrap" role="status">
        {count(tiles.length, 'photo')} chosen
      </Text>
      <Button size="2xs" variant="outline" bg="white" loading={run.isPending} onClick={() => run.mutate()}>
        Run again <Kbd size="sm">R</Kbd>
      </Button>
      <NativeSelect.Root size="xs" width="128px">
        <NativeSelect.Field
          aria-label="Run sheet of the chosen photos"
          bg="white"
          height="24px"
          value=""
          onChange={(event) => sheet.mutate(event.target.value === 'lot' ? null : event.target.value)}
        >
          <option value="">Run sheet …</option>
          <option value="lot">as the lot</option>
          {sheets.data &&
            newestOf(sheets.data).map((one) => (
              <option key={one.ref} value={one.ref}>
                {called(one)}
              </option>
            ))}
        </NativeSelect.Field>
        <NativeSelect.Indicator />
      </NativeSelect.Root>
      {kind && (
        <Button size="2xs" variant="outline" bg="white" onClick={() => setAllowing(kind)}>
          Allow <Kbd size="sm">A</Kbd>
        </Button>
      )}
      <Button
        size="2xs"
        variant="outline"
        bg="white"
        disabled={!comparable}
        title={comparable ? undefined : `Choose two to ${MOST_COMPARED} photos`}
        onClick={compare}
      >
        Compare <Kbd size="sm">C</Kbd>
      </Button>
      <Button
        size="2xs"
        variant="outline"
        bg="white"
        loading={remove.isPending}
        onBlur={() => setSure(false)}
        onClick={() => (sure ? remove.mutate() : setSure(true))}
      >
        {sure ? `Take ${photos.length} out of the lot?` : 'Remove'}
      </Button>
      <Button size="2xs" variant="ghost" onClick={onClear}>
        None <Kbd size="sm">Esc</Kbd>
      </Button>
      {trouble && (
        <Text role="alert" color="chalk.pink" truncate title={trouble.message}>
          {trouble.message}
        </Text>
      )}
      {allowing !== null && (
        <AllowDialog
          what={`Every “${checkName(allowing)}” in ${count(tiles.length, 'photo')}`}
          choices={kinds.map((one) => ({ value: one, label: checkName(one) }))}
          choice={allowing}
          onChoice={setAllowing}
          scoped={false}
          trouble={allow.error?.message}
          onAllow={(_, reason) => allow.mutate({ kind: allowing, reason })}
          onClose={() => setAllowing(null)}
        />
      )}
    </Flex>
  );
}
