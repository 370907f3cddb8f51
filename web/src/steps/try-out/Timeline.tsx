import { Button, NativeSelect } from '@mantine/core';
import { useLocalStorage } from '@mantine/hooks';
import { useEffect, useMemo, useRef, useState, useSyncExternalStore } from 'react';
import { CAMERA, GROUND, type Key, type KeyRef, type Track } from '../../api/motion';
import { keyAt, seenMoment } from '../../rules/motion';
import { Curve, curvedTrack } from './Curve';
import { nameOf } from './figure';
import classes from './Move.module.css';
import { type MovingParts, placeOf } from './useMoving';
import { timeline as words } from './words';

interface Props {
  moving: MovingParts;
  canEdit: boolean;
}

const LABELS: Record<Track['property'], string> = {
  translate: words.place,
  rotate: words.turn,
  scale: words.size,
  opacity: words.opacity,
  shown: words.shown,
  'offset-distance': words.alongPath,
  camera: words.place,
  ground: words.colour,
};
const SPEEDS = [0.5, 1, 2].map((value) => ({ value: String(value), label: `${value} ×` }));
const NEIGHBOURS = [0, 1, 2, 3].map((value) => ({
  value: String(value),
  label: value === 0 ? words.noNeighbours : words.beforeAfter(value),
}));
const EASINGS = ['linear', 'ease', 'ease-in', 'ease-out', 'ease-in-out', 'step-start', 'step-end'];

/** Time under the picture: playing, the ruler, and the keys of what is chosen. */
export function Timeline({ moving, canEdit }: Props) {
  const [isCurved, setCurved] = useState(false);
  const [isFolded, setFolded] = useLocalStorage({ key: 'tracks-folded', defaultValue: false });
  const curve = (isWanted: boolean) => {
    setCurved(isWanted);
    if (isWanted) setFolded(false);
  };
  return (
    <section
      className={classes.timeline}
      data-curved={(isCurved && !isFolded) || undefined}
      data-folded={isFolded || undefined}
      aria-label={words.time}
    >
      <Transport moving={moving} canEdit={canEdit} isCurved={isCurved && !isFolded} onCurved={curve}>
        <Button
          size="compact-sm"
          variant="default"
          aria-expanded={!isFolded}
          title={isFolded ? words.showTracks : words.hideTracks}
          onClick={() => setFolded(!isFolded)}
        >
          {words.tracks}
        </Button>
      </Transport>
      <Lanes moving={moving} canEdit={canEdit} isCurved={isCurved && !isFolded} />
    </section>
  );
}

interface TransportProps extends Props {
  isCurved: boolean;
  onCurved: (isCurved: boolean) => void;
  children: React.ReactNode;
}

function Transport({ moving, canEdit, isCurved, onCurved, children }: TransportProps) {
  const { player, stage, keys } = moving;
  const { isPlaying } = useSyncExternalStore(player.subscribe, player.now);
  const [speed, setSpeed] = useState(1);
  const step = (by: number) => {
    player.halt();
    const at = moving.now() + by / stage.rate;
    player.seek(Math.min(Math.max(at, 0), stage.duration));
  };
  return (
    <div className={classes.transport}>
      <Button.Group>
        <Button size="compact-sm" variant="default" aria-label={words.previousFrame} onClick={() => step(-1)}>
          {words.previous}
        </Button>
        <Button
          size="compact-sm"
          variant="default"
          aria-keyshortcuts="O"
          onClick={() => (isPlaying ? player.halt() : player.play())}
        >
          {isPlaying ? words.pause : words.play}
        </Button>
        <Button size="compact-sm" variant="default" aria-label={words.nextFrame} onClick={() => step(1)}>
          {words.next}
        </Button>
      </Button.Group>
      {keys.length === 0 && (
        <>
          <NativeSelect
            size="xs"
            aria-label={words.speed}
            data={SPEEDS}
            value={String(speed)}
            onChange={(event) => {
              const next = Number(event.currentTarget.value);
              setSpeed(next);
              player.speed = next;
            }}
          />
          <NativeSelect
            size="xs"
            aria-label={words.framesBeforeAndAfter}
            data={NEIGHBOURS}
            value={String(moving.neighbours)}
            onChange={(event) => moving.setNeighbours(Number(event.currentTarget.value))}
          />
          <RangeTools moving={moving} />
        </>
      )}
      <Clock moving={moving} />
      <span className={classes.gap} />
      {canEdit && keys.length > 0 && <KeyTools moving={moving} />}
      {moving.tracks.size > 0 && (
        <Button
          size="compact-sm"
          variant={isCurved ? 'light' : 'default'}
          aria-pressed={isCurved}
          onClick={() => onCurved(!isCurved)}
        >
          {words.curve}
        </Button>
      )}
      {canEdit && moving.chosen.length > 0 && keys.length === 0 && (
        <Button size="compact-sm" variant="default" onClick={() => keyHere(moving)}>
          {words.setKey}
        </Button>
      )}
      {children}
    </div>
  );
}

