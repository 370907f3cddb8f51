import { Button, NativeSelect, SegmentedControl, Slider } from '@mantine/core';
import { useEffect, useMemo, useRef, useState } from 'react';
import { fetchPicture, type Laid, type Picture, pictureAddress, type Rehearsal } from '../../api/rehearsals';
import { usePinch } from '../../pile/usePinch';
import { spotIn, useScreen, useWheel } from '../../pile/useSurface';
import { canvasSpot, centred, panned, type View, wholeIn, zoomedAt } from '../../pile/view';
import type { Extent } from '../../rules/places';
import { moveByKey } from './LiningUpPanel';
import { useDraggedParts, usePartPictures } from './movingStage';
import { drawStage, type Pictures } from './stageDrawing';
import { Timeline } from './Timeline';
import classes from './TryOut.module.css';
import { extentOf, type LiningUp } from './useLiningUp';
import type { MovingParts, Tool } from './useMoving';
import type { Sight, Trying } from './useTrying';
import { stage as words } from './words';

const PICTURES: readonly Picture[] = ['together', 'reference', 'difference'];

/** The picture as the receiver has it: put together from the package alone, and beside what it should be. */
export function Stage({ trying, canvas }: { trying: Trying; canvas: Extent }) {
  const { rehearsal, sight, times, share, place } = trying;
  const result = rehearsal?.result ?? null;
  const size = useMemo(
    () => (result ? { width: result.width, height: result.height } : canvas),
    [result?.width, result?.height, canvas, result],
  );
  const surface = useRef<HTMLCanvasElement>(null);
  const screen = useScreen(surface);
  const loose = useLooseImages(rehearsal, trying.lining.places);
  const lining = trying.lining.isOn && sight === 'together' ? trying.lining : null;
  const moving = trying.moving.isOn ? trying.moving : null;
  const parts = usePartPictures(rehearsal, moving !== null);
  const takeImage = useDragging(lining, loose);
  const takePart = useDraggedParts(moving, parts.pictures);
  const looking = useView(screen, size, place, moving ? takePart : takeImage);
  const pictures = usePictures(rehearsal);
  const missing = useMemo(() => result?.parts.filter((part) => part.is_missing) ?? [], [result]);
  const { view } = looking;
  const { places, selected, faint, isOver } = trying.lining;
  const isLiningUp = lining !== null;
  const lined = useMemo(
    () => (isLiningUp ? { places, images: loose, selected, faint, isOver } : null),
    [isLiningUp, places, loose, selected, faint, isOver],
  );
  const { player, drawn } = trying.moving;
  const isMoving = moving !== null;
  // biome-ignore lint/correctness/useExhaustiveDependencies: `parts.arrived` says that more pictures of parts are there
  useEffect(() => {
    const element = surface.current;
    if (!element || !screen || !view) return;
    const draw = () => {
      const moved = isMoving && drawn ? { ...drawn(), pictures: parts.pictures } : null;
      drawStage(element, { screen, view, canvas: size, pictures, sight, times, share, missing, lined, place, moved });
    };
    const frame = requestAnimationFrame(draw);
    const leave = isMoving ? player.listen(draw) : undefined;
    return () => {
      cancelAnimationFrame(frame);
      leave?.();
    };
  }, [
    screen,
    view,
    size,
    pictures,
    sight,
    times,
    share,
    missing,
    lined,
    place,
    isMoving,
    drawn,
    player,
    parts.pictures,
    parts.arrived,
  ]);
  useWheel(surface, looking.zoom);
  return (
    <section className={classes.stage} aria-label={words.stage}>
      <StageBar trying={trying} zoom={view?.zoom ?? 1} looking={looking} />
      <canvas
        ref={surface}
        className={classes.surface}
        data-testid="stage"
        data-shown={pictures.together !== undefined && result !== null}
        data-pictures={isMoving ? parts.arrived : undefined}
        // What is chosen is moved by keys as well.
        tabIndex={lining || moving ? 0 : undefined}
        onKeyDown={(event) => (moving ? poseByKey(event, moving) : lining && moveByKey(event, lining))}
        role="img"
        aria-label={labelOf(moving !== null, lining !== null)}
        {...looking.pointer}
      />
      {moving && <Timeline moving={moving} canEdit={trying.canEdit} />}
      {!pictures.together && (
        <p className={classes.state} role="status">
          {trying.isOpening || result ? words.rebuilding : words.nothingIsOpenYet}
        </p>
      )}
    </section>
  );
}

function labelOf(isMoving: boolean, isLiningUp: boolean): string {
  if (isMoving) return words.theMovedPartsSelect;
  return isLiningUp ? words.theImagesOverTheFaint : words.thePictureRebuilt;
}

const BY_KEY: Readonly<Record<string, readonly [number, number]>> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

