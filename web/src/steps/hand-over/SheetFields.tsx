import { Checkbox, NumberInput } from '@mantine/core';
import type { Recipe } from '../../api/calls';
import form from '../../ui/form.module.css';

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
  const shared = check('shared', 'Share sheets across the project');
  if (!hasSome) return shared;
  return (
    <>
      <div className={form.row}>
        <NumberInput {...number('longest', 16, 32768)} label="Longest side" />
        <NumberInput
          size="xs"
          label="Columns of a grid"
          placeholder="Automatic"
          allowDecimal={false}
          min={1}
          max={1000}
          value={sheets.columns ?? ''}
          onChange={(value) => onChange({ columns: typeof value === 'number' ? value : null })}
        />
      </div>
      <div className={form.row}>
        <NumberInput {...number('spacing', 0, 256)} label="Spacing" />
        <NumberInput {...number('repeat_edge', 0, 64)} label="Repeat edge pixels" />
      </div>
      {check('turn', 'Allow 90° rotation')}
      {check('power_of_two', 'Powers of two')}
      {check('square', 'Square')}
      {shared}
    </>
  );
}
