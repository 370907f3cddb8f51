/** What is selected, in words, for those who do not see the picture. */

import type { Row } from '../api/calls';
import { described as words } from './words';

/** How many parts in front are named. */
const NAMED = 3;

export function describedSelection(rows: readonly Row[], chosen: ReadonlySet<string>): string {
  const parts = rows.filter((row) => row.kind === 'part');
  const selected = rows.filter((row) => chosen.has(row.id));
  const [only] = selected;
  if (!only) return words.nothingIsSelectedPickParts;
  if (selected.length > 1) return words.rowsAreSelected(selected.length);
  if (!only.box) return words.isSelectedItHasNo(only.name);
  const [x = 0, y = 0, width = 0, height = 0] = only.box;
  const at = parts.indexOf(only);
  const over = parts.slice(at + 1).filter((row) => row.shown && row.box && meets(only.box ?? [], row.box));
  const names = over.slice(-NAMED).map((row) => `'${row.name}'`);
  const more = over.length - names.length;
  const front = [...names.reverse(), ...(more > 0 ? [words.more(more)] : [])].join(', ');
  return words.isSelectedPxAt(
    only.name,
    width,
    height,
    x,
    y,
    front ? words.inFrontOfIt(front) : words.nothingIsInFront,
  );
}

function meets([x = 0, y = 0, width = 0, height = 0]: readonly number[], other: readonly number[]): boolean {
  const [left = 0, top = 0, wide = 0, high = 0] = other;
  return x < left + wide && left < x + width && y < top + high && top < y + height;
}
