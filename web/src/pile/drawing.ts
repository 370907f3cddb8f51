/** The pile as it is drawn: as it lies, apart in depth, or beside another state of it. */

import type { Extent, Spot } from '../rules/places';
import { drawApart, Panes, panePlaces, type Stance } from './apart';
import { type CompareMode, drawComparison } from './compare';
import { Composite, type Scene } from './composite';
import { type Ground, paintBorder, paintGround, paintPlain } from './grounds';
import type { Pictures } from './images';
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
import type { Look } from './pointer';
import { posedScene } from './posed';
import { type SharpPictures, sharpScene } from './sharp';
import type { View } from './view';

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
  /** A small picture of the whole, which is seen until all parts are there; null before it is. */
  first: ImageBitmap | null;
}

/** With more outlines than these, they wait until the view stands still. */
const MANY = 40;

/** Draws the pile on a canvas of the page; keeps what was put together from one drawing to the next. */
export class PileDrawing {
  private readonly composite: Composite;
  private readonly panes: Panes;
  private isComplete = false;

  constructor(
    private readonly canvas: Extent,
    readonly scale: number,
    private readonly pictures: Pictures,
  ) {
    this.composite = new Composite(canvas, scale);
    this.panes = new Panes(canvas, scale);
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
    if (left === 0 || (!this.isComplete && !state.first)) this.composite.update(state.scene, this.pictures);
    this.isComplete ||= left === 0;
    if (element.width !== screen.width) element.width = screen.width;
    if (element.height !== screen.height) element.height = screen.height;
    const context = element.getContext('2d');
    if (!context) return false;
    const isLeft = this.drawLook(context, state, isStill);
    element.dataset.sharp = String(state.look === 'flat' && this.isSharp(state));
    element.dataset.drawn = String(left === 0);
    element.dataset.seen = String(left === 0 || state.first !== null);
    return isLeft && !isStill;
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
    paintPlain(context, state.screen, state.ground);
    const { panes, places, scale } = this.depth(state.scene, state.screen, state.stance, state.depthZoom);
    const outlines = state.outlined === 'none' ? [] : state.outlines;
    const colours = new Map(outlines.map(({ row, colour }) => [row.id, colour] as const));
    drawApart(context, panes, places, this.canvas, scale, colours, isStill);
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
      context.drawImage(posedScene(scene, view, screen, this.pictures, marks.poses), 0, 0);
    } else if (sharp && this.isSharp(state)) {
      context.drawImage(sharpScene(scene, view, screen, sharp, this.pictures), 0, 0);
    } else {
      const [width, height] = [this.canvas.width * view.zoom, this.canvas.height * view.zoom];
      context.imageSmoothingEnabled = view.zoom < 1;
      context.imageSmoothingQuality = 'high';
      const first = this.isComplete ? null : state.first;
      context.drawImage(first ?? this.composite.canvas, view.x, view.y, width, height);
    }
    paintBorder(context, view, this.canvas, ground);
  }

  private drawMarks(context: CanvasRenderingContext2D, { screen, view, marks, path }: PileState): void {
    if (marks) {
      if (marks.ghosts) drawGhosts(context, view, marks.ghosts, this.pictures);
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
    drawOutlines(context, state.screen, state.view, state.outlines, this.pictures, state.scene.moment);
    return false;
  }
}

const isPosed = (marks: Marks | null) => (marks?.poses?.size ?? 0) > 0;
