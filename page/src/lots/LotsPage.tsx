import { Box, Flex, Heading, SimpleGrid, Text } from '@chakra-ui/react';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { answered, client, messageOf } from '../api/client';
import { useLots } from '../api/queries';
import { ChooseFiles } from '../intake/ChooseFiles';
import { DropArea } from '../intake/DropArea';
import type { Gathered } from '../intake/gather';
import { IntakeReport } from '../intake/IntakeReport';
import { useIntake } from '../intake/useIntake';
import { Empty, Loading, Trouble } from '../shared/states';
import { LotCard } from './LotCard';

/** All lots as cards; dropping files makes a new one. */
export function LotsPage() {
  const lots = useLots();
  const navigate = useNavigate();
  const { progress, send, dismiss } = useIntake();
  const [trouble, setTrouble] = useState<string>();
  const start = async (files: Gathered[]) => {
    if (files.length === 0) return;
    try {
      const made = await answered(
        client.POST('/api/lots', { body: { name: nameFor(files), sheet: 'white', spec: 'square-2000' } }),
      );
      await send(made.id, files);
      await navigate(`/lots/${made.id}`);
    } catch (error) {
      setTrouble(messageOf(error));
    }
  };
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
          <ChooseFiles colorPalette="blue" size="sm" onFiles={(files) => void start(files)}>
            New lot from files
          </ChooseFiles>
        </Flex>
        {trouble && <Trouble message={trouble} onRetry={() => setTrouble(undefined)} />}
        {progress && (
          <Box mb="4">
            <IntakeReport progress={progress} onDismiss={dismiss} />
          </Box>
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
          {lots.data?.map((lot) => (
            <LotCard key={lot.id} lot={lot} />
          ))}
        </SimpleGrid>
      </Box>
    </DropArea>
  );
}

/** After the dropped folder or ZIP, or the day. */
function nameFor(files: Gathered[]): string {
  const first = files[0]?.name ?? '';
  const folder = first.includes('/') ? first.split('/')[0] : /^(.*)\.zip$/i.exec(first)?.[1];
  return folder ?? `Lot of ${new Date().toLocaleDateString('en-GB', { day: 'numeric', month: 'long' })}`;
}