/** Playing from here to there, again and again. */
function RangeTools({ moving: { player, stage, now, setRange, range } }: Pick<Props, 'moving'>) {
  const end = range?.[1] ?? stage.duration;
  const become = (next: readonly [number, number] | null) => {
    player.range = next;
    setRange(next);
  };
  return (
    <Button.Group>
      <Button
        size="compact-sm"
        variant="default"
        title={words.loopFromThisTime}
        onClick={() =>
          become([Math.min(now(), stage.duration - 1 / stage.rate), Math.max(end, now() + 1 / stage.rate)])
        }
      >
        {words.loopFromHere}
      </Button>
      <Button
        size="compact-sm"
        variant="default"
        title={words.loopToThisTime}
        onClick={() =>
          become([Math.min(range?.[0] ?? 0, Math.max(0, now() - 1 / stage.rate)), Math.max(now(), 1 / stage.rate)])
        }
      >
        {words.loopToHere}
      </Button>
      {range && (
        <Button size="compact-sm" variant="default" onClick={() => become(null)}>
          {words.loopAll}
        </Button>
      )}
    </Button.Group>
  );
}

/** A key of everything about the chosen parts at this time. */
function keyHere(moving: MovingParts): void {
  const values = moving.chosen.flatMap((id) => {
    const pose = moving.poseAt(id);
    if (!pose) return [];
    const { translate, rotate, scale } = pose;
    return [
      [id, { translate: [...translate] as [number, number], rotate, scale: [...scale] as [number, number] }] as const,
    ];
  });
  if (values.length > 0) {
    void moving.act({ do: 'pose', values: Object.fromEntries(values), at: moving.now(), writes_keys: true });
  }
}

/** The time, written without rendering while it plays. */
function Clock({ moving: { player, stage } }: Pick<Props, 'moving'>) {
  const text = useRef<HTMLSpanElement>(null);
  useEffect(() => {
    const write = () => {
      const { time, isPlaying, skipped } = player.now();
      const moment = seenMoment(stage, time, isPlaying);
      const frames = Math.round(stage.duration * stage.rate);
      const picture = Math.min(frames, Math.floor(moment * stage.rate + 1e-6) + 1);
      if (text.current) {
        text.current.textContent = words.sOf(
          moment.toFixed(2),
          picture,
          frames,
          skipped > 0 ? words.skipped(skipped) : '',
        );
      }
    };
    write();
    return player.listen(write);
  }, [player, stage]);
  return <span ref={text} className={classes.clock} data-testid="clock" title={words.timeAndFrame} />;
}

function KeyTools({ moving }: Pick<Props, 'moving'>) {
  const { keys, setKeys, act, now, tracks } = moving;
  const [copied, setCopied] = useState<readonly KeyRef[]>([]);
  const first = keys[0];
  const key = first && keyAt(tracks.get(placeOf(first)), first.at);
  const paste = (isReversed: boolean) => {
    void act({ do: 'copy-keys', keys: [...(copied.length > 0 ? copied : keys)], to: now(), reversed: isReversed });
  };
  return (
    <>
      <NativeSelect
        size="xs"
        className={classes.easing}
        aria-label={words.easingToTheNextKey}
        data={key && !EASINGS.includes(key.easing) ? [key.easing, ...EASINGS] : EASINGS}
        value={key?.easing ?? 'linear'}
        onChange={(event) => void act({ do: 'ease-keys', keys: [...keys], easing: event.currentTarget.value })}
      />
      <Button.Group>
        <Button size="compact-sm" variant="default" onClick={() => setCopied(keys)}>
          {words.copy}
        </Button>
        <Button size="compact-sm" variant="default" onClick={() => paste(false)}>
          {words.paste}
        </Button>
        <Button size="compact-sm" variant="default" aria-label={words.pasteReversed} onClick={() => paste(true)}>
          {words.reversed}
        </Button>
      </Button.Group>
      {keys.length > 1 && (
        <Button.Group>
          {[0.5, 2].map((factor) => (
            <Button
              key={factor}
              size="compact-sm"
              variant="default"
              title={words.scaleTheTimeBetween(factor)}
              aria-label={factor === 2 ? words.twiceAsLong : words.halfAsLong}
              onClick={() => {
                const about = Math.min(...keys.map((one) => one.at));
                setKeys([]);
                void act({ do: 'stretch-keys', keys: [...keys], about, factor });
              }}
            >
              {factor === 2 ? '2 ×' : '½ ×'}
            </Button>
          ))}
        </Button.Group>
      )}
      <Button
        size="compact-sm"
        variant="default"
        onClick={() => {
          void act({ do: 'remove-keys', keys: [...keys] });
          setKeys([]);
        }}
      >
        {words.remove}
      </Button>
    </>
  );
}