/** Turn, move or resize what is chosen by an arrow key, with Shift ten times as much. */
function poseByKey(event: React.KeyboardEvent, moving: MovingParts): void {
  const step = BY_KEY[event.key];
  const isOnPath = moving.tool !== 'scale' && moving.chosen.some((id) => moving.paths.has(id));
  if (!step || moving.chosen.length === 0 || isOnPath) return;
  event.preventDefault();
  const times = event.shiftKey ? 10 : 1;
  const [across, down] = [step[0] * times, step[1] * times];
  const values = moving.chosen.flatMap((id) => {
    const pose = moving.poseAt(id);
    if (!pose) return [];
    const factor = 1 + (across - down) / 100;
    const [x, y] = pose.translate;
    const [wide, high] = pose.scale;
    const next = {
      rotate: { rotate: pose.rotate + across + down },
      translate: { translate: [x + across, y + down] as [number, number] },
      scale: { scale: [wide * factor, high * factor] as [number, number] },
    }[moving.tool];
    return [[id, next] as const];
  });
  moving.pose(Object.fromEntries(values));
}

type Looking = ReturnType<typeof useView>;

interface Spot {
  x: number;
  y: number;
}

/** What a press takes hold of instead of the picture: how it is moved to a place of the canvas, straight or not, and let go. */
export interface Hold {
  move: (to: Spot, isStraight: boolean) => void;
  drop?: () => void;
}

/** Null where there is nothing to take hold of. */
export type Take = (at: Spot, isMore: boolean) => Hold | null;

/** Pressing an image that is lined up chooses it, dragging moves it. */
function useDragging(lining: LiningUp | null, images: ReadonlyMap<string, ImageBitmap>): Take {
  return ({ x, y }) => {
    const laid = [...(lining?.places ?? [])].reverse().find((one) => {
      const image = images.get(one.file);
      const extent = image && extentOf(one, image);
      return extent && x >= one.x && y >= one.y && x < one.x + extent.width && y < one.y + extent.height;
    });
    if (!lining || !laid) return null;
    lining.setSelected(laid.file);
    let isFirst = true;
    return {
      move: (to) => {
        lining.drag(laid.file, laid.x + Math.round(to.x - x), laid.y + Math.round(to.y - y), isFirst);
        isFirst = false;
      },
    };
  };
}

/** Zooming and moving; a place that is to be seen comes to the middle. */
function useView(screen: Extent | null, size: Extent, place: Spot | null, take: Take) {
  const [chosen, setChosen] = useState<View | null>(null);
  const view = useMemo(() => chosen ?? (screen && wholeIn(screen, size)), [chosen, screen, size]);
  const held = useRef<{ last: Spot; hold: Hold | null } | null>(null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: when another place is to be seen, and not when the window changes
  useEffect(() => {
    if (!place || !screen) return;
    const zoom = Math.max(view?.zoom ?? 1, 4);
    setChosen({ zoom, x: screen.width / 2 - place.x * zoom, y: screen.height / 2 - place.y * zoom });
  }, [place]);
  const zoom = (spot: { x: number; y: number } | null, factor: number) => {
    if (view && screen) setChosen(zoomedAt(view, spot ?? { x: screen.width / 2, y: screen.height / 2 }, factor));
  };
  const isPinched = usePinch({
    view,
    onView: setChosen,
    onBegin: () => {
      held.current = null;
    },
  });
  return {
    view,
    zoom,
    showWhole: () => setChosen(null),
    showTrue: () => screen && setChosen(centred(screen, size, 1)),
    pointer: {
      onPointerDown: (event: React.PointerEvent<HTMLCanvasElement>) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        if (isPinched('down', event)) return;
        const spot = spotIn(event.currentTarget, event);
        held.current = { last: spot, hold: view && take(canvasSpot(view, spot), event.shiftKey) };
      },
      onPointerMove: (event: React.PointerEvent<HTMLCanvasElement>) => {
        if (isPinched('move', event) || !held.current || !view) return;
        const spot = spotIn(event.currentTarget, event);
        const { last, hold } = held.current;
        if (hold) hold.move(canvasSpot(view, spot), event.shiftKey);
        else setChosen(panned(view, spot.x - last.x, spot.y - last.y));
        held.current.last = spot;
      },
      onPointerUp: (event: React.PointerEvent<HTMLCanvasElement>) => {
        if (isPinched('up', event)) return;
        held.current?.hold?.drop?.();
        held.current = null;
      },
      onPointerCancel: (event: React.PointerEvent<HTMLCanvasElement>) => {
        isPinched('cancel', event);
        held.current = null;
      },
    },
  };
}

