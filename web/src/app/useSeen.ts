/** What is seen of the rows on the picture, and which of them have outlines. */
import { useMemo, useState } from 'react';
import type { Row } from '../api/calls';
import { partColour } from '../ledger/colours';
import { numbersOf, peeled, seenParts, within } from '../rules/tree';

const MOST_OUTLINES = 60;

export function useSeen(rows: readonly Row[] | undefined, alone: string | null, chosenIds: readonly string[]) {
  const [away, setAway] = useState(0);
  const allSeen = useMemo(() => seenParts(rows ?? [], alone), [rows, alone]);
  const { left: seen, most } = useMemo(() => peeled(rows ?? [], allSeen, away), [rows, allSeen, away]);
  const outlines = useMemo(() => {
    if (!rows) return { chosen: [], all: [], none: [] };
    const numbers = numbersOf(rows);
    const marked = new Set(chosenIds.flatMap((id) => [...within(rows, id)]));
    const outline = (row: Row) => {
      const number = numbers.get(row.id) ?? 0;
      return { row, colour: partColour(number), tag: String(number) };
    };
    const parts = rows.filter((row) => row.kind === 'part');
    return {
      chosen: parts
        // Of a group, what is seen of it; a part that is chosen itself, hidden or not.
        .filter((row) => marked.has(row.id) && (seen.has(row.id) || chosenIds.includes(row.id)))
        .slice(0, MOST_OUTLINES)
        .map(outline),
      all: parts.filter((row) => seen.has(row.id)).map(outline),
      none: [],
    };
  }, [rows, chosenIds, seen]);
  return { seen, outlines, peel: { most, away: Math.min(away, most), onChange: setAway } };
}
