import { Box, Button, Flex, Heading, NativeSelect, Text } from '@chakra-ui/react';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { answered, client, type Shelved } from '../api/client';
import { keys, queries, useLots, useShelf, type Kind } from '../api/queries';
import { moment } from '../shared/format';
import { Loading, Trouble } from '../shared/states';
import { mostUsed, newestOf } from './shelf';
import { VariantForm } from './VariantForm';

/** Run sheets: what each does, in sentences; its versions and how they differ; a variant of it; files in and out. */
export function SheetsPage() {
  const shelf = useShelf('sheet');
  const [search, setSearch] = useSearchParams();
  const [making, setMaking] = useState(false);
  if (shelf.isError) return <Trouble message={shelf.error.message} onRetry={() => void shelf.refetch()} />;
  if (!shelf.data) return <Loading what="the run sheets" />;
  const shown = shelf.data.find((one) => one.ref === search.get('sheet')) ?? mostUsed(shelf.data);
  const choose = (ref: string) => {
    setMaking(false);
    setSearch({ sheet: ref });
  };
  return (
    <Flex as="main" height="100%">
      <ShelfList kind="sheet" title="Run sheets" all={shelf.data} shown={shown} onChoose={choose} />
      {shown && (
        <Box flex="1" minWidth="0" overflowY="auto" p="6" maxWidth="900px">
          <ShelvedHead one={shown} kind="sheet" onChoose={choose}>
            <Button size="sm" variant="outline" bg="white" aria-expanded={making} onClick={() => setMaking(!making)}>
              Make a variant
            </Button>
          </ShelvedHead>
          {making && <VariantForm key={shown.ref} of={shown} onKept={choose} onClose={() => setMaking(false)} />}
          <Words title="What it does" lines={shown.words} />
          <Versions all={shelf.data} shown={shown} kind="sheet" onChoose={choose} />
          <TryOnALot sheet={shown} />
        </Box>
      )}
    </Flex>
  );
}

/** The names on the shelf at the left, and a file taken in. */
export function ShelfList(props: {
  kind: Kind;
  title: string;
  all: Shelved[];
  shown: Shelved | undefined;
  onChoose: (ref: string) => void;
}) {
  const { kind, title, all, shown, onChoose } = props;
  const input = useRef<HTMLInputElement>(null);
  const take = useMutation({
    mutationFn: async (file: File) =>
      answered(
        client.POST('/api/shelf/{kind}', {
          params: { path: { kind } },
          body: { text: await file.text(), where: file.name },
        }),
      ),
    onSuccess: async ({ ref }) => {
      await queries.invalidateQueries({ queryKey: keys.shelf(kind) });
      onChoose(ref);
    },
  });
  return (
    <Flex
      as="nav"
      aria-label={title}
      direction="column"
      width="260px"
      flex="none"
      borderRight="1px solid"
      borderColor="line"
      bg="paper.raised"
      overflowY="auto"
      p="4"
      gap="1"
    >
      <Heading as="h1" size="xl" pb="2">
        {title}
      </Heading>
      {newestOf(all).map((one) => (
        <Box
          as="button"
          key={one.name}
          textAlign="left"
          px="2.5"
          py="1.5"
          borderRadius="yard"
          cursor="pointer"
          bg={one.name === shown?.name ? 'white' : undefined}
          borderLeft="3px solid"
          borderColor={one.name === shown?.name ? 'chalk.blue' : 'transparent'}
          aria-current={one.name === shown?.name ? 'true' : undefined}
          onClick={() => onChoose(one.ref)}
        >
          <Text fontWeight="700" truncate>
            {one.title}
          </Text>
          <Text fontSize="12px" color="slate.quiet">
            version {one.version}
            {one.used > 0 && `, in force ${one.used} ×`}
          </Text>
        </Box>
      ))}
      <input
        ref={input}
        type="file"
        hidden
        accept=".json,application/json"
        aria-label={`A ${kind === 'sheet' ? 'run sheet' : 'listing spec'} as a JSON file`}
        onChange={(event) => {
          const file = event.target.files?.[0];
          if (file) take.mutate(file);
          event.target.value = '';
        }}
      />
      <Button
        size="sm"
        variant="outline"
        bg="white"
        mt="3"
        loading={take.isPending}
        onClick={() => input.current?.click()}
      >
        Take in a JSON file
      </Button>
      {take.error && (
        <Text role="alert" color="chalk.pink" fontSize="13px">
          {take.error.message}
        </Text>
      )}
    </Flex>
  );
}

