/** What the stage shows of a package: the picture put together, what it is compared with, both under a slider, or where they differ. */

import type { Laid, Rehearsal } from '../../api/rehearsals';
import { drawComparison } from '../../pile/compare';
import { paintBorder, paintGround } from '../../pile/grounds';
import type { View } from '../../pile/view';
import type { Extent } from '../../rules/places';
import type { Figure } from './figure';
import { drawHandles, drawNeighbour, drawParts, drawPath, type Moment, type PartPictures } from './movingDrawing';
import { extentOf } from './useLiningUp';
import type { Sight } from './useTrying';
import { stageDrawing as words } from './words';

export type Part = NonNullable<Rehearsal['result']>['parts'][number];
export type Pictures = Partial<Record<'together' | 'reference' | 'difference', ImageBitmap>>;

interface Shown {
  screen: Extent;
  view: View;
  canvas: Extent;
  pictures: Pictures;
  sight: Sight;
  times: number;
  share: number;
  missing: readonly Part[];
  lined: Lined | null;
  moved: Moved | null;
  place: { x: number; y: number } | null;
}

/** Loose images that are lined up over a faint original. */
export interface Lined {
  places: readonly Laid[];
  images: ReadonlyMap<string, ImageBitmap>;
  selected: string | null;
  faint: number;
  isOver: boolean;
}

/** Parts that are posed, or that move. */
export interface Moved {
  figure: Figure;
  pictures: PartPictures;
  moment: Moment;
  chosen: readonly string[];
  /** Everything lies as the package has it: its exact picture is seen. */
  isAtRest: boolean;
  /** Pictures before and after, faint. */
  neighbours: readonly { moment: Moment; isBefore: boolean }[];
  isClipped: boolean;
  /** The path of the chosen part, or the one that is being drawn. */
  path: string | null;
  places: readonly { x: number; y: number }[];
}

export function drawStage(element: HTMLCanvasElement, shown: Shown): void {
  const { screen, view, canvas, pictures, sight } = shown;
  if (element.width !== screen.width || element.height !== screen.height) {
    element.width = screen.width;
    element.height = screen.height;
  }
  const context = element.getContext('2d');
  if (!context) return;
  const ground = sight === 'difference' && !shown.moved ? 'black' : 'grey';
  paintGround(context, screen, view, canvas, ground);
  if (sight === 'slider' && !shown.moved) {
    const sides = [
      { label: words.rebuilt, picture: pictures.together ?? null },
      { label: words.original, picture: pictures.reference ?? null },
    ] as const;
    drawComparison(context, screen, canvas, view, [...sides], 'slider', shown.share);
  } else if (shown.moved) {
    drawMoved(context, shown, shown.moved);
  } else if (sight === 'together' && shown.lined) {
    drawLined(context, shown, shown.lined);
  } else {
    const picture =
      sight === 'slider'
        ? undefined
        : sight === 'difference' && pictures.difference
          ? amplified(pictures.difference, shown.times)
          : pictures[sight];
    context.imageSmoothingEnabled = view.zoom < 1;
    if (picture) context.drawImage(picture, view.x, view.y, canvas.width * view.zoom, canvas.height * view.zoom);
  }
  paintBorder(context, view, canvas, ground);
  if (sight === 'together' || shown.moved) for (const part of shown.missing) drawPlaceholder(context, view, part);
  if (shown.place) drawRing(context, view, shown.place);
}

function drawMoved(context: CanvasRenderingContext2D, { view, canvas, pictures }: Shown, moved: Moved): void {
  const box = [view.x, view.y, canvas.width * view.zoom, canvas.height * view.zoom] as const;
  const { figure, moment, chosen } = moved;
  context.save();
  if (moved.isClipped) {
    context.beginPath();
    context.rect(...box);
    context.clip();
  }
  if (moment.ground) {
    context.fillStyle = moment.ground;
    context.fillRect(...box);
  }
  for (const { moment: one, isBefore } of moved.neighbours) {
    drawNeighbour(context, figure, moved.pictures, view, one, isBefore ? BEFORE : AFTER, 0.35);
  }
  if (moved.isAtRest && pictures.together) {
    context.imageSmoothingEnabled = view.zoom < 1;
    context.drawImage(pictures.together, ...box);
  } else {
    drawParts(context, figure, moved.pictures, view, moment);
  }
  context.restore();
  // Told by the dash too: dots before, long strokes after.
  for (const { moment: one, isBefore } of moved.neighbours) {
    drawHandles(context, figure, view, one, chosen, isBefore ? [2, 4] : [16, 4]);
  }
  drawPath(context, view, moved.path, moved.places);
  drawHandles(context, figure, view, moment, chosen);
}

