import { Button, NativeSelect, SegmentedControl, Slider } from '@mantine/core';
import { useEffect, useMemo, useRef, useState } from 'react';
import { fetchPicture, type Picture, pictureAddress, type Rehearsal } from '../../api/rehearsals';
import { spotIn, useScreen, useWheel } from '../../pile/useSurface';
import { centred, panned, type View, wholeIn, zoomedAt } from '../../pile/view';
import type { Extent } from '../../rules/places';
import { drawStage, type Pictures } from './stageDrawing';
import classes from './TryOut.module.css';
import type { Sight, Trying } from './useTrying';

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
  const looking = useView(screen, size, place);
  const pictures = usePictures(rehearsal);
  const missing = useMemo(() => result?.parts.filter((part) => part.is_missing) ?? [], [result]);
  const { view } = looking;
  useEffect(() => {
    const element = surface.current;
    if (!element || !screen || !view) return;
    const frame = requestAnimationFrame(() =>
      drawStage(element, { screen, view, canvas: size, pictures, sight, times, share, missing, place }),
    );
    return () => cancelAnimationFrame(frame);
  }, [screen, view, size, pictures, sight, times, share, missing, place]);
  useWheel(surface, looking.zoom);
  return (
    <section className={classes.stage} aria-label="Stage">
      <StageBar trying={trying} zoom={view?.zoom ?? 1} looking={looking} />
      <canvas
        ref={surface}
        className={classes.surface}
        data-testid="stage"
        data-shown={pictures.together !== undefined && result !== null}
        role="img"
        aria-label="The picture put together from the package. Drag to move it, turn the wheel to zoom."
        {...looking.pointer}
      />
      {!pictures.together && (
        <p className={classes.state} role="status">
          {trying.isOpening || result ? 'Putting together' : 'Nothing is put together yet'}
        </p>
      )}
    </section>
  );
}

type Looking = ReturnType<typeof useView>;

/** Zooming and moving; a place that is to be seen comes to the middle. */
function useView(screen: Extent | null, size: Extent, place: { x: number; y: number } | null) {
  const [chosen, setChosen] = useState<View | null>(null);
  const view = useMemo(() => chosen ?? (screen && wholeIn(screen, size)), [chosen, screen, size]);
  const held = useRef<{ x: number; y: number } | null>(null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: when another place is to be seen, and not when the window changes
  useEffect(() => {
    if (!place || !screen) return;
    const zoom = Math.max(view?.zoom ?? 1, 4);
    setChosen({ zoom, x: screen.width / 2 - place.x * zoom, y: screen.height / 2 - place.y * zoom });
  }, [place]);
  const zoom = (spot: { x: number; y: number } | null, factor: number) => {
    if (view && screen) setChosen(zoomedAt(view, spot ?? { x: screen.width / 2, y: screen.height / 2 }, factor));
  };
  return {
    view,
    zoom,
    showWhole: () => setChosen(null),
    showTrue: () => screen && setChosen(centred(screen, size, 1)),
    pointer: {
      onPointerDown: (event: React.PointerEvent<HTMLCanvasElement>) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        held.current = spotIn(event.currentTarget, event);
      },
      onPointerMove: (event: React.PointerEvent<HTMLCanvasElement>) => {
        if (!held.current || !view) return;
        const spot = spotIn(event.currentTarget, event);
        setChosen(panned(view, spot.x - held.current.x, spot.y - held.current.y));
        held.current = spot;
      },
      onPointerUp: () => {
        held.current = null;
      },
      onPointerCancel: () => {
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

const SIGHTS: readonly { value: Sight; label: string }[] = [
  { value: 'together', label: 'Put together' },
  { value: 'reference', label: 'Original' },
  { value: 'slider', label: 'Slider' },
  { value: 'difference', label: 'Difference' },
];
const TIMES = [1, 4, 16, 64].map((times) => ({ value: String(times), label: `${times} × brighter` }));

function StageBar({ trying, zoom, looking }: { trying: Trying; zoom: number; looking: Looking }) {
  const canCompare = Boolean(trying.rehearsal?.result?.comparison);
  return (
    <div className={classes.bar}>
      <Button.Group>
        <Button size="compact-sm" variant="default" onClick={() => looking.zoom(null, 1 / 1.5)} aria-label="Zoom out">
          −
        </Button>
        <Button.GroupSection size="compact-sm" variant="default" className={classes.zoom} aria-label="Zoom">
          {Math.round(zoom * 100)} %
        </Button.GroupSection>
        <Button size="compact-sm" variant="default" onClick={() => looking.zoom(null, 1.5)} aria-label="Zoom in">
          +
        </Button>
      </Button.Group>
      <Button size="compact-sm" variant="default" onClick={looking.showWhole}>
        Whole picture
      </Button>
      <Button size="compact-sm" variant="default" onClick={looking.showTrue}>
        True pixels
      </Button>
      <span className={classes.gap} />
      {canCompare && trying.sight === 'difference' && (
        <NativeSelect
          size="xs"
          aria-label="How bright differences are"
          data={TIMES}
          value={String(trying.times)}
          onChange={(event) => trying.setTimes(Number(event.currentTarget.value))}
        />
      )}
      {canCompare && trying.sight === 'slider' && (
        <Slider
          size="sm"
          className={classes.dial}
          value={Math.round(trying.share * 100)}
          onChange={(value) => trying.setShare(value / 100)}
          label={(value) => `${value} % put together`}
          thumbLabel="Divider"
        />
      )}
      {canCompare && (
        <SegmentedControl
          size="xs"
          aria-label="What is seen of the package"
          data={[...SIGHTS]}
          value={trying.sight}
          onChange={(value) => trying.setSight(value as Sight)}
        />
      )}
    </div>
  );
}
