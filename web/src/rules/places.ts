/** Places and sizes on the canvas and on the screen, in pixels. */

export interface Spot {
  x: number;
  y: number;
}

export interface Extent {
  width: number;
  height: number;
}
