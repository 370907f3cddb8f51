import { useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react';
import type { Row } from '../api/calls';
import { Composite } from './composite';
import { loadPictures, type Pictures, previewScale } from './images';
import { drawOutlines, type Outline } from './outlines';
import classes from './Pile.module.css';
import { type Ground, type Peel, PileBar } from './PileBar';
import { lockedAt, nextDeeper, partsAt } from './picking';
import { allPieces, mostFrames } from './pieces';
import { canvasPixel, centred, type Extent, panned, type Spot, type View, wholeIn, zoomedAt } from './view';

interface Props {
  illustration: number;
  canvas: Extent;
  rows: readonly Row[];
  seen: ReadonlySet<string>;
  outlines: readonly Outline[];
  peel: Peel;
  onPick: (row: Row | null, extend: boolean) => void;
}

const GROUNDS: Record<Ground, string> = { grey: '#9a9a97', light: '#f4f2ec', dark: '#2b2b2d', pattern: '#b7b7b4' };
const CLICK = 4;

/** The pile: the picture as large as there is room, with outlines of what is selected. */
export function Pile({ illustration, canvas, rows, seen, outlines, peel, onPick }: Props) {
  const surface = useRef<HTMLCanvasElement>(null);
  const pictures = useRef<Pictures>(new Map());
  const last = useRef<{ spot: Spot; row: string } | null>(null);
  const [screen, setScreen] = useState<Extent | null>(null);
  const [view, setView] = useState<View | null>(null);
  const [follows, setFollows] = useState(true);
  const [ground, setGround] = useState<Ground>('grey');
  const [left, setLeft] = useState<number | null>(null);
  const [moment, setMoment] = useState(0);
  const [hint, setHint] = useState('');
  const [failed, setFailed] = useState<string[]>([]);
  const [scale] = useState(() => previewScale(rows));
  const [composite] = useState(() => new Composite(canvas, scale));

  // A new name changes no pixel: what is drawn depends on these, and is drawn again only when they change.
  const looks = rows.map((row) =>
    [row.id, row.group, row.opacity, row.blend, row.isolated, row.box, JSON.stringify(row.frames)].join(),
  );
  const drawn = useStable(rows, looks.join(';'));
  const visible = useStable(seen, [...seen].join());
  const marked = useStable(outlines, outlines.map(({ row, colour }) => row.id + colour).join());
  const images = allPieces(rows)
    .map((piece) => piece.image)
    .join();
  const frames = mostFrames(rows);
  // biome-ignore lint/correctness/useExhaustiveDependencies: pictures depend on the digests, not on names or order
  useEffect(
    () =>
      loadPictures(illustration, rows, scale, pictures.current, setLeft, (name) =>
        setFailed((before) => [...before, name]),
      ),
    [illustration, images, scale],
  );

  useLayoutEffect(() => {
    const element = surface.current;
    if (!element) return;
    const observer = new ResizeObserver(() => {
      const ratio = window.devicePixelRatio;
      setScreen({ width: Math.round(element.clientWidth * ratio), height: Math.round(element.clientHeight * ratio) });
    });
    observer.observe(element);
    return () => observer.disconnect();
  }, []);

  const shown = useMemo(
    () => (screen ? (follows || !view ? wholeIn(screen, canvas) : view) : null),
    [screen, follows, view, canvas],
  );
  const change = useCallback((next: View) => {
    setFollows(false);
    setView(next);
  }, []);

  // Drawing: one frame after anything changed. `left` is here because a picture that arrives changes the composite.
  useEffect(() => {
    const element = surface.current;
    if (!element || !screen || !shown) return;
    const frame = requestAnimationFrame(() => {
      composite.update({ rows: drawn, seen: visible, moment }, pictures.current);
      if (element.width !== screen.width) element.width = screen.width;
      if (element.height !== screen.height) element.height = screen.height;
      const context = element.getContext('2d');
      if (context) {
        paint(context, screen, shown, composite, canvas, ground);
        drawOutlines(context, screen, shown, marked, pictures.current, moment);
      }
      element.dataset.drawn = String(left === 0);
    });
    return () => cancelAnimationFrame(frame);
  }, [screen, shown, drawn, visible, marked, ground, left, composite, canvas, moment]);

  const spotOf = (event: { clientX: number; clientY: number }): Spot => {
    const frame = surface.current?.getBoundingClientRect();
    const ratio = window.devicePixelRatio;
    return { x: (event.clientX - (frame?.left ?? 0)) * ratio, y: (event.clientY - (frame?.top ?? 0)) * ratio };
  };

  useEffect(() => {
    const element = surface.current;
    if (!element || !shown) return;
    // React listens to wheels passively, so the page would scroll as well.
    const onWheel = (event: WheelEvent) => {
      event.preventDefault();
      change(zoomedAt(shown, spotOf(event), 2 ** (-event.deltaY / 240)));
    };
    element.addEventListener('wheel', onWheel, { passive: false });
    return () => element.removeEventListener('wheel', onWheel);
  });

  const drag = useRef<{ from: Spot; view: View; moved: boolean } | null>(null);
  const pick = (event: React.PointerEvent) => {
    if (!shown) return;
    const spot = canvasPixel(shown, spotOf(event));
    const found = partsAt(rows, seen, pictures.current, scale, moment, spot);
    const again = last.current?.spot.x === spot.x && last.current.spot.y === spot.y;
    const locked = lockedAt(rows, seen, pictures.current, scale, moment, spot);
    setHint(locked && found[0] !== locked ? `${locked.name} is locked, so it is not picked.` : '');
    const row = nextDeeper(found, again ? (last.current?.row ?? null) : null);
    last.current = row && { spot, row: row.id };
    onPick(row, event.shiftKey || event.ctrlKey || event.metaKey);
  };

  return (
    <section className={classes.pile} aria-label="Pile">
      <PileBar
        zoom={shown?.zoom ?? 1}
        ground={ground}
        peel={peel}
        moment={{ frames, shown: moment, onChange: setMoment }}
        onGround={setGround}
        onWhole={() => setFollows(true)}
        onTrue={() => screen && change(centred(screen, canvas, 1))}
        onZoom={(factor) =>
          screen && shown && change(zoomedAt(shown, { x: screen.width / 2, y: screen.height / 2 }, factor))
        }
      />
      <canvas
        ref={surface}
        className={classes.surface}
        data-testid="pile"
        role="img"
        aria-label="The picture. Parts can be picked here with the pointer, and by keyboard in the ledger."
        onPointerDown={(event) => {
          if (!shown) return;
          event.currentTarget.setPointerCapture(event.pointerId);
          drag.current = { from: spotOf(event), view: shown, moved: false };
        }}
        onPointerMove={(event) => {
          if (!drag.current) return;
          const spot = spotOf(event);
          const [dx, dy] = [spot.x - drag.current.from.x, spot.y - drag.current.from.y];
          if (Math.hypot(dx, dy) > CLICK) drag.current.moved = true;
          if (drag.current.moved) change(panned(drag.current.view, dx, dy));
        }}
        onPointerUp={(event) => {
          if (drag.current && !drag.current.moved) pick(event);
          drag.current = null;
        }}
        onPointerCancel={() => {
          drag.current = null;
        }}
      />
      <p className={classes.state} role="status">
        {hint}
        {left !== null && left > 0 && `Loading pictures: ${left} left`}
        {left === 0 && scale < 1 && `Preview at 1/${1 / scale} of the resolution; what is handed over is not reduced.`}
        {failed.length > 0 &&
          ` Not loaded: ${failed.slice(0, 3).join(', ')}${failed.length > 3 ? ' and others' : ''}. Reload the page.`}
      </p>
    </section>
  );
}

/** A value that stays the same object for as long as its key is the same. */
function useStable<T>(value: T, key: string): T {
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key stands for the value
  return useMemo(() => value, [key]);
}

function paint(
  context: CanvasRenderingContext2D,
  screen: Extent,
  view: View,
  composite: Composite,
  canvas: Extent,
  ground: Ground,
): void {
  context.fillStyle = GROUNDS[ground];
  context.fillRect(0, 0, screen.width, screen.height);
  const [width, height] = [canvas.width * view.zoom, canvas.height * view.zoom];
  if (ground === 'pattern') paintPattern(context, view, width, height);
  context.imageSmoothingEnabled = view.zoom < 1;
  context.imageSmoothingQuality = 'high';
  context.drawImage(composite.canvas, view.x, view.y, width, height);
  context.strokeStyle = ground === 'dark' ? '#ffffff59' : '#00000059';
  context.lineWidth = 1;
  context.strokeRect(Math.round(view.x) - 0.5, Math.round(view.y) - 0.5, Math.round(width) + 1, Math.round(height) + 1);
}

/** Slanted lines, so that see-through places are told from white and from grey. */
function paintPattern(context: CanvasRenderingContext2D, view: View, width: number, height: number): void {
  context.save();
  context.beginPath();
  context.rect(view.x, view.y, width, height);
  context.clip();
  context.strokeStyle = '#cbcbc7';
  context.lineWidth = 5;
  context.beginPath();
  for (let at = -height; at < width; at += 16) {
    context.moveTo(view.x + at, view.y + height);
    context.lineTo(view.x + at + height, view.y);
  }
  context.stroke();
  context.restore();
}
