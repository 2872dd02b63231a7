import { Box, Button, Flex, NativeSelect, Text } from '@chakra-ui/react';
import { useRef, useState } from 'react';
import type { Scope } from '../api/client';
import { AskDialog } from '../shared/AskDialog';
import { TextField } from '../shared/fields';

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
    <AskDialog
      title="Let it pass"
      size="sm"
      first={input}
      trouble={trouble}
      answer={{ words: 'Allow', disabled: !reason.trim() }}
      onAnswer={() => onAllow(scope, reason)}
      onClose={onClose}
    >
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
      <TextField
        label="Why"
        most={200}
        value={reason}
        placeholder="It stands in the report"
        inputRef={input}
        onChange={setReason}
      />
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
              <input type="radio" name="scope" checked={scope === one.scope} onChange={() => setScope(one.scope)} />{' '}
              {one.label}
            </Box>
          ))}
        </Box>
      )}
    </AskDialog>
  );
}
