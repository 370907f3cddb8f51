/** What the stage shows of a package: the picture put together, what it is compared with, both under a slider, or where they differ. */
import type { Rehearsal } from '../../api/rehearsals';
import { drawComparison } from '../../pile/compare';
import { paintBorder, paintGround } from '../../pile/grounds';
import type { View } from '../../pile/view';
import type { Extent } from '../../rules/places';
import type { Sight } from './useTrying';

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
  place: { x: number; y: number } | null;
}

export function drawStage(element: HTMLCanvasElement, shown: Shown): void {
  const { screen, view, canvas, pictures, sight } = shown;
  if (element.width !== screen.width || element.height !== screen.height) {
    element.width = screen.width;
    element.height = screen.height;
  }
  const context = element.getContext('2d');
  if (!context) return;
  const ground = sight === 'difference' ? 'black' : 'grey';
  paintGround(context, screen, view, canvas, ground);
  if (sight === 'slider') {
    const sides = [
      { label: 'Put together', picture: pictures.together ?? null },
      { label: 'Original', picture: pictures.reference ?? null },
    ] as const;
    drawComparison(context, screen, canvas, view, [...sides], 'slider', shown.share);
  } else {
    const picture =
      sight === 'difference' && pictures.difference ? amplified(pictures.difference, shown.times) : pictures[sight];
    context.imageSmoothingEnabled = view.zoom < 1;
    if (picture) context.drawImage(picture, view.x, view.y, canvas.width * view.zoom, canvas.height * view.zoom);
  }
  paintBorder(context, view, canvas, ground);
  if (sight === 'together') for (const part of shown.missing) drawPlaceholder(context, view, part);
  if (shown.place) drawRing(context, view, shown.place);
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
  const text = `${part.name.split(' / ').at(-1)}, ${part.width} × ${part.height} px, is missing`;
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
