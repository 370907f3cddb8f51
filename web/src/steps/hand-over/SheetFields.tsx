import { Checkbox, NumberInput } from '@mantine/core';
import type { Recipe } from '../../api/calls';
import form from '../../ui/form.module.css';
import { sheetFields as words } from './words';

type Sheets = Recipe['sheets'];

interface Props {
  sheets: Sheets;
  /** Whether there will be any, so that it matters how they are laid out. */
  hasSome: boolean;
  /** Told what was changed, and nothing else. */
  onChange: (changed: Partial<Sheets>) => void;
}

/** How sheets are laid out. */
export function SheetFields({ sheets, hasSome, onChange }: Props) {
  const number = (name: 'spacing' | 'repeat_edge' | 'longest', min: number, max: number) => ({
    size: 'xs' as const,
    suffix: ' px',
    allowDecimal: false,
    min,
    max,
    value: sheets[name],
    onChange: (value: number | string) =>
      typeof value === 'number' && value >= min && value <= max && onChange({ [name]: value }),
  });
  const check = (name: 'turn' | 'power_of_two' | 'square' | 'shared', label: string) => (
    <Checkbox
      size="xs"
      label={label}
      checked={sheets[name]}
      onChange={(event) => onChange({ [name]: event.currentTarget.checked })}
    />
  );
  const shared = check('shared', words.shareSheetsAcrossTheProject);
  if (!hasSome) return shared;
  return (
    <>
      <div className={form.row}>
        <NumberInput {...number('longest', 16, 32768)} label={words.longestSide} />
        <NumberInput
          size="xs"
          label={words.columnsOfAGrid}
          placeholder={words.automatic}
          allowDecimal={false}
          min={1}
          max={1000}
          value={sheets.columns ?? ''}
          onChange={(value) => onChange({ columns: typeof value === 'number' ? value : null })}
        />
      </div>
      <div className={form.row}>
        <NumberInput {...number('spacing', 0, 256)} label={words.spacing} />
        <NumberInput {...number('repeat_edge', 0, 64)} label={words.repeatEdgePixels} />
      </div>
      {check('turn', words.allow90Rotation)}
      {check('power_of_two', words.powersOfTwo)}
      {check('square', words.square)}
      {shared}
    </>
  );
}
