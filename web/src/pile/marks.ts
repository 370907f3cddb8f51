/** What an artist marks on the pile, and what comes of it: paths while they are drawn, masks once they are computed. */
import type { Row } from '../api/calls';
import type { Poses } from '../rules/joints';
import type { Extent, Spot } from '../rules/places';
import { type Sources, surface } from './composite';
import { ring, visible } from './outlines';
import { drawSource } from './pictures';
import { piecesAt } from './pieces';
import { onScreen, type View } from './view';

/** A mask to be seen: its alpha is what is chosen of a box of the canvas. */
export interface Mask {
  picture: ImageBitmap;
  box: readonly number[];
  colour: string;
}

/** How the pointer marks: one pixel, a closed line or a stroke of a brush while it is pressed, corners one after the other, or
 * a shape between two opposite corners. */
export type MarkKind = 'pixel' | 'line' | 'stroke' | 'corners' | 'rectangle' | 'ellipse';

/** What a brush has painted, or does; places and size in pixels of the canvas. */
export interface Stroke {
  points: readonly Spot[];
  size: number;
  colour: string;
}

export interface Circle {
  at: Spot;
  radius: number;
}

export interface MarkKeys {
  add: boolean;
  subtract: boolean;
}

/** A line from the pivot of what carries a part to the pivot of that part. */
export interface Link {
  from: Spot;
  to: Spot;
  isChosen: boolean;
}

/** A place that can be dragged. */
export interface Handle {
  at: Spot;
  shape: 'ring' | 'grip';
  onMove: (spot: Spot, isDone: boolean) => void;
}

/** A line across the whole canvas, to be dragged. */
export interface Guide {
  axis: 'x' | 'y';
  at: number;
  onMove: (at: number, isDone: boolean) => void;
}

export interface Marking {
  /** Null: the pointer picks as ever, and masks are only seen. */
  kind: MarkKind | null;
  masks: readonly Mask[];
  /** Strokes that are there already. */
  strokes?: readonly Stroke[];
  /** What the pointer paints with, where it marks by strokes. */
  brush?: { size: number; colour: string };
  circle?: Circle | null;
  links?: readonly Link[];
  handles?: readonly Handle[];
  guides?: readonly Guide[];
  /** A box of the canvas within which guides are drawn. */
  guided?: readonly number[] | null;
  /** How parts lie that are tried out in another pose; the others lie as ever. */
  poses?: Poses | null;
  /** Frames of a part that are seen faintly over the one that is there. */
  ghosts?: readonly { row: Row; moment: number }[];
  /** A picture that lies over all, as it is. */
  overlay?: Mask | null;
  /** Where the pointer is on the canvas, while nothing is pressed, and the front-most part there; null: elsewhere. */
  onHover?: ((spot: Spot | null, front?: Row) => void) | undefined;
  /** Places on the canvas; of a pixel its own whole numbers. */
  onMark: (points: readonly Spot[], keys: MarkKeys) => void;
}

const OUTLINE = [
  ['#ffffff', 4],
  ['#0f5c63', 2],
] as const;
const WIDTH = 2;
const TINT = 0.28;

export function drawMasks(context: CanvasRenderingContext2D, screen: Extent, view: View, masks: readonly Mask[]): void {
  const ratio = window.devicePixelRatio;
  for (const { picture, box, colour } of masks) {
    const [left = 0, top = 0, width = 0, height = 0] = box;
    const margin = 4 * ratio;
    const [x, y] = [view.x + left * view.zoom, view.y + top * view.zoom];
    const area = visible(
      screen,
      x - margin,
      y - margin,
      width * view.zoom + 2 * margin,
      height * view.zoom + 2 * margin,
    );
    if (!area) continue;
    const shape = new OffscreenCanvas(area.width, area.height);
    const solid = surface(shape);
    solid.imageSmoothingEnabled = false;
    solid.drawImage(picture, x - area.x, y - area.y, width * view.zoom, height * view.zoom);
    const tinted = new OffscreenCanvas(area.width, area.height);
    const tint = surface(tinted);
    tint.drawImage(shape, 0, 0);
    tint.globalCompositeOperation = 'source-in';
    tint.fillStyle = colour;
    tint.fillRect(0, 0, area.width, area.height);
    context.globalAlpha = TINT;
    context.drawImage(tinted, area.x, area.y);
    context.globalAlpha = 1;
    ring(context, shape, area, '#ffffff', WIDTH * ratio + 1.5);
    ring(context, shape, area, colour, WIDTH * ratio);
  }
}

