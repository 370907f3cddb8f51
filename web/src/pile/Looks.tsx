import { NativeSelect, SegmentedControl, Slider } from '@mantine/core';
import type { Stance } from './apart';
import type { Comparable, CompareMode } from './compare';
import classes from './Pile.module.css';
import type { Look } from './pointer';
import { looks as words } from './words';

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
  { value: 'flat', label: words.flat },
  { value: 'apart', label: words.exploded },
  { value: 'compare', label: words.compare },
];
const MODES = [
  { value: 'slider', label: words.slider },
  { value: 'beside', label: words.sideBySide },
];

/** In which way the pile is looked at, and what can be set there. */
export function Looks({ look, dials, stance, comparison, onLook, onStance }: Props) {
  const choices = comparison.pictures.map(({ key, label }) => ({ value: key, label }));
  return (
    <>
      <SegmentedControl
        size="xs"
        aria-label={words.view}
        value={look}
        onChange={(value) => onLook(value as Look)}
        data={LOOKS}
      />
      {look !== 'compare' && dials.map((dial) => <Setting key={dial.label} {...dial} />)}
      {look === 'apart' && (
        <div className={classes.settings}>
          <Setting
            label={words.turn}
            most={70}
            value={stance.turn}
            told={(turn) => `${turn}°`}
            onChange={(turn) => onStance({ ...stance, turn })}
          />
          <Setting
            label={words.spread}
            most={200}
            value={Math.round(stance.spread * 100)}
            told={(spread) => words.ofTheWidth(spread)}
            onChange={(spread) => onStance({ ...stance, spread: spread / 100 })}
          />
        </div>
      )}
      {look === 'compare' && (
        <div className={classes.settings}>
          <NativeSelect
            size="xs"
            aria-label={words.leftPicture}
            className={classes.side}
            data={choices}
            value={comparison.left}
            onChange={(event) => comparison.onChange({ left: event.currentTarget.value })}
          />
          <NativeSelect
            size="xs"
            aria-label={words.rightPicture}
            className={classes.side}
            data={choices}
            value={comparison.right}
            onChange={(event) => comparison.onChange({ right: event.currentTarget.value })}
          />
          <SegmentedControl
            size="xs"
            aria-label={words.comparison}
            value={comparison.mode}
            onChange={(mode) => comparison.onChange({ mode: mode as CompareMode })}
            data={MODES}
          />
          {comparison.mode === 'slider' && (
            <Setting
              label={words.divider}
              most={100}
              value={Math.round(comparison.share * 100)}
              told={(share) => words.atOfTheWidth(share)}
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
