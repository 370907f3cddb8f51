import { SegmentedControl } from '@mantine/core';
import { useState } from 'react';
import type { Key, Property, Track } from '../../api/motion';
import { type Bend, bendOf, curvePath, easingOf, numberOf, rangeOf, withNumber } from '../../rules/curve';
import classes from './Curve.module.css';
import { type MovingParts, placeOf } from './useMoving';
import { curve as words } from './words';

/** What a property consists of, by how much an arrow key changes it, and what it is that nobody has moved. */
const PIECES: Partial<Record<Property, { names: readonly string[]; step: number; rest: number }>> = {
  translate: { names: [words.right, words.down], step: 1, rest: 0 },
  rotate: { names: [words.turn], step: 1, rest: 0 },
  scale: { names: [words.width, words.height], step: 0.05, rest: 1 },
  opacity: { names: [words.opacity], step: 0.05, rest: 1 },
  'offset-distance': { names: [words.path], step: 1, rest: 0 },
  camera: { names: [words.right, words.down, words.nearer], step: 1, rest: 0 },
};
const HEIGHT = 132;

/** The track whose curve is shown: that of the chosen key, else the first that has numbers. */
export function curvedTrack(moving: MovingParts, shown: readonly Track[]): Track | null {
  const [key] = moving.keys;
  const own = key && moving.tracks.get(placeOf(key));
  return [own, ...shown].find((track) => track && PIECES[track.property]) ?? null;
}

interface Props {
  moving: MovingParts;
  track: Track;
  label: string;
  /** Where a time lies across the lanes. */
  left: (time: number) => number;
  canEdit: boolean;
}

/** A property over time: keys are dragged up and down, and the curve between two of them by its two points. */
export function Curve({ moving, track, label, left, canEdit }: Props) {
  const [wanted, setComponent] = useState(0);
  const { names, step, rest } = PIECES[track.property] ?? { names: [], step: 1, rest: 0 };
  const component = Math.min(wanted, names.length - 1);
  const [held, setHeld] = useState<readonly Key[] | null>(null);
  const keys = held ?? track.keys;
  const isChosen = ({ at }: Key) => moving.keys.some((one) => placeOf(one) === placeOf(track) && one.at === at);
  const chosen = keys.find(isChosen);
  // While something is held the scale stays, so that it does not run away.
  const [low, high] = rangeOf(track.keys, component);
  const y = (value: number) => HEIGHT - ((value - low) / (high - low)) * HEIGHT;
  const valueAt = (pixels: number) => (pixels / HEIGHT) * (high - low);
  const end = moving.stage.duration;
  const become = (key: Key, next: number) => {
    const limit = track.property === 'opacity' ? [0, 1] : track.property === 'offset-distance' ? [0, 100] : [-1e6, 1e6];
    const value = Math.min(Math.max(next, limit[0] ?? next), limit[1] ?? next);
    return { ...key, value: withNumber(key.value, component, Math.round(value * 1000) / 1000) };
  };
  const put = (key: Key) => {
    setHeld(null);
    if (canEdit) {
      void moving.act({
        do: 'pose',
        values: { [track.target]: { [track.property]: key.value } },
        at: key.at,
        writes_keys: track.keys.length > 1,
      });
    }
  };
  return (
    <section className={classes.curve} aria-label={words.curveOf(label)}>
      <div className={classes.side}>
        <span title={label}>{label}</span>
        {chosen && (
          <span>{words.atS(Math.round(numberOf(chosen.value, component) * 100) / 100, chosen.at.toFixed(2))}</span>
        )}
        {names.length > 1 && (
          <SegmentedControl
            size="xs"
            orientation="vertical"
            aria-label={words.component}
            data={names.map((name, at) => ({ value: String(at), label: name }))}
            value={String(component)}
            onChange={(value) => setComponent(Number(value))}
          />
        )}
      </div>
      <svg className={classes.lines} aria-hidden="true">
        <line x1={left(0)} x2={left(end)} y1={y(rest)} y2={y(rest)} className={classes.level} />
        <path data-testid="curve" d={curvePath(keys, component, end, left, y)} />
      </svg>
      {keys.map((key, at) => {
        const next = keys[at + 1];
        const bend = next && bendOf(key.easing);
        const rise = next ? numberOf(next.value, component) - numberOf(key.value, component) : 0;
        return (
          <div key={key.at}>
            {canEdit && next && bend && isChosen(key) && Math.abs(rise) > 1e-9 && (
              <BendPoints
                bend={bend}
                from={{ x: left(key.at), y: y(numberOf(key.value, component)) }}
                to={{ x: left(next.at), y: y(numberOf(next.value, component)) }}
                onHold={(changed) =>
                  setHeld(keys.map((one) => (one === key ? { ...key, easing: easingOf(changed) } : one)))
                }
                onPut={(changed) => {
                  setHeld(null);
                  const ref = { target: track.target, property: track.property, at: key.at };
                  void moving.act({ do: 'ease-keys', keys: [ref], easing: easingOf(changed) });
                }}
              />
            )}
            <Grip
              className={classes.point}
              label={words.atSNames(names[component], key.at.toFixed(2))}
              left={left(key.at)}
              top={y(numberOf(key.value, component))}
              value={numberOf(key.value, component)}
              isPressed={isChosen(key)}
              onPress={() => moving.setKeys([{ target: track.target, property: track.property, at: key.at }])}
              onDrag={(_, down) => {
                const own = track.keys[at];
                if (!own || !canEdit) return;
                const moved = become(own, numberOf(own.value, component) - valueAt(down));
                setHeld(track.keys.map((one) => (one === own ? moved : one)));
              }}
              onDrop={() => held?.[at] && put(held[at])}
              onStep={(_, up, times) => put(become(key, numberOf(key.value, component) + up * step * times))}
            />
          </div>
        );
      })}
    </section>
  );
}

