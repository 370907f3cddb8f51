import { useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react';
import type { Row } from '../api/calls';
import { artOf } from '../rules/art';
import type { Extent, Spot } from '../rules/places';
import { drawApart, Panes, panePlaces, panesAt, STANCE } from './apart';
import { type Comparable, type CompareMode, dividerAt, drawComparison, screenOf } from './compare';
import { Composite } from './composite';
import { loadPictures, type Pictures, previewScale, useWholePictures } from './images';
import { type Comparison, type Look, Looks } from './Looks';
import {
  drawBones,
  drawCircle,
  drawGhosts,
  drawGuides,
  drawHandles,
  drawMasks,
  drawOverlay,
  drawPath,
  drawStrokes,
  gripAt,
  type Marking,
} from './marks';
import { drawOutlines, type Outline } from './outlines';
import classes from './Pile.module.css';
import { type Ground, type Outlined, PileBar, type Shapes } from './PileBar';
import { lockedAt, nextDeeper, partsAt } from './picking';
import { allPieces, mostFrames } from './pieces';
import { posedScene } from './posed';
import { sharpScene, useSharp } from './sharp';
import { useMarking } from './useMarking';
import { useStable } from './useStable';
import { canvasPixel, canvasSpot, centred, panned, type View, wholeIn, zoomedAt } from './view';

/** How many of the parts that are seen, the front-most ones, are away for looking at what lies behind them. */
export interface Peel {
  most: number;
  away: number;
  onChange: (away: number) => void;
}

interface Props {
  illustration: number;
  revision: number;
  canvas: Extent;
  rows: readonly Row[];
  seen: ReadonlySet<string>;
  outlines: Readonly<Record<Outlined, readonly Outline[]>>;
  peel: Peel;
  comparables: readonly Comparable[];
  /** What the pointer does when it does not pick. */
  marking?: Marking | undefined;
  /** Which frame of what moves is seen, from 0. */
  moment: number;
  onMoment: (moment: number) => void;
  onPick: (row: Row | null, extend: boolean) => void;
}

const GROUNDS: Record<Ground, string> = {
  grey: '#9a9a97',
  light: '#f4f2ec',
  dark: '#2b2b2d',
  pattern: '#b7b7b4',
  white: '#ffffff',
  black: '#000000',
  orange: '#e8791c',
};
const CLICK = 4;
/** Device pixels from the divider of a comparison within which a drag moves it. */
const GRIP = 14;
/** With more outlines than these, they wait until the view stands still. */
const MANY = 40;
const STILL = 150;

/** The pile: the picture as large as there is room, as it lies, apart in depth, or beside another state of it. */
export function Pile({
  illustration,
  revision,
  canvas,
  rows,
  seen,
  outlines,
  peel,
  comparables,
  marking,
  moment,
  onMoment,
  onPick,
}: Props) {
  const surface = useRef<HTMLCanvasElement>(null);
  const pictures = useRef<Pictures>(new Map());
  const isComplete = useRef(false);
  const last = useRef<{ spot: Spot; row: string } | null>(null);
  const [screen, setScreen] = useState<Extent | null>(null);
  const [view, setView] = useState<View | null>(null);
  const [follows, setFollows] = useState(true);
  const [ground, setGround] = useState<Ground>('grey');
  const [outlined, setOutlined] = useState<Outlined>('chosen');
  const [shapes, setShapes] = useState<Shapes>('sharp');
  const [look, setLook] = useState<Look>('flat');
  const [stance, setStance] = useState(STANCE);
  const [depthZoom, setDepthZoom] = useState(1);
  const [comparing, setComparing] = useState({ left: 'parts', right: '', mode: 'slider' as CompareMode, share: 0.5 });
  const [left, setLeft] = useState<number | null>(null);
  const [hint, setHint] = useState('');
  const [failed, setFailed] = useState<string[]>([]);
  const [scale] = useState(() => previewScale(rows));
  const composite = useMemo(
    () => new Composite({ width: canvas.width, height: canvas.height }, scale),
    [canvas.width, canvas.height, scale],
  );
  const panes = useMemo(
    () => new Panes({ width: canvas.width, height: canvas.height }, scale),
    [canvas.width, canvas.height, scale],
  );

  // A new name changes no pixel: what is drawn depends on these, and is drawn again only when they change.
  const looks = rows.map((row) =>
    [row.group, row.opacity, row.blend, row.isolated, row.locked, row.box, artOf(row)].join(),
  );
  const drawn = useStable(rows, looks.join(';'));
  const visible = useStable(seen, [...seen].join());
  const outlining = outlines[outlined];
  const marked = useStable(outlining, outlining.map(({ row, colour, tag }) => row.id + colour + tag).join());
  const images = allPieces(rows)
    .map((piece) => piece.image)
    .join();
  const frames = mostFrames(rows);
  const marks = useMarking(look === 'flat' ? marking : undefined);
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

  const right = comparables.some((one) => one.key === comparing.right) ? comparing.right : comparables[1]?.key;
  const sides = [comparing.left, right].map((key) => comparables.find((one) => one.key === key) ?? comparables[0]);
  const wholes = useWholePictures(illustration, look === 'compare' ? sides.map((side) => side?.digest ?? null) : []);
  const beside = look === 'compare' ? comparing.mode : 'slider';
  const shown = useMemo(
    () => (screen ? (follows || !view ? wholeIn(screenOf(screen, beside), canvas) : view) : null),
    [screen, follows, view, canvas, beside],
  );
  const scene = useMemo(() => ({ rows: drawn, seen: visible, moment }), [drawn, visible, moment]);
  const sharp = useSharp(illustration, revision, scene, look === 'flat' && shapes === 'sharp' ? shown : null, screen);
  // What was asked for last: several turns of a wheel may come before one of them is drawn.
  const latest = useRef(shown);
  latest.current = shown;
  const change = useCallback((next: View) => {
    latest.current = next;
    setFollows(false);
    setView(next);
  }, []);
  const depth = () => {
    const there = panes.of(drawn, visible, pictures.current, moment);
    return { there, places: screen ? panePlaces(screen, canvas, there.length, stance, depthZoom) : [] };
  };

  // Drawing: one frame after anything changed. `left` is here because a picture that arrives changes the composite.
  // biome-ignore lint/correctness/useExhaustiveDependencies: `left` and `wholes` stand for pictures that have arrived
  useEffect(() => {
    const element = surface.current;
    if (!element || !screen || !shown) return;
    let late = 0;
    const draw = (isStill: boolean) => {
      // A part whose new picture is on its way is seen as it was until then.
      if (left === 0 || !isComplete.current) composite.update(scene, pictures.current);
      isComplete.current ||= left === 0;
      if (element.width !== screen.width) element.width = screen.width;
      if (element.height !== screen.height) element.height = screen.height;
      const context = element.getContext('2d');
      if (!context) return;
      if (look === 'apart') {
        context.fillStyle = GROUNDS[ground];
        context.fillRect(0, 0, screen.width, screen.height);
        const { there, places } = depth();
        const colours = new Map(outlined === 'none' ? [] : marked.map(({ row, colour }) => [row.id, colour] as const));
        drawApart(context, there, places, canvas, panes.scale, colours, isStill);
        if (!isStill) late = window.setTimeout(() => draw(true), STILL);
      } else if (look === 'compare') {
        paintGround(context, screen, shown, canvas, ground);
        const both = sides.map((side, index) => ({
          label: side?.label ?? '',
          picture: side?.digest === null ? composite.canvas : (wholes[index] ?? null),
        }));
        const [one, other] = both;
        if (one && other) drawComparison(context, screen, canvas, shown, [one, other], comparing.mode, comparing.share);
      } else {
        const anew = sharp.size > 0 && shapes === 'sharp' && shown.zoom > 1;
        if (marking?.poses && marking.poses.size > 0) {
          paintGround(context, screen, shown, canvas, ground);
          context.drawImage(posedScene(scene, shown, screen, pictures.current, marking.poses), 0, 0);
          paintBorder(context, shown, canvas, ground);
        } else if (anew) {
          paintGround(context, screen, shown, canvas, ground);
          context.drawImage(sharpScene(scene, shown, screen, sharp, pictures.current), 0, 0);
          paintBorder(context, shown, canvas, ground);
        } else paint(context, screen, shown, composite, canvas, ground);
        element.dataset.sharp = String(anew);
        if (marking?.ghosts) drawGhosts(context, shown, marking.ghosts, pictures.current);
        if (marking?.overlay) drawOverlay(context, shown, marking.overlay);
        if (marking) drawMasks(context, screen, shown, marking.masks);
        if (marking?.strokes) drawStrokes(context, shown, marking.strokes);
        if (marking?.bones) drawBones(context, shown, marking.bones);
        if (marking?.circle) drawCircle(context, shown, marking.circle);
        if (marking?.guides && marking.guided) drawGuides(context, shown, marking.guides, marking.guided);
        if (marking?.brush) drawStrokes(context, shown, [{ ...marking.brush, points: marks.path }]);
        else drawPath(context, shown, marks.path);
        // What is tried in another pose has its outline where it was: that would only be in the way.
        const isPosed = (marking?.poses?.size ?? 0) > 0;
        if (!isPosed && (marked.length <= MANY || isStill))
          drawOutlines(context, screen, shown, marked, pictures.current, moment);
        else if (!isPosed) late = window.setTimeout(() => draw(true), STILL);
        if (marking?.handles) drawHandles(context, shown, marking.handles);
      }
      element.dataset.drawn = String(left === 0);
    };
    const frame = requestAnimationFrame(() => draw(false));
    return () => {
      cancelAnimationFrame(frame);
      window.clearTimeout(late);
    };
  }, [
    screen,
    shown,
    scene,
    shapes,
    sharp,
    marking?.masks,
    marking?.overlay,
    marking?.strokes,
    marking?.brush,
    marking?.circle,
    marking?.bones,
    marking?.handles,
    marking?.guides,
    marking?.poses,
    marking?.ghosts,
    marks.path,
    drawn,
    visible,
    marked,
    outlined,
    ground,
    left,
    composite,
    panes,
    canvas,
    moment,
    look,
    stance,
    depthZoom,
    comparing,
    right,
    wholes,
  ]);

  const spotOf = (event: { clientX: number; clientY: number }): Spot => {
    const frame = surface.current?.getBoundingClientRect();
    const ratio = window.devicePixelRatio;
    return { x: (event.clientX - (frame?.left ?? 0)) * ratio, y: (event.clientY - (frame?.top ?? 0)) * ratio };
  };
  /** Zoom about a place on the screen; the panes that are apart only grow. */
  const zoom = (spot: Spot | null, factor: number) => {
    if (!screen || !shown) return;
    const half = screenOf(screen, beside);
    if (look === 'apart') setDepthZoom((before) => Math.min(Math.max(before * factor, 0.3), 6));
    else change(zoomedAt(latest.current ?? shown, spot ?? { x: half.width / 2, y: half.height / 2 }, factor));
  };

  useEffect(() => {
    const element = surface.current;
    if (!element || !shown) return;
    // React listens to wheels passively, so the page would scroll as well.
    const onWheel = (event: WheelEvent) => {
      event.preventDefault();
      zoom(spotOf(event), 2 ** (-event.deltaY / 240));
    };
    element.addEventListener('wheel', onWheel, { passive: false });
    return () => element.removeEventListener('wheel', onWheel);
  });

  const drag = useRef<{ from: Spot; view: View; stance: typeof stance; moved: boolean; onDivider: boolean } | null>(
    null,
  );
  const grip = useRef<ReturnType<typeof gripAt>>(null);
  const pick = (event: React.PointerEvent) => {
    if (!shown) return;
    const extend = event.shiftKey || event.ctrlKey || event.metaKey;
    const at = spotOf(event);
    const spot = look === 'apart' ? at : canvasPixel(shown, at);
    const { there, places } = look === 'apart' ? depth() : { there: [], places: [] };
    const found =
      look === 'apart'
        ? panesAt(there, places, panes.scale, spot)
        : partsAt(rows, seen, pictures.current, scale, moment, spot);
    const again = last.current?.spot.x === spot.x && last.current.spot.y === spot.y;
    const locked = look === 'apart' ? undefined : lockedAt(rows, seen, pictures.current, scale, moment, spot);
    setHint(locked && found[0] !== locked ? `${locked.name} is locked, so it is not picked.` : '');
    const row = nextDeeper(found, again ? (last.current?.row ?? null) : null);
    last.current = row && { spot, row: row.id };
    onPick(row, extend);
  };
  const onDrag = (spot: Spot) => {
    const { current } = drag;
    if (!current || !screen || !shown) return;
    const [dx, dy] = [spot.x - current.from.x, spot.y - current.from.y];
    if (Math.hypot(dx, dy) > CLICK) current.moved = true;
    if (!current.moved) return;
    if (current.onDivider) {
      const share = (spot.x - shown.x) / (canvas.width * shown.zoom);
      setComparing((before) => ({ ...before, share: Math.min(Math.max(share, 0), 1) }));
    } else if (look === 'apart') {
      const turn = Math.round(Math.min(Math.max(current.stance.turn + (dx / screen.width) * 90, 0), 70));
      setStance({ ...current.stance, turn });
    } else change(panned(current.view, dx, dy));
  };

  const comparison: Comparison = {
    ...comparing,
    right: right ?? '',
    pictures: comparables,
    onChange: (changed) => setComparing((before) => ({ ...before, ...changed })),
  };
  const hasShapes = rows.some((row) => row.vector);
  const dials = [
    {
      label: 'Peel',
      most: peel.most,
      value: peel.away,
      told: (away: number) => `${away} of ${peel.most} away`,
      onChange: peel.onChange,
    },
    ...(frames > 1
      ? [
          {
            label: 'Frame',
            most: frames - 1,
            value: moment,
            told: (at: number) => `${at + 1} of ${frames}`,
            onChange: onMoment,
          },
        ]
      : []),
  ];
  return (
    <section className={classes.pile} aria-label="Pile">
      <PileBar
        zoom={look === 'apart' ? depthZoom : (shown?.zoom ?? 1)}
        ground={ground}
        outlined={outlined}
        shapes={hasShapes ? shapes : null}
        onShapes={setShapes}
        onGround={setGround}
        onOutlined={setOutlined}
        onWhole={() => {
          setFollows(true);
          setDepthZoom(1);
        }}
        onTrue={() => screen && change(centred(screenOf(screen, beside), canvas, 1))}
        onZoom={(factor) => zoom(null, factor)}
      />
      <Looks look={look} dials={dials} stance={stance} comparison={comparison} onLook={setLook} onStance={setStance} />
      <canvas
        ref={surface}
        className={classes.surface}
        data-testid="pile"
        role="img"
        aria-label="The picture. Parts can be picked here with the pointer, and by keyboard in the ledger."
        onPointerDown={(event) => {
          if (!shown || !screen) return;
          event.currentTarget.setPointerCapture(event.pointerId);
          const from = spotOf(event);
          grip.current = marking && look === 'flat' && event.button === 0 ? gripAt(marking, shown, from) : null;
          if (grip.current) return;
          if (event.button === 0 && marks.begin(from, shown)) return;
          const divider = dividerAt(screen, canvas, shown, comparing.mode, comparing.share);
          const onDivider = look === 'compare' && comparing.mode === 'slider' && Math.abs(from.x - divider) < GRIP;
          drag.current = { from, view: shown, stance, moved: false, onDivider };
        }}
        onPointerMove={(event) => {
          if (grip.current && shown) grip.current(canvasSpot(shown, spotOf(event)), false);
          else if (drag.current) onDrag(spotOf(event));
          else if (shown && event.buttons) marks.move(spotOf(event), shown);
          else if (shown && look === 'flat') marking?.onHover?.(canvasPixel(shown, spotOf(event)));
        }}
        onPointerUp={(event) => {
          const moved = drag.current?.moved ?? false;
          if (grip.current && shown) {
            grip.current(canvasSpot(shown, spotOf(event)), true);
            grip.current = null;
            return;
          }
          if (marking?.kind && look === 'flat' && shown) marks.end(spotOf(event), shown, moved, event);
          else if (drag.current && !moved && look !== 'compare') pick(event);
          drag.current = null;
        }}
        onPointerLeave={() => marking?.onHover?.(null)}
        onPointerCancel={() => {
          grip.current = null;
          drag.current = null;
        }}
      />
      <p className={classes.state} role="status">
        {hint}
        {left !== null && left > 0 && `Loading pictures: ${left} left`}
        {left === 0 &&
          look === 'flat' &&
          scale < 1 &&
          `Preview at 1/${1 / scale} of the resolution; what is handed over is not reduced.`}
        {left === 0 && look === 'apart' && 'Small previews, laid without their modes. Drag to turn.'}
        {failed.length > 0 &&
          ` Not loaded: ${failed.slice(0, 3).join(', ')}${failed.length > 3 ? ' and others' : ''}. Reload the page.`}
      </p>
    </section>
  );
}

function paintGround(
  context: CanvasRenderingContext2D,
  screen: Extent,
  view: View,
  canvas: Extent,
  ground: Ground,
): void {
  context.fillStyle = GROUNDS[ground];
  context.fillRect(0, 0, screen.width, screen.height);
  if (ground === 'pattern') paintPattern(context, view, canvas.width * view.zoom, canvas.height * view.zoom);
}

function paint(
  context: CanvasRenderingContext2D,
  screen: Extent,
  view: View,
  composite: Composite,
  canvas: Extent,
  ground: Ground,
): void {
  paintGround(context, screen, view, canvas, ground);
  const [width, height] = [canvas.width * view.zoom, canvas.height * view.zoom];
  context.imageSmoothingEnabled = view.zoom < 1;
  context.imageSmoothingQuality = 'high';
  context.drawImage(composite.canvas, view.x, view.y, width, height);
  paintBorder(context, view, canvas, ground);
}

function paintBorder(context: CanvasRenderingContext2D, view: View, canvas: Extent, ground: Ground): void {
  const [width, height] = [canvas.width * view.zoom, canvas.height * view.zoom];
  context.strokeStyle = ground === 'dark' || ground === 'black' ? '#ffffff59' : '#00000059';
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
