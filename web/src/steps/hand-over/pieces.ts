/** The pieces of a file's name. */

import type { Recipe } from '../../api/calls';
import { pieces as words } from './words';

export type Piece = Recipe['names']['pieces'][number];
export type PieceKind = Extract<Piece, { piece: unknown }>['piece'] | 'text';

export const pieceKind = (piece: Piece): PieceKind => ('text' in piece ? 'text' : piece.piece);

/** What a piece is called where pieces are seen one after the other: a text is itself, with its spaces seen. */
export function pieceLabel(piece: Piece): string {
  if ('text' in piece) return piece.text.replaceAll(' ', '␣');
  if ('start' in piece) return words.number(String(piece.start).padStart(piece.width, '0'));
  return piece.piece === 'scale' ? 'size' : piece.piece;
}

/** A new piece of a kind, as it is at first. */
export function added(kind: PieceKind): Piece {
  if (kind === 'text') return { text: '_' };
  if (kind === 'number') return { piece: 'number', start: 1, width: 2, counted: 'back', within: 'all' };
  return { piece: kind };
}

/** The pieces with one of them in another place. */
export function moved(pieces: readonly Piece[], from: number, to: number): Piece[] {
  const next = [...pieces];
  const [piece] = next.splice(from, 1);
  if (piece) next.splice(to, 0, piece);
  return next;
}
