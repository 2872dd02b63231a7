import { useMutation } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import { answered, client, type Lot } from '../api/client';
import { AskDialog } from '../shared/AskDialog';
import { TextField } from '../shared/fields';

/** Asks what a lot is to be called. */
export function RenameLot({ lot, onClose }: { lot: Pick<Lot, 'id' | 'name'>; onClose: () => void }) {
  const [name, setName] = useState(lot.name);
  const input = useRef<HTMLInputElement>(null);
  const rename = useMutation({
    mutationFn: () =>
      answered(
        client.PUT('/api/lots/{lot_id}/name', { params: { path: { lot_id: lot.id } }, body: { name: name.trim() } }),
      ),
    onSuccess: onClose,
  });
  return (
    <AskDialog
      title="Rename the lot"
      size="sm"
      first={input}
      trouble={rename.error?.message}
      answer={{ words: 'Rename', disabled: !name.trim() || name.trim() === lot.name, busy: rename.isPending }}
      onAnswer={() => rename.mutate()}
      onClose={onClose}
    >
      <TextField label="Name" most={120} value={name} inputRef={input} onChange={setName} />
    </AskDialog>
  );
}
