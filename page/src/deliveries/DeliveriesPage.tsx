import { Box, Button, Flex, Heading, Text } from '@chakra-ui/react';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { answered, client, type Delivery } from '../api/client';
import { keys, queries, useDeliveries } from '../api/queries';
import { bytes, count, moment } from '../shared/format';
import { Empty, Loading, Trouble } from '../shared/states';
import { DeliveredFiles } from './DeliveredFiles';

/** What was written, when, with its manifest, ZIP and files. */
export function DeliveriesPage() {
  const deliveries = useDeliveries();
  return (
    <Box as="main" height="100%" overflowY="auto" p="5">
      <Heading as="h1" size="xl" mb="4">
        Deliveries
      </Heading>
      {deliveries.isPending && <Loading what="the deliveries" />}
      {deliveries.isError && <Trouble message={deliveries.error.message} onRetry={() => void deliveries.refetch()} />}
      {deliveries.data?.length === 0 && (
        <Empty title="Nothing delivered yet">
          Open a lot and press Deliver: its ready photos are written to a new folder, read back and checked, with a
          manifest.
        </Empty>
      )}
      <Flex direction="column" gap="3">
        {deliveries.data?.map((delivery, i) => (
          <DeliveryCard key={delivery.id} delivery={delivery} opened={i === 0} />
        ))}
      </Flex>
    </Box>
  );
}

function DeliveryCard({ delivery, opened }: { delivery: Delivery; opened: boolean }) {
  const [open, setOpen] = useState(opened);
  const address = `/api/deliveries/${delivery.id}`;
  const path = { delivery_id: delivery.id };
  const done = { onSuccess: () => queries.invalidateQueries({ queryKey: keys.deliveries }) };
  const send = useMutation({
    mutationFn: () => answered(client.POST('/api/deliveries/{delivery_id}/send', { params: { path } })),
    ...done,
  });
  const retry = useMutation({
    mutationFn: () => answered(client.POST('/api/deliveries/{delivery_id}/retry', { params: { path } })),
    ...done,
  });
  const { sent, accepted } = delivery;
  const asked = delivery.asked > 0;
  const trouble = delivery.error ?? send.error?.message ?? retry.error?.message;
  return (
    <Box bg="paper.raised" border="1px solid" borderColor="line" borderRadius="yard">
      <Flex p="3" gap="4" align="center" wrap="wrap">
        <Box flex="1" minWidth="280px">
          <Text fontWeight="700" fontSize="16px">
            {delivery.lot_id === null ? (
              delivery.lot_name
            ) : (
              <Link to={`/lots/${delivery.lot_id}`} title="To the line-up">
                {delivery.lot_name}
              </Link>
            )}
          </Text>
          <Text fontSize="13px" color="slate.quiet">
            {moment(delivery.created_at)} · run sheet {delivery.sheet} · listing spec {delivery.spec} · folder{' '}
            <span className="figures">{delivery.folder}</span>
          </Text>
        </Box>
        <Text className="figures">
          {count(delivery.files, 'file')}
          {delivery.bytes > 0 && `, ${bytes(delivery.bytes)}`}
          {delivery.left_out > 0 && (
            <Box as="span" color="chalk.pink" fontWeight="700">
              {' '}
              · {delivery.left_out} left out
            </Box>
          )}
        </Text>
        {sent > 0 && (
          <Text role="status">
            Listing desk:{' '}
            <b className="figures">
              {accepted} of {delivery.files}
            </b>{' '}
            accepted{asked && ', being sent …'}
          </Text>
        )}
        <Flex gap="2">
          <Button size="sm" variant="outline" aria-expanded={open} onClick={() => setOpen(!open)}>
            {open ? 'Hide files' : 'Show files'}
          </Button>
          {delivery.state === 'done' && (
            <>
              {accepted < delivery.files && (
                <Button size="sm" variant="outline" loading={send.isPending || asked} onClick={() => send.mutate()}>
                  {sent > 0 ? 'Send the rest again' : 'Send to the listing desk'}
                </Button>
              )}
              <Button size="sm" variant="outline" asChild>
                <a href={`${address}/manifest.csv`}>Manifest CSV</a>
              </Button>
              <Button size="sm" variant="outline" asChild>
                <a href={`${address}/manifest.json`}>Manifest JSON</a>
              </Button>
              <Button size="sm" colorPalette="blue" asChild>
                <a href={`${address}.zip`}>ZIP</a>
              </Button>
            </>
          )}
          {delivery.state === 'failed' && (
            <Button size="sm" colorPalette="blue" loading={retry.isPending} onClick={() => retry.mutate()}>
              Write it again
            </Button>
          )}
          {(delivery.state === 'waiting' || delivery.state === 'writing') && (
            <Text role="status" alignSelf="center">
              {delivery.state === 'waiting'
                ? 'Waits for its turn …'
                : delivery.made < delivery.files
                  ? `${delivery.made} of ${delivery.files} made …`
                  : 'Is being written …'}
            </Text>
          )}
        </Flex>
      </Flex>
      {trouble && (
        <Text role="alert" color="chalk.pink" px="3" pb="2">
          {trouble}
        </Text>
      )}
      {open && <DeliveredFiles delivery={delivery} />}
    </Box>
  );
}
