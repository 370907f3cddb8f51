/** How often pictures of parts are halved for looking at them: plain functions of sizes. The server halves alike. */

import type { Extent } from '../rules/places';
import type { Piece } from './pieces';

/** A picture whose longer side has no more pixels is halved no more. */
const SMALLEST = 64;
const MOST_HALVINGS = 10;
/** Bytes of a decoded pixel. */
export const PIXEL = 4;

/** How often there are halves of a picture. */
export function halvings(width: number, height: number): number {
  let [longest, times] = [Math.max(width, height), 0];
  while (longest > SMALLEST) [longest, times] = [Math.ceil(longest / 2), times + 1];
  return times;
}

/** How often a piece is halved where so often is wanted. */
export const halvedOf = ({ box: [, , width = 1, height = 1] }: Pick<Piece, 'box'>, wanted: number) =>
  Math.min(wanted, halvings(width, height));

/** The size of the picture of a piece that is halved so often. */
export function sizeOf({ box: [, , width = 1, height = 1] }: Pick<Piece, 'box'>, halved: number): Extent {
  return { width: Math.ceil(width / 2 ** halved), height: Math.ceil(height / 2 ** halved) };
}

/** The fewest halvings with which all these pieces have no more than so many pixels together. */
export function fewestHalvings(pieces: readonly Pick<Piece, 'box'>[], most: number): number {
  let halved = 0;
  while (halved < MOST_HALVINGS && pixelsOf(pieces, halved) > most) halved += 1;
  return halved;
}

const pixelsOf = (pieces: readonly Pick<Piece, 'box'>[], halved: number) =>
  pieces.reduce((sum, piece) => {
    const { width, height } = sizeOf(piece, halvedOf(piece, halved));
    return sum + width * height;
  }, 0);
