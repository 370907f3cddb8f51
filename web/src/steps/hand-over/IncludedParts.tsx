import { Checkbox } from '@mantine/core';
import { useMemo, useRef, useState } from 'react';
import type { Row } from '../../api/calls';
import type { Act } from '../../ledger/useArrangement';
import { listed, within } from '../../rules/tree';
import { useLongList } from '../../ui/useLongList';
import classes from './HandOver.module.css';
import { includedParts as words } from './words';

interface Props {
  rows: readonly Row[];
  chosen: readonly string[];
  canEdit: boolean;
  act: Act;
  onChoose: (ids: readonly string[], current: string | null) => void;
}

const NONE_FOLDED: ReadonlySet<string> = new Set();
const ROW = 28;

/** Which parts are handed over, beside the plan that follows from it; a group stands for all parts in it. */
export function IncludedParts({ rows, chosen, canEdit, act, onChoose }: Props) {
  const [isOpen, setOpen] = useState(false);
  const parts = rows.filter((row) => row.kind === 'part');
  const included = parts.filter((row) => row.included).length;
  return (
    <details className={classes.included} open={isOpen} onToggle={(event) => setOpen(event.currentTarget.open)}>
      <summary>{words.includedOfParts(included, parts.length)}</summary>
      {isOpen && <Tree rows={rows} chosen={chosen} canEdit={canEdit} act={act} onChoose={onChoose} />}
    </details>
  );
}

function Tree({ rows, chosen, canEdit, act, onChoose }: Props) {
  const list = useMemo(() => listed(rows, NONE_FOLDED, ''), [rows]);
  const partsOf = useMemo(() => partsByRow(rows), [rows]);
  const element = useRef<HTMLUListElement>(null);
  const { first, end, before, after } = useLongList(element, list.length, ROW);
  const include = (parts: readonly Row[], isIncluded: boolean) =>
    act({ do: 'include-parts', included: Object.fromEntries(parts.map((part) => [part.id, isIncluded])) });
  return (
    <ul ref={element} aria-label={words.includedParts} style={{ paddingTop: before, paddingBottom: after }}>
      {list.slice(first, end).map(({ row, level }) => {
        const own = partsOf.get(row.id) ?? [];
        const number = own.filter((part) => part.included).length;
        const isAll = number === own.length && number > 0;
        return (
          <li
            key={row.id}
            data-included={row.name}
            data-chosen={chosen.includes(row.id) || undefined}
            style={{ paddingLeft: (level - 1) * 18, height: ROW }}
          >
            <Checkbox
              size="xs"
              label={row.kind === 'group' ? <strong>{row.name}</strong> : row.name}
              disabled={!canEdit || own.length === 0}
              checked={isAll}
              indeterminate={number > 0 && !isAll}
              onChange={() => include(own, !isAll)}
              onFocus={() => onChoose([row.id], row.id)}
            />
            {row.kind === 'group' && <span className={classes.facts}>{words.of(number, own.length)}</span>}
          </li>
        );
      })}
    </ul>
  );
}

/** The parts within each group, however deep; a part stands for itself. */
function partsByRow(rows: readonly Row[]): Map<string, Row[]> {
  return new Map(
    rows.map((row) => {
      if (row.kind === 'part') return [row.id, [row]];
      const inside = within(rows, row.id);
      return [row.id, rows.filter((one) => one.kind === 'part' && inside.has(one.id))];
    }),
  );
}
