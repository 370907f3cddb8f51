/** Where the picture lies on the screen: plain functions of numbers. All in device pixels; zoom 1 is true pixels. */

import type { Extent, Spot } from '../rules/places';

export interface View {
  zoom: number;
  /** Where the canvas' top left corner is. */
  x: number;
  y: number;
}

const LEAST_ZOOM = 0.02;
const GREATEST_ZOOM = 32;

/** The whole canvas, centred, with a margin of a few hundredths. A small one is shown larger by a whole number, so that
 * all of its pixels are of one size. */
export function wholeIn(screen: Extent, canvas: Extent): View {
  const share = Math.min((screen.width * 0.96) / canvas.width, (screen.height * 0.94) / canvas.height);
  const zoom = share >= 1 ? Math.min(Math.floor(share), GREATEST_ZOOM) : Math.max(share, LEAST_ZOOM);
  return centred(screen, canvas, zoom);
}

/** A zoom about the middle of the canvas. */
export function centred(screen: Extent, canvas: Extent, zoom: number): View {
  return {
    zoom,
    x: Math.round((screen.width - canvas.width * zoom) / 2),
    y: Math.round((screen.height - canvas.height * zoom) / 2),
  };
}

/** Change the zoom so that what is under the pointer stays there. */
export function zoomedAt(view: View, pointer: Spot, factor: number): View {
  const zoom = Math.min(Math.max(view.zoom * factor, LEAST_ZOOM), GREATEST_ZOOM);
  const grown = zoom / view.zoom;
  return { zoom, x: pointer.x - (pointer.x - view.x) * grown, y: pointer.y - (pointer.y - view.y) * grown };
}

export function panned(view: View, dx: number, dy: number): View {
  return { ...view, x: view.x + dx, y: view.y + dy };
}

/** Where on the canvas a place of the screen is. */
export function canvasSpot(view: View, spot: Spot): Spot {
  return { x: (spot.x - view.x) / view.zoom, y: (spot.y - view.y) / view.zoom };
}

/** The canvas pixel under a place on the screen. */
export function canvasPixel(view: View, spot: Spot): Spot {
  const { x, y } = canvasSpot(view, spot);
  return { x: Math.floor(x), y: Math.floor(y) };
}

/** Where boxes of the canvas lie on the screen. */
export function onScreen(view: View) {
  return ([x = 0, y = 0, width = 0, height = 0]: readonly number[]) => {
    const [left, top] = [view.x + x * view.zoom, view.y + y * view.zoom];
    return { left, top, right: left + width * view.zoom, bottom: top + height * view.zoom };
  };
}
