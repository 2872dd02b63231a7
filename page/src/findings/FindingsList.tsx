import { Box, Button, Flex, Kbd, Text } from '@chakra-ui/react';
import { useEffect, useRef } from 'react';
import type { Finding, Photo } from '../api/client';
import { amount } from '../shared/format';
import { checkName, Mark } from '../shared/marks';
import { handTool, isOpen, type Work } from './useWork';

const PASSES = { photo: 'for this photo', lot: 'for the like in this lot', spec: 'by the listing spec' };

/** What the checks found, worst first: the work list. */
export function FindingsList({ photo, work }: { photo: Photo; work: Work }) {
  const { findings } = photo;
  const settled = photo.state === 'done';
  const open = findings.filter(isOpen).length;
  const said = work.trouble ?? work.said;
  return (
    <Flex direction="column" flex="1" minHeight="0">
      <Flex justify="space-between" align="center" px="3.5" py="2.5">
        <Text as="h2" fontWeight="700">
          Findings
        </Text>
        <Text className="figures" title={`${open} of ${findings.length} want a look`}>
          {open === findings.length ? open : `${open} of ${findings.length}`}
        </Text>
      </Flex>
      {work.check && (
        <Flex
          justify="space-between"
          align="center"
          gap="2"
          px="3.5"
          py="1.5"
          bg="white"
          borderY="1px solid"
          borderColor="line"
        >
          <Text fontSize="13px">
            <b>{checkName(work.check)}</b> alone, {through(photo, work.check)}
          </Text>
          <Box as="button" fontSize="13px" color="chalk.blue" cursor="pointer" flex="none" onClick={work.showAll}>
            All findings
          </Box>
        </Flex>
      )}
      <Box overflowY="auto" flex="1">
        {photo.error && (
          <Text px="3.5" py="2" role="alert">
            {photo.error}
          </Text>
        )}
        {!settled && photo.state !== 'failed' && (
          <Text px="3.5" pb="2" color="slate.quiet" role="status">
            {photo.state === 'idle' ? 'Not checked yet. Run the lot.' : 'Being checked anew …'}
          </Text>
        )}
        {work.outcome && (
          <Text px="3.5" pb="2" role="status">
            {work.outcome}
          </Text>
        )}
        {findings.map((finding, i) => (
          <FindingRow key={i} finding={finding} at={i} work={work} />
        ))}
        {findings.length === 0 && settled && (
          <Text px="3.5" color="slate.quiet">
            The checks found nothing. This photo is ready.
          </Text>
        )}
      </Box>
      {said && (
        <Text px="3.5" py="2" role="alert" color={work.trouble ? 'chalk.pink' : undefined}>
          {said}
        </Text>
      )}
      <Flex px="2.5" py="2" borderTop="1px solid" borderColor="line" gap="1.5">
        <Pressed label={open > 0 ? 'Next' : 'Next photo'} hotkey="N" onClick={() => work.step(1)} />
        <Pressed label="Accept" hotkey="Enter" onClick={work.accept} />
      </Flex>
    </Flex>
  );
}

/** How many photos of the lot there are to go through for one check. */
function through(photo: Photo, check: string): string {
  const photos = photo.order.filter((one) => one.checks.includes(check)).length;
  return photos === 1 ? '1 photo' : `${photos} photos`;
}

/** A button with the key that does the same. */
function Pressed({ label, hotkey, onClick }: { label: string; hotkey: string; onClick: () => void }) {
  return (
    <Button size="xs" variant="outline" bg="white" flex="1" px="2" onClick={onClick}>
      {label} <Kbd size="sm">{hotkey}</Kbd>
    </Button>
  );
}

function FindingRow({ finding, at, work }: { finding: Finding; at: number; work: Work }) {
  const chosen = work.chosen === at;
  const row = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (chosen) row.current?.scrollIntoView({ block: 'nearest' });
  }, [chosen]);
  const { allowed, mend } = finding;
  const tool = handTool(finding);
  return (
    <Box
      ref={row}
      bg={chosen ? 'paper.raised' : undefined}
      boxShadow={chosen ? 'inset 4px 0 {colors.chalk.blue}' : undefined}
    >
      <Box
        as="button"
        display="flex"
        gap="2.5"
        width="100%"
        textAlign="left"
        px="3.5"
        py="2"
        cursor="pointer"
        aria-pressed={chosen}
        onClick={() => work.choose(chosen ? null : at)}
      >
        <Box pt="4px">
          {finding.severity === 'note' || allowed ? (
            <Box
              width="12px"
              height="3px"
              mt="5px"
              bg="slate.quiet"
              role="img"
              aria-label={allowed ? 'Allowed' : 'Note'}
            />
          ) : (
            <Mark standing={finding.severity} />
          )}
        </Box>
        <Box minWidth="0">
          <Text fontWeight={chosen ? '700' : '500'} color={allowed ? 'slate.quiet' : undefined}>
            {checkName(finding.check)}
            {allowed && ', allowed'}
          </Text>
          <Text fontSize="13px" color="slate.quiet">
            {finding.message}
          </Text>
          <Text fontSize="12px" color="slate.quiet" className="figures">
            {finding.severity === 'note'
              ? `${amount(finding.figure)} ${finding.unit}`
              : `limit ${amount(finding.limit)} ${finding.unit}`}
          </Text>
          {allowed && (
            <Text fontSize="13px" overflowWrap="anywhere">
              {PASSES[allowed.scope]}: {allowed.reason}
            </Text>
          )}
        </Box>
      </Box>
      {chosen && finding.severity !== 'note' && (
        <Flex direction="column" gap="1.5" px="3.5" pb="2.5">
          {allowed ? (
            <Button size="xs" variant="outline" bg="white" onClick={() => work.withdraw(allowed.id)}>
              Take back <Kbd size="sm">A</Kbd>
            </Button>
          ) : (
            <>
              {mend ? (
                <Button
                  size="xs"
                  colorPalette="blue"
                  title="Shown while you point at it; Undo takes it back"
                  onMouseEnter={() => work.setPreview(at)}
                  onMouseLeave={() => work.setPreview(null)}
                  onFocus={() => work.setPreview(at)}
                  onBlur={() => work.setPreview(null)}
                  onClick={() => work.mend(at)}
                >
                  {mend.words}{' '}
                  <Kbd size="sm" color="slate">
                    M
                  </Kbd>
                </Button>
              ) : tool ? (
                <Button size="xs" colorPalette="blue" onClick={() => work.mend(at)}>
                  {DRAWN[tool]}{' '}
                  <Kbd size="sm" color="slate">
                    M
                  </Kbd>
                </Button>
              ) : (
                <Text fontSize="13px" color="slate.quiet">
                  {finding.tool === 'crop'
                    ? 'Crop it in Frame, ask for another photo, or allow it.'
                    : 'No one press mends this: ask for the photo again, or allow it.'}
                </Text>
              )}
              <Button size="xs" variant="outline" bg="white" onClick={() => work.setAllowing(at)}>
                Allow with a reason <Kbd size="sm">A</Kbd>
              </Button>
            </>
          )}
        </Flex>
      )}
    </Box>
  );
}

const DRAWN = { outline: 'Draw the outline', box: 'Drag a box round it' };