/** Where times lie across the lanes. */
const LABEL = 132;
const MARGIN = 14;
/** The number at the end stands beside its line. */
const RIGHT = 30;

function Lanes({ moving, canEdit, isCurved }: Props & { isCurved: boolean }) {
  const { stage, player, figure, chosen, tracks } = moving;
  const frame = useRef<HTMLDivElement>(null);
  const head = useRef<HTMLDivElement>(null);
  const ruler = useRef<HTMLDivElement>(null);
  const width = useWidth(frame);
  const scale = Math.max(1, width - LABEL - MARGIN - RIGHT) / stage.duration;
  const left = (at: number) => LABEL + MARGIN + at * scale;
  const shown = useMemo(
    () =>
      [...tracks.values()].filter(
        ({ target, property }) => chosen.length === 0 || chosen.includes(target) || COMMON.has(property),
      ),
    [tracks, chosen],
  );
  const curved = isCurved ? curvedTrack(moving, shown) : null;
  useEffect(() => {
    const place = () => {
      const { time, isPlaying } = player.now();
      const moment = seenMoment(stage, time, isPlaying);
      if (head.current) {
        head.current.style.transform = `translateX(${LABEL + MARGIN + moment * scale}px)`;
      }
      ruler.current?.setAttribute('aria-valuenow', String(Math.round(moment * stage.rate)));
      ruler.current?.setAttribute('aria-valuetext', `${moment.toFixed(2)} s`);
    };
    place();
    return player.listen(place);
  }, [player, stage, scale]);
  const seek = (event: React.PointerEvent) => {
    const box = frame.current?.getBoundingClientRect();
    player.halt();
    player.seek(Math.min(Math.max((event.clientX - (box?.left ?? 0) - LABEL - MARGIN) / scale, 0), stage.duration));
  };
  const byKey = (event: React.KeyboardEvent) => {
    const by = { ArrowLeft: -1, ArrowRight: 1, PageUp: stage.rate, PageDown: -stage.rate }[event.key];
    const at = moving.now();
    const next = event.key === 'Home' ? 0 : event.key === 'End' ? stage.duration : by && at + by / stage.rate;
    if (next === undefined) return;
    event.preventDefault();
    player.halt();
    player.seek(Math.min(Math.max(next, 0), stage.duration));
  };
  const labelOf = ({ target, property }: Track) => {
    const part = figure?.parts[figure.byId.get(target) ?? -1];
    const own = target === CAMERA ? words.camera : target === GROUND ? words.ground : target.split('/').at(-1);
    return `${part ? nameOf(part) : own} · ${LABELS[property]}`;
  };
  return (
    <div ref={frame} className={classes.lanes}>
      <div
        ref={ruler}
        className={classes.ruler}
        role="slider"
        aria-label={words.frame}
        aria-valuemin={0}
        aria-valuemax={stage.duration * stage.rate}
        aria-valuenow={0}
        tabIndex={0}
        onKeyDown={byKey}
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          seek(event);
        }}
        onPointerMove={(event) => event.buttons === 1 && seek(event)}
      >
        <span className={classes.laneLabel}>{words.seconds}</span>
        {moving.range && (
          <span
            className={classes.range}
            style={{ left: left(moving.range[0]), width: (moving.range[1] - moving.range[0]) * scale }}
          />
        )}
        {ticks(stage.duration, scale).map((at) => (
          <span key={at} className={classes.tick} style={{ left: left(at) }}>
            {at}
          </span>
        ))}
      </div>
      <div className={classes.rows}>
        {shown.length === 0 && <p className={classes.empty}>{canEdit ? words.noKeysYetTurn : words.nothingMovesYet}</p>}
        {shown.map((track) => (
          <div key={placeOf(track)} className={classes.lane}>
            <span className={classes.laneLabel} title={labelOf(track)}>
              {labelOf(track)}
            </span>
            {track.keys.map((key) => (
              <KeyMark
                key={key.at}
                track={track}
                at={key}
                label={labelOf(track)}
                left={left(key.at)}
                scale={scale}
                moving={moving}
                canEdit={canEdit}
              />
            ))}
          </div>
        ))}
      </div>
      {curved && (
        <Curve
          key={placeOf(curved)}
          moving={moving}
          track={curved}
          label={labelOf(curved)}
          left={left}
          canEdit={canEdit}
        />
      )}
      <div ref={head} className={classes.head} />
    </div>
  );
}

