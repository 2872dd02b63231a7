import { Box, Button, Flex, Grid, Text } from '@chakra-ui/react';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { answered, client, type Schemas, type Shelved } from '../api/client';
import { keys, queries } from '../api/queries';
import { Choice } from '../bench/Choice';
import { FigureField, TextField } from '../shared/fields';

type Sheet = Schemas['RunSheet'];

/** A few settings of a run sheet changed, kept as its next version or under another title. */
export function VariantForm({
  of,
  onKept,
  onClose,
}: {
  of: Shelved;
  onKept: (ref: string) => void;
  onClose: () => void;
}) {
  const [sheet, setSheet] = useState<Sheet>(of.content as Sheet);
  const [title, setTitle] = useState(of.title);
  const [note, setNote] = useState('');
  const keep = useMutation({
    mutationFn: () => {
      const text = JSON.stringify({ ...sheet, note });
      const body = { text, where: `a variant of ${of.title}`, title };
      return answered(client.POST('/api/shelf/{kind}', { params: { path: { kind: 'sheet' } }, body }));
    },
    onSuccess: async ({ ref }) => {
      await queries.invalidateQueries({ queryKey: keys.shelf('sheet') });
      onKept(ref);
      onClose();
    },
  });
  const { lift, edge } = sheet;
  const set = (change: Partial<Sheet>) => setSheet((now) => ({ ...now, ...change }));
  const setLift = (change: Partial<Sheet['lift']>) => set({ lift: { ...lift, ...change } });
  const setEdge = (change: Partial<Sheet['edge']>) => set({ edge: { ...edge, ...change } });
  return (
    <Box bg="paper.raised" border="1px solid" borderColor="line" borderRadius="yard" p="4" mb="5">
      <form
        onSubmit={(event) => {
          event.preventDefault();
          if (title.trim()) keep.mutate();
        }}
      >
        <Grid templateColumns="1fr 1fr" gap="3" columnGap="8">
          <Choice
            label="Frame"
            value={sheet.frame.crop}
            options={[
              ['none', 'as it came'],
              ['close', 'close to a small product'],
              ['set', 'without paper edges'],
            ]}
            onChange={(crop) => set({ frame: { ...sheet.frame, crop } })}
          />
          <Choice
            label="Balance"
            value={sheet.balance.neutral}
            options={[
              ['as-shot', 'as shot'],
              ['backdrop', 'backdrop neutral'],
              ...(sheet.balance.light ? ([['light', 'light of the set']] as const) : []),
            ]}
            onChange={(neutral) => set({ balance: neutral === 'light' ? sheet.balance : { neutral } })}
          />
          <Choice
            label="Lift"
            value={lift.on ? lift.scope : 'off'}
            options={[
              ['photo', 'the whole photo'],
              ['backdrop', 'the backdrop alone'],
              ['off', 'off'],
            ]}
            onChange={(value) => setLift(value === 'off' ? { on: false } : { on: true, scope: value })}
          />
          <Choice
            label="White point"
            value={lift.white_point === 'auto' ? 'auto' : 'fixed'}
            options={[
              ['auto', 'just clips'],
              ['fixed', 'a level'],
            ]}
            onChange={(value) => setLift({ white_point: value === 'auto' ? 'auto' : 240 })}
          />
          {lift.white_point !== 'auto' && (
            <FigureField
              label="White point, level"
              unit="level"
              value={lift.white_point}
              least={128}
              most={255}
              step={1}
              onSettle={(white_point) => setLift({ white_point })}
            />
          )}
          <FigureField
            label="Even light"
            unit="%"
            value={100 * lift.even}
            least={0}
            most={100}
            step={1}
            onSettle={(value) => setLift({ even: value / 100 })}
          />
          <Choice
            label="Shadow"
            value={edge.shadow}
            options={[
              ['drop', 'dropped'],
              ['keep', 'kept'],
              ['draw', 'drawn'],
            ]}
            onChange={(shadow) => setEdge({ shadow })}
          />
          {edge.shadow !== 'drop' && (
            <FigureField
              label="Shadow strength"
              unit="%"
              value={100 * edge.shadow_strength}
              least={0}
              most={100}
              step={1}
              onSettle={(value) => setEdge({ shadow_strength: value / 100 })}
            />
          )}
          {(['grow', 'smooth', 'feather'] as const).map((name) => (
            <FigureField
              key={name}
              label={`${name[0]?.toUpperCase()}${name.slice(1)} the edge`}
              unit={edge[name].unit}
              value={edge[name].value}
              least={name === 'grow' ? -20 : 0}
              most={20}
              step={0.25}
              onSettle={(value) => setEdge({ [name]: { value, unit: edge[name].unit } })}
            />
          ))}
          <Choice
            label="Dust on the backdrop"
            value={sheet.mend.dust ? 'mended' : 'left'}
            options={[
              ['left', 'left as it is'],
              ['mended', 'found and mended'],
            ]}
            onChange={(how) => set({ mend: { dust: how === 'mended' } })}
          />
          {(['saturation', 'vibrance'] as const).map((name) => (
            <FigureField
              key={name}
              label={`${name[0]?.toUpperCase()}${name.slice(1)} of the product`}
              unit="%"
              value={sheet.colour[name]}
              least={-100}
              most={100}
              step={1}
              onSettle={(value) => set({ colour: { ...sheet.colour, [name]: value } })}
            />
          ))}
          <Choice
            label="Behind it"
            value={sheet.place.background}
            options={[
              ['spec', 'what the spec says'],
              ['white', 'white'],
              ['transparent', 'see-through'],
            ]}
            onChange={(background) => set({ place: { background } })}
          />
        </Grid>
        <Flex gap="3" pt="4" align="flex-end" wrap="wrap">
          <TextField label="Title" most={80} width="220px" value={title} onChange={setTitle} />
          <TextField label="Note" most={2000} placeholder="What it is for" value={note} onChange={setNote} />
          <Button size="sm" variant="outline" bg="white" onClick={onClose}>
            Not now
          </Button>
          <Button size="sm" type="submit" colorPalette="blue" loading={keep.isPending} disabled={!title.trim()}>
            {title.trim() === of.title ? 'Keep as next version' : 'Keep under this title'}
          </Button>
        </Flex>
        {keep.error && (
          <Text role="alert" color="chalk.pink" pt="2">
            {keep.error.message}
          </Text>
        )}
      </form>
    </Box>
  );
}
