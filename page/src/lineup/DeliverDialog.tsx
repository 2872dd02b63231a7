import { Box, Flex, Text } from '@chakra-ui/react';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import { Link } from 'react-router';
import { answered, client, type Lot, type Verdict } from '../api/client';
import { AskDialog } from '../shared/AskDialog';
import { count } from '../shared/format';
import { Mark } from '../shared/marks';

const usePlan = (lotId: number, verdicts: Verdict[], newOnly: boolean) =>
  useQuery({
    queryKey: ['delivery-plan', lotId, verdicts.join(), newOnly],
    gcTime: 0,
    queryFn: () =>
      answered(
        client.GET('/api/lots/{lot_id}/delivery-plan', {
          params: { path: { lot_id: lotId }, query: { verdict: verdicts, new_only: newOnly } },
        }),
      ),
  });

/** What will be written and under which names, before it is. */
export function DeliverDialog(props: { lot: Lot; verdicts: Verdict[]; onDelivered: () => void; onClose: () => void }) {
  const { lot, verdicts, onDelivered, onClose } = props;
  const confirm = useRef<HTMLButtonElement>(null);
  const path = { lot_id: lot.id };
  const [newOnly, setNewOnly] = useState(false);
  const all = usePlan(lot.id, verdicts, false);
  const rest = usePlan(lot.id, verdicts, true);
  const plan = newOnly ? rest : all;
  const deliver = useMutation({
    mutationFn: () =>
      answered(
        client.POST('/api/lots/{lot_id}/deliveries', { params: { path }, body: { verdicts, new_only: newOnly } }),
      ),
    onSuccess: onDelivered,
  });
  const before = (all.data ?? []).filter((one) => one.delivered).length;
  const fresh = (all.data?.length ?? 0) - before;
  const settled = plan.data?.filter((one) => one.why) ?? [];
  const trouble = plan.error ?? deliver.error;
  return (
    <AskDialog
      title={`Deliver ${count(plan.data?.length ?? 0, 'file')}`}
      size="lg"
      first={confirm}
      trouble={trouble?.message}
      answer={{ words: 'Write them', busy: deliver.isPending }}
      button={confirm}
      onAnswer={() => deliver.mutate()}
      onClose={onClose}
    >
      <Text pb="2">
        Into a new folder, with a manifest; each file is read back from disk and checked.{' '}
        {settled.length > 0
          ? `${count(settled.length, 'name')} had to be changed:`
          : 'The names are as the listing spec has them.'}
      </Text>
      <Box maxHeight="300px" overflowY="auto" role="list" aria-label="Files" bg="white" p="2">
        {[...settled, ...(plan.data?.filter((one) => !one.why) ?? [])].map((one) => (
          <Flex key={one.photo} role="listitem" gap="2" align="baseline" py="0.5" fontSize="13px">
            <Mark standing={one.verdict} size={9} />
            <Text className="figures" flex="none">
              {one.name}
            </Text>
            <Text color={one.why ? 'chalk.pink' : 'slate.quiet'} truncate title={one.why || one.source}>
              {one.why || `from ${one.source}`}
            </Text>
          </Flex>
        ))}
      </Box>
      {before > 0 && fresh === 0 && <Text pt="2">All of these were delivered before, as they are.</Text>}
      {before > 0 && fresh > 0 && (
        <Box as="label" display="block" pt="2">
          <input type="checkbox" checked={newOnly} onChange={(event) => setNewOnly(event.target.checked)} /> Only the{' '}
          {fresh} that {fresh === 1 ? 'is' : 'are'} new or changed; {before} {before === 1 ? 'was' : 'were'} delivered
          before, as they are
        </Box>
      )}
      <Text fontSize="13px" pt="2">
        <Link to={`/specs?spec=${lot.spec}`}>
          <Box as="span" color="chalk.blue" textDecoration="underline">
            What the listing spec’s format loses, on any of these pictures
          </Box>
        </Link>
      </Text>
    </AskDialog>
  );
}
