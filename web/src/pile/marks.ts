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

/** How the pointer marks: one pixel, a line while it is pressed, or corners one after the other. */
export type MarkKind = 'pixel' | 'line' | 'corners';

export interface MarkKeys {
  add: boolean;
  subtract: boolean;
}

export interface Marking {
  kind: MarkKind;
  masks: readonly Mask[];
  /** A picture that lies over all, as it is. */
  overlay?: Mask | null;
  /** Where the pointer is on the canvas, while nothing is pressed; null: elsewhere. */
  onHover?: ((spot: Spot | null) => void) | undefined;
  /** Places on the canvas; of a pixel its own whole numbers. */
  onMark: (points: readonly Spot[], keys: MarkKeys) => void;
}

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

/** The path that is being drawn, closed as it will be. */
export function drawPath(context: CanvasRenderingContext2D, view: View, points: readonly Spot[]): void {
  const [first, ...rest] = points.map((point) => ({
    x: view.x + point.x * view.zoom,
    y: view.y + point.y * view.zoom,
  }));
  if (!first) return;
  const ratio = window.devicePixelRatio;
  context.save();
  for (const [colour, width] of [
    ['#ffffff', 4],
    ['#0f5c63', 2],
  ] as const) {
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
