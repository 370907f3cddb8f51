/** The pile as it is drawn: as it lies, apart in depth, or beside another state of it. */

import type { Area, Extent, Spot } from '../rules/places';
import { drawApart, Panes, panePlaces, type Stance, scaled } from './apart';
import { type CompareMode, drawComparison } from './compare';
import { Composite, type Scene, type Sources, surface } from './composite';
import { type Ground, paintBorder, paintGround, paintPlain } from './grounds';
import { halvedOf } from './halves';
import {
  drawCircle,
  drawGhosts,
  drawGuides,
  drawHandles,
  drawLinks,
  drawMasks,
  drawOverlay,
  drawPath,
  drawStrokes,
  type Marking,
} from './marks';
import { drawOutlines, type Outline } from './outlines';
import type { Outlined } from './PileBar';
import type { Pictures } from './pictures';
import type { Look } from './pointer';
import { posedScene } from './posed';
import { type SharpPictures, sharpScene } from './sharp';
import { cutOf, type Detail } from './useDetail';
import { canvasSpot, onScreen, type View } from './view';

/** What marks there are on the pile: a `Marking` without what the pointer does. */
export type Marks = Omit<Marking, 'kind' | 'onMark' | 'onHover'>;

/** A side of a comparison: its picture is null until it is there, and 'parts' stands for the parts as they are. */
export interface ComparedSide {
  label: string;
  picture: ImageBitmap | 'parts' | null;
}

/** All that a drawing of the pile depends on. */
export interface PileState {
  screen: Extent;
  view: View;
  scene: Scene;
  look: Look;
  ground: Ground;
  outlined: Outlined;
  outlines: readonly Outline[];
  marks: Marks | null;
  /** The path that is being drawn. */
  path: readonly Spot[];
  /** Null where shapes are shown as pixels. */
  sharp: SharpPictures | null;
  stance: Stance;
  depthZoom: number;
  sides: readonly ComparedSide[];
  mode: CompareMode;
  share: number;
  /** Pictures that are still on their way; null before it is known. */
  left: number | null;
  /** How often what is there is halved; null before it is there. */
  settled: number | null;
  /** What is looked at closely; null where that is no better. */
  detail: Detail | null;
  /** A small picture of the whole, which is seen until all parts are there; null before it is. */
  first: ImageBitmap | null;
}

/** With more outlines than these, they wait until the view stands still. */
const MANY = 40;

/** Milliseconds: while panes move and a frame takes longer, the next one has half as many pixels a side. */
const SLOW = 12;
const COARSEST = 4;

/** Draws the pile on a canvas of the page; keeps what was put together from one drawing to the next. */
export class PileDrawing {
  private readonly composite: Composite;
  private readonly panes: Panes;
  private close: { of: Detail; composite: Composite } | null = null;
  private isComplete = false;
  private readonly noted = new Set<string>();
  /** How much smaller the panes are drawn while they move, so that they do not stutter. */
  private coarse = 1;

  /** `halved` says how often the whole is halved to be within the budget of memory. */
  constructor(
    private readonly canvas: Extent,
    halved: number,
    private readonly pictures: Pictures,
  ) {
    this.composite = new Composite({ left: 0, top: 0, right: canvas.width, bottom: canvas.height }, halved);
    this.panes = new Panes(canvas);
  }

  /** The panes that are apart, where they lie on the screen, and at which scale they are kept. */
  depth({ rows, seen, moment }: Scene, screen: Extent, stance: Stance, zoom: number) {
    const panes = this.panes.of(rows, seen, this.pictures, moment);
    return { panes, places: panePlaces(screen, this.canvas, panes.length, stance, zoom), scale: this.panes.scale };
  }

  /** Draw; whether something is left that is worth drawing only once the view stands still (`isStill`). */
  draw(element: HTMLCanvasElement, state: PileState, isStill: boolean): boolean {
    const { screen, left } = state;
    // A part whose new picture is on its way is seen as it was until then, and all of them as the picture that was brought in until they are there.
    const isWanted = left === 0 || (!this.isComplete && !state.first);
    // Where nothing of the whole is seen beside what is looked at closely, it is brought up to date later.
    const isHidden = isWanted && !isStill && this.isComplete && this.isBehind(state);
    if (isWanted && !isHidden) this.composite.update(state.scene, (piece) => this.pictures.get(piece.image));
    this.isComplete ||= left === 0;
    if (element.width !== screen.width) element.width = screen.width;
    if (element.height !== screen.height) element.height = screen.height;
    const context = element.getContext('2d');
    if (!context) return false;
    const isLeft = this.drawLook(context, state, isStill) || isHidden;
    element.dataset.sharp = String(state.look === 'flat' && this.isSharp(state));
    element.dataset.drawn = String(left === 0);
    const isSeen = left === 0 || state.first !== null;
    element.dataset.seen = String(isSeen);
    if (isSeen) this.note('picture');
    if (left === 0) this.note('parts');
    if (left === 0 && state.settled === this.composite.halved) this.note('settled');
    element.dataset.halved = String(state.detail?.halved ?? state.settled);
    return isLeft && !isStill;
  }