export function drawOverlay(context: CanvasRenderingContext2D, view: View, { picture, box }: Mask): void {
  const [left = 0, top = 0, width = 0, height = 0] = box;
  context.imageSmoothingEnabled = view.zoom < 1;
  context.drawImage(
    picture,
    view.x + left * view.zoom,
    view.y + top * view.zoom,
    width * view.zoom,
    height * view.zoom,
  );
}

const FAINT = 0.25;

export function drawGhosts(
  context: CanvasRenderingContext2D,
  view: View,
  ghosts: readonly { row: Row; moment: number }[],
  sources: Sources,
): void {
  context.save();
  context.globalAlpha = FAINT;
  context.imageSmoothingEnabled = view.zoom < 1;
  for (const { row, moment } of ghosts) {
    for (const piece of piecesAt(row, moment)) {
      const source = sources(piece);
      if (source) drawSource(context, source, piece.box, onScreen(view));
    }
  }
  context.restore();
}

const THROUGH = '80';

export function drawStrokes(context: CanvasRenderingContext2D, view: View, strokes: readonly Stroke[]): void {
  context.save();
  context.lineCap = 'round';
  context.lineJoin = 'round';
  for (const { points, size, colour } of strokes) {
    const [first, ...rest] = points;
    if (!first) continue;
    context.strokeStyle = colour + THROUGH;
    context.lineWidth = size * view.zoom;
    context.beginPath();
    context.moveTo(view.x + first.x * view.zoom, view.y + first.y * view.zoom);
    // A dot is a line without length.
    for (const { x, y } of rest.length > 0 ? rest : [first]) {
      context.lineTo(view.x + x * view.zoom, view.y + y * view.zoom);
    }
    context.stroke();
  }
  context.restore();
}

export function drawCircle(context: CanvasRenderingContext2D, view: View, { at, radius }: Circle): void {
  const ratio = window.devicePixelRatio;
  const [x, y] = [view.x + at.x * view.zoom, view.y + at.y * view.zoom];
  context.save();
  for (const [colour, width] of OUTLINE) {
    context.strokeStyle = colour;
    context.lineWidth = width * ratio;
    for (const far of [radius * view.zoom, radius > 0 ? 3 * ratio : 6 * ratio, 1]) {
      context.beginPath();
      context.arc(x, y, far, 0, 2 * Math.PI);
      context.stroke();
    }
  }
  context.restore();
}

const TURNS = 5;
const RING = 8;
const GRIP = 6;

/** Who carries whom: a thin line with a ring where the part turns, and a tick across it at what carries the part. */
export function drawLinks(context: CanvasRenderingContext2D, view: View, links: readonly Link[]): void {
  const ratio = window.devicePixelRatio;
  context.save();
  for (const { from, to, isChosen } of links) {
    const [x, y] = [view.x + from.x * view.zoom, view.y + from.y * view.zoom];
    const [u, v] = [view.x + to.x * view.zoom, view.y + to.y * view.zoom];
    const length = Math.hypot(u - x, v - y);
    const ring = TURNS * ratio;
    context.beginPath();
    context.arc(u, v, ring, 0, 2 * Math.PI);
    if (length > ring) {
      const [across, along] = [(u - x) / length, (v - y) / length];
      context.moveTo(u - across * ring, v - along * ring);
      context.lineTo(x, y);
      context.moveTo(x - along * ring, y + across * ring);
      context.lineTo(x + along * ring, y - across * ring);
    }
    for (const [colour, width] of [
      ['#262420', isChosen ? 5 : 3.5],
      [isChosen ? '#ffffff' : '#f3f0e9', isChosen ? 2.5 : 1.5],
    ] as const) {
      context.strokeStyle = colour;
      context.lineWidth = width * ratio;
      context.stroke();
    }
  }
  context.restore();
}

