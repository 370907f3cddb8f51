/** Questions to the flat rows that the server sends (back to front, a group directly before its members). */
import type { Row } from '../api/calls';
import { type Filter, passes } from './filter';

export type Members = Map<string | null, Row[]>;

/** The members of each group, back to front; those outside of every group under null. */
export function membersOf(rows: readonly Row[]): Members {
  const members: Members = new Map();
  for (const row of rows) {
    const siblings = members.get(row.group);
    if (siblings) siblings.push(row);
    else members.set(row.group, [row]);
  }
  return members;
}

/** The rows in the order of the tree again. */
export function flattened(members: Members, group: string | null = null): Row[] {
  return (members.get(group) ?? []).flatMap((row) =>
    row.kind === 'group' ? [row, ...flattened(members, row.id)] : [row],
  );
}

/** The ids of a row and of everything within it. */
export function within(rows: readonly Row[], id: string): Set<string> {
  const found = new Set([id]);
  for (const row of rows) if (row.group !== null && found.has(row.group)) found.add(row.id);
  return found;
}

/** The rows with exactly one member shown of each set of alternates: the one that is chosen, else the front-most. */
export function settled(rows: readonly Row[]): Row[] {
  const members = membersOf(rows);
  const shown = new Map<string, string | undefined>();
  for (const row of rows) {
    if (row.kind !== 'group' || row.alternate === null) continue;
    const ids = members.get(row.id)?.map((member) => member.id) ?? [];
    shown.set(row.id, ids.includes(row.alternate) ? row.alternate : ids.at(-1));
  }
  return rows.map((row) =>
    row.group !== null && shown.has(row.group) ? { ...row, shown: shown.get(row.group) === row.id } : row,
  );
}

/** Each part's number: counted from the back, 1 first. */
export function numbersOf(rows: readonly Row[]): Map<string, number> {
  const parts = rows.filter((row) => row.kind === 'part');
  return new Map(parts.map((row, index) => [row.id, index + 1]));
}

/** The parts that are seen: they and all groups around them are shown, or they are in what is shown alone. */
export function seenParts(rows: readonly Row[], alone: string | null): Set<string> {
  const only = alone === null ? null : within(rows, alone);
  const hidden = new Set<string>();
  const seen = new Set<string>();
  for (const row of rows) {
    // What is shown alone is seen even where a group around it is hidden.
    const isHidden = !row.shown && row.id !== alone;
    if (isHidden || (row.group !== null && hidden.has(row.group) && row.id !== alone)) hidden.add(row.id);
    else if (row.kind === 'part' && (only === null || only.has(row.id))) seen.add(row.id);
  }
  return seen;
}

/** What is left of the seen parts when the front-most of those that have pixels are peeled away, and how many have. */
export function peeled(rows: readonly Row[], seen: ReadonlySet<string>, away: number) {
  const ids = rows.filter((row) => row.box !== null && seen.has(row.id)).map((row) => row.id);
  const most = ids.length;
  return { left: away === 0 ? seen : new Set(ids.slice(0, Math.max(0, most - away))), most };
}

export interface Listed {
  row: Row;
  level: number;
  hasMembers: boolean;
}

/** The rows that the ledger lists, front-most first. While something is searched for or filtered, folds do not count. */
export function listed(
  rows: readonly Row[],
  folded: ReadonlySet<string>,
  search: string,
  filter: Filter = 'all',
): Listed[] {
  const members = membersOf(rows);
  const wanted = search.trim().toLowerCase();
  const isNarrowed = wanted !== '' || filter !== 'all';
  const matches = (row: Row): boolean =>
    ((row.name.toLowerCase().includes(wanted) || row.words.toLowerCase().includes(wanted)) && passes(row, filter)) ||
    (members.get(row.id) ?? []).some(matches);
  const below = (group: string | null, level: number): Listed[] =>
    [...(members.get(group) ?? [])].reverse().flatMap((row) => {
      if (isNarrowed && !matches(row)) return [];
      const own: Listed = { row, level, hasMembers: row.kind === 'group' };
      const isOpen = row.kind === 'group' && (isNarrowed || !folded.has(row.id));
      return isOpen ? [own, ...below(row.id, level + 1)] : [own];
    });
  return below(null, 1);
}
