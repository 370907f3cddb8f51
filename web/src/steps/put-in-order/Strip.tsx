import { useState } from 'react';
import type { Row } from '../../api/calls';
import type { Act } from '../../ledger/useArrangement';
import { placesOfDrop } from '../../rules/commands';
import { numbersOf } from '../../rules/tree';
import { Thumbnail } from '../../ui/Thumbnail';
import classes from './Strip.module.css';
import { strip as words } from './words';

interface Props {
  illustration: number;
  rows: readonly Row[];
  chosen: ReadonlySet<string>;
  canEdit: boolean;
  act: Act;
  onChoose: (ids: readonly string[], current: string | null) => void;
}

/** All parts as small pictures from the back, on the left, to the front, on the right; dragged into order. */
export function Strip({ illustration, rows, chosen, canEdit, act, onChoose }: Props) {
  const [drop, setDrop] = useState<{ row: string; kind: 'in-front' | 'behind' } | null>(null);
  const numbers = numbersOf(rows);
  const parts = rows.filter((row) => row.kind === 'part');
  const names = new Map(rows.map((row) => [row.id, row.name]));
  return (
    <ol className={classes.strip} aria-label={words.partsBackToFront}>
      {parts.map((row, at) => (
        <li key={row.id} data-drop={drop?.row === row.id ? drop.kind : undefined} className={classes.place}>
          {row.group !== parts[at - 1]?.group && (
            <span className={classes.group}>{row.group ? names.get(row.group) : ''}</span>
          )}
          <button
            type="button"
            className={classes.part}
            data-part={row.name}
            aria-pressed={chosen.has(row.id)}
            aria-label={`${numbers.get(row.id)} ${row.name}`}
            title={row.name}
            draggable={canEdit && !row.locked}
            onClick={(event) =>
              onChoose(event.shiftKey || event.ctrlKey || event.metaKey ? [...chosen, row.id] : [row.id], row.id)
            }
            onDragStart={(event) => {
              event.dataTransfer.setData('text/x-part', row.id);
              if (!chosen.has(row.id)) onChoose([row.id], row.id);
            }}
            onDragOver={(event) => {
              event.preventDefault();
              const frame = event.currentTarget.getBoundingClientRect();
              const kind = event.clientX > frame.left + frame.width / 2 ? 'in-front' : 'behind';
              setDrop({ row: row.id, kind });
            }}
            onDragLeave={() => setDrop(null)}
            onDrop={(event) => {
              event.preventDefault();
              const moved = event.dataTransfer.getData('text/x-part');
              const places = drop && moved ? placesOfDrop(rows, new Set([...chosen, moved]), drop) : [];
              setDrop(null);
              if (places.length > 0) act({ do: 'move-rows', places });
            }}
          >
            <span className={classes.picture}>
              <Thumbnail illustration={illustration} digest={row.thumbnail} />
            </span>
            <span className={classes.number}>{numbers.get(row.id)}</span>
          </button>
        </li>
      ))}
    </ol>
  );
}
