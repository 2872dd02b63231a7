import { Box, Button, Flex, Input, Text } from '@chakra-ui/react';
import { useState } from 'react';
import type { ListingSpec } from '../api/client';
import { Choice } from '../bench/Choice';
import { TypedNumber } from '../bench/TypedNumber';
import { ChoosePicture } from '../shared/ChoosePicture';
import { FigureField, TextField } from '../shared/fields';

type Change = Partial<ListingSpec>;
const FILES = [
  ['jpeg', 'JPEG'],
  ['png', 'PNG'],
  ['webp', 'WebP'],
  ['tiff', 'TIFF'],
  ['gif', 'GIF'],
  ['openraster', 'OpenRaster (layers)'],
  ['matte', 'matte alone'],
] as const;

/** All that a listing spec sets, in the order in which it acts. */
export function SpecForm(props: {
  spec: ListingSpec;
  title: string;
  onTitle: (title: string) => void;
  onChange: (spec: ListingSpec) => void;
}) {
  const { spec, title, onTitle, onChange } = props;
  const set = (change: Change) => onChange({ ...spec, ...change });
  const canvas = spec.canvas ?? null;
  return (
    <Flex direction="column" gap="2.5">
      <TextField label="Title" most={80} value={title} onChange={onTitle} />
      <Part title="Canvas">
        <Choice
          label="Size"
          value={canvas ? 'fixed' : spec.aspect ? 'aspect' : 'trimmed'}
          options={[
            ['fixed', 'fixed'],
            ['trimmed', 'trimmed to the product'],
            ['aspect', 'trimmed, with an aspect'],
          ]}
          onChange={(value) =>
            set({
              canvas: value === 'fixed' ? { width: 2000, height: 2000 } : null,
              aspect: value === 'aspect' ? [4, 5] : null,
            })
          }
        />
        {canvas && (
          <>
            <FigureField
              label="Width"
              unit="px"
              value={canvas.width}
              least={16}
              most={20000}
              onSettle={(width) => set({ canvas: { ...canvas, width } })}
            />
            <FigureField
              label="Height"
              unit="px"
              value={canvas.height}
              least={16}
              most={20000}
              onSettle={(height) => set({ canvas: { ...canvas, height } })}
            />
            <FigureField
              label="Fill"
              unit="%"
              value={spec.fill}
              least={1}
              most={100}
              step={0.5}
              onSettle={(fill) => set({ fill })}
            />
            <FigureField
              label="Middle, from the left"
              unit="%"
              value={spec.across}
              least={1}
              most={99}
              step={0.1}
              onSettle={(across) => set({ across })}
            />
            <Choice
              label="Stands"
              value={spec.stand}
              options={[
                ['middle', 'in the middle'],
                ['base-line', 'on a base line'],
              ]}
              onChange={(stand) => set({ stand })}
            />
            {spec.stand === 'base-line' && (
              <FigureField
                label="Base line, from the top"
                unit="%"
                value={spec.base_line}
                least={1}
                most={100}
                step={0.5}
                onSettle={(base_line) => set({ base_line })}
              />
            )}
            <Choice
              label="Small products"
              value={spec.enlarge ? 'yes' : 'no'}
              options={[
                ['yes', 'are enlarged'],
                ['no', 'keep their size'],
              ]}
              onChange={(value) => set({ enlarge: value === 'yes' })}
            />
          </>
        )}
        {!canvas && (
          <FigureField
            label="Margin, of the longer side"
            unit="%"
            value={spec.margin}
            least={0}
            most={45}
            step={0.5}
            onSettle={(margin) => set({ margin })}
          />
        )}
        {!canvas && spec.aspect && (
          <Flex justify="space-between" align="center" gap="2">
            <Text flex="1">Width : height</Text>
            {[0, 1].map((i) => (
              <TypedNumber
                key={i}
                bare
                name={i ? 'Height' : 'Width'}
                unit="parts"
                value={spec.aspect?.[i] ?? 1}
                least={1}
                most={100}
                step={1}
                onSettle={(value) => set({ aspect: spec.aspect?.map((old, k) => (k === i ? value : old)) ?? null })}
              />
            ))}
          </Flex>
        )}
      </Part>
      <Part title="Behind the product">
        <Choice
          label="Background"
          value={spec.background}
          options={[
            ['white', 'pure white'],
            ['transparent', 'see-through'],
            ['colour', 'a colour'],
            ...(spec.picture ? ([['picture', 'a picture']] as const) : []),
          ]}
          onChange={(background) => {
            // What cannot be together is not left together: JPEG holds no transparency.
            set({ background, ...(background === 'transparent' && spec.file === 'jpeg' && { file: 'png' }) });
          }}
        />
        {spec.background === 'colour' && (
          <Flex justify="space-between" align="center">
            <Text>Colour</Text>
            <input
              type="color"
              aria-label="Colour behind the product"
              value={spec.colour}
              onChange={(event) => set({ colour: event.target.value })}
            />
          </Flex>
        )}
        <ChoosePicture
          label={spec.picture ? 'Another picture behind' : 'Choose a picture to lie behind'}
          onPicture={(picture) => set({ picture, background: 'picture' })}
        />
        {spec.added.map((one, i) => (
          <Box key={i} borderLeft="3px solid" borderColor="line" pl="2">
            <Flex justify="space-between" align="center">
              <Text>Mark {i + 1}</Text>
              <Button
                size="2xs"
                variant="ghost"
                onClick={() => set({ added: spec.added.filter((_, k) => k !== i) })}
                aria-label={`Remove mark ${i + 1}`}
              >
                Remove
              </Button>
            </Flex>
            {(
              [
                ['across', 'From the left', 100],
                ['down', 'From the top', 100],
                ['strength', 'Strength', 100],
                ['width', 'Width', 1],
              ] as const
            ).map(([name, label, times]) => (
              <FigureField
                key={name}
                label={label}
                unit="%"
                value={one[name] * times}
                least={name === 'width' ? 1 : 0}
                most={100}
                step={0.5}
                onSettle={(value) =>
                  set({ added: spec.added.map((old, k) => (k === i ? { ...old, [name]: value / times } : old)) })
                }
              />
            ))}
          </Box>
        ))}
        <ChoosePicture
          label="Add a mark or picture"
          onPicture={(picture) =>
            set({ added: [...spec.added, { picture, across: 0.95, down: 0.95, width: 12, strength: 1 }] })
          }
        />
      </Part>
      <Part title="File">
        <Choice
          label="Format"
          value={spec.file}
          options={FILES.filter(([name]) => name !== 'jpeg' || spec.background !== 'transparent')}
          onChange={(file) => set({ file, bits: ['png', 'tiff', 'matte'].includes(file) ? spec.bits : null })}
        />
        {['png', 'tiff', 'matte'].includes(spec.file) && (
          <Choice
            label="Bits a channel"
            value={spec.bits === null || spec.bits === undefined ? 'as' : String(spec.bits)}
            options={[
              ['as', 'as the photo'],
              ['8', '8'],
              ['16', '16'],
            ]}
            onChange={(value) => set({ bits: value === 'as' ? null : value === '16' ? 16 : 8 })}
          />
        )}
        {spec.file === 'webp' && (
          <Choice
            label="Loss"
            value={spec.lossless ? 'none' : 'some'}
            options={[
              ['some', 'by quality'],
              ['none', 'none'],
            ]}
            onChange={(value) => set({ lossless: value === 'none' })}
          />
        )}
        {(spec.file === 'jpeg' || (spec.file === 'webp' && !spec.lossless)) && (
          <FigureField
            label="Quality"
            unit="of 100"
            value={spec.quality}
            least={60}
            most={100}
            onSettle={(quality) => set({ quality })}
          />
        )}
        <FigureField
          label="At most (0: any size)"
          unit="kB"
          value={Math.round((spec.max_bytes ?? 0) / 1000)}
          least={0}
          most={100000}
          onSettle={(value) => set({ max_bytes: value ? value * 1000 : null })}
        />
        <FigureField
          label="Resolution"
          unit="dpi"
          value={spec.dpi}
          least={1}
          most={2400}
          onSettle={(dpi) => set({ dpi })}
        />
        {['jpeg', 'png', 'webp'].includes(spec.file) && (
          <Choice
            label="Camera’s notes"
            value={spec.exif}
            options={[
              ['drop', 'left out'],
              ['trim', 'date, camera, rights'],
              ['keep', 'kept'],
            ]}
            onChange={(exif) => set({ exif })}
          />
        )}
        {spec.exif !== 'drop' && ['jpeg', 'png', 'webp'].includes(spec.file) && (
          <Choice
            label="Place of the photo"
            value={spec.location ? 'kept' : 'out'}
            options={[
              ['out', 'left out'],
              ['kept', 'kept'],
            ]}
            onChange={(value) => set({ location: value === 'kept' })}
          />
        )}
        <NamePattern key={spec.names} names={spec.names} onNames={(names) => set({ names })} />
      </Part>
      <Part title="Limits of the checks">
        {(Object.keys(LIMITS) as (keyof typeof LIMITS)[]).map((name) => (
          <FigureField
            key={name}
            label={LIMITS[name][0]}
            unit={LIMITS[name][1]}
            value={spec.limits[name]}
            least={name === 'white_level' ? 200 : 0}
            most={name === 'white_level' ? 255 : 100}
            step={name === 'white_level' ? 1 : 0.01}
            onSettle={(value) => set({ limits: { ...spec.limits, [name]: value } })}
          />
        ))}
      </Part>
    </Flex>
  );
}

