/** What lies behind the picture on the screen, so that light and dark art, and holes in it, can be told from it. */

import type { Extent } from '../rules/places';
import type { View } from './view';

export type Ground = 'grey' | 'light' | 'dark' | 'pattern' | 'white' | 'black' | 'orange';

const GROUNDS: Record<Ground, string> = {
  grey: '#9a9a97',
  light: '#f4f2ec',
  dark: '#2b2b2d',
  pattern: '#b7b7b4',
  white: '#ffffff',
  black: '#000000',
  orange: '#e8791c',
};

export function paintPlain(context: CanvasRenderingContext2D, screen: Extent, ground: Ground): void {
  context.fillStyle = GROUNDS[ground];
  context.fillRect(0, 0, screen.width, screen.height);
}

export function paintGround(
  context: CanvasRenderingContext2D,
  screen: Extent,
  view: View,
  canvas: Extent,
  ground: Ground,
): void {
  paintPlain(context, screen, ground);
  if (ground === 'pattern') paintPattern(context, view, canvas.width * view.zoom, canvas.height * view.zoom);
}

/** The border of the canvas. */
export function paintBorder(context: CanvasRenderingContext2D, view: View, canvas: Extent, ground: Ground): void {
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
