import { useElementSize, useLocalStorage } from '@mantine/hooks';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useMemo, useRef } from 'react';
import type { Row } from '../api/calls';
import { placesOfDrop } from '../rules/commands';
import { carriersOf } from '../rules/joints';
import { numbersOf, seenParts } from '../rules/tree';
import classes from './Ledger.module.css';
import { type Column, LedgerRow } from './LedgerRow';
import { columnsFor, LedgerHead, LedgerTools } from './LedgerTools';
import { INDENT, ROW_HEIGHT } from './measures';
import type { Act } from './useArrangement';
import { useLedgerKeys } from './useLedgerKeys';
import { useListing } from './useListing';
import { useRowDrag } from './useRowDrag';
import { ledger as words } from './words';

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

/** The ledger: a row a part, front-most first, edited in place. */
export function Ledger({ illustration, rows, alone, chosen, current, canEdit, onChoose, act }: Props) {
  const scroller = useRef<HTMLDivElement>(null);
  const [column, setColumn] = useLocalStorage<Column>({ key: 'ledger-column', defaultValue: 'place' });
  const { ref, width } = useElementSize();
  // Before it is measured it is 0.
  const columns = columnsFor(width || 420, column);
  const carriers = useMemo(() => carriersOf(rows), [rows]);
  const numbers = useMemo(() => numbersOf(rows), [rows]);
  const seen = useMemo(() => seenParts(rows, alone), [rows, alone]);
  const listing = useListing(rows, current);
  const { list } = listing;
  const keys = useLedgerKeys({ scroller, listing, chosen, current, canEdit, onChoose, act });
  const { index } = keys;
  const virtual = useVirtualizer({
    count: list.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW_HEIGHT,
    overscan: 8,
  });
  const dragging = useRowDrag(scroller, list, chosen, canEdit && listing.isWhole, (dragged, drop) => {
    const places = placesOfDrop(rows, dragged, drop);
    if (places.length > 0) act({ do: 'move-rows', places });
  });
  // biome-ignore lint/correctness/useExhaustiveDependencies: only a new current row scrolls
  useEffect(() => {
    if (index >= 0) virtual.scrollToIndex(index);
  }, [current, index >= 0]);

  return (
    <div
      ref={ref}
      className={classes.ledger}
      style={
        columns.length > 0 ? ({ '--columns': `repeat(${columns.length}, 92px)` } as React.CSSProperties) : undefined
      }
    >
      <LedgerTools
        rows={rows}
        listing={listing}
        onLeave={(toFirst) => {
          scroller.current?.focus();
          const first = list.findIndex((item) => item.row.kind === 'part');
          if (toFirst) keys.stepTo(first, false);
        }}
      />
      <LedgerHead columns={columns} column={column} onColumn={setColumn} />
      <div
        ref={scroller}
        className={classes.rows}
        role="treegrid"
        aria-label={words.partsFrontMostFirst}
        aria-multiselectable="true"
        aria-rowcount={list.length}
        aria-activedescendant={index >= 0 ? `row-${current}` : undefined}
        tabIndex={0}
        data-ledger
        onKeyDown={keys.onKeyDown}
      >
        <div role="rowgroup" style={{ height: virtual.getTotalSize(), position: 'relative' }}>
          {virtual.getVirtualItems().map(({ index: at, start }) => {
            const entry = list[at];
            if (!entry) return null;
            const { row } = entry;
            return (
              <LedgerRow
                key={row.id}
                illustration={illustration}
                entry={entry}
                index={at}
                top={start}
                number={numbers.get(row.id)}
                columns={columns}
                below={columns.length === 0 ? column : null}
                carrier={carriers.get(row.id)?.name}
                isChosen={chosen.has(row.id)}
                isCurrent={row.id === current}
                isFolded={listing.isFolded(row.id)}
                isSeen={row.kind === 'group' || seen.has(row.id)}
                isAlone={row.id === alone}
                isEditing={row.id === keys.editing}
                canEdit={canEdit}
                onChoose={(how) => keys.choose(row.id, how)}
                onFold={() => listing.fold(row.id, !listing.isFolded(row.id))}
                onEdit={() => keys.setEditing(row.id)}
                onRename={(name, then) => keys.rename(row, name, then)}
                onLeave={keys.leave}
                onGrab={dragging.grab}
                act={act}
              />
            );
          })}
          {dragging.mark && <DropMark {...dragging.mark} />}
        </div>
        {list.length === 0 && (
          <p className={classes.none}>
            {listing.search ? words.noNameContainsPressEscape(listing.search) : words.nothingMatchesThisFilter}
          </p>
        )}
      </div>
    </div>
  );
}

/** Where rows that are dragged would come to lie. */
function DropMark({ inside, top, level }: { inside: boolean; top: number; level: number }) {
  return (
    <div
      className={inside ? classes.dropInside : classes.dropLine}
      style={{ top, left: level * INDENT }}
      data-testid="drop-mark"
    />
  );
}
