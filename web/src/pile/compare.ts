/** Two pictures of the same canvas, under one slider or side by side. */

import type { Extent } from '../rules/places';
import type { View } from './view';

export type CompareMode = 'slider' | 'beside';

/** A picture that can be compared: a revision as it was brought in, or (without a digest) the parts as they are now. */
export interface Comparable {
  key: string;
  label: string;
  digest: string | null;
}

export interface Side {
  label: string;
  picture: CanvasImageSource | null;
}

/** The screen that one picture has: all of it, or half. */
export const screenOf = (screen: Extent, mode: CompareMode): Extent =>
  mode === 'beside' ? { width: Math.floor(screen.width / 2), height: screen.height } : screen;

/** Where the divider is on the screen: at a share of the canvas' width, or in the middle. */
export const dividerAt = (screen: Extent, canvas: Extent, view: View, mode: CompareMode, share: number): number =>
  mode === 'beside' ? Math.floor(screen.width / 2) : view.x + canvas.width * view.zoom * share;

/** Draw both pictures with their labels; what lies behind them is there already. */
export function drawComparison(
  context: CanvasRenderingContext2D,
  screen: Extent,
  canvas: Extent,
  view: View,
  sides: readonly [Side, Side],
  mode: CompareMode,
  share: number,
): void {
  const divider = dividerAt(screen, canvas, view, mode, share);
  const halves = [
    { from: 0, to: divider, x: view.x },
    { from: divider, to: screen.width, x: mode === 'beside' ? view.x + divider : view.x },
  ] as const;
  context.imageSmoothingEnabled = view.zoom < 1;
  halves.forEach(({ from, to, x }, index) => {
    const picture = sides[index]?.picture;
    context.save();
    context.beginPath();
    context.rect(from, 0, Math.max(0, to - from), screen.height);
    context.clip();
    if (picture) context.drawImage(picture, x, view.y, canvas.width * view.zoom, canvas.height * view.zoom);
    context.restore();
  });
  context.fillStyle = '#0f5c63';
  context.fillRect(Math.round(divider) - 1, 0, 2, screen.height);
  if (mode === 'slider') {
    context.beginPath();
    context.arc(divider, screen.height / 2, 11, 0, 2 * Math.PI);
    context.fill();
  }
  context.font = `${13 * window.devicePixelRatio}px "Source Sans 3 Variable", sans-serif`;
  context.textBaseline = 'middle';
  // Below: above it are the settings of the comparison.
  const top = screen.height - 32;
  label(context, sides[0].label, Math.max(divider - 10, 0), top, 'right');
  label(context, sides[1].label, Math.min(divider + 10, screen.width), top, 'left');
}

function label(context: CanvasRenderingContext2D, text: string, x: number, top: number, align: 'left' | 'right'): void {
  const width = context.measureText(text).width + 16;
  const left = align === 'right' ? x - width : x;
  context.fillStyle = '#f3f0e9';
  context.fillRect(left, top, width, 24);
  context.fillStyle = '#262420';
  context.textAlign = 'left';
  context.fillText(text, left + 8, top + 12);
}
