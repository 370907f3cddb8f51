/** What is seen on the picture of what is chosen, and what the pointer does there. */

import { partColour } from '../../ledger/colours';
import type { Marking, Mask, Stroke } from '../../pile/marks';
import { CHOSEN, DIFFERENT, KINDS, type Tool } from './gestures';
import { firstOf, type Pieces } from './pieces';

interface Separate {
  pieces: readonly { box: readonly number[] }[];
  pictures: readonly (ImageBitmap | null | undefined)[];
}

/** Each piece that becomes a part, in that part's colour. */
export const pieceMasks = (chosen: Pieces, { pieces, pictures }: Separate): Mask[] =>
  pieces.flatMap(({ box }, at) => {
    const picture = pictures[at];
    if (!picture || chosen.leftOut.includes(at + 1)) return [];
    return [{ picture, box, colour: partColour(firstOf(chosen, at + 1)) }];
  });

/** Where the parts differ from what was brought in. */
export const differenceMask = ({ picture }: { picture: ImageBitmap }): Mask => ({
  picture,
  box: [0, 0, picture.width, picture.height],
  colour: DIFFERENT,
});

/** How the pointer chooses with a tool; `arePieces`: separate pieces are clicked on instead. */
export function choosingMarks(
  tool: Tool,
  arePieces: boolean,
  size: number,
  shown: {
    masks: readonly Mask[];
    strokes: readonly Stroke[];
    overlay: Mask | null;
    onMark: Marking['onMark'];
    onHover: Marking['onHover'];
  },
): Marking | undefined {
  if (arePieces) return { ...shown, kind: 'pixel' };
  if (tool === 'pick') return undefined;
  const kind = KINDS[tool];
  return {
    ...shown,
    kind,
    ...(kind === 'stroke' && { brush: { size, colour: CHOSEN } }),
  };
}
