import { Box, Button, Flex, Text } from '@chakra-ui/react';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { useSearchParams } from 'react-router';
import { answered, client, type ListingSpec, type Shelved } from '../api/client';
import { keys, queries, useShelf } from '../api/queries';
import { Loading, Trouble } from '../shared/states';
import { mostUsed } from '../sheets/shelf';
import { ShelfList, ShelvedHead, Versions, Words } from '../sheets/SheetsPage';
import { CanvasDrawing } from './CanvasDrawing';
import { SpecForm } from './SpecForm';
import { SpecTest } from './SpecTest';

/** Listing specs: the canvas drawn to scale, all that can be set, and a test on a photo before anything is kept. */
export function SpecsPage() {
  const shelf = useShelf('spec');
  const [search, setSearch] = useSearchParams();
  if (shelf.isError) return <Trouble message={shelf.error.message} onRetry={() => void shelf.refetch()} />;
  if (!shelf.data) return <Loading what="the listing specs" />;
  const shown = shelf.data.find((one) => one.ref === search.get('spec')) ?? mostUsed(shelf.data);
  const choose = (ref: string) => setSearch({ spec: ref });
  return (
    <Flex as="main" height="100%">
      <ShelfList kind="spec" title="Listing specs" all={shelf.data} shown={shown} onChoose={choose} />
      {shown && <Editor key={shown.ref} all={shelf.data} shown={shown} onChoose={choose} />}
    </Flex>
  );
}

function Editor({ all, shown, onChoose }: { all: Shelved[]; shown: Shelved; onChoose: (ref: string) => void }) {
  const held = shown.content as ListingSpec;
  const [spec, setSpec] = useState<ListingSpec>(held);
  const [title, setTitle] = useState(shown.title);
  const changed = JSON.stringify(spec) !== JSON.stringify(held);
  const keep = useMutation({
    mutationFn: () =>
      answered(
        client.POST('/api/shelf/{kind}', {
          params: { path: { kind: 'spec' } },
          body: { text: JSON.stringify(spec), where: `a variant of ${shown.title}`, title },
        }),
      ),
    onSuccess: async ({ ref }) => {
      await queries.invalidateQueries({ queryKey: keys.shelf('spec') });
      onChoose(ref);
    },
  });
  return (
    <Flex flex="1" minWidth="0">
      <Box flex="1" minWidth="0" overflowY="auto" p="6">
        <ShelvedHead one={shown} kind="spec" onChoose={onChoose} />
        <CanvasDrawing spec={spec} onChange={setSpec} />
        <SpecTest spec={spec} />
        {!changed && <Words title="What it asks for" lines={shown.words} />}
        <Versions all={all} shown={shown} kind="spec" onChoose={onChoose} />
      </Box>
      <Box
        as="section"
        aria-label="Settings"
        width="340px"
        flex="none"
        bg="paper.raised"
        borderLeft="1px solid"
        borderColor="line"
        display="flex"
        flexDirection="column"
      >
        <Box flex="1" minHeight="0" overflowY="auto" p="4">
          <SpecForm spec={spec} title={title} onTitle={setTitle} onChange={setSpec} />
        </Box>
        <Flex gap="2" p="3" borderTop="1px solid" borderColor="line">
          <Button size="sm" variant="outline" bg="white" disabled={!changed} onClick={() => setSpec(held)}>
            Back to what it was
          </Button>
          <Button
            size="sm"
            colorPalette="blue"
            flex="1"
            disabled={(!changed && title.trim() === shown.title) || !title.trim()}
            loading={keep.isPending}
            onClick={() => keep.mutate()}
          >
            {title.trim() === shown.title ? 'Keep as next version' : 'Keep under this title'}
          </Button>
        </Flex>
        {keep.error && (
          <Text role="alert" color="chalk.pink" px="4" pb="3">
            {keep.error.message}
          </Text>
        )}
      </Box>
    </Flex>
  );
}