export function drawHandles(context: CanvasRenderingContext2D, view: View, handles: readonly Handle[]): void {
  const ratio = window.devicePixelRatio;
  context.save();
  for (const { at, shape } of handles) {
    const [x, y] = [view.x + at.x * view.zoom, view.y + at.y * view.zoom];
    for (const [colour, width] of OUTLINE) {
      context.strokeStyle = colour;
      context.lineWidth = width * ratio;
      context.beginPath();
      if (shape === 'ring') {
        context.arc(x, y, RING * ratio, 0, 2 * Math.PI);
        context.moveTo(x - 3 * ratio, y);
        context.lineTo(x + 3 * ratio, y);
        context.moveTo(x, y - 3 * ratio);
        context.lineTo(x, y + 3 * ratio);
      } else {
        context.rect(x - GRIP * ratio, y - GRIP * ratio, 2 * GRIP * ratio, 2 * GRIP * ratio);
      }
      context.stroke();
    }
  }
  context.restore();
}

export function drawGuides(
  context: CanvasRenderingContext2D,
  view: View,
  guides: readonly Guide[],
  [left = 0, top = 0, width = 0, height = 0]: readonly number[],
): void {
  const ratio = window.devicePixelRatio;
  context.save();
  for (const { axis, at } of guides) {
    for (const [colour, line] of OUTLINE) {
      context.strokeStyle = colour;
      context.lineWidth = line * ratio * 0.75;
      context.beginPath();
      if (axis === 'x') {
        context.moveTo(view.x + at * view.zoom, view.y + top * view.zoom);
        context.lineTo(view.x + at * view.zoom, view.y + (top + height) * view.zoom);
      } else {
        context.moveTo(view.x + left * view.zoom, view.y + at * view.zoom);
        context.lineTo(view.x + (left + width) * view.zoom, view.y + at * view.zoom);
      }
      context.stroke();
    }
  }
  context.restore();
}

/** Pixels of the screen within which a handle or a guide is taken hold of. */
const REACH = 12;

/** What a press at a place of the screen takes hold of; it is called with every place that the pointer comes to. */
export function gripAt(marking: Marking, view: View, spot: Spot): ((at: Spot, isDone: boolean) => void) | null {
  const reach = REACH * window.devicePixelRatio;
  const handle = marking.handles
    ?.map(({ at, onMove }) => ({
      far: Math.hypot(view.x + at.x * view.zoom - spot.x, view.y + at.y * view.zoom - spot.y),
      onMove,
    }))
    .filter(({ far }) => far <= reach)
    .sort((one, other) => one.far - other.far)[0];
  if (handle) return handle.onMove;
  const guide = marking.guides?.find(({ axis, at }) => Math.abs(view[axis] + at * view.zoom - spot[axis]) <= reach / 2);
  return guide ? (at, isDone) => guide.onMove(at[guide.axis], isDone) : null;
}

/** The path that is being drawn, closed as it will be. */
export function drawPath(context: CanvasRenderingContext2D, view: View, points: readonly Spot[]): void {
  const [first, ...rest] = points.map((point) => ({
    x: view.x + point.x * view.zoom,
    y: view.y + point.y * view.zoom,
  }));
  if (!first) return;
  const ratio = window.devicePixelRatio;
  context.save();
  for (const [colour, width] of OUTLINE) {
    context.strokeStyle = colour;
    context.lineWidth = width * ratio;
    context.beginPath();
    context.moveTo(first.x, first.y);
    for (const { x, y } of rest) context.lineTo(x, y);
    context.stroke();
    context.beginPath();
    context.arc(first.x, first.y, 4 * ratio, 0, 2 * Math.PI);
    context.stroke();
  }
  context.restore();
}
