/** What an artist marks on the pile, and what comes of it: paths while they are drawn, masks once they are computed. */
import { surface } from './composite';
import { ring, visible } from './outlines';
import type { Extent, Spot, View } from './view';

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

export interface Marking {
  /** Null: the pointer picks as ever, and masks are only seen. */
  kind: MarkKind | null;
  masks: readonly Mask[];
  /** Strokes that are there already. */
  strokes?: readonly Stroke[];
  /** What the pointer paints with, where it marks by strokes. */
  brush?: { size: number; colour: string };
  circle?: Circle | null;
  /** A picture that lies over all, as it is. */
  overlay?: Mask | null;
  /** Where the pointer is on the canvas, while nothing is pressed; null: elsewhere. */
  onHover?: ((spot: Spot | null) => void) | undefined;
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
