import { NativeSelect, TextInput } from '@mantine/core';
import type { Row } from '../api/calls';
import { type Filter, filtersFor } from '../rules/filter';
import classes from './Ledger.module.css';
import type { Column } from './LedgerRow';
import type { Listing } from './useListing';
import { ledgerTools as words } from './words';

interface ToolsProps {
  rows: readonly Row[];
  listing: Listing;
  /** The search is left; with Enter for the first part that was found. */
  onLeave: (toFirst: boolean) => void;
}

/** What is looked for, and folding. */
export function LedgerTools({ rows, listing, onLeave }: ToolsProps) {
  const { search, setSearch, filter, setFilter } = listing;
  return (
    <div className={classes.tools}>
      <TextInput
        size="xs"
        className={classes.search}
        aria-label={words.findByName}
        placeholder={words.findByNameL}
        aria-keyshortcuts="L"
        value={search}
        onChange={(event) => setSearch(event.currentTarget.value)}
        onKeyDown={(event) => {
          if (event.key === 'Escape') setSearch('');
          if (event.key === 'Escape' || event.key === 'Enter') onLeave(event.key === 'Enter');
        }}
      />
      <NativeSelect
        size="xs"
        className={classes.filter}
        aria-label={words.filter}
        data={filtersFor(rows, filter)}
        value={filter}
        onChange={(event) => setFilter(event.currentTarget.value as Filter)}
      />
      <button type="button" className={classes.link} aria-label={words.foldAll} onClick={listing.foldAll}>
        {words.fold}
      </button>
      <button type="button" className={classes.link} aria-label={words.unfoldAll} onClick={listing.unfoldAll}>
        {words.unfold}
      </button>
    </div>
  );
}

const COLUMNS: readonly { value: Column; label: string }[] = [
  { value: 'place', label: words.positionSize },
  { value: 'joint', label: words.parentPivot },
  { value: 'depth', label: words.depthRole },
];

/** Pixels that a row has beside its columns, and that each of these takes. */
const NAMED = 330;
const COLUMN = 100;

/** As many columns as there is room for; where that is one, the one that was chosen. */
export function columnsFor(width: number, chosen: Column): readonly Column[] {
  const number = Math.floor((width - NAMED) / COLUMN);
  if (number <= 1) return number === 1 ? [chosen] : [];
  const others = COLUMNS.map(({ value }) => value).filter((value) => value !== chosen);
  const shown = [chosen, ...others.slice(0, number - 1)];
  return COLUMNS.map(({ value }) => value).filter((value) => shown.includes(value));
}

interface HeadProps {
  columns: readonly Column[];
  column: Column;
  onColumn: (column: Column) => void;
}

export function LedgerHead({ columns, column, onColumn }: HeadProps) {
  return (
    <div className={classes.head}>
      <span className={classes.number}>{words.no}</span>
      <span className={classes.nameHead}>
        {words.name}
        {columns.length === 0 && <ColumnSelect column={column} onColumn={onColumn} />}
      </span>
      {columns.length === 1 ? (
        <ColumnSelect column={column} onColumn={onColumn} />
      ) : (
        columns.map((one) => (
          <span key={one} className={classes.place}>
            {COLUMNS.find(({ value }) => value === one)?.label}
          </span>
        ))
      )}
      <span className={classes.state}>{words.shown}</span>
      <span className={classes.state}>{words.included}</span>
    </div>
  );
}

/** Which of the columns is shown, where there is no room for all of them; in a narrow ledger it is a line below the name. */
function ColumnSelect({ column, onColumn }: Pick<HeadProps, 'column' | 'onColumn'>) {
  return (
    <select
      className={classes.column}
      aria-label={words.middleColumn}
      value={column}
      onChange={(event) => onColumn(event.currentTarget.value as Column)}
    >
      {COLUMNS.map(({ value, label }) => (
        <option key={value} value={value}>
          {label}
        </option>
      ))}
    </select>
  );
}