const LIMITS = {
  white_level: ['White is from', 'level'],
  lost_highlights: ['Lost highlights', '% of product'],
  lost_shadows: ['Lost shadows', '% of product'],
  left_behind: ['Left behind', '% of photo'],
  missing_part: ['Missing part', '% of photo'],
  fringe: ['Fringe', 'ΔE'],
  blur: ['Out of focus', 'px'],
  cast: ['Cast', 'ΔE'],
  too_alike: ['Too alike', '% of colours'],
  weak_outline: ['Weak outline', '% of side'],
  ragged_edge: ['Ragged edge', '% of outline'],
  margin_error: ['Fill and place', '% of canvas'],
} as const;

function Part({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <Flex direction="column" gap="2" borderTop="1px solid" borderColor="line" pt="2.5">
      <Text as="h3" fontWeight="700">
        {title}
      </Text>
      {children}
    </Flex>
  );
}

function NamePattern({ names, onNames }: { names: string; onNames: (names: string) => void }) {
  const [typed, setTyped] = useState(names);
  const enter = () => typed.trim() && typed !== names && onNames(typed.trim());
  return (
    <Box as="label">
      Names
      <Input
        size="xs"
        bg="white"
        className="figures"
        maxLength={120}
        value={typed}
        onChange={(event) => setTyped(event.target.value)}
        onBlur={enter}
        onKeyDown={(event) => event.key === 'Enter' && enter()}
      />
      <Text fontSize="12px" color="slate.quiet">
        {'{name} {sku} {folder} {lot} {n} {n:03} {spec} and text'}
      </Text>
    </Box>
  );
}
