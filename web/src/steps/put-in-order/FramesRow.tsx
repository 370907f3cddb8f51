import { Button, Checkbox, NumberInput } from '@mantine/core';
import { useEffect, useState } from 'react';
import type { Row } from '../../api/calls';
import { imageAddress } from '../../api/client';
import type { Act } from '../../ledger/useArrangement';
import { frameKey } from '../../rules/art';
import classes from './Strip.module.css';
import { framesRow as words } from './words';

interface Props {
  illustration: number;
  row: Row;
  moment: number;
  canEdit: boolean;
  areGhostsSeen: boolean;
  onGhosts: (areSeen: boolean) => void;
  onMoment: (moment: number) => void;
  act: Act;
}

const RATE = 10;

const NOWHERE = [0, 0, 1, 1] as const;

/** The box around what is seen in a frame. */
function boxOf(frame: Row['frames'][number]): readonly [number, number, number, number] {
  const sides = frame.pieces.map(({ box: [x = 0, y = 0, width = 0, height = 0] }) => [x, y, x + width, y + height]);
  if (sides.length === 0) return NOWHERE;
  const side = (at: number, pick: (...values: number[]) => number) => pick(...sides.map((one) => one[at] ?? 0));
  const [left, top] = [side(0, Math.min), side(1, Math.min)];
  return [left, top, side(2, Math.max) - left, side(3, Math.max) - top];
}

/** The frames of an animated part in a row: how long each is seen, and all of them played. */
export function FramesRow({ illustration, row, moment, canEdit, areGhostsSeen, onGhosts, onMoment, act }: Props) {
  const [isPlaying, setPlaying] = useState(false);
  const [rate, setRate] = useState(RATE);
  const at = moment % row.frames.length;
  const frame = row.frames[at];
  const duration = frame?.milliseconds ?? null;
  usePlaying(isPlaying, row, at, rate, onMoment);
  const set = (milliseconds: readonly (number | null)[]) => {
    if (milliseconds.some((one, index) => one !== row.frames[index]?.milliseconds)) {
      act({ do: 'time-frames', row: row.id, milliseconds: [...milliseconds] });
    }
  };
  return (
    <section className={classes.frames} aria-label={words.framesOf(row.name)}>
      <Button
        size="compact-sm"
        variant={isPlaying ? 'filled' : 'default'}
        aria-pressed={isPlaying}
        aria-keyshortcuts="O"
        onClick={() => setPlaying(!isPlaying)}
      >
        {isPlaying ? words.pause : words.play}
      </Button>
      <NumberInput
        size="xs"
        w={74}
        aria-label={words.defaultFramesPerSecond}
        suffix=" /s"
        min={1}
        max={120}
        value={rate}
        onChange={(value) => setRate(Math.min(120, Math.max(1, Number(value) || RATE)))}
      />
      <FrameList illustration={illustration} row={row} at={at} onMoment={onMoment} />
      <FrameTime
        label={words.durationOfFrame(at + 1)}
        milliseconds={duration}
        off={!canEdit || row.locked}
        onKeep={(next) => set(row.frames.map((one, index) => (index === at ? next : one.milliseconds)))}
      />
      <Button
        size="compact-sm"
        variant="default"
        disabled={!canEdit || row.locked}
        onClick={() => set(row.frames.map(() => duration))}
      >
        {words.applyToAll}
      </Button>
      <Checkbox
        size="xs"
        label={words.neighbours}
        title={words.showTheFramesBefore}
        checked={areGhostsSeen}
        onChange={(event) => onGhosts(event.currentTarget.checked)}
      />
    </section>
  );
}

/** While they are played, one frame comes after the other, each for its own time. */
function usePlaying(isPlaying: boolean, row: Row, at: number, rate: number, onMoment: (moment: number) => void) {
  useEffect(() => {
    if (!isPlaying) return;
    const wait = row.frames[at]?.milliseconds ?? 1000 / rate;
    const timer = window.setTimeout(() => onMoment((at + 1) % row.frames.length), wait);
    return () => window.clearTimeout(timer);
  }, [isPlaying, at, rate, row.frames, onMoment]);
}

interface TimeProps {
  label: string;
  milliseconds: number | null;
  off: boolean;
  onKeep: (milliseconds: number | null) => void;
}

/** How long a frame is seen; empty: as long as all that say nothing. */
function FrameTime({ label, milliseconds, off, onKeep }: TimeProps) {
  const [typed, setTyped] = useState<number | string>(milliseconds ?? '');
  useEffect(() => setTyped(milliseconds ?? ''), [milliseconds]);
  const keep = () => onKeep(typeof typed === 'number' && typed >= 1 ? Math.round(typed) : null);
  return (
    <NumberInput
      size="xs"
      w={92}
      aria-label={label}
      suffix=" ms"
      hideControls
      min={1}
      max={3_600_000}
      disabled={off}
      value={typed}
      onChange={setTyped}
      onBlur={keep}
      onKeyDown={(event) => event.key === 'Enter' && keep()}
    />
  );
}

interface ListProps extends Pick<Props, 'illustration' | 'row' | 'onMoment'> {
  /** Which of them is seen. */
  at: number;
}

/** Each frame as a small picture; what is there already is said to be the same. */
function FrameList({ illustration, row, at, onMoment }: ListProps) {
  const keys = row.frames.map(frameKey);
  const boxes = row.frames.map(boxOf);
  // As large as the middling frame fits: one stray pixel does not make all others tiny.
  const scales = boxes
    .map(([, , width, height]) => Math.min(50 / width, 42 / height))
    .sort((one, other) => one - other);
  const largest = scales[Math.floor(scales.length / 2)] ?? 1;
  const step = (by: number) => onMoment((at + by + row.frames.length) % row.frames.length);
  return (
    <ol className={classes.frameList}>
      {row.frames.map((one, index) => {
        const same = keys.indexOf(keys[index] ?? '');
        return (
          // biome-ignore lint/suspicious/noArrayIndexKey: a frame is its place in the row
          <li key={index}>
            <button
              type="button"
              className={classes.frame}
              aria-pressed={index === at}
              aria-label={words.frame(index + 1)}
              onClick={() => onMoment(index)}
              onKeyDown={(event) => {
                if (event.key === 'ArrowRight') step(1);
                if (event.key === 'ArrowLeft') step(-1);
              }}
            >
              {one.pieces.map((piece) => {
                const [x = 0, y = 0, across = 0, down = 0] = piece.box;
                const [left, top, width, height] = boxes[index] ?? NOWHERE;
                return (
                  <img
                    key={piece.layer}
                    src={imageAddress(illustration, piece.image)}
                    alt=""
                    draggable={false}
                    style={{
                      left: 25 + (x - left - width / 2) * largest,
                      top: 21 + (y - top - height / 2) * largest,
                      width: across * largest,
                      height: down * largest,
                    }}
                  />
                );
              })}
            </button>
            <span className={classes.frameText}>
              {same < index ? `= ${same + 1}` : index + 1}
              {one.milliseconds !== null && words.ms(one.milliseconds)}
            </span>
          </li>
        );
      })}
    </ol>
  );
}
