/** Which rows the ledger lists: by kind and by state, with how many there are of each. */

import type { Row } from '../api/calls';
import { filter as words } from './words';

const FILTERS = {
  all: [words.all, () => true],
  parts: [words.parts, (row: Row) => row.kind === 'part'],
  groups: [words.groups, (row: Row) => row.kind === 'group'],
  vector: [words.vectorParts, (row: Row) => row.vector],
  animated: [words.animatedParts, (row: Row) => row.frames.length > 1],
  hidden: [words.hidden, (row: Row) => !row.shown],
  out: [words.leftOut, (row: Row) => row.kind === 'part' && !row.included],
  locked: [words.locked, (row: Row) => row.locked],
  empty: [words.empty, (row: Row) => row.kind === 'part' && row.box === null],
  flagged: [words.needsReview, (row: Row) => row.flagged],
} as const satisfies Record<string, readonly [string, (row: Row) => boolean]>;

export type Filter = keyof typeof FILTERS;

export const passes = (row: Row, filter: Filter): boolean => FILTERS[filter][1](row);

/** Every filter that finds something, with its count. */
export function filtersFor(rows: readonly Row[], current: Filter): { value: Filter; label: string }[] {
  return (Object.keys(FILTERS) as Filter[])
    .map((value) => ({ value, found: rows.filter((row) => passes(row, value)).length }))
    .filter(({ value, found }) => found > 0 || value === current || value === 'all')
    .map(({ value, found }) => ({ value, label: `${FILTERS[value][0]} (${found})` }));
}
