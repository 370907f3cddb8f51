import { useRef, useState } from 'react';
import type { Row } from '../api/calls';
import type { Listed } from '../rules/tree';
import { Thumbnail } from '../ui/Thumbnail';
import { partColour } from './colours';
import classes from './Ledger.module.css';
import { INDENT, ROW_HEIGHT } from './measures';
import type { Act } from './useArrangement';
import { ledgerRow as words } from './words';

interface Props {
  illustration: number;
  entry: Listed;
  index: number;
  top: number;
  number: number | undefined;
  columns: readonly Column[];
  /** The column that stands below the name, where there is no room beside it. */
  below: Column | null;
  /** The name of the part that carries it. */
  carrier: string | undefined;
  isChosen: boolean;
  isCurrent: boolean;
  isFolded: boolean;
  isSeen: boolean;
  isAlone: boolean;
  isEditing: boolean;
  canEdit: boolean;
  onChoose: (how: { range?: boolean; toggle?: boolean }) => void;
  onFold: () => void;
  onEdit: () => void;
  onRename: (name: string, then: 'next' | 'previous' | 'stop') => void;
  onLeave: () => void;
  onGrab: (event: React.PointerEvent, row: Row) => void;
  act: Act;
}

/** What a column after the name shows. */
export type Column = 'place' | 'joint' | 'depth';

export function LedgerRow(props: Props) {
  const { entry, index, top, number, isChosen, isCurrent, isFolded, isSeen, isEditing, canEdit } = props;
  const { row, level } = entry;
  const isGroup = row.kind === 'group';
  const properties = [
    row.blend !== 'normal' && row.blend,
    row.opacity < 1 && `${Math.round(row.opacity * 100)} %`,
    row.frames.length > 1 && words.frames(row.frames.length),
    row.flagged && words.needsReview,
  ].filter(Boolean);
  const look = [classes.row, isChosen && classes.chosen, isCurrent && classes.current, !isSeen && classes.unseen];
  return (
    // biome-ignore lint/a11y/useKeyWithClickEvents: the grid handles the keys
    <div
      id={`row-${row.id}`}
      role="row"
      className={look.filter(Boolean).join(' ')}
      style={{ translate: `0 ${top}px`, height: ROW_HEIGHT }}
      aria-rowindex={index + 1}
      aria-level={level}
      aria-selected={isChosen}
      aria-expanded={isGroup ? !isFolded : undefined}
      data-row={row.name}
      onClick={(event) => props.onChoose({ range: event.shiftKey, toggle: event.ctrlKey || event.metaKey })}
      onDoubleClick={() => canEdit && props.onEdit()}
    >
      <span
        role="gridcell"
        className={classes.number}
        onPointerDown={(event) => props.onGrab(event, row)}
        data-grab
        title={canEdit ? words.dragToChangeTheOrder : undefined}
      >
        {number !== undefined && (
          <span className={classes.swatch} style={{ borderColor: partColour(number) }}>
            {number}
          </span>
        )}
      </span>
      <span role="gridcell" className={classes.name} style={{ paddingLeft: (level - 1) * INDENT }}>
        {isGroup ? (
          <button
            type="button"
            tabIndex={-1}
            className={classes.fold}
            onClick={(event) => {
              event.stopPropagation();
              props.onFold();
            }}
            aria-label={`${isFolded ? words.unfold : words.fold} ${row.name}`}
          >
            {isFolded ? '+' : '–'}
          </button>
        ) : (
          <span className={classes.thumbnail}>
            <Thumbnail illustration={props.illustration} digest={row.thumbnail} />
          </span>
        )}
        {isEditing ? (
          <NameInput row={row} onRename={props.onRename} onLeave={props.onLeave} />
        ) : (
          <span className={classes.texts}>
            <span className={isGroup ? classes.groupText : classes.text} title={row.name}>
              {row.name}
            </span>
            {(properties.length > 0 || (props.below && !isGroup)) && (
              <span className={classes.below}>
                {properties.length > 0 && <span>{properties.join(', ')}</span>}
                {props.below && row.box && !isGroup && <Told row={row} column={props.below} carrier={props.carrier} />}
              </span>
            )}
          </span>
        )}
        {row.alternate !== null && <span className={classes.note}>{words.alternates}</span>}
        {row.locked && <span className={classes.quiet}>{words.locked}</span>}
        {props.isAlone && <span className={classes.badge}>{words.alone}</span>}
      </span>
      {props.columns.map((column) => (
        <span key={column} role="gridcell" className={classes.place}>
          {isGroup ? '' : row.box ? <Told row={row} column={column} carrier={props.carrier} /> : words.empty}
        </span>
      ))}
      <span role="gridcell" className={classes.state}>
        <Mark
          isOn={row.shown}
          disabled={!canEdit}
          label={words.show(row.name)}
          onChange={(shown) => props.act({ do: 'show-rows', shown: { [row.id]: shown } })}
        />
      </span>
      <span role="gridcell" className={classes.state}>
        {!isGroup && (
          <Mark
            isOn={row.included}
            disabled={!canEdit}
            label={words.include(row.name)}
            onChange={(included) => props.act({ do: 'include-parts', included: { [row.id]: included } })}
          />
        )}
      </span>
    </div>
  );
}

