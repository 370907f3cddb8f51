/** Which rows the ledger lists: all that are not folded away, or those that are looked for. */

import { useEffect, useMemo, useState } from 'react';
import type { Row } from '../api/calls';
import type { Filter } from '../rules/filter';
import { listed } from '../rules/tree';

export function useListing(rows: readonly Row[], current: string | null) {
  const [folded, setFolded] = useState<ReadonlySet<string>>(new Set());
  const [search, setSearch] = useState('');
  const [filter, setFilter] = useState<Filter>('all');
  const list = useMemo(() => listed(rows, folded, search, filter), [rows, folded, search, filter]);

  // A part that was picked on the pile is brought into view, its groups unfolded.
  useEffect(() => {
    if (current === null) return;
    const around = groupsAround(rows, current);
    setFolded((before) =>
      [...around].some((id) => before.has(id)) ? new Set([...before].filter((id) => !around.has(id))) : before,
    );
  }, [current, rows]);

  const isWhole = search === '' && filter === 'all';
  return {
    list,
    search,
    setSearch,
    filter,
    setFilter,
    /** Whether nothing is looked for. */
    isWhole,
    isFolded: (id: string) => folded.has(id) && isWhole,
    fold: (id: string, closed: boolean) =>
      setFolded((before) => {
        const after = new Set(before);
        if (closed) after.add(id);
        else after.delete(id);
        return after;
      }),
    foldAll: () => setFolded(new Set(rows.filter((row) => row.kind === 'group').map((row) => row.id))),
    unfoldAll: () => setFolded(new Set()),
  };
}

export type Listing = ReturnType<typeof useListing>;

function groupsAround(rows: readonly Row[], id: string): Set<string> {
  const around = new Set<string>();
  const groups = new Map(rows.map((row) => [row.id, row.group]));
  for (let group = groups.get(id) ?? null; group !== null; group = groups.get(group) ?? null) around.add(group);
  return around;
}