  /** Mark when something is seen for the first time: `bench/pile.py` reads it. */
  private note(seen: 'picture' | 'parts' | 'settled'): void {
    if (this.noted.has(seen)) return;
    this.noted.add(seen);
    performance.mark(`pile ${seen}`);
  }

  /** What pieces are drawn from where they are seen: of what is looked at closely the larger pictures. */
  sources(detail: Detail | null): Sources {
    return (piece) =>
      (detail && (detail.cuts.get(cutOf(piece)) ?? this.pictures.at(piece.image, halvedOf(piece, detail.halved)))) ||
      this.pictures.get(piece.image);
  }

  /** The composite of what is looked at closely, and what of the canvas that is. */
  private closely(state: PileState): Composite | null {
    const { detail, scene, view } = state;
    if (!detail || view.zoom <= 1 / 2 ** this.composite.halved) return null;
    if (this.close?.of.halved !== detail.halved || this.close.of.area !== detail.area) {
      this.close = { of: detail, composite: new Composite(detail.area, detail.halved) };
    }
    this.close.composite.update(scene, this.sources(state.detail));
    return this.close.composite;
  }

  /** Whether what is looked at closely covers all of the picture that is on the screen. */
  private isBehind({ look, detail, view, screen }: PileState): boolean {
    if (look !== 'flat' || !detail || view.zoom <= 1 / 2 ** this.composite.halved) return false;
    const [first, last] = [canvasSpot(view, { x: 0, y: 0 }), canvasSpot(view, { x: screen.width, y: screen.height })];
    const { left, top, right, bottom } = detail.area;
    const { width, height } = this.canvas;
    return (
      left <= Math.max(first.x, 0) &&
      top <= Math.max(first.y, 0) &&
      right >= Math.min(last.x, width) &&
      bottom >= Math.min(last.y, height)
    );
  }

  private drawLook(context: CanvasRenderingContext2D, state: PileState, isStill: boolean): boolean {
    if (state.look === 'apart') return this.drawApart(context, state, isStill);
    if (state.look === 'compare') return this.drawComparison(context, state);
    this.drawFlat(context, state);
    this.drawMarks(context, state);
    const isLeft = this.drawOutlines(context, state, isStill);
    if (state.marks?.handles) drawHandles(context, state.view, state.marks.handles);
    return isLeft;
  }

  private drawApart(context: CanvasRenderingContext2D, state: PileState, isStill: boolean): boolean {
    const { screen } = state;
    paintPlain(context, screen, state.ground);
    const { panes, places, scale } = this.depth(state.scene, screen, state.stance, state.depthZoom);
    const outlines = state.outlined === 'none' ? [] : state.outlines;
    const colours = new Map(outlines.map(({ row, colour }) => [row.id, colour] as const));
    if (isStill) {
      drawApart(context, panes, places, this.canvas, scale, colours, true);
      return true;
    }
    const { coarse } = this;
    const began = performance.now();
    const small = new OffscreenCanvas(Math.ceil(screen.width / coarse), Math.ceil(screen.height / coarse));
    const smaller = places.map((place) => scaled(place, 1 / coarse));
    drawApart(surface(small), panes, smaller, this.canvas, scale, colours, false);
    context.imageSmoothingEnabled = true;
    context.drawImage(small, 0, 0, small.width * coarse, small.height * coarse);
    const took = performance.now() - began;
    if (took > SLOW) this.coarse = Math.min(coarse * 2, COARSEST);
    else if (took < SLOW / 6) this.coarse = Math.max(coarse / 2, 1);
    return true;
  }

  private drawComparison(context: CanvasRenderingContext2D, state: PileState): boolean {
    const { screen, view, ground, mode, share } = state;
    paintGround(context, screen, view, this.canvas, ground);
    const [one, other] = state.sides.map(({ label, picture }) => ({
      label,
      picture: picture === 'parts' ? this.composite.canvas : picture,
    }));
    if (one && other) drawComparison(context, screen, this.canvas, view, [one, other], mode, share);
    return false;
  }

