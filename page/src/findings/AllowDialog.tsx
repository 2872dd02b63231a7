import { Box, Button, CloseButton, Dialog, Flex, Input, NativeSelect, Portal, Text } from '@chakra-ui/react';
import { useRef, useState } from 'react';
import type { Scope } from '../api/client';

const SCOPES: { scope: Scope; label: string }[] = [
  { scope: 'photo', label: 'In this photo' },
  { scope: 'lot', label: 'The like in this lot, no farther off the limit' },
  { scope: 'spec', label: 'Wherever this listing spec is in force' },
];
const REASONS = ['The product is like that', 'The paper has that colour', 'The listing takes it'];

/** Asks why a finding may pass, and how far that goes. */
export function AllowDialog(props: {
  /** What is let pass, in words. */
  what: string;
  /** The kinds to choose from, where there are several. */
  choices?: { value: string; label: string }[];
  choice?: string;
  onChoice?: (value: string) => void;
  /** Whether it can go farther than the photos at hand. */
  scoped?: boolean;
  trouble?: string;
  onAllow: (scope: Scope, reason: string) => void;
  onClose: () => void;
}) {
  const { what, choices = [], choice, onChoice, scoped = true, trouble, onAllow, onClose } = props;
  const [reason, setReason] = useState('');
  const [scope, setScope] = useState<Scope>('photo');
  const input = useRef<HTMLInputElement>(null);
  return (
    <Dialog.Root
      open
      onOpenChange={(change) => !change.open && onClose()}
      size="sm"
      initialFocusEl={() => input.current}
    >
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content bg="paper.raised">
            <form
              onSubmit={(event) => {
                event.preventDefault();
                if (reason.trim()) onAllow(scope, reason);
              }}
            >
              <Dialog.Header pb="1">
                <Dialog.Title>Let it pass</Dialog.Title>
              </Dialog.Header>
              <Dialog.Body pb="3">
                <Text mb="3">{what}</Text>
                {choices.length > 1 && (
                  <NativeSelect.Root size="sm" mb="3">
                    <NativeSelect.Field
                      aria-label="What is let pass"
                      bg="white"
                      value={choice}
                      onChange={(event) => onChoice?.(event.target.value)}
                    >
                      {choices.map(({ value, label }) => (
                        <option key={value} value={value}>
                          {label}
                        </option>
                      ))}
                    </NativeSelect.Field>
                    <NativeSelect.Indicator />
                  </NativeSelect.Root>
                )}
                <Box as="label" fontWeight="700">
                  Why
                  <Input
                    ref={input}
                    size="sm"
                    bg="white"
                    fontWeight="400"
                    maxLength={200}
                    value={reason}
                    placeholder="It stands in the report"
                    onChange={(event) => setReason(event.target.value)}
                  />
                </Box>
                <Flex gap="1.5" wrap="wrap" py="2">
                  {REASONS.map((one) => (
                    <Button key={one} size="2xs" variant="outline" bg="white" onClick={() => setReason(one)}>
                      {one}
                    </Button>
                  ))}
                </Flex>
                {scoped && (
                  <Box as="fieldset" pt="1">
                    <Box as="legend" fontWeight="700">
                      How far
                    </Box>
                    {SCOPES.map((one) => (
                      <Box as="label" display="block" key={one.scope} py="0.5">
                        <input
                          type="radio"
                          name="scope"
                          checked={scope === one.scope}
                          onChange={() => setScope(one.scope)}
                        />{' '}
                        {one.label}
                      </Box>
                    ))}
                  </Box>
                )}
                {trouble && (
                  <Text role="alert" color="chalk.pink" pt="2">
                    {trouble}
                  </Text>
                )}
              </Dialog.Body>
              <Dialog.Footer>
                <Button size="sm" variant="outline" bg="white" onClick={onClose}>
                  Not now
                </Button>
                <Button size="sm" type="submit" colorPalette="blue" disabled={!reason.trim()}>
                  Allow
                </Button>
              </Dialog.Footer>
            </form>
            <Dialog.CloseTrigger asChild>
              <CloseButton size="sm" aria-label="Close" />
            </Dialog.CloseTrigger>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  );
}
