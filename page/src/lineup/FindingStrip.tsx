import { Button, Flex, Kbd, Text } from '@chakra-ui/react';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { answered, client, type Schemas, type Tile } from '../api/client';
import { keys, queries } from '../api/queries';
import { count, stem } from '../shared/format';
import { useKeys } from '../shared/keys';
import { checkName, standingOf } from '../shared/marks';

const NAMED = 3;

type Mended = Schemas['MendedAlike'] & { check: string };

/** The finding that the line-up is filtered by, and what one press does about it in all these photos; then what came of that. */
export function FindingStrip(props: {
  lotId: number;
  check: string | null;
  /** What the press is about: the chosen photos or, if none are, all that are shown. */
  at: Tile[];
  /** The whole lot. */
  tiles: Tile[];
  mendable: string[];
  /** These photos were mended: they are to be shown, whatever the checks still find; null once that has been seen. */
  onMended: (photos: number[] | null) => void;
}) {
  const { lotId, check, at, tiles, mendable, onMended } = props;
  const [mended, setMended] = useState<Mended | null>(null);
  const [kept, setKept] = useState<{ check: string; photos: number } | null>(null);
  const path = { lot_id: lotId };
  const done = () => queries.invalidateQueries({ queryKey: keys.lineup(lotId) });
  const mend = useMutation({
    mutationFn: (body: { photos: number[]; check: string }) =>
      answered(client.POST('/api/lots/{lot_id}/mend', { params: { path }, body })),
    onSuccess: async (made, { check }) => {
      // Not before the tiles say that they wait: else it would be said of the findings as they were that they stayed.
      await done();
      setKept(null);
      setMended({ ...made, check });
      if (made.photos.length > 0) onMended(made.photos);
    },
  });
  const takeBack = useMutation({
    mutationFn: ({ photos }: Mended) =>
      answered(client.POST('/api/lots/{lot_id}/mend/take-back', { params: { path }, body: { photos } })),
    onSuccess: ({ count: back }, { check, photos }) => {
      setMended(null);
      setKept({ check, photos: photos.length - back });
      return done();
    },
  });
  const offered = check !== null && mendable.includes(check) && check !== mended?.check;
  const photos = at.filter((tile) => tile.found.some((one) => one.check === check)).map((tile) => tile.id);
  const press = () => check !== null && photos.length > 0 && mend.mutate({ photos, check });
  useKeys({ m: () => offered && !mend.isPending && press() });
  const trouble = mend.error ?? takeBack.error;
  if (!offered && !mended) return null;
  return (
    <Flex
      as="section"
      aria-label="Mend in many photos"
      align="center"
      gap="3"
      px="18px"
      py="2"
      flex="none"
      bg="paper.raised"
      borderBottom="1px solid"
      borderColor="line"
      fontSize="13px"
    >
      {offered ? (
        <>
          <Text minWidth="0" role="status">
            {kept && kept.check === check && kept.photos > 0
              ? `Not taken back in ${count(kept.photos, 'photo')}, changed since: undo it at the bench.`
              : 'Each photo gets the mend that it offers on the bench, and is checked anew. Undo takes it back.'}
          </Text>
          <Button
            size="2xs"
            colorPalette="blue"
            ml="auto"
            flex="none"
            loading={mend.isPending}
            disabled={photos.length === 0}
            onClick={press}
          >
            Mend “{checkName(check)}” in {count(photos.length, 'photo')}{' '}
            <Kbd size="sm" color="slate">
              M
            </Kbd>
          </Button>
        </>
      ) : (
        mended && (
          <>
            <Text role="status" minWidth="0" overflowWrap="anywhere">
              {cameOf(mended, tiles)}
            </Text>
            {mended.photos.length > 0 && (
              <Button
                size="2xs"
                variant="outline"
                bg="white"
                ml="auto"
                flex="none"
                loading={takeBack.isPending}
                onClick={() => takeBack.mutate(mended)}
              >
                Take back
              </Button>
            )}
            <Button
              size="2xs"
              variant="ghost"
              flex="none"
              ml={mended.photos.length > 0 ? undefined : 'auto'}
              onClick={() => {
                setMended(null);
                onMended(null);
              }}
            >
              Close
            </Button>
          </>
        )
      )}
      {trouble && (
        <Text role="alert" color="chalk.pink">
          {trouble.message}
        </Text>
      )}
    </Flex>
  );
}

/** What was done, and what the checks say of it by now. */
function cameOf({ check, photos, done, left }: Mended, tiles: Tile[]): string {
  const mine = new Set(photos);
  const theirs = tiles.filter((tile) => mine.has(tile.id));
  const waiting = theirs.filter((tile) => standingOf(tile) === 'waiting').length;
  const still = theirs.filter((tile) => tile.found.some((one) => one.check === check)).length;
  const said = done.map((one) => `${one.words}: ${count(one.photos, 'photo')}.`);
  if (waiting > 0) said.push(`${count(waiting, 'photo')} being checked anew …`);
  else if (photos.length > 0)
    said.push(`“${checkName(check)}” is gone from ${photos.length - still} of ${photos.length}.`);
  if (left.length > 0) {
    const names = left.slice(0, NAMED).map(stem).join(', ');
    said.push(`Not by one press: ${names}${left.length > NAMED ? ` and ${left.length - NAMED} more` : ''}.`);
  }
  return said.join(' ');
}
