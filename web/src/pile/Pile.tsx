import { useMemo, useRef, useState } from 'react';
import type { Row } from '../api/calls';
import { artOf } from '../rules/art';
import type { Extent } from '../rules/places';
import type { Comparable } from './compare';
import type { Scene } from './composite';
import { PileDrawing } from './drawing';
import type { Ground } from './grounds';
import { type Dial, Looks } from './Looks';
import type { Marking } from './marks';
import type { Outline } from './outlines';
import classes from './Pile.module.css';
import { type Outlined, PileBar, type Shapes } from './PileBar';
import { mostFrames } from './pieces';
import type { Look } from './pointer';
import { useSharp } from './sharp';
import { useArrivals } from './useArrivals';
import { type Detail, useDetail } from './useDetail';
import { useMarking } from './useMarking';
import { usePicking } from './usePicking';
import { usePictures, useWholePictures } from './usePictures';
import { useComparison, usePileView } from './usePileView';
import { usePointer } from './usePointer';
import { useStable } from './useStable';
import { useDrawing, useScreen, useWheel } from './useSurface';
import { pile as words } from './words';

/** How many of the parts that are seen, the front-most ones, are away for looking at what lies behind them. */
export interface Peel {
  most: number;
  away: number;
  onChange: (away: number) => void;
}

interface Props {
  illustration: number;
  revision: number;
  /** The digest of a small picture of the whole, which is seen until the parts are there. */
  preview: string | null;
  canvas: Extent;
  rows: readonly Row[];
  seen: ReadonlySet<string>;
  outlines: Readonly<Record<Outlined, readonly Outline[]>>;
  peel: Peel;
  comparables: readonly Comparable[];
  /** What the parts are compared with of themselves, for as long as it is named. */
  compareWith: string | null;
  /** What is selected, in words. */
  described: string;
  /** Moves what is selected by pixels; null where it cannot be moved. */
  onNudge: ((dx: number, dy: number) => void) | null;
  /** What the pointer does when it does not pick. */
  marking?: Marking | undefined;
  /** Which frame of what moves is seen, from 0. */
  moment: number;
  onMoment: (moment: number) => void;
  onPick: (row: Row | null, extend: boolean) => void;
}

/** The pile: the picture as large as there is room, as it lies, apart in depth, or beside another state of it. */
export function Pile({
  illustration,
  revision,
  preview,
  canvas,
  rows,
  seen,
  outlines,
  peel,
  comparables,
  compareWith,
  described,
  onNudge,
  ...rest
}: Props) {
  const { marking, moment, onMoment, onPick } = rest;
  const surface = useRef<HTMLCanvasElement>(null);
  const [ground, setGround] = useState<Ground>('grey');
  const [outlined, setOutlined] = useState<Outlined>('chosen');
  const [shapes, setShapes] = useState<Shapes>('sharp');
  const screen = useScreen(surface);
  const looking = usePileView(canvas, screen);
  const { look, view, stance, depthZoom, mode } = looking;
  const comparing = useComparison(illustration, comparables, compareWith, looking);
  const loaded = usePictures(illustration, canvas, rows);
  const [first = null] = useWholePictures(illustration, [preview]);
  const { width, height } = canvas;
  const drawing = useMemo(
    () => new PileDrawing({ width, height }, loaded.halved, loaded.pictures),
    [width, height, loaded.halved, loaded.pictures],
  );
  const scene = useScene(rows, seen, moment);
  const outlining = outlines[outlined];
  const marked = useStable(outlining, outlining.map(({ row, colour, tag }) => row.id + colour + tag).join());
  const marks = useMarking(look === 'flat' ? marking : undefined);
  const isSharp = look === 'flat' && shapes === 'sharp';
  const sharp = useSharp(illustration, revision, scene, isSharp ? view : null, screen);
  const detail = useDetail({
    illustration,
    canvas,
    scene,
    view: look === 'flat' ? view : null,
    screen,
    pictures: loaded.pictures,
    pieces: loaded.pieces,
    halved: loaded.settled === loaded.halved ? loaded.halved : null,
  });
  useDrawing(surface, drawing, {
    screen,
    view,
    scene,
    look,
    ground,
    outlined,
    outlines: marked,
    marks: marking ?? null,
    path: marks.path,
    sharp: isSharp ? sharp : null,
    stance,
    depthZoom,
    sides: comparing.sides,
    mode,
    share: comparing.share,
    left: loaded.left,
    settled: loaded.settled,
    detail,
    first,
  });
  useWheel(surface, looking.zoom);
  useArrivals(illustration, rows, surface, look === 'flat' ? view : null);
  const picking = usePicking({
    surface,
    screen,
    looking,
    drawing,
    drawn: scene,
    scene: { rows, seen, moment },
    detail,
    onPick,
  });
  const pointer = usePointer({
    surface,
    screen,
    canvas,
    looking,
    share: comparing.share,
    marking,
    marks,
    onShare: comparing.setShare,
    onPick: picking.pick,
    frontAt: picking.frontAt,
  });
  return (
    <section className={classes.pile} aria-label={words.pile}>
      <PileBar
        zoom={look === 'apart' ? depthZoom : (view?.zoom ?? 1)}
        ground={ground}
        outlined={outlined}
        shapes={rows.some((row) => row.vector) ? shapes : null}
        onShapes={setShapes}
        onGround={setGround}
        onOutlined={setOutlined}
        onWhole={looking.showWhole}
        onTrue={looking.showTrue}
        onZoom={(factor) => looking.zoom(null, factor)}
      >
        <Looks
          look={look}
          dials={[peelDial(peel), ...momentDials(mostFrames(rows), moment, onMoment)]}
          stance={stance}
          comparison={comparing.shown(looking.setMode)}
          onLook={looking.setLook}
          onStance={looking.setStance}
        />
      </PileBar>
      {/* biome-ignore lint/a11y/noInteractiveElementToNoninteractiveRole: what is selected is moved by the arrow keys here, which a reader passes on to an application */}
      <canvas
        ref={surface}
        className={classes.surface}
        data-testid="pile"
        role="application"
        tabIndex={0}
        aria-label={words.thePicture(described)}
        onKeyDown={(event) => {
          const step = ARROWS[event.key];
          if (!step || !onNudge) return;
          event.preventDefault();
          const by = event.shiftKey ? LARGE_STEP : 1;
          onNudge(step[0] * by, step[1] * by);
        }}
        {...pointer}
      />
      <PileState look={look} zoom={view?.zoom ?? 0} hint={picking.hint} detail={detail} {...loaded} />
    </section>
  );
}

