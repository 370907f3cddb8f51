import { NumberInput } from '@mantine/core';
import { vectorSize as words } from './words';

/** How large vector art is drawn; an empty text where nobody has said. */
export interface VectorSizes {
  longest: number | string;
  ppi: number | string;
}

interface Props {
  sizes: VectorSizes;
  onChange: (sizes: VectorSizes) => void;
}

/** What was said of the two. */
export const saidOf = ({ longest, ppi }: VectorSizes) => ({
  ...(typeof longest === 'number' && { longest }),
  ...(typeof ppi === 'number' && { ppi }),
});

/** The longer side of vector art in pixels, or its pixels to the inch. */
export function VectorSize({ sizes, onChange }: Props) {
  return (
    <>
      <NumberInput
        size="xs"
        label={words.svgLongerSidePx}
        placeholder={words.fromTheFile}
        min={1}
        max={30_000}
        allowDecimal={false}
        value={sizes.longest}
        onChange={(longest) => onChange({ ...sizes, longest })}
      />
      <NumberInput
        size="xs"
        label={words.orResolutionPpi}
        placeholder="96"
        min={1}
        max={4_800}
        value={sizes.ppi}
        onChange={(ppi) => onChange({ ...sizes, ppi })}
      />
    </>
  );
}