  private isSharp({ sharp, view, marks }: PileState): boolean {
    return !isPosed(marks) && sharp !== null && sharp.size > 0 && view.zoom > 1;
  }

  private drawFlat(context: CanvasRenderingContext2D, state: PileState): void {
    const { screen, view, scene, ground, marks, sharp } = state;
    paintGround(context, screen, view, this.canvas, ground);
    if (marks?.poses && isPosed(marks)) {
      context.drawImage(posedScene(scene, view, screen, this.sources(state.detail), marks.poses), 0, 0);
    } else if (sharp && this.isSharp(state)) {
      context.drawImage(sharpScene(scene, view, screen, sharp, this.sources(state.detail)), 0, 0);
    } else {
      context.imageSmoothingEnabled = view.zoom < 1 || this.composite.halved > 0;
      context.imageSmoothingQuality = 'high';
      const first = this.isComplete ? null : state.first;
      const close = first ? null : this.closely(state);
      this.drawWhole(context, view, first ?? this.composite.canvas, close?.area ?? null);
      if (close) drawComposite(context, view, close);
    }
    paintBorder(context, view, this.canvas, ground);
  }

  /** The whole picture, but for an area that is drawn otherwise. */
  private drawWhole(
    context: CanvasRenderingContext2D,
    view: View,
    picture: ImageBitmap | OffscreenCanvas,
    without: Area | null,
  ): void {
    const { width, height } = this.canvas;
    // The last pixel of a composite that is halved may reach beyond the canvas.
    const side = picture === this.composite.canvas ? 2 ** this.composite.halved : 0;
    const size = side ? [picture.width * side, picture.height * side] : [width, height];
    const { left, top, right, bottom } = onScreen(view)([0, 0, ...size]);
    context.save();
    context.beginPath();
    context.rect(view.x, view.y, width * view.zoom, height * view.zoom);
    if (without) {
      const hole = onScreen(view)(boxOf(without));
      context.rect(hole.left, hole.top, hole.right - hole.left, hole.bottom - hole.top);
    }
    if (side > 1 || without) context.clip('evenodd');
    context.drawImage(picture, left, top, right - left, bottom - top);
    context.restore();
  }

  private drawMarks(context: CanvasRenderingContext2D, state: PileState): void {
    const { screen, view, marks, path } = state;
    if (marks) {
      if (marks.ghosts) drawGhosts(context, view, marks.ghosts, this.sources(state.detail));
      if (marks.overlay) drawOverlay(context, view, marks.overlay);
      drawMasks(context, screen, view, marks.masks);
      if (marks.strokes) drawStrokes(context, view, marks.strokes);
      if (marks.links) drawLinks(context, view, marks.links);
      if (marks.circle) drawCircle(context, view, marks.circle);
      if (marks.guides && marks.guided) drawGuides(context, view, marks.guides, marks.guided);
    }
    if (marks?.brush) drawStrokes(context, view, [{ ...marks.brush, points: path }]);
    else drawPath(context, view, path);
  }

  private drawOutlines(context: CanvasRenderingContext2D, state: PileState, isStill: boolean): boolean {
    // What is tried in another pose has its outline where it was: that would only be in the way.
    if (isPosed(state.marks)) return false;
    if (state.outlines.length > MANY && !isStill) return true;
    drawOutlines(context, state.screen, state.view, state.outlines, this.sources(state.detail), state.scene.moment);
    return false;
  }
}

function drawComposite(context: CanvasRenderingContext2D, view: View, { canvas, area, halved }: Composite): void {
  const side = 2 ** halved;
  const { left, top, right, bottom } = onScreen(view)([area.left, area.top, canvas.width * side, canvas.height * side]);
  const seen = onScreen(view)(boxOf(area));
  context.save();
  context.imageSmoothingEnabled = view.zoom < 1 || halved > 0;
  context.beginPath();
  context.rect(seen.left, seen.top, seen.right - seen.left, seen.bottom - seen.top);
  if (halved > 0) context.clip();
  context.drawImage(canvas, left, top, right - left, bottom - top);
  context.restore();
}

const boxOf = ({ left, top, right, bottom }: Area) => [left, top, right - left, bottom - top];

const isPosed = (marks: Marks | null) => (marks?.poses?.size ?? 0) > 0;
