import { NativeSelect, SegmentedControl, Slider } from '@mantine/core';
import type { Stance } from './apart';
import type { Comparable, CompareMode } from './compare';
import classes from './Pile.module.css';
import type { Look } from './pointer';

/** A number that is set with a slider, with what it means in words. */
export interface Dial {
  label: string;
  most: number;
  value: number;
  told: (value: number) => string;
  onChange: (value: number) => void;
}

export interface Comparison {
  pictures: readonly Comparable[];
  left: string;
  right: string;
  mode: CompareMode;
  share: number;
  onChange: (change: Partial<Omit<Comparison, 'pictures' | 'onChange'>>) => void;
}

interface Props {
  look: Look;
  dials: readonly Dial[];
  stance: Stance;
  comparison: Comparison;
  onLook: (look: Look) => void;
  onStance: (stance: Stance) => void;
}

const LOOKS = [
  { value: 'flat', label: 'Flat' },
  { value: 'apart', label: 'Exploded' },
  { value: 'compare', label: 'Compare' },
];
const MODES = [
  { value: 'slider', label: 'Slider' },
  { value: 'beside', label: 'Side by side' },
];

/** In which way the pile is looked at, and what can be set there. */
export function Looks({ look, dials, stance, comparison, onLook, onStance }: Props) {
  const choices = comparison.pictures.map(({ key, label }) => ({ value: key, label }));
  return (
    <>
      <SegmentedControl
        size="xs"
        aria-label="View"
        value={look}
        onChange={(value) => onLook(value as Look)}
        data={LOOKS}
      />
      {look !== 'compare' && dials.map((dial) => <Setting key={dial.label} {...dial} />)}
      {look === 'apart' && (
        <div className={classes.settings}>
          <Setting
            label="Turn"
            most={70}
            value={stance.turn}
            told={(turn) => `${turn}°`}
            onChange={(turn) => onStance({ ...stance, turn })}
          />
          <Setting
            label="Spread"
            most={200}
            value={Math.round(stance.spread * 100)}
            told={(spread) => `${spread} % of the width`}
            onChange={(spread) => onStance({ ...stance, spread: spread / 100 })}
          />
        </div>
      )}
      {look === 'compare' && (
        <div className={classes.settings}>
          <NativeSelect
            size="xs"
            aria-label="Left picture"
            className={classes.side}
            data={choices}
            value={comparison.left}
            onChange={(event) => comparison.onChange({ left: event.currentTarget.value })}
          />
          <NativeSelect
            size="xs"
            aria-label="Right picture"
            className={classes.side}
            data={choices}
            value={comparison.right}
            onChange={(event) => comparison.onChange({ right: event.currentTarget.value })}
          />
          <SegmentedControl
            size="xs"
            aria-label="Comparison"
            value={comparison.mode}
            onChange={(mode) => comparison.onChange({ mode: mode as CompareMode })}
            data={MODES}
          />
          {comparison.mode === 'slider' && (
            <Setting
              label="Divider"
              most={100}
              value={Math.round(comparison.share * 100)}
              told={(share) => `at ${share} % of the width`}
              onChange={(share) => comparison.onChange({ share: share / 100 })}
            />
          )}
        </div>
      )}
    </>
  );
}

function Setting({ label, most, value, told, onChange }: Dial) {
  const id = `dial-${label.toLowerCase()}`;
  return (
    <>
      <span id={id} className={classes.label}>
        {label}
      </span>
      <Slider
        size="sm"
        className={classes.dial}
        styles={{ root: { '--slider-track-bg': 'var(--hairline-strong)' } }}
        min={0}
        max={Math.max(1, most)}
        value={value}
        onChange={onChange}
        label={told}
        thumbProps={{ 'aria-labelledby': id }}
      />
    </>
  );
}
