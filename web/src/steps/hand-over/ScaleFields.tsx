import { Button, NativeSelect, NumberInput } from '@mantine/core';
import type { Recipe } from '../../api/calls';
import form from '../../ui/form.module.css';
import { scaleFields as words } from './words';

type Scale = Recipe['scales'][number];
type By = keyof Scale;

interface Props {
  scales: readonly Scale[];
  onChange: (scales: Scale[]) => void;
}

const BYS: readonly { value: By; label: string; first: number }[] = [
  { value: 'factor', label: words.factor, first: 2 },
  { value: 'longest', label: words.longestSidePx, first: 1024 },
  { value: 'ppi', label: words.resolutionPpi, first: 144 },
];

/** The sizes that are handed over together; the first is the main one. */
export function ScaleFields({ scales, onChange }: Props) {
  const put = (at: number, scale: Scale) => onChange(scales.map((one, index) => (index === at ? scale : one)));
  return (
    <>
      {scales.map((scale, at) => {
        const by = BYS.find((one) => scale[one.value] !== undefined) ?? BYS[0];
        if (!by) return null;
        return (
          // biome-ignore lint/suspicious/noArrayIndexKey: they have no other name than their place
          <div className={form.row} key={at}>
            <NumberInput
              size="xs"
              aria-label={words.scale(at + 1)}
              min={by.value === 'factor' ? 0.01 : 1}
              step={by.value === 'factor' ? 0.5 : 1}
              allowDecimal={by.value !== 'longest'}
              value={scale[by.value] ?? ''}
              onChange={(value) => typeof value === 'number' && value > 0 && put(at, { [by.value]: value })}
            />
            <NativeSelect
              size="xs"
              aria-label={words.unitOfScale(at + 1)}
              data={BYS.map(({ value, label }) => ({ value, label }))}
              value={by.value}
              onChange={(event) => {
                const next = BYS.find((one) => one.value === event.currentTarget.value);
                if (next) put(at, { [next.value]: next.first });
              }}
            />
            <Button
              size="xs"
              variant="subtle"
              disabled={scales.length === 1}
              aria-label={words.removeScale(at + 1)}
              onClick={() => onChange(scales.filter((_, index) => index !== at))}
            >
              {words.remove}
            </Button>
          </div>
        );
      })}
      <Button
        size="xs"
        variant="default"
        disabled={scales.length >= 12}
        onClick={() => onChange([...scales, { factor: nextFactor(scales) }])}
      >
        {words.addScale}
      </Button>
    </>
  );
}

/** A factor that is not there yet. */
function nextFactor(scales: readonly Scale[]): number {
  const there = new Set(scales.map((one) => one.factor));
  return [1, 2, 0.5, 4, 3, 0.25, 8, 0.75, 1.5, 6, 5, 7].find((factor) => !there.has(factor)) ?? 16;
}