const [BEFORE, AFTER] = ['#0f5a5e', '#b5651d'];

function drawLined(context: CanvasRenderingContext2D, { view, canvas, pictures }: Shown, lined: Lined): void {
  const original = () => {
    if (!pictures.reference || lined.faint === 0) return;
    context.globalAlpha = lined.faint;
    context.drawImage(pictures.reference, view.x, view.y, canvas.width * view.zoom, canvas.height * view.zoom);
    context.globalAlpha = 1;
  };
  context.imageSmoothingEnabled = view.zoom < 1;
  if (!lined.isOver) original();
  for (const laid of lined.places) {
    const image = lined.images.get(laid.file);
    if (image) drawLaid(context, view, laid, image);
  }
  if (lined.isOver) original();
  const laid = lined.places.find((one) => one.file === lined.selected);
  const image = laid && lined.images.get(laid.file);
  if (laid && image) frame(context, view, laid, extentOf(laid, image));
}

/** An image as it lies: mirrored first, then turned, then at its scale. */
function drawLaid(context: CanvasRenderingContext2D, view: View, laid: Laid, image: ImageBitmap): void {
  const { width, height } = image;
  context.save();
  context.translate(view.x + laid.x * view.zoom, view.y + laid.y * view.zoom);
  const { width: across, height: down } = extentOf(laid, image);
  const [wide, high] = laid.quarters % 2 === 0 ? [width, height] : [height, width];
  context.scale((across / wide) * view.zoom, (down / high) * view.zoom);
  if (laid.quarters === 1) context.translate(height, 0);
  if (laid.quarters === 2) context.translate(width, height);
  if (laid.quarters === 3) context.translate(0, width);
  context.rotate((laid.quarters * Math.PI) / 2);
  if (laid.mirrored) context.transform(-1, 0, 0, 1, width, 0);
  context.drawImage(image, 0, 0);
  context.restore();
}

/** The frame of the image that is selected, seen on light and on dark. */
function frame(context: CanvasRenderingContext2D, view: View, laid: Laid, { width, height }: Extent): void {
  const box = [
    view.x + laid.x * view.zoom,
    view.y + laid.y * view.zoom,
    width * view.zoom,
    height * view.zoom,
  ] as const;
  for (const [colour, line] of [
    ['#262420', 4],
    ['#f3f0e9', 2],
  ] as const) {
    context.strokeStyle = colour;
    context.lineWidth = line;
    context.strokeRect(...box);
  }
}

let last: { picture: ImageBitmap; times: number; made: OffscreenCanvas } | null = null;

/** Every level so many times as bright: doubled by laying the picture over itself, which every browser does in the same way. */
function amplified(picture: ImageBitmap, times: number): CanvasImageSource {
  if (last?.picture === picture && last.times === times) return last.made;
  const made = new OffscreenCanvas(picture.width, picture.height);
  const context = made.getContext('2d');
  if (!context) return picture;
  context.drawImage(picture, 0, 0);
  context.globalCompositeOperation = 'lighter';
  for (let now = 1; now < times; now *= 2) context.drawImage(made, 0, 0);
  last = { picture, times, made };
  return made;
}

/** Where an image should be that is not there: its box, its name and its size. */
function drawPlaceholder(context: CanvasRenderingContext2D, view: View, part: Part): void {
  const [x, y] = [view.x + part.left * view.zoom, view.y + part.top * view.zoom];
  const [width, height] = [part.width * view.zoom, part.height * view.zoom];
  context.save();
  context.strokeStyle = '#8a4b00';
  context.lineWidth = 2;
  context.setLineDash([6, 4]);
  context.strokeRect(x, y, width, height);
  context.font = `${13 * window.devicePixelRatio}px "Source Sans 3 Variable", sans-serif`;
  const text = words.pxIsMissing(part.name.split(' / ').at(-1), part.width, part.height);
  context.fillStyle = '#f3f0e9';
  context.fillRect(x, y, context.measureText(text).width + 12, 22);
  context.fillStyle = '#262420';
  context.textBaseline = 'middle';
  context.fillText(text, x + 6, y + 11);
  context.restore();
}

function drawRing(context: CanvasRenderingContext2D, view: View, place: { x: number; y: number }): void {
  const [x, y] = [view.x + (place.x + 0.5) * view.zoom, view.y + (place.y + 0.5) * view.zoom];
  const radius = Math.max(18, view.zoom * 2);
  for (const [colour, width] of [
    ['#262420', 6],
    ['#f3f0e9', 3],
  ] as const) {
    context.strokeStyle = colour;
    context.lineWidth = width;
    context.beginPath();
    context.arc(x, y, radius, 0, 2 * Math.PI);
    context.stroke();
  }
}