interface Place {
  x: number;
  y: number;
}

interface BendProps {
  bend: Bend;
  from: Place;
  to: Place;
  onHold: (bend: Bend) => void;
  onPut: (bend: Bend) => void;
}

/** The two points that bend a curve between two keys. */
function BendPoints({ bend, from, to, onHold, onPut }: BendProps) {
  const [before, setBefore] = useState<Bend>(bend);
  const [wide, high] = [to.x - from.x, to.y - from.y];
  const moved = (start: Bend, at: 0 | 2, across: number, down: number): Bend => {
    const next = [...start] as [number, number, number, number];
    next[at] = Math.min(1, Math.max(0, (start[at] ?? 0) + across));
    next[at + 1] = Math.min(10, Math.max(-10, (start[at + 1] ?? 0) + down));
    return next;
  };
  return (
    <>
      {([0, 2] as const).map((at) => {
        const [x, y] = [from.x + bend[at] * wide, from.y + (bend[at + 1] ?? 0) * high];
        const root = at === 0 ? from : to;
        return (
          <span key={at}>
            <svg className={classes.lines} aria-hidden="true">
              <line x1={root.x} y1={root.y} x2={x} y2={y} className={classes.stem} />
            </svg>
            <Grip
              className={classes.bend}
              label={at === 0 ? words.leavingThisKey : words.reachingTheNextKey}
              left={x}
              top={y}
              value={Math.round((bend[at + 1] ?? 0) * 100)}
              onPress={() => setBefore(bend)}
              onDrag={(across, down) => onHold(moved(before, at, across / wide, down / high))}
              onDrop={() => onPut(bend)}
              onStep={(right, up, times) =>
                onPut(moved(bend, at, 0.05 * right * times, 0.05 * up * times * (high < 0 ? 1 : -1)))
              }
            />
          </span>
        );
      })}
    </>
  );
}

interface GripProps {
  className: string | undefined;
  label: string;
  left: number;
  top: number;
  value: number;
  isPressed?: boolean;
  onPress: () => void;
  /** By how many pixels it is dragged to the right and down. */
  onDrag: (across: number, down: number) => void;
  onDrop: () => void;
  /** By arrow keys: steps to the right and up, ten times with Shift. */
  onStep: (right: number, up: number, times: number) => void;
}

const STEPS: Readonly<Record<string, readonly [number, number]>> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, 1],
  ArrowDown: [0, -1],
};

/** Something on the curve that is dragged, or moved by arrow keys. */
function Grip({ className, label, left, top, value, isPressed, onPress, onDrag, onDrop, onStep }: GripProps) {
  const [from, setFrom] = useState<Place | null>(null);
  const [isMoved, setMoved] = useState(false);
  const end = () => {
    if (from && isMoved) onDrop();
    setFrom(null);
    setMoved(false);
  };
  return (
    <div
      role="slider"
      tabIndex={0}
      className={className}
      style={{ left, top }}
      aria-label={label}
      aria-valuenow={Math.round(value * 1000) / 1000}
      data-chosen={isPressed || undefined}
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        setFrom({ x: event.clientX, y: event.clientY });
        onPress();
      }}
      onPointerMove={(event) => {
        if (!from) return;
        const [across, down] = [event.clientX - from.x, event.clientY - from.y];
        if (!isMoved && Math.hypot(across, down) < 2) return;
        setMoved(true);
        onDrag(across, down);
      }}
      onPointerUp={end}
      onPointerCancel={end}
      onKeyDown={(event) => {
        const way = STEPS[event.key];
        if (!way) return;
        event.preventDefault();
        onStep(way[0], way[1], event.shiftKey ? 10 : 1);
      }}
    />
  );
}