/** Title, version, where it is from, and what can be done with it. */
export function ShelvedHead(props: {
  one: Shelved;
  kind: Kind;
  onChoose: (ref: string) => void;
  children?: React.ReactNode;
}) {
  const { one, kind, onChoose, children } = props;
  const [sure, setSure] = useState(false);
  const forget = useMutation({
    mutationFn: () => answered(client.DELETE('/api/shelf/{kind}/{ref}', { params: { path: { kind, ref: one.ref } } })),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: keys.shelf(kind) });
      onChoose(one.name);
    },
  });
  return (
    <Box pb="4">
      <Flex align="center" gap="3" wrap="wrap">
        <Heading as="h2" size="xl">
          {one.title}
        </Heading>
        <Text color="slate.quiet">version {one.version}</Text>
        <Box flex="1" />
        {children}
        <Button size="sm" variant="outline" bg="white" asChild>
          <a href={`/api/shelf/${kind}/${one.ref}.json`}>JSON file</a>
        </Button>
        {one.ref.includes('@') && (
          <Button
            size="sm"
            variant="outline"
            bg="white"
            disabled={one.used > 0}
            title={one.used > 0 ? 'It is in force' : undefined}
            onBlur={() => setSure(false)}
            onClick={() => (sure ? forget.mutate() : setSure(true))}
          >
            {sure ? 'Take this version off?' : 'Remove'}
          </Button>
        )}
      </Flex>
      <Text color="slate.quiet" fontSize="13px">
        {[one.origin, one.at && moment(one.at), one.used > 0 && `in force ${one.used} ×`].filter(Boolean).join(' · ')}
      </Text>
      {one.note && <Text pt="2">{one.note}</Text>}
      {forget.error && (
        <Text role="alert" color="chalk.pink">
          {forget.error.message}
        </Text>
      )}
    </Box>
  );
}

export function Words({ title, lines }: { title: string; lines: string[] }) {
  return (
    <Box as="section" pb="5">
      <Heading as="h3" size="md" pb="1">
        {title}
      </Heading>
      <Box as="ul" listStyleType="none">
        {lines.map((line) => (
          <Text as="li" key={line} py="0.5">
            {line}
          </Text>
        ))}
      </Box>
    </Box>
  );
}

/** All versions of a name, each with what it changed; and the difference to any other on the shelf. */
export function Versions(props: { all: Shelved[]; shown: Shelved; kind: Kind; onChoose: (ref: string) => void }) {
  const { all, shown, kind, onChoose } = props;
  const versions = all.filter((one) => one.name === shown.name);
  const others = all.filter((one) => one.ref !== shown.ref);
  const [against, setAgainst] = useState('');
  const other = others.find((one) => one.ref === against);
  const difference = useQuery({
    queryKey: ['difference', kind, against, shown.ref],
    enabled: other !== undefined,
    queryFn: () =>
      answered(
        client.GET('/api/shelf/{kind}/difference', {
          params: { path: { kind }, query: { before: against, after: shown.ref } },
        }),
      ),
  });
  return (
    <Box as="section" pb="5">
      <Heading as="h3" size="md" pb="1">
        Versions
      </Heading>
      {versions.map((one) => (
        <Flex key={one.ref} gap="3" py="1" align="baseline">
          <Box
            as="button"
            flex="none"
            width="90px"
            textAlign="left"
            cursor="pointer"
            color="chalk.blue"
            fontWeight={one.ref === shown.ref ? '700' : undefined}
            onClick={() => onChoose(one.ref)}
          >
            version {one.version}
          </Box>
          <Box>
            {one.changes.length === 0 ? (
              <Text color="slate.quiet">the first</Text>
            ) : (
              one.changes.map((change) => <Text key={change}>{change}</Text>)
            )}
            {one.note && one.ref !== shown.ref && (
              <Text fontSize="13px" color="slate.quiet">
                {one.note}
              </Text>
            )}
          </Box>
        </Flex>
      ))}
      {others.length > 0 && (
        <Flex gap="2" align="center" pt="2">
          <Text>What changes against</Text>
          <NativeSelect.Root size="xs" width="240px">
            <NativeSelect.Field
              aria-label="Compared with"
              bg="white"
              value={other ? against : ''}
              onChange={(event) => setAgainst(event.target.value)}
            >
              <option value="">choose one …</option>
              {others.map((one) => (
                <option key={one.ref} value={one.ref}>
                  {one.title}, version {one.version}
                </option>
              ))}
            </NativeSelect.Field>
            <NativeSelect.Indicator />
          </NativeSelect.Root>
        </Flex>
      )}
      {other && difference.data && (
        <Box pt="2" role="status">
          {difference.data.words.length === 0 && <Text>They do the same.</Text>}
          {difference.data.words.map((line) => (
            <Text key={line}>{line}</Text>
          ))}
        </Box>
      )}
    </Box>
  );
}

function TryOnALot({ sheet }: { sheet: Shelved }) {
  const lots = useLots();
  if (!lots.data?.length) return null;
  return (
    <Box as="section">
      <Heading as="h3" size="md" pb="1">
        Try it
      </Heading>
      <Text color="slate.quiet" pb="2">
        On a few photos of a lot that are unlike each other, beside what the lot has in force. Nothing of the lot
        changes.
      </Text>
      <Flex gap="2" wrap="wrap">
        {lots.data.map((lot) => (
          <Button key={lot.id} size="sm" variant="outline" bg="white" asChild>
            <Link to={`/lots/${lot.id}/try?sheets=${[...new Set([lot.sheet, sheet.ref])].join(',')}`}>{lot.name}</Link>
          </Button>
        ))}
      </Flex>
    </Box>
  );
}
