/** Which rows the ledger lists: by kind and by state, with how many there are of each. */
import type { Row } from '../api/calls';

const FILTERS = {
  all: ['All', () => true],
  parts: ['Parts', (row: Row) => row.kind === 'part'],
  groups: ['Groups', (row: Row) => row.kind === 'group'],
  vector: ['Vector parts', (row: Row) => row.vector],
  animated: ['Animated parts', (row: Row) => row.frames.length > 1],
  hidden: ['Hidden', (row: Row) => !row.shown],
  out: ['Left out', (row: Row) => row.kind === 'part' && !row.included],
  locked: ['Locked', (row: Row) => row.locked],
  empty: ['Empty', (row: Row) => row.kind === 'part' && row.box === null],
  flagged: ['Needs review', (row: Row) => row.flagged],
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
