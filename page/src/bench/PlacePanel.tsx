import { Button, Text } from '@chakra-ui/react';
import type { ListingSpec, Photo } from '../api/client';
import { CanvasDrawing } from '../specs/CanvasDrawing';
import { Choice } from './Choice';
import { withPlace, type Marks, type PlaceMarks } from './marks';
import { StagePanel } from './StagePanel';
import { ValueSlider } from './ValueSlider';

/** Place: where the product stands on the canvas that the listing spec asks for, and how large; this photo's own where it departs. */
export function PlacePanel(props: {
  photo: Photo;
  /** Kept, or as they are being dragged. */
  marks: Marks;
  trouble: string | undefined;
  onDrag: (marks: Marks) => void;
  onSettle: (marks: Marks, what: string) => void;
}) {
  const { photo, marks, trouble, onDrag, onSettle } = props;
  const { listing } = photo;
  const own = Object.fromEntries(Object.entries(marks.place).filter(([, value]) => value != null));
  const spec: ListingSpec = { ...listing, ...own };
  const departs = Object.keys(own).length > 0;
  const set = (change: Partial<PlaceMarks>, what: string) => onSettle(withPlace(marks, change), what);
  const slider = (name: 'fill' | 'margin' | 'across' | 'base_line', label: string, least: number, most: number) => (
    <ValueSlider
      label={label}
      unit="%"
      value={spec[name]}
      least={least}
      most={most}
      step={0.5}
      standard={{ value: listing[name], name: 'as the listing spec' }}
      onDrag={(value) => onDrag(withPlace(marks, { [name]: value }))}
      onSettle={(value) => set({ [name]: value }, `${label} ${value} %`)}
      onReset={() => set({ [name]: null }, `${label} as the listing spec`)}
    />
  );
  return (
    <StagePanel
      name="Place"
      trouble={trouble}
      awaited={photo.state === 'done' ? null : 'The result is being made anew …'}
    >
      <CanvasDrawing
        spec={spec}
        picture={photo.preview && `/api/pictures/${photo.preview}`}
        size={photo.result_width && photo.result_height ? [photo.result_width, photo.result_height] : undefined}
        onChange={({ across, base_line }) =>
          onDrag(withPlace(marks, spec.stand === 'base-line' ? { across, base_line } : { across }))
        }
        onSettle={() => onSettle(marks, 'Moved on the canvas')}
      />
      {listing.canvas ? (
        <>
          {slider('fill', 'Fill', 5, 100)}
          {slider('across', 'Middle, from the left', 1, 99)}
          <Choice
            label="Stands"
            value={spec.stand}
            options={[
              ['middle', 'in the middle'],
              ['base-line', 'on a base line'],
            ]}
            onChange={(stand) => set({ stand }, stand === 'middle' ? 'Stands in the middle' : 'Stands on a base line')}
          />
          {spec.stand === 'base-line' && slider('base_line', 'Base line, from the top', 5, 100)}
        </>
      ) : (
        slider('margin', 'Margin, of the longer side', 0, 45)
      )}
      {departs ? (
        <>
          <Text fontSize="13px">
            This photo departs from {listing.title || listing.name}. The checks go by the listing spec, and say where it
            does not fit.
          </Text>
          <Button
            size="xs"
            variant="outline"
            bg="white"
            onClick={() => onSettle({ ...marks, place: {} }, 'Placed as the listing spec says')}
          >
            Place it as the listing spec says
          </Button>
        </>
      ) : (
        <Text fontSize="13px" color="slate.quiet">
          As {listing.title || listing.name} has it. What is moved here is this photo’s own.
        </Text>
      )}
    </StagePanel>
  );
}
