import { Slider } from '@mantine/core';
import classes from '../../ui/form.module.css';

interface DialProps {
  label: string;
  least: number;
  most: number;
  value: number;
  onChange: (value: number) => void;
}

/** One number that is dragged, said beside its name. */
export function Dial({ label, least, most, value, onChange }: DialProps) {
  const id = `number-${label.toLowerCase().replace(/\W+/g, '-')}`;
  return (
    <div className={classes.dial}>
      <span id={id}>
        {label}: {value}
      </span>
      <Slider
        size="sm"
        min={least}
        max={most}
        value={value}
        onChange={onChange}
        label={null}
        styles={{ root: { '--slider-track-bg': 'var(--hairline-strong)' } }}
        thumbProps={{ 'aria-labelledby': id }}
      />
    </div>
  );
}
