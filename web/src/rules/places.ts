/** Places and sizes on the canvas and on the screen, in pixels. */

export interface Spot {
  x: number;
  y: number;
}

export interface Extent {
  width: number;
  height: number;
}

export interface Area {
  left: number;
  top: number;
  right: number;
  bottom: number;
}
