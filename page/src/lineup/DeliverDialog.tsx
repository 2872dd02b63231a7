import { Box, Flex, Text } from '@chakra-ui/react';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import { Link } from 'react-router';
import { answered, client, type Lot, type Verdict } from '../api/client';
import { useShelf } from '../api/queries';
import { AskDialog } from '../shared/AskDialog';
import { count } from '../shared/format';
import { Mark } from '../shared/marks';
import { called, optionsOf } from '../sheets/shelf';

type What = { lot: Lot; verdicts: Verdict[]; newOnly: boolean; spec: string };

const usePlan = ({ lot, verdicts, newOnly, spec }: What) =>
  useQuery({
    queryKey: ['delivery-plan', lot.id, verdicts.join(), newOnly, spec],
    gcTime: 0,
    queryFn: () =>
      answered(
        client.GET('/api/lots/{lot_id}/delivery-plan', {
          params: { path: { lot_id: lot.id }, query: { verdict: verdicts, new_only: newOnly, spec } },
        }),
      ),
  });

/** What will be written, for which listing specs and under which names, before it is. */
export function DeliverDialog(props: { lot: Lot; verdicts: Verdict[]; onDelivered: () => void; onClose: () => void }) {
  const { lot, verdicts, onDelivered, onClose } = props;
  const confirm = useRef<HTMLButtonElement>(null);
  const shelf = useShelf('spec');
  const [newOnly, setNewOnly] = useState(false);
  const [specs, setSpecs] = useState<readonly string[]>([lot.spec]);
  const own = specs.includes(lot.spec);
  const all = usePlan({ lot, verdicts, newOnly: false, spec: lot.spec });
  const deliver = useMutation({
    mutationFn: async () => {
      for (const spec of specs) {
        const body = { verdicts, new_only: newOnly && spec === lot.spec, spec };
        await answered(client.POST('/api/lots/{lot_id}/deliveries', { params: { path: { lot_id: lot.id } }, body }));
        // Where a later one is refused, this one is not asked for again.
        setSpecs((left) => left.filter((one) => one !== spec));
      }
    },
    onSuccess: onDelivered,
  });
  const before = (all.data ?? []).filter((one) => one.delivered).length;
  const fresh = (all.data?.length ?? 0) - before;
  const files = (all.data?.length ?? 0) * specs.length - (own && newOnly ? before : 0);
  const options = optionsOf(shelf.data ?? [], lot.spec);
  // The lot's own first.
  options.sort((a, b) => Number(b.ref === lot.spec) - Number(a.ref === lot.spec));
  const titleOf = (spec: string) => {
    const found = shelf.data?.find((one) => one.ref === spec);
    return found ? called(found) : spec;
  };
  const trouble = all.error ?? shelf.error ?? deliver.error;
  return (
    <AskDialog
      title={`Deliver ${count(files, 'file')}`}
      size="lg"
      first={confirm}
      trouble={trouble?.message}
      answer={{ words: 'Write them', busy: deliver.isPending, disabled: all.data !== undefined && files === 0 }}
      button={confirm}
      onAnswer={() => deliver.mutate()}
      onClose={onClose}
    >
      <Text pb="2">
        Into a new folder for each listing spec, with a manifest; each file is read back from disk and checked.
      </Text>
      <Flex wrap="wrap" columnGap="4" rowGap="1" pb="2" role="group" aria-label="Listing specs">
        {options.map((option) => (
          <label key={option.ref}>
            <input
              type="checkbox"
              checked={specs.includes(option.ref)}
              onChange={(event) =>
                setSpecs(event.target.checked ? [...specs, option.ref] : specs.filter((spec) => spec !== option.ref))
              }
            />{' '}
            {called(option)}
          </label>
        ))}
      </Flex>
      <Box maxHeight="260px" overflowY="auto" bg="white" p="2">
        {specs.map((spec) => (
          <PlannedFiles
            key={spec}
            what={{ lot, verdicts, newOnly: newOnly && spec === lot.spec, spec }}
            title={titleOf(spec)}
          />
        ))}
        {specs.length === 0 && <Text color="slate.quiet">Choose a listing spec.</Text>}
      </Box>
      {specs.some((spec) => spec !== lot.spec) && (
        <Text pt="2" fontSize="13px">
          For another spec than the lot’s the photos are placed and checked anew while it is written; what then does not
          pass is left out, and Deliveries says why.
        </Text>
      )}
      {own && before > 0 && fresh === 0 && <Text pt="2">All of these were delivered before, as they are.</Text>}
      {own && before > 0 && fresh > 0 && (
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

/** The files for one listing spec; those whose names had to be changed first. */
function PlannedFiles({ what, title }: { what: What; title: string }) {
  const plan = usePlan(what);
  const settled = plan.data?.filter((one) => one.why) ?? [];
  if (plan.error)
    return (
      <Text role="alert" color="chalk.pink">
        {plan.error.message}
      </Text>
    );
  return (
    <Box pb="2">
      <Text fontWeight="700" fontSize="13px">
        {title}:{' '}
        <Box as="span" fontWeight="400" color="slate.quiet">
          {settled.length > 0
            ? `${count(settled.length, 'name')} had to be changed`
            : 'the names are as the listing spec has them'}
        </Box>
      </Text>
      <Box role="list" aria-label={`Files, ${title}`}>
        {[...settled, ...(plan.data?.filter((one) => !one.why) ?? [])].map((one) => (
          <Flex key={one.photo} role="listitem" gap="2" align="baseline" py="0.5" fontSize="13px">
            <Mark standing={one.verdict} size={9} />
            <Text className="figures" flex="none">
              {one.name}
            </Text>
            <Text
              color={one.why ? 'chalk.pink' : 'slate.quiet'}
              truncate={!one.why}
              title={[`from ${one.source}`, one.why].filter(Boolean).join(', ')}
            >
              from {one.source}
              {one.why && `, ${one.why}`}
            </Text>
          </Flex>
        ))}
      </Box>
    </Box>
  );
}
