import { Box, Button, Flex, Heading, Input, SimpleGrid, Text } from '@chakra-ui/react';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { answered, client, messageOf, type LotCardData } from '../api/client';
import { useLots } from '../api/queries';
import { ChooseFiles } from '../intake/ChooseFiles';
import { DropArea } from '../intake/DropArea';
import type { Gathered } from '../intake/gather';
import { send } from '../intake/sending';
import { Empty, Loading, Trouble } from '../shared/states';
import { useKeys } from '../shared/keys';
import { OneOf } from '../shared/OneOf';
import { LotCard } from './LotCard';
import { isDelivered } from './standing';
import { RemovedLots, useTakeBack } from './RemovedLots';
import { AboutLot } from './AboutLot';

const ORDERS = [
  { name: 'newest', label: 'Newest first' },
  { name: 'due', label: 'Due first' },
] as const;

const MANY = 8; // more lots than these are looked through by name

/** All lots as cards; dropping files makes a new one. */
export function LotsPage() {
  const lots = useLots();
  const navigate = useNavigate();
  const [trouble, setTrouble] = useState<string>();
  const [find, setFind] = useState('');
  const [order, setOrder] = useState<(typeof ORDERS)[number]['name']>('newest');
  const [changing, setChanging] = useState<LotCardData | null>(null);
  const [removed, setRemoved] = useState<LotCardData | null>(null);
  const remove = useMutation({
    mutationFn: (lot: LotCardData) =>
      answered(client.DELETE('/api/lots/{lot_id}', { params: { path: { lot_id: lot.id } } })),
    onSuccess: (_, lot) => setRemoved(lot),
    onError: (error) => setTrouble(error.message),
  });
  const takeBack = useTakeBack();
  const start = async (files: Gathered[]) => {
    if (files.length === 0) {
      setTrouble('There is no file in it. Drop photos, folders that hold photos, or ZIPs.');
      return;
    }
    const name = nameFor(files, lots.data ?? []);
    try {
      const made = await answered(
        client.POST('/api/lots', {
          body: { name, sheet: 'white', spec: 'square-2000' },
        }),
      );
      send({ id: made.id, name }, files);
      await navigate(`/lots/${made.id}`);
    } catch (error) {
      setTrouble(messageOf(error));
    }
  };
  const wanted = find.trim().toLowerCase();
  const named = (lots.data ?? []).filter((lot) => lot.name.toLowerCase().includes(wanted));
  const shown = order === 'due' ? named.toSorted(dueFirst) : named;
  useKeys({ '/': () => document.getElementById('find-by-name')?.focus() });
  return (
    <DropArea what="Drop to start a new lot" onFiles={(files) => void start(files)}>
      <Box as="main" height="100%" overflowY="auto" p="5">
        <Flex align="center" justify="space-between" mb="4" gap="4">
          <Box>
            <Heading as="h1" size="xl">
              Lots
            </Heading>
            <Text color="slate.quiet">Drop photos, folders or ZIPs anywhere on this page to start a lot.</Text>
          </Box>
          <Box flex="1" />
          {lots.data?.some((lot) => lot.due) && (
            <OneOf label="Order of the lots" choice={ORDERS} value={order} onChange={setOrder} />
          )}
          {(lots.data?.length ?? 0) > MANY && (
            <Input
              id="find-by-name"
              width="240px"
              size="sm"
              bg="white"
              aria-label="Find by name"
              placeholder="Find by name  ( / )"
              value={find}
              onChange={(event) => setFind(event.target.value)}
            />
          )}
          <ChooseFiles colorPalette="blue" size="sm" onFiles={(files) => void start(files)}>
            New lot from files
          </ChooseFiles>
        </Flex>
        {trouble && <Trouble message={trouble} onClose={() => setTrouble(undefined)} />}
        {removed && (
          <Flex role="status" mb="4" gap="4" align="center">
            <Text>{removed.name} is removed.</Text>
            <Button
              size="xs"
              variant="outline"
              bg="white"
              onClick={() =>
                takeBack.mutate(removed.id, {
                  onSuccess: () => setRemoved(null),
                  onError: (error) => setTrouble(error.message),
                })
              }
            >
              Take it back
            </Button>
          </Flex>
        )}
        {lots.isPending && <Loading what="the lots" />}
        {lots.isError && <Trouble message={lots.error.message} onRetry={() => void lots.refetch()} />}
        {lots.data?.length === 0 && (
          <Empty title="No lots yet">
            A lot is the photos of one shoot. Drop them here: each is put on pure white and checked, and you see only
            those that need you.
          </Empty>
        )}
        <SimpleGrid minChildWidth="380px" gap="4">
          {shown.map((lot) => (
            <LotCard key={lot.id} lot={lot} onChange={() => setChanging(lot)} onRemove={() => remove.mutate(lot)} />
          ))}
        </SimpleGrid>
        {lots.data && lots.data.length > 0 && shown.length === 0 && (
          <Empty title={`No lot is called ${find}`}>Look for another part of its name.</Empty>
        )}
        <RemovedLots />
        {changing && <AboutLot lot={changing} onClose={() => setChanging(null)} />}
      </Box>
    </DropArea>
  );
}

/** By the day they are due, those without one last; what is delivered as a whole is owed no more. */
const dueFirst = (a: LotCardData, b: LotCardData) => {
  const owed = (lot: LotCardData) => (lot.due && !isDelivered(lot) ? lot.due : '9999');
  return owed(a) < owed(b) ? -1 : owed(a) > owed(b) ? 1 : b.id - a.id;
};

/** After the dropped folder or ZIP, or the day; numbered, if another lot is called so. */
function nameFor(files: Gathered[], lots: LotCardData[]): string {
  const first = files[0]?.name ?? '';
  const folder = first.includes('/') ? first.split('/')[0] : /^(.*)\.zip$/i.exec(first)?.[1];
  const name = folder ?? `Lot of ${new Date().toLocaleDateString('en-GB', { day: 'numeric', month: 'long' })}`;
  const taken = new Set(lots.map((lot) => lot.name));
  let number = 1;
  while (taken.has(number === 1 ? name : `${name} (${number})`)) number++;
  return number === 1 ? name : `${name} (${number})`;
}
