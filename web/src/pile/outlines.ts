/** Outlines of parts in their colours, of the same width at every zoom. */
import type { Row } from '../api/calls';
import type { Extent } from '../rules/places';
import { type Sources, surface } from './composite';
import { drawSource } from './pictures';
import { piecesAt } from './pieces';
import { onScreen, type View } from './view';

export interface Outline {
  row: Row;
  colour: string;
  /** Said beside the outline, so that colour is never the only mark. */
  tag: string;
}

const WIDTH = 2.5;
const DOUBLINGS = 7;
/** A part that is smaller on the screen has no room for its tag. */
const TAGGED = 22;
const DIRECTIONS = Array.from(
  { length: 12 },
  (_, index) => [Math.cos((index * Math.PI) / 6), Math.sin((index * Math.PI) / 6)] as const,
);

/** Draw the border of each part's alpha: its shape moved in every direction, less the shape itself. */
export function drawOutlines(
  context: CanvasRenderingContext2D,
  screen: Extent,
  view: View,
  outlines: readonly Outline[],
  sources: Sources,
  moment: number,
): void {
  for (const { row, colour, tag } of outlines) {
    if (!row.box) continue;
    const [left = 0, top = 0, width = 0, height = 0] = row.box;
    const margin = Math.ceil(WIDTH * 2 * window.devicePixelRatio);
    const area = visible(
      screen,
      view.x + left * view.zoom - margin,
      view.y + top * view.zoom - margin,
      width * view.zoom + 2 * margin,
      height * view.zoom + 2 * margin,
    );
    if (!area) continue;
    const offset = { ...view, x: view.x - area.x, y: view.y - area.y };
    context.drawImage(outlined(row, colour, area, offset, sources, moment), area.x, area.y);
    const [piece] = piecesAt(row, moment);
    const [x = 0, y = 0, w = 0, h = 0] = piece?.box ?? [];
    if (w * view.zoom > TAGGED && h * view.zoom > TAGGED) {
      tagAt(context, tag, colour, view.x + (x + w / 2) * view.zoom, view.y + (y + h / 2) * view.zoom);
    }
  }
}

/** The outlines that were drawn last: while a picture is moved, or something else on it changes, they stay the same. */
const kept = new Map<string, OffscreenCanvas>();
const MOST_KEPT = 12;

/** The outline of a part on a surface of its own. */
function outlined(
  row: Row,
  colour: string,
  area: { width: number; height: number },
  view: View,
  sources: Sources,
  moment: number,
): OffscreenCanvas {
  const pieces = piecesAt(row, moment).map((piece) => ({ piece, source: sources(piece) }));
  const key = [
    ...pieces.flatMap(({ piece, source }) => [piece.image, piece.box, source?.halved, source?.left, source?.top]),
    ...[colour, area.width, area.height, view.zoom, view.x.toFixed(2), view.y.toFixed(2), window.devicePixelRatio],
  ].join();
  const known = kept.get(key);
  if (known) return known;
  const shape = new OffscreenCanvas(area.width, area.height);
  const solid = surface(shape);
  for (const { piece, source } of pieces) if (source) drawSource(solid, source, piece.box, onScreen(view));
  // Laid over itself again and again, so that half-transparent pixels count as covered.
  for (let times = 0; times < DOUBLINGS; times++) solid.drawImage(shape, 0, 0);
  const canvas = new OffscreenCanvas(area.width, area.height);
  const drawn = surface(canvas);
  ring(drawn, shape, { x: 0, y: 0 }, '#ffffff', WIDTH * window.devicePixelRatio + 1.5);
  ring(drawn, shape, { x: 0, y: 0 }, colour, WIDTH * window.devicePixelRatio);
  const [oldest] = kept.keys();
  if (kept.size >= MOST_KEPT && oldest !== undefined) kept.delete(oldest);
  kept.set(key, canvas);
  return canvas;
}

function tagAt(context: CanvasRenderingContext2D, tag: string, colour: string, x: number, y: number): void {
  const ratio = window.devicePixelRatio;
  context.font = `600 ${12 * ratio}px "Source Sans 3 Variable", sans-serif`;
  context.textAlign = 'center';
  context.textBaseline = 'middle';
  const half = context.measureText(tag).width / 2 + 5 * ratio;
  context.fillStyle = '#fbf9f4e6';
  context.strokeStyle = colour;
  context.lineWidth = 1.5 * ratio;
  context.beginPath();
  context.roundRect(x - half, y - 9 * ratio, 2 * half, 18 * ratio, 4 * ratio);
  context.fill();
  context.stroke();
  context.fillStyle = '#262420';
  context.fillText(tag, x, y);
}

export function ring(
  context: CanvasRenderingContext2D | OffscreenCanvasRenderingContext2D,
  shape: OffscreenCanvas,
  area: { x: number; y: number },
  colour: string,
  width: number,
): void {
  const canvas = new OffscreenCanvas(shape.width, shape.height);
  const ringed = surface(canvas);
  for (const [dx, dy] of DIRECTIONS) ringed.drawImage(shape, dx * width, dy * width);
  ringed.globalCompositeOperation = 'destination-out';
  ringed.drawImage(shape, 0, 0);
  ringed.globalCompositeOperation = 'source-in';
  ringed.fillStyle = colour;
  ringed.fillRect(0, 0, canvas.width, canvas.height);
  context.drawImage(canvas, area.x, area.y);
}

export function visible(screen: Extent, x: number, y: number, width: number, height: number) {
  const [left, top] = [Math.max(0, Math.floor(x)), Math.max(0, Math.floor(y))];
  const [right, bottom] = [
    Math.min(screen.width, Math.ceil(x + width)),
    Math.min(screen.height, Math.ceil(y + height)),
  ];
  return right > left && bottom > top ? { x: left, y: top, width: right - left, height: bottom - top } : null;
}
