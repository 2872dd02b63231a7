import { Button, Flex } from '@chakra-ui/react';
import { useMutation } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import { answered, client, type Lot } from '../api/client';
import { AskDialog } from '../shared/AskDialog';
import { DayField, TextField } from '../shared/fields';

/** Asks what a lot is to be called, and by which day it is owed. */
export function AboutLot({ lot, onClose }: { lot: Pick<Lot, 'id' | 'name' | 'due'>; onClose: () => void }) {
  const [name, setName] = useState(lot.name);
  const [due, setDue] = useState(lot.due);
  const input = useRef<HTMLInputElement>(null);
  const params = { path: { lot_id: lot.id } };
  const keep = useMutation({
    mutationFn: async () => {
      if (name.trim() !== lot.name)
        await answered(client.PUT('/api/lots/{lot_id}/name', { params, body: { name: name.trim() } }));
      if (due !== lot.due) await answered(client.PUT('/api/lots/{lot_id}/due', { params, body: { due } }));
    },
    onSuccess: onClose,
  });
  return (
    <AskDialog
      title="About the lot"
      size="sm"
      first={input}
      trouble={keep.error?.message}
      answer={{
        words: 'Keep',
        disabled: !name.trim() || (name.trim() === lot.name && due === lot.due),
        busy: keep.isPending,
      }}
      onAnswer={() => keep.mutate()}
      onClose={onClose}
    >
      <TextField label="Name" most={120} value={name} inputRef={input} onChange={setName} />
      <Flex align="end" gap="2">
        <DayField label="Due" value={due} onChange={setDue} />
        <Button size="sm" variant="ghost" disabled={due === null} onClick={() => setDue(null)}>
          No day
        </Button>
      </Flex>
    </AskDialog>
  );
}
