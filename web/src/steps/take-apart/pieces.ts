/** The separate pieces of a part before they become parts: some are one, some stay where they are. */

import { covers } from '../../pile/bitmaps';
import type { Spot } from '../../rules/places';

/** What counts as a piece until the artist says otherwise, in pixels. */
export const FIRST_PIECES: Pieces = { gap: 0, smallest: 16, joined: [], leftOut: [] };
/** How a part falls into pieces, and which of them are one or stay where they are, by their numbers from 1. */
export interface Pieces {
  gap: number;
  smallest: number;
  joined: readonly number[][];
  leftOut: readonly number[];
}

/** The number of the piece at a pixel of the canvas, from 1; 0 where there is none. */
export function numberAt(
  found: { pieces: readonly { box: number[] }[]; pictures: readonly ImageBitmap[] },
  at: Spot,
): number {
  const index = found.pieces.findIndex(({ box }, piece) => {
    const picture = found.pictures[piece];
    return picture !== undefined && covers(picture, box, at);
  });
  return index + 1;
}

/** The least number of the pieces that a piece is one with. */
export const firstOf = ({ joined }: Pieces, number: number) =>
  Math.min(number, ...(joined.find((one) => one.includes(number)) ?? []));

/** A piece that stays where it is, or does no longer. */
export function withLeftOut(pieces: Pieces, number: number): Pieces {
  const { leftOut } = pieces;
  const isOut = leftOut.includes(number);
  return { ...pieces, leftOut: isOut ? leftOut.filter((one) => one !== number) : [...leftOut, number] };
}

/** Pieces that are clicked on with Shift one after the other are one; a second click takes one out again. */
export function withJoined(pieces: Pieces, number: number): Pieces {
  const [last = [], ...others] = pieces.joined.toReversed();
  const own = last.includes(number) ? last.filter((one) => one !== number) : [...last, number];
  return { ...pieces, joined: [...others.toReversed(), own] };
}

/** How many parts pieces become. */
export function countOf(pieces: Pieces, count: number): number {
  const numbers = Array.from({ length: count }, (_, at) => at + 1).filter((one) => !pieces.leftOut.includes(one));
  return new Set(numbers.map((one) => firstOf(pieces, one))).size;
}