/** Of what is not a part: its keys are seen whatever is chosen. */
const COMMON: ReadonlySet<Track['property']> = new Set(['shown', 'camera', 'ground']);

interface MarkProps extends Props {
  track: Track;
  at: Key;
  label: string;
  left: number;
  scale: number;
}

/** A key: pressed it is chosen, dragged or by arrow keys it is moved to another picture. */
function KeyMark({ track, at: key, label, left, scale, moving, canEdit }: MarkProps) {
  const { keys, setKeys, stage, act, player } = moving;
  const own: KeyRef = { target: track.target, property: track.property, at: key.at };
  const isSame = (one: KeyRef) => placeOf(one) === placeOf(own) && one.at === own.at;
  const isChosen = keys.some(isSame);
  const from = useRef<number | null>(null);
  const [by, setBy] = useState(0);
  const move = (seconds: number, moved: readonly KeyRef[]) => {
    if (!canEdit || seconds === 0) return;
    setKeys(moved.map((one) => ({ ...one, at: Math.min(Math.max(one.at + seconds, 0), stage.duration) })));
    void act({ do: 'move-keys', keys: [...moved], by: seconds });
  };
  const choose = (isMore: boolean): readonly KeyRef[] => {
    if (isChosen && !isMore) return keys;
    const next = isMore ? (isChosen ? keys.filter((one) => !isSame(one)) : [...keys, own]) : [own];
    setKeys(next);
    return next;
  };
  return (
    <button
      type="button"
      className={classes.key}
      style={{ left: left + by * scale }}
      aria-pressed={isChosen}
      aria-label={words.keyOfAtS(label, key.at.toFixed(2))}
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        from.current = event.clientX;
        choose(event.shiftKey);
      }}
      onPointerMove={(event) => {
        if (from.current === null || !canEdit) return;
        setBy(Math.round(((event.clientX - from.current) / scale) * stage.rate) / stage.rate);
      }}
      onPointerUp={() => {
        from.current = null;
        if (by !== 0) move(by, isChosen ? keys : [own]);
        else player.seek(key.at);
        setBy(0);
      }}
      onPointerCancel={() => {
        from.current = null;
        setBy(0);
      }}
      onKeyDown={(event) => {
        const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
        if (step) {
          event.preventDefault();
          move(step / stage.rate, isChosen ? keys : [own]);
        } else if (event.key === 'Delete' && canEdit) {
          void act({ do: 'remove-keys', keys: [...(isChosen ? keys : [own])] });
          setKeys([]);
        } else if (event.key === ' ' || event.key === 'Enter') choose(event.shiftKey);
      }}
    />
  );
}

function useWidth(frame: React.RefObject<HTMLDivElement | null>): number {
  const [width, setWidth] = useState(0);
  useEffect(() => {
    const element = frame.current;
    if (!element) return;
    const observer = new ResizeObserver(() => setWidth(element.clientWidth));
    observer.observe(element);
    return () => observer.disconnect();
  }, [frame]);
  return width;
}

/** Times for the ruler, some 70 px apart. */
function ticks(duration: number, scale: number): number[] {
  const step = [0.1, 0.25, 0.5, 1, 2, 5, 10, 30, 60].find((one) => one * scale >= 56) ?? 120;
  return Array.from({ length: Math.floor(duration / step + 1e-9) + 1 }, (_, at) => Number((at * step).toFixed(2)));
}
