import { Box, Button, Flex, Heading, NativeSelect, Text } from '@chakra-ui/react';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { answered, client, type Lot, type Verdict } from '../api/client';
import { useChoices } from '../api/queries';
import { ChooseFiles } from '../intake/ChooseFiles';
import type { Gathered } from '../intake/gather';
import { count, duration } from '../shared/format';
import { VerdictBar } from '../shared/VerdictBar';

/** What is in force for the lot, how far it is, and what can be done with all of it. */
export function LotHeader({ lot, onFiles }: { lot: Lot; onFiles: (files: Gathered[]) => void }) {
  const choices = useChoices();
  const path = { lot_id: lot.id };
  const run = useMutation({
    mutationFn: () => answered(client.POST('/api/lots/{lot_id}/run', { params: { path }, body: { anew: false } })),
  });
  const cancel = useMutation({
    mutationFn: () => answered(client.POST('/api/lots/{lot_id}/cancel', { params: { path } })),
  });
  const put = useMutation({
    mutationFn: (inForce: { sheet: string; spec: string }) =>
      answered(client.PUT('/api/lots/{lot_id}', { params: { path }, body: inForce })),
  });
  const deliver = useMutation({
    mutationFn: (verdicts: Verdict[]) =>
      answered(client.POST('/api/lots/{lot_id}/deliveries', { params: { path }, body: { verdicts } })),
  });
  const [withLook, setWithLook] = useState(false);
  const done = lot.photos - lot.waiting - lot.idle;
  const running = lot.waiting > 0;
  const deliverable = lot.ready + (withLook ? lot.look : 0);
  const trouble = run.error ?? cancel.error ?? put.error ?? deliver.error;
  return (
    <Box bg="paper.raised" borderBottom="1px solid" borderColor="line" flex="none">
      <Flex px="4" py="2" gap="5" align="center" minHeight="64px">
        <Box minWidth="0">
          <Label>Lot</Label>
          <Heading as="h1" size="xl" lineHeight="1.2" truncate title={lot.name}>
            {lot.name}
          </Heading>
        </Box>
        <InForce
          label="Run sheet"
          value={lot.sheet}
          options={choices.data?.sheets ?? []}
          onChange={(sheet) => put.mutate({ sheet, spec: lot.spec })}
        />
        <InForce
          label="Listing spec"
          value={lot.spec}
          options={choices.data?.specs ?? []}
          onChange={(spec) => put.mutate({ sheet: lot.sheet, spec })}
        />
        <Box flex="1" minWidth="150px" maxWidth="300px">
          <Text whiteSpace="nowrap" mb="1" aria-live="polite">
            {done} of {count(lot.photos, 'photo')} done
            {running && lot.seconds_left != null && `, ${duration(lot.seconds_left)} left`}
          </Text>
          <VerdictBar counts={lot} />
        </Box>
        <Box flex="1" />
        <ChooseFiles size="sm" variant="outline" bg="white" onFiles={onFiles}>
          Add photos
        </ChooseFiles>
        {running ? (
          <Button size="sm" variant="outline" bg="white" loading={cancel.isPending} onClick={() => cancel.mutate()}>
            Cancel
          </Button>
        ) : (
          <Button
            size="sm"
            variant="outline"
            bg="white"
            disabled={lot.failed + lot.idle === 0}
            title={lot.failed + lot.idle === 0 ? 'Everything is done as the run sheet and listing spec ask' : undefined}
            loading={run.isPending}
            onClick={() => run.mutate()}
          >
            {lot.failed > 0 ? `Retry ${lot.failed + lot.idle}` : `Run ${lot.idle || ''}`}
          </Button>
        )}
        {lot.look > 0 && (
          <Box as="label" fontSize="13px" flex="none" maxWidth="104px" lineHeight="1.25">
            <input type="checkbox" checked={withLook} onChange={(event) => setWithLook(event.target.checked)} /> with
            the {lot.look} to look at
          </Box>
        )}
        <Box>
          <Button
            id="deliver"
            size="sm"
            colorPalette="blue"
            disabled={deliverable === 0}
            loading={deliver.isPending}
            onClick={() => deliver.mutate(withLook ? ['ready', 'look'] : ['ready'])}
          >
            Deliver {deliverable} {withLook ? 'photos' : 'ready'}
          </Button>
        </Box>
      </Flex>
      {(trouble ?? deliver.data) && (
        <Flex px="4" pb="2" gap="4" justify="flex-end" align="center" fontSize="13px">
          {trouble && (
            <Text role="alert" color="chalk.pink" flex="1">
              {trouble.message}
            </Text>
          )}
          {deliver.data && (
            <Text role="status" flex="1">
              Delivered, read back and checked.{' '}
              <Link to="/deliveries">
                <Box as="span" color="chalk.blue" textDecoration="underline">
                  See the delivery
                </Box>
              </Link>
            </Text>
          )}
        </Flex>
      )}
    </Box>
  );
}

function Label({ children }: { children: string }) {
  return (
    <Text fontSize="12px" color="slate.quiet">
      {children}
    </Text>
  );
}

type Option = { name: string; title?: string; note?: string };

function InForce(props: { label: string; value: string; options: Option[]; onChange: (name: string) => void }) {
  const { label, value, options, onChange } = props;
  return (
    <Box flex="none">
      <Label>{label}</Label>
      <NativeSelect.Root size="xs" width="170px">
        <NativeSelect.Field
          aria-label={label}
          value={value}
          title={options.find((option) => option.name === value)?.note}
          fontSize="14px"
          border="none"
          px="0"
          onChange={(event) => onChange(event.target.value)}
        >
          {options.map((option) => (
            <option key={option.name} value={option.name}>
              {option.title ?? option.name}
            </option>
          ))}
        </NativeSelect.Field>
        <NativeSelect.Indicator />
      </NativeSelect.Root>
    </Box>
  );
}
