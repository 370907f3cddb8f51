/** What tells the pixels of rows from what they were. */
import type { Row } from '../api/calls';

type Frame = Row['frames'][number];

/** The pictures of a frame, where and how they lie. */
export const frameKey = ({ pieces }: Frame): string =>
  pieces.map((piece) => `${piece.image} ${piece.box} ${piece.opacity} ${piece.blend}`).join(',');

/** The same of all frames of a part. */
export const artOf = ({ id, frames }: Row): string => `${id}: ${frames.map(frameKey).join('; ')}`;
