/** What is selected, in words, for those who do not see the picture. */
import type { Row } from '../api/calls';

/** How many parts in front are named. */
const NAMED = 3;

export function describedSelection(rows: readonly Row[], chosen: ReadonlySet<string>): string {
  const parts = rows.filter((row) => row.kind === 'part');
  const selected = rows.filter((row) => chosen.has(row.id));
  const [only] = selected;
  if (!only) return 'Nothing is selected. Pick parts here with the pointer, or by keyboard in the ledger.';
  if (selected.length > 1) return `${selected.length} rows are selected.`;
  if (!only.box) return `'${only.name}' is selected. It has no pixels.`;
  const [x = 0, y = 0, width = 0, height = 0] = only.box;
  const at = parts.indexOf(only);
  const over = parts.slice(at + 1).filter((row) => row.shown && row.box && meets(only.box ?? [], row.box));
  const names = over.slice(-NAMED).map((row) => `'${row.name}'`);
  const more = over.length - names.length;
  const front = [...names.reverse(), ...(more > 0 ? [`${more} more`] : [])].join(', ');
  return `'${only.name}' is selected: ${width} × ${height} px at ${x}, ${y}. ${front ? `In front of it: ${front}.` : 'Nothing is in front of it.'}`;
}

function meets([x = 0, y = 0, width = 0, height = 0]: readonly number[], other: readonly number[]): boolean {
  const [left = 0, top = 0, wide = 0, high = 0] = other;
  return x < left + wide && left < x + width && y < top + high && top < y + height;
}
