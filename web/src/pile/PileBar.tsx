import { Button, SegmentedControl, Slider } from '@mantine/core';
import classes from './Pile.module.css';

/** How many of the parts that are seen, the front-most ones, are away for looking at what lies behind them. */
export interface Peel {
  most: number;
  away: number;
  onChange: (away: number) => void;
}

/** Which frame is seen of every part that has several. */
export interface Moment {
  frames: number;
  shown: number;
  onChange: (shown: number) => void;
}

export type Ground = 'grey' | 'light' | 'dark' | 'pattern';

interface Props {
  zoom: number;
  ground: Ground;
  peel: Peel;
  moment: Moment;
  onGround: (ground: Ground) => void;
  onWhole: () => void;
  onTrue: () => void;
  onZoom: (factor: number) => void;
}

const GROUNDS = [
  { value: 'grey', label: 'Grey' },
  { value: 'light', label: 'Light' },
  { value: 'dark', label: 'Dark' },
  { value: 'pattern', label: 'Lines' },
];

/** How the pile is looked at: zoom and ground. */
export function PileBar({ zoom, ground, peel, moment, onGround, onWhole, onTrue, onZoom }: Props) {
  return (
    <div className={classes.bar}>
      <Button.Group>
        <Button size="compact-sm" variant="default" onClick={() => onZoom(1 / 1.5)} aria-label="Zoom out">
          −
        </Button>
        <Button.GroupSection
          size="compact-sm"
          variant="default"
          className={classes.zoom}
          aria-label="Zoom"
          data-testid="zoom"
        >
          {Math.round(zoom * 100)} %
        </Button.GroupSection>
        <Button size="compact-sm" variant="default" onClick={() => onZoom(1.5)} aria-label="Zoom in">
          +
        </Button>
      </Button.Group>
      <Button size="compact-sm" variant="default" onClick={onWhole} aria-keyshortcuts="W">
        Whole picture
      </Button>
      <Button size="compact-sm" variant="default" onClick={onTrue} aria-keyshortcuts="P">
        True pixels
      </Button>
      <span id="peel-label" className={classes.label}>
        Peel
      </span>
      <Slider
        size="sm"
        className={classes.peel}
        styles={{ root: { '--slider-track-bg': 'var(--hairline-strong)' } }}
        min={0}
        max={Math.max(1, peel.most)}
        value={peel.away}
        onChange={peel.onChange}
        label={(away) => `${away} of ${peel.most} away`}
        thumbProps={{ 'aria-labelledby': 'peel-label' }}
      />
      {moment.frames > 1 && (
        <>
          <span id="moment-label" className={classes.label}>
            Frame
          </span>
          <Slider
            size="sm"
            className={classes.peel}
            styles={{ root: { '--slider-track-bg': 'var(--hairline-strong)' } }}
            min={0}
            max={moment.frames - 1}
            value={moment.shown}
            onChange={moment.onChange}
            label={(shown) => `${shown + 1} of ${moment.frames}`}
            thumbProps={{ 'aria-labelledby': 'moment-label' }}
          />
        </>
      )}
      <span className={classes.gap} />
      <span id="ground-label" className={classes.label}>
        Ground
      </span>
      <SegmentedControl
        size="xs"
        aria-labelledby="ground-label"
        value={ground}
        onChange={(value) => onGround(value as Ground)}
        data={GROUNDS}
      />
    </div>
  );
}
