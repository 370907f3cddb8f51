import { Checkbox, NativeSelect, NumberInput } from '@mantine/core';
import type { Recipe } from '../../api/calls';
import { ColourField, colourOf, colourText } from '../../ui/ColourField';
import form from '../../ui/form.module.css';
import { imagesFields as words } from './words';

type Images = Recipe['images'];

interface Props {
  images: Images;
  /** Whether the bits of a channel are chosen here: they are the same for all parts. */
  hasBits?: boolean;
  /** Told what was changed, and nothing else. */
  onChange: (changed: Partial<Images>) => void;
}

const EXTENTS = [
  { value: 'trimmed', label: words.trimmedPart },
  { value: 'canvas', label: words.wholeCanvas },
  { value: 'common', label: words.sharedBox },
];
const SIDES = [
  { value: 'any', label: words.noPadding },
  { value: 'even', label: words.evenNumbers },
  { value: 'power-of-two', label: words.powersOfTwo },
];
const FORMATS = [
  { value: 'png', label: 'PNG' },
  { value: 'webp', label: words.webp },
  { value: 'avif', label: 'AVIF' },
  { value: 'jpeg', label: words.jpegOpaque },
  { value: 'tiff', label: 'TIFF' },
];
const EFFORTS = [
  { value: 'quick', label: words.fast },
  { value: 'normal', label: words.normal },
  { value: 'small', label: words.smallest },
];
const UNDER = [
  { value: 'clear', label: words.cleared },
  { value: 'bleed', label: words.extendedFromTheEdge },
  { value: 'keep', label: words.asInTheSource },
];

const STORED = [
  { value: 'files', label: words.separateFiles },
  { value: 'sheets', label: words.spriteSheets },
];
const MOVING = [
  { value: 'files', label: words.numberedFiles },
  { value: 'all-files', label: words.numberedFilesWithDuplicates },
  { value: 'grid', label: words.gridOfCells },
  { value: 'apng', label: words.animatedPng },
  { value: 'webp', label: words.animatedWebp },
  { value: 'gif', label: words.gifFewColours },
];

const BITS = [
  { value: '8', label: '8' },
  { value: '16', label: words.n16WhereAvailable },
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
        <NativeSelect {...choice('extent')} label={words.imageArea} data={EXTENTS} />
        <NumberInput
          {...number('margin', 1024)}
          label={words.margin}
          suffix=" px"
          disabled={images.extent === 'canvas'}
        />
      </div>
      <div className={form.row}>
        <NativeSelect {...choice('sides')} label={words.padSidesTo} data={SIDES} />
        <NumberInput {...number('threshold', 254)} label={words.alphaThreshold} />
      </div>
      <div className={form.row}>
        <NativeSelect {...choice('format')} label={words.format} data={FORMATS} />
        {images.format === 'png' && <NativeSelect {...choice('effort')} label={words.pngCompression} data={EFFORTS} />}
        {isLossy && <NumberInput {...number('quality', 100, 1)} label={words.quality} suffix=" of 100" />}
        {images.format === 'jpeg' && (
          <ColourField
            label={words.ground}
            value={colourText(images.ground)}
            onChange={(text) => onChange({ ground: colourOf(text) })}
          />
        )}
      </div>
      {hasBits && canHave16(images) && (
        <NativeSelect
          size="xs"
          label={words.bitsAChannel}
          data={BITS}
          value={String(images.bits)}
          onChange={(event) => onChange({ bits: event.currentTarget.value === '16' ? 16 : 8 })}
        />
      )}
      {images.format === 'webp' && (
        <Checkbox
          size="xs"
          label={words.lossless}
          checked={images.lossless}
          onChange={(event) => onChange({ lossless: event.currentTarget.checked })}
        />
      )}
      <div className={form.row}>
        <NativeSelect {...choice('stored')} label={words.storeAs} data={STORED} />
        <NativeSelect
          {...choice('moving')}
          label={words.animationFormat}
          data={MOVING}
          disabled={images.stored === 'sheets'}
        />
      </div>
      {images.format !== 'jpeg' && (
        <div className={form.row}>
          <NativeSelect {...choice('under')} label={words.colourWhereTransparent} data={UNDER} />
          {images.under === 'bleed' && <NumberInput {...number('reach', 1024, 1)} label={words.upTo} suffix=" px" />}
        </div>
      )}
    </>
  );
}