/** What is drawn; a new name changes no pixel, so it stays the same object until something else has changed. */
function useScene(rows: readonly Row[], seen: ReadonlySet<string>, moment: number): Scene {
  const states = rows.map((row) =>
    [row.group, row.opacity, row.blend, row.isolated, row.locked, row.box, artOf(row)].join(),
  );
  const drawn = useStable(rows, states.join(';'));
  const visible = useStable(seen, [...seen].join());
  return useMemo(() => ({ rows: drawn, seen: visible, moment }), [drawn, visible, moment]);
}

const LARGE_STEP = 10;
const ARROWS: Record<string, [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

const peelDial = ({ most, away, onChange }: Peel): Dial => ({
  label: words.peel,
  most,
  value: away,
  told: (value) => words.ofPeeled(value, most),
  onChange,
});

const momentDials = (frames: number, moment: number, onChange: (moment: number) => void): Dial[] =>
  frames > 1
    ? [{ label: words.frame, most: frames - 1, value: moment, told: (at) => words.of(at + 1, frames), onChange }]
    : [];

/** Enlarged so often, pictures are seen to be halved. */
const SEEN = 1.2;

interface StateProps {
  look: Look;
  zoom: number;
  hint: string;
  halved: number;
  settled: number | null;
  detail: Detail | null;
  left: number | null;
  failed: readonly string[];
}

/** A line under the pile: what is to be known of what is seen. */
function PileState({ look, zoom, hint, halved, settled, detail, left, failed }: StateProps) {
  const shown = detail?.halved ?? halved;
  const isReduced = left === 0 && look === 'flat' && settled === halved && shown > 0 && zoom * 2 ** shown > SEEN;
  return (
    <p className={classes.state} role="status">
      {hint}
      {left !== null && left > 0 && words.loadingPicturesLeft(left)}
      {left === 0 && settled !== halved && words.loadingLargerPictures}
      {isReduced && words.previewAt1ResolutionZoom(2 ** shown)}
      {left === 0 && look === 'apart' && words.quickPreviewWithoutBlendModes}
      {failed.length > 0 && words.notLoadedReloadThePage(failed.slice(0, 3).join(', '), failed.length > 3)}
    </p>
  );
}