/** The pictures of a package, each when it has arrived. */
function usePictures(rehearsal: Rehearsal | null): Pictures {
  const [pictures, setPictures] = useState<Pictures>({});
  const addresses = rehearsal ? PICTURES.map((name) => pictureAddress(rehearsal, name) ?? '').join(' ') : '';
  useEffect(() => {
    const stop = new AbortController();
    setPictures({});
    addresses.split(' ').forEach((address, at) => {
      const name = PICTURES[at];
      if (!address || !name) return;
      fetchPicture(address, stop.signal)
        .then((blob) => createImageBitmap(blob))
        .then((picture) => setPictures((before) => ({ ...before, [name]: picture })))
        // One that does not come leaves the stage empty; reloading asks again.
        .catch(() => undefined);
    });
    return () => stop.abort();
  }, [addresses]);
  return pictures;
}

/** The loose images that are placed, each by itself when it has arrived; the others are not asked for. */
function useLooseImages(rehearsal: Rehearsal | null, places: readonly Laid[]): ReadonlyMap<string, ImageBitmap> {
  const [images, setImages] = useState<ReadonlyMap<string, ImageBitmap>>(new Map());
  const placed = new Set(places.map(({ file }) => file));
  const wanted = (rehearsal?.result?.images ?? [])
    .filter(({ file }) => placed.has(file))
    .map(({ file, picture }) => [file, (rehearsal && pictureAddress(rehearsal, picture)) ?? '']);
  const key = JSON.stringify(wanted);
  const asked = useRef(new Map<string, string>());
  // biome-ignore lint/correctness/useExhaustiveDependencies: another package begins anew
  useEffect(() => {
    asked.current = new Map();
    setImages(new Map());
  }, [rehearsal?.id]);
  useEffect(() => {
    const all = asked.current;
    for (const [file, address] of JSON.parse(key) as [string, string][]) {
      if (all.get(file) === address) continue;
      all.set(file, address);
      fetchPicture(address)
        .then((blob) => createImageBitmap(blob))
        .then((picture) => all === asked.current && setImages((before) => new Map(before).set(file, picture)))
        // One that does not come is asked for again when it is placed again.
        .catch(() => all.delete(file));
    }
  }, [key]);
  return images;
}

const SIGHTS: readonly { value: Sight; label: string }[] = [
  { value: 'together', label: words.rebuilt },
  { value: 'reference', label: words.original },
  { value: 'slider', label: words.slider },
  { value: 'difference', label: words.difference },
];
const TOOLS: readonly { value: Tool; label: string }[] = [
  { value: 'rotate', label: words.turn },
  { value: 'translate', label: words.move },
  { value: 'scale', label: words.resize },
];
const TIMES = [1, 4, 16, 64].map((times) => ({ value: String(times), label: words.brighter(times) }));

function StageBar({ trying, zoom, looking }: { trying: Trying; zoom: number; looking: Looking }) {
  const canCompare = Boolean(trying.rehearsal?.result?.comparison);
  return (
    <div className={classes.bar}>
      <Button.Group>
        <Button
          size="compact-sm"
          variant="default"
          onClick={() => looking.zoom(null, 1 / 1.5)}
          aria-label={words.zoomOut}
        >
          −
        </Button>
        <Button.GroupSection size="compact-sm" variant="default" className={classes.zoom} aria-label={words.zoom}>
          {Math.round(zoom * 100)} %
        </Button.GroupSection>
        <Button size="compact-sm" variant="default" onClick={() => looking.zoom(null, 1.5)} aria-label={words.zoomIn}>
          +
        </Button>
      </Button.Group>
      <Button size="compact-sm" variant="default" onClick={looking.showWhole}>
        {words.wholePicture}
      </Button>
      <Button size="compact-sm" variant="default" onClick={looking.showTrue}>
        100 %
      </Button>
      <span className={classes.gap} />
      {canCompare && trying.sight === 'difference' && !trying.moving.isOn && (
        <NativeSelect
          size="xs"
          aria-label={words.brightnessOfDifferences}
          data={TIMES}
          value={String(trying.times)}
          onChange={(event) => trying.setTimes(Number(event.currentTarget.value))}
        />
      )}
      {canCompare && trying.sight === 'slider' && !trying.moving.isOn && (
        <Slider
          size="sm"
          className={classes.dial}
          value={Math.round(trying.share * 100)}
          onChange={(value) => trying.setShare(value / 100)}
          label={(value) => words.rebuiltValue(value)}
          thumbLabel={words.divider}
        />
      )}
      {trying.moving.isOn && (
        <SegmentedControl
          size="xs"
          aria-label={words.dragTo}
          data={[...TOOLS]}
          value={trying.moving.tool}
          onChange={(value) => trying.moving.setTool(value as Tool)}
        />
      )}
      {canCompare && !trying.moving.isOn && (
        <SegmentedControl
          size="xs"
          aria-label={words.view}
          data={[...SIGHTS]}
          value={trying.sight}
          onChange={(value) => trying.setSight(value as Sight)}
        />
      )}
    </div>
  );
}
