import { Checkbox, NativeSelect, NumberInput } from '@mantine/core';
import type { Recipe } from '../../api/calls';
import { ColourField, colourOf, colourText } from '../../ui/ColourField';
import form from '../../ui/form.module.css';

type Images = Recipe['images'];

interface Props {
  images: Images;
  /** Whether the bits of a channel are chosen here: they are the same for all parts. */
  hasBits?: boolean;
  /** Told what was changed, and nothing else. */
  onChange: (changed: Partial<Images>) => void;
}

const EXTENTS = [
  { value: 'trimmed', label: 'Trimmed part' },
  { value: 'canvas', label: 'Whole canvas' },
  { value: 'common', label: 'Shared box' },
];
const SIDES = [
  { value: 'any', label: 'No padding' },
  { value: 'even', label: 'Even numbers' },
  { value: 'power-of-two', label: 'Powers of two' },
];
const FORMATS = [
  { value: 'png', label: 'PNG' },
  { value: 'webp', label: 'WebP' },
  { value: 'avif', label: 'AVIF' },
  { value: 'jpeg', label: 'JPEG, opaque' },
  { value: 'tiff', label: 'TIFF' },
];
const EFFORTS = [
  { value: 'quick', label: 'Fast' },
  { value: 'normal', label: 'Normal' },
  { value: 'small', label: 'Smallest' },
];
const UNDER = [
  { value: 'clear', label: 'Cleared' },
  { value: 'bleed', label: 'Extended from the edge' },
  { value: 'keep', label: 'As in the source' },
];

const STORED = [
  { value: 'files', label: 'Separate files' },
  { value: 'sheets', label: 'Sprite sheets' },
];
const MOVING = [
  { value: 'files', label: 'Numbered files' },
  { value: 'all-files', label: 'Numbered files, with duplicates' },
  { value: 'grid', label: 'Grid of cells' },
  { value: 'apng', label: 'Animated PNG' },
  { value: 'webp', label: 'Animated WebP' },
  { value: 'gif', label: 'GIF, few colours' },
];

const BITS = [
  { value: '8', label: '8' },
  { value: '16', label: '16, where available' },
];

const canHave16 = (images: Images) =>
  (images.format === 'png' || images.format === 'tiff') && !['apng', 'webp', 'gif'].includes(images.moving);

/** The same with 8 bits a channel, where its format or the way that frames are kept has no more. */
export const withItsBits = (images: Images): Images => (canHave16(images) ? images : { ...images, bits: 8 });

/** How the image of a part is cut and written. */
export function ImagesFields({ images, hasBits = false, onChange }: Props) {
  const number = (name: 'margin' | 'threshold' | 'reach' | 'quality', max: number, min = 0) => ({
    size: 'xs' as const,
    allowDecimal: false,
    min,
    max,
    value: images[name],
    onChange: (value: number | string) => typeof value === 'number' && onChange({ [name]: value }),
  });
  const choice = <Name extends 'extent' | 'sides' | 'format' | 'effort' | 'under' | 'stored' | 'moving'>(
    name: Name,
  ) => ({
    size: 'xs' as const,
    value: images[name],
    onChange: (event: React.ChangeEvent<HTMLSelectElement>) =>
      onChange({ [name]: event.currentTarget.value as Images[Name] }),
  });
  const isLossy =
    images.format === 'jpeg' || images.format === 'avif' || (images.format === 'webp' && !images.lossless);
  return (
    <>
      <div className={form.row}>
        <NativeSelect {...choice('extent')} label="Image area" data={EXTENTS} />
        <NumberInput {...number('margin', 1024)} label="Margin" suffix=" px" disabled={images.extent === 'canvas'} />
      </div>
      <div className={form.row}>
        <NativeSelect {...choice('sides')} label="Pad sides to" data={SIDES} />
        <NumberInput {...number('threshold', 254)} label="Alpha threshold" />
      </div>
      <div className={form.row}>
        <NativeSelect {...choice('format')} label="Format" data={FORMATS} />
        {images.format === 'png' && <NativeSelect {...choice('effort')} label="PNG compression" data={EFFORTS} />}
        {isLossy && <NumberInput {...number('quality', 100, 1)} label="Quality" suffix=" of 100" />}
        {images.format === 'jpeg' && (
          <ColourField
            label="Ground"
            value={colourText(images.ground)}
            onChange={(text) => onChange({ ground: colourOf(text) })}
          />
        )}
      </div>
      {hasBits && canHave16(images) && (
        <NativeSelect
          size="xs"
          label="Bits a channel"
          data={BITS}
          value={String(images.bits)}
          onChange={(event) => onChange({ bits: event.currentTarget.value === '16' ? 16 : 8 })}
        />
      )}
      {images.format === 'webp' && (
        <Checkbox
          size="xs"
          label="Lossless"
          checked={images.lossless}
          onChange={(event) => onChange({ lossless: event.currentTarget.checked })}
        />
      )}
      <div className={form.row}>
        <NativeSelect {...choice('stored')} label="Store as" data={STORED} />
        <NativeSelect
          {...choice('moving')}
          label="Animation format"
          data={MOVING}
          disabled={images.stored === 'sheets'}
        />
      </div>
      {images.format !== 'jpeg' && (
        <div className={form.row}>
          <NativeSelect {...choice('under')} label="Colour where transparent" data={UNDER} />
          {images.under === 'bleed' && <NumberInput {...number('reach', 1024, 1)} label="Up to" suffix=" px" />}
        </div>
      )}
    </>
  );
}
