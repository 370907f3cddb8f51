import { NativeSelect, TextInput } from '@mantine/core';
import { useLocalStorage } from '@mantine/hooks';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useMemo, useRef, useState } from 'react';
import type { Row } from '../api/calls';
import { placesOfDrop } from '../rules/commands';
import { type Filter, filtersFor } from '../rules/filter';
import { carriersOf } from '../rules/joints';
import { listed, numbersOf, seenParts } from '../rules/tree';
import classes from './Ledger.module.css';
import { type Column, LedgerRow } from './LedgerRow';
import { INDENT, ROW_HEIGHT } from './measures';
import type { Act } from './useArrangement';
import { useRowDrag } from './useRowDrag';

interface Props {
  illustration: number;
  rows: readonly Row[];
  alone: string | null;
  chosen: ReadonlySet<string>;
  current: string | null;
  canEdit: boolean;
  onChoose: (ids: readonly string[], current: string | null) => void;
  act: Act;
}

const COLUMNS: readonly { value: Column; label: string }[] = [
  { value: 'place', label: 'Place, size' },
  { value: 'joint', label: 'Parent, pivot' },
  { value: 'depth', label: 'Depth, role' },
];

/** The ledger: a row a part, front-most first, edited in place. */
export function Ledger({ illustration, rows, alone, chosen, current, canEdit, onChoose, act }: Props) {
  const scroller = useRef<HTMLDivElement>(null);
  const [folded, setFolded] = useState<ReadonlySet<string>>(new Set());
  const [search, setSearch] = useState('');
  const [filter, setFilter] = useState<Filter>('all');
  const [editing, setEditing] = useState<string | null>(null);
  const [column, setColumn] = useLocalStorage<Column>({ key: 'ledger-column', defaultValue: 'place' });
  const carriers = useMemo(() => carriersOf(rows), [rows]);
  const list = useMemo(() => listed(rows, folded, search, filter), [rows, folded, search, filter]);
  const numbers = useMemo(() => numbersOf(rows), [rows]);
  const seen = useMemo(() => seenParts(rows, alone), [rows, alone]);
  const index = list.findIndex((item) => item.row.id === current);
  const virtual = useVirtualizer({
    count: list.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW_HEIGHT,
    overscan: 8,
  });
  const dragging = useRowDrag(scroller, list, chosen, canEdit && search === '' && filter === 'all', (dragged, drop) => {
    const places = placesOfDrop(rows, dragged, drop);
    if (places.length > 0) act({ do: 'move-rows', places });
  });

  // A part that was picked on the pile is brought into view, its groups unfolded.
  useEffect(() => {
    if (current === null) return;
    const around = new Set<string>();
    const groups = new Map(rows.map((row) => [row.id, row.group]));
    for (let group = groups.get(current) ?? null; group !== null; group = groups.get(group) ?? null) around.add(group);
    setFolded((before) =>
      [...around].some((id) => before.has(id)) ? new Set([...before].filter((id) => !around.has(id))) : before,
    );
  }, [current, rows]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: only a new current row scrolls
  useEffect(() => {
    if (index >= 0) virtual.scrollToIndex(index);
  }, [current, index >= 0]);

  const choose = (id: string, how: { range?: boolean; toggle?: boolean }) => {
    const to = list.findIndex((item) => item.row.id === id);
    if (how.range && index >= 0) {
      const between = list.slice(Math.min(index, to), Math.max(index, to) + 1).map((item) => item.row.id);
      onChoose([...chosen, ...between], id);
    } else if (how.toggle) onChoose(chosen.has(id) ? [...chosen].filter((one) => one !== id) : [...chosen, id], id);
    else onChoose([id], id);
  };
  const stepTo = (to: number, range: boolean) => {
    const item = list[Math.min(Math.max(to, 0), list.length - 1)];
    if (item) onChoose(range ? [...chosen, item.row.id] : [item.row.id], item.row.id);
    return item;
  };
  const fold = (id: string, closed: boolean) =>
    setFolded((before) => {
      const after = new Set(before);
      if (closed) after.add(id);
      else after.delete(id);
      return after;
    });
  const rename = (row: Row, name: string, then: 'next' | 'previous' | 'stop') => {
    if (name !== row.name) act({ do: 'rename-rows', names: { [row.id]: name } });
    const at = list.findIndex((item) => item.row.id === row.id);
    const next = then === 'stop' ? undefined : list[then === 'next' ? at + 1 : at - 1];
    if (next) onChoose([next.row.id], next.row.id);
    setEditing(next?.row.id ?? null);
    if (!next) scroller.current?.focus();
  };

  const onKeyDown = (event: React.KeyboardEvent) => {
    if (event.target !== scroller.current) return;
    const item = list[index];
    const keys = new Map<string, () => unknown>([
      ['ArrowDown', () => stepTo(index + 1, event.shiftKey)],
      ['ArrowUp', () => stepTo(index < 0 ? 0 : index - 1, event.shiftKey)],
      ['Home', () => stepTo(0, false)],
      ['End', () => stepTo(list.length - 1, false)],
      ['ArrowLeft', () => item?.hasMembers && fold(item.row.id, true)],
      ['ArrowRight', () => item?.hasMembers && fold(item.row.id, false)],
      ['Enter', () => item && canEdit && setEditing(item.row.id)],
      ['Escape', () => current && onChoose([], current)],
    ]);
    const action = keys.get(event.key);
    if (!action || event.ctrlKey || event.metaKey || event.altKey) return;
    event.preventDefault();
    action();
  };

  return (
    <div className={classes.ledger}>
      <div className={classes.tools}>
        <TextInput
          size="xs"
          className={classes.search}
          aria-label="Look for a name"
          placeholder="Look for a name (L)"
          aria-keyshortcuts="L"
          value={search}
          onChange={(event) => setSearch(event.currentTarget.value)}
          onKeyDown={(event) => {
            if (event.key === 'Escape') setSearch('');
            if (event.key !== 'Escape' && event.key !== 'Enter') return;
            scroller.current?.focus();
            if (event.key === 'Enter')
              stepTo(
                list.findIndex((item) => item.row.kind === 'part'),
                false,
              );
          }}
        />
        <NativeSelect
          size="xs"
          className={classes.filter}
          aria-label="Which rows are listed"
          data={filtersFor(rows, filter)}
          value={filter}
          onChange={(event) => setFilter(event.currentTarget.value as Filter)}
        />
        <button
          type="button"
          className={classes.link}
          onClick={() => setFolded(new Set(rows.filter((row) => row.kind === 'group').map((row) => row.id)))}
        >
          Fold all
        </button>
        <button type="button" className={classes.link} onClick={() => setFolded(new Set())}>
          Unfold all
        </button>
      </div>
      <div className={classes.head}>
        <span className={classes.number}>No.</span>
        <span className={classes.nameHead}>Name</span>
        <select
          className={classes.column}
          aria-label="What the middle column shows"
          value={column}
          onChange={(event) => setColumn(event.currentTarget.value as Column)}
        >
          {COLUMNS.map(({ value, label }) => (
            <option key={value} value={value}>
              {label}
            </option>
          ))}
        </select>
        <span className={classes.state}>Shown</span>
        <span className={classes.state}>Included</span>
      </div>
      <div
        ref={scroller}
        className={classes.rows}
        role="treegrid"
        aria-label="Parts, front-most first"
        aria-multiselectable="true"
        aria-rowcount={list.length}
        aria-activedescendant={index >= 0 ? `row-${current}` : undefined}
        tabIndex={0}
        data-ledger
        onKeyDown={onKeyDown}
      >
        <div role="rowgroup" style={{ height: virtual.getTotalSize(), position: 'relative' }}>
          {virtual.getVirtualItems().map((item) => {
            const entry = list[item.index];
            if (!entry) return null;
            const { row } = entry;
            return (
              <LedgerRow
                key={row.id}
                illustration={illustration}
                entry={entry}
                index={item.index}
                top={item.start}
                number={numbers.get(row.id)}
                column={column}
                carrier={carriers.get(row.id)?.name}
                isChosen={chosen.has(row.id)}
                isCurrent={row.id === current}
                isFolded={folded.has(row.id) && search === '' && filter === 'all'}
                isSeen={row.kind === 'group' || seen.has(row.id)}
                isAlone={row.id === alone}
                isEditing={row.id === editing}
                canEdit={canEdit}
                onChoose={(how) => choose(row.id, how)}
                onFold={() => fold(row.id, !folded.has(row.id))}
                onEdit={() => setEditing(row.id)}
                onRename={(name, then) => rename(row, name, then)}
                onLeave={() => {
                  setEditing(null);
                  scroller.current?.focus();
                }}
                onGrab={dragging.grab}
                act={act}
              />
            );
          })}
          {dragging.mark && (
            <div
              className={dragging.mark.inside ? classes.dropInside : classes.dropLine}
              style={{ top: dragging.mark.top, left: dragging.mark.level * INDENT }}
              data-testid="drop-mark"
            />
          )}
        </div>
        {list.length === 0 && (
          <p className={classes.none}>
            {search ? `No name holds “${search}”. Press Escape to see all.` : 'No row is of this kind (any more).'}
          </p>
        )}
      </div>
    </div>
  );
}
