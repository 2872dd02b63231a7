import { Box, Button, Flex, Heading, NativeSelect, Text } from '@chakra-ui/react';
import { useMutation } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import { Link } from 'react-router';
import { answered, client, type Lot, type Shelved } from '../api/client';
import { useShelf } from '../api/queries';
import { ChooseFiles } from '../intake/ChooseFiles';
import type { Gathered } from '../intake/gather';
import { count, duration } from '../shared/format';
import { VerdictBar } from '../shared/VerdictBar';
import { called, optionsOf } from '../sheets/shelf';
import { AboutLot } from '../lots/AboutLot';
import { DueDay } from '../lots/DueDay';
import { DeliverDialog } from './DeliverDialog';

/** What is in force for the lot, how far it is, and what can be done with all of it. */
export function LotHeader({ lot, onFiles }: { lot: Lot; onFiles: (files: Gathered[]) => void }) {
  const sheets = useShelf('sheet');
  const specs = useShelf('spec');
  const path = { lot_id: lot.id };
  const run = useMutation({
    mutationFn: (failed: boolean) =>
      answered(client.POST('/api/lots/{lot_id}/run', { params: { path }, body: { anew: false, failed } })),
  });
  const pause = useMutation({
    mutationFn: () => answered(client.POST('/api/lots/{lot_id}/pause', { params: { path } })),
  });
  const goOn = useMutation({
    mutationFn: () => answered(client.POST('/api/lots/{lot_id}/go-on', { params: { path } })),
  });
  const cancel = useMutation({
    mutationFn: () => answered(client.POST('/api/lots/{lot_id}/cancel', { params: { path } })),
  });
  const put = useMutation({
    mutationFn: (inForce: { sheet: string; spec: string }) =>
      answered(client.PUT('/api/lots/{lot_id}', { params: { path }, body: inForce })),
  });
  const [delivering, setDelivering] = useState(false);
  const [delivered, setDelivered] = useState(false);
  const [changing, setChanging] = useState(false);
  const [withLook, setWithLook] = useState(false);
  const done = lot.photos - lot.waiting - lot.idle;
  const running = lot.waiting > 0;
  const toRun = lot.idle + lot.outdated;
  const deliverable = lot.ready + (withLook ? lot.look : 0);
  const trouble = run.error ?? pause.error ?? goOn.error ?? cancel.error ?? put.error;
  return (
    <Box bg="paper.raised" borderBottom="1px solid" borderColor="line" flex="none">
      <Flex px="4" py="2" gap="3" align="center" minHeight="64px">
        <Box minWidth="0">
          <Label>
            Lot{lot.due && ', '}
            <DueDay lot={lot} />
          </Label>
          <Heading as="h1" size="xl" lineHeight="1.2" truncate title={lot.name}>
            <Box
              as="button"
              maxWidth="100%"
              truncate
              cursor="pointer"
              title={`${lot.name}: press for its name and due day`}
              _hover={{ textDecoration: 'underline dotted' }}
              onClick={() => setChanging(true)}
            >
              {lot.name}
            </Box>
          </Heading>
        </Box>
        <InForce
          label="Run sheet"
          value={lot.sheet}
          options={sheets.data ?? []}
          aside={{ to: `/lots/${lot.id}/try`, words: 'try others', label: 'try others: run sheets side by side' }}
          onChange={(sheet) => put.mutate({ sheet, spec: lot.spec })}
        />
        <InForce
          label="Listing spec"
          value={lot.spec}
          options={specs.data ?? []}
          aside={{ to: `/specs?spec=${lot.spec}`, words: 'see it', label: 'see it: the spec in force' }}
          onChange={(spec) => put.mutate({ sheet: lot.sheet, spec })}
        />
        <Box flex="1" minWidth="150px" maxWidth="300px">
          <Text whiteSpace="nowrap" mb="1" aria-live="polite">
            {done} of {count(lot.photos, 'photo')} done
            {lot.paused ? ', paused' : running && lot.seconds_left != null && `, ${duration(lot.seconds_left)} left`}
            {lot.delivered > 0 && `, ${lot.delivered} delivered`}
          </Text>
          <VerdictBar counts={lot} />
        </Box>
        <Box flex="1" />
        <ChooseFiles size="sm" variant="outline" bg="white" onFiles={onFiles}>
          Add photos
        </ChooseFiles>
        {running ? (
          <>
            <Button
              size="sm"
              variant="outline"
              bg="white"
              loading={pause.isPending || goOn.isPending}
              onClick={() => (lot.paused ? goOn : pause).mutate()}
            >
              {lot.paused ? 'Go on' : 'Pause'}
            </Button>
            <Button size="sm" variant="outline" bg="white" loading={cancel.isPending} onClick={() => cancel.mutate()}>
              Cancel
            </Button>
          </>
        ) : (
          (lot.failed === 0 || toRun > 0) && (
            <Button
              size="sm"
              variant="outline"
              bg="white"
              disabled={toRun === 0}
              title={
                toRun === 0
                  ? 'Everything is done as the run sheet and listing spec ask'
                  : lot.outdated > 0
                    ? `${count(lot.outdated, 'photo')} by an older version of the engine`
                    : undefined
              }
              loading={run.isPending}
              onClick={() => run.mutate(false)}
            >
              Run {toRun || ''}
            </Button>
          )
        )}
        {lot.failed > 0 && (
          <Button size="sm" variant="outline" bg="white" loading={run.isPending} onClick={() => run.mutate(true)}>
            Retry {lot.failed} failed
          </Button>
        )}
        {lot.look > 0 && (
          <Flex as="label" fontSize="13px" flex="none" width="112px" gap="2" lineHeight="1.25">
            <input type="checkbox" checked={withLook} onChange={(event) => setWithLook(event.target.checked)} />
            with the {lot.look} to look at
          </Flex>
        )}
        <Box>
          <Button
            id="deliver"
            size="sm"
            colorPalette="blue"
            disabled={deliverable === 0}
            onClick={() => setDelivering(true)}
          >
            Deliver {deliverable} {withLook ? 'photos' : 'ready'}
          </Button>
        </Box>
      </Flex>
      {(trouble ?? (delivered ? true : null)) && (
        <Flex px="4" pb="2" gap="4" justify="flex-end" align="center" fontSize="13px">
          {trouble && (
            <Text role="alert" color="chalk.pink" flex="1">
              {trouble.message}
            </Text>
          )}
          {delivered && (
            <Text role="status" flex="1">
              It is being written, read back and checked.{' '}
              <Link to="/deliveries">
                <Box as="span" color="chalk.blue" textDecoration="underline">
                  See the delivery
                </Box>
              </Link>
            </Text>
          )}
        </Flex>
      )}
      {changing && <AboutLot lot={lot} onClose={() => setChanging(false)} />}
      {delivering && (
        <DeliverDialog
          lot={lot}
          verdicts={withLook ? ['ready', 'look'] : ['ready']}
          onDelivered={() => {
            setDelivering(false);
            setDelivered(true);
          }}
          onClose={() => setDelivering(false)}
        />
      )}
    </Box>
  );
}

function Label({ children }: { children: ReactNode }) {
  return (
    <Text fontSize="12px" color="slate.quiet">
      {children}
    </Text>
  );
}

function InForce(props: {
  label: string;
  value: string;
  options: Shelved[];
  aside: { to: string; words: string; label: string };
  onChange: (ref: string) => void;
}) {
  const { label, value, options, aside, onChange } = props;
  return (
    <Box flex="none">
      <Flex justify="space-between" width="150px" fontSize="12px">
        <Label>{label}</Label>
        <Link to={aside.to} aria-label={aside.label}>
          <Box as="span" color="chalk.blue">
            {aside.words}
          </Box>
        </Link>
      </Flex>
      <NativeSelect.Root size="xs" width="150px">
        <NativeSelect.Field
          aria-label={label}
          value={value}
          title={options.find((option) => option.ref === value)?.words.join(' ')}
          fontSize="14px"
          border="none"
          px="0"
          onChange={(event) => onChange(event.target.value)}
        >
          {optionsOf(options, value).map((option) => (
            <option key={option.ref} value={option.ref}>
              {called(option)}
            </option>
          ))}
        </NativeSelect.Field>
        <NativeSelect.Indicator />
      </NativeSelect.Root>
    </Box>
  );
}
