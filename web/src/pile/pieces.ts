/** What a part is drawn from at a moment: plain questions to a row. */
import type { Row } from '../api/calls';
import type { Schemas } from '../api/client';

export type Piece = Schemas['Piece'];

/** The pieces of a part at a moment, back to front; frames start anew when they are through. */
export function piecesAt(row: Row, moment: number): readonly Piece[] {
  return row.frames[row.frames.length ? moment % row.frames.length : 0]?.pieces ?? [];
}

/** Every piece of every frame, what is seen at rest first. */
export const allPieces = (rows: readonly Row[]): Piece[] => [
  ...rows.flatMap((row) => row.frames[0]?.pieces ?? []),
  ...rows.flatMap((row) => row.frames.slice(1).flatMap((frame) => frame.pieces)),
];

/** Whether a piece is the part just as it is, so that it needs no surface of its own. */
export const isWhole = (pieces: readonly Piece[]) =>
  pieces.length === 1 && pieces[0]?.opacity === 1 && pieces[0].blend === 'normal';

/** The most frames that any part has: 1 when nothing moves. */
export const mostFrames = (rows: readonly Row[]) => rows.reduce((most, row) => Math.max(most, row.frames.length), 1);