function Told({ row, column, carrier }: { row: Row; column: Column; carrier: string | undefined }) {
  if (column === 'place') return placeText(row.box ?? []);
  const [first, second] =
    column === 'joint'
      ? [carrier ?? words.noParent, row.pivot ? row.pivot.map((at) => Math.round(at)).join(', ') : words.noPivot]
      : [words.px(row.depth), row.role.replace('-', ' ')];
  return (
    <>
      <span title={first}>{first}</span>
      <span>{second}</span>
    </>
  );
}

function placeText([x = 0, y = 0, width = 0, height = 0]: number[]): React.ReactNode {
  return (
    <>
      <span>
        {x}, {y}
      </span>
      <span>
        {width} × {height}
      </span>
    </>
  );
}

interface MarkProps {
  isOn: boolean;
  disabled: boolean;
  label: string;
  onChange: (on: boolean) => void;
}

/** A yes-or-no cell: a word to a screen reader, a filled or empty mark to the eye. */
function Mark({ isOn, disabled, label, onChange }: MarkProps) {
  return (
    <button
      type="button"
      role="switch"
      aria-checked={isOn}
      aria-label={label}
      tabIndex={-1}
      disabled={disabled}
      className={classes.mark}
      onClick={(event) => {
        event.stopPropagation();
        onChange(!isOn);
      }}
      onDoubleClick={(event) => event.stopPropagation()}
    >
      <span className={isOn ? classes.yes : classes.no}>{isOn ? words.yes : words.no}</span>
    </button>
  );
}

interface NameInputProps {
  row: Row;
  onRename: Props['onRename'];
  onLeave: () => void;
}

/** Name, next key, name, next key: Enter keeps the name and goes to the next row. */
function NameInput({ row, onRename, onLeave }: NameInputProps) {
  const [name, setName] = useState(row.name);
  // Not state: leaving takes the focus away, and that must find it set already.
  const isLeaving = useRef(false);
  const leave = (then: 'next' | 'previous' | 'stop') => {
    isLeaving.current = true;
    onRename(name, then);
  };
  return (
    <input
      className={classes.input}
      aria-label={words.nameOf(row.name)}
      value={name}
      // biome-ignore lint/a11y/noAutofocus: the artist asked to rename this row
      autoFocus
      onFocus={(event) => event.currentTarget.select()}
      onChange={(event) => setName(event.currentTarget.value)}
      onClick={(event) => event.stopPropagation()}
      onDoubleClick={(event) => event.stopPropagation()}
      onBlur={() => !isLeaving.current && leave('stop')}
      onKeyDown={(event) => {
        event.stopPropagation();
        if (event.key === 'Enter') leave(event.shiftKey ? 'previous' : 'next');
        if (event.key === 'Escape') {
          isLeaving.current = true;
          onLeave();
        }
      }}
    />
  );
}
