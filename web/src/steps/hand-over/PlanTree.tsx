import { useState } from 'react';
import type { Plan } from '../../api/calls';
import { bytes } from '../../ui/units';
import classes from './HandOver.module.css';
import { PlannedPicture, type PlanSource, usePlanned } from './PlannedPicture';
import { type FileRow, rowsOf } from './planned';
import { Viewer } from './Viewer';
import { planTree as words } from './words';

interface Props {
  source: PlanSource;
  onChoose: (ids: readonly string[], current: string | null) => void;
}

const MARKS: Record<string, string> = {
  new: words.isNew,
  changed: words.isChanged,
  same: words.isUnchanged,
  'made anew': words.isRewritten,
  gone: words.isObsolete,
};

/** Kinds of files that are shown: what is as large as the canvas is on the pile anyway. */
const SHOWN = new Set(['image', 'sheet', 'vector', 'combination']);

/** Kinds of files that can be seen at their full size. */
const SEEN = new Set([...SHOWN, 'reference', 'flip-book', 'overview', 'scene']);
const isPicture = (name: string) => /\.(png|webp|avif|jpg|tif|gif|svg)$/.test(name);

/** Every file of a plan in its folder: its picture exactly as it will be written, its size, and what has changed. */
export function PlanTree({ source, onChoose }: Props) {
  const { plan } = source;
  const [folded, setFolded] = useState<ReadonlySet<string>>(new Set());
  const clashing = new Set(plan.notes.flatMap((note) => (note.kind === 'clash' ? note.files : [])));
  const rows = rowsOf(plan, folded);
  const seen = rowsOf(plan, new Set()).flatMap((row) =>
    row.kind === 'file' && SEEN.has(row.file.kind) && isPicture(row.file.file) ? [row.file] : [],
  );
  const [opened, setOpened] = useState<string | null>(null);
  const [at, setAt] = useState(0);
  /** One row is reached by Tab, the others from it by the arrow keys. */
  const current = Math.min(at, rows.length - 1);
  const roving = (index: number) => ({
    tabIndex: index === current ? 0 : -1,
    'data-plan-row': index,
    onFocus: () => setAt(index),
  });
  const onKeyDown = (event: React.KeyboardEvent<HTMLTableElement>) => {
    const row = rows[current];
    const to: Partial<Record<string, number>> = {
      ArrowUp: current - 1,
      ArrowDown: current + 1,
      Home: 0,
      End: rows.length - 1,
    };
    const next = to[event.key];
    const isClosed = row?.kind === 'folder' && folded.has(row.path);
    if (next !== undefined) {
      event.preventDefault();
      event.currentTarget.querySelector<HTMLElement>(`[data-plan-row="${next}"]`)?.focus();
    } else if (row?.kind === 'folder' && event.key === (isClosed ? 'ArrowRight' : 'ArrowLeft')) fold(row.path);
  };
  const fold = (folder: string) =>
    setFolded((before) => {
      const next = new Set(before);
      if (!next.delete(folder)) next.add(folder);
      return next;
    });
  return (
    <>
      <h3>{words.whatWillBeWritten}</h3>
      <table className={classes.plan} onKeyDown={onKeyDown}>
        <thead>
          <tr>
            <th scope="col">{words.file}</th>
            <th scope="col" className={classes.number}>
              {words.size}
            </th>
            <th scope="col">{words.mark}</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((row, index) =>
            row.kind === 'folder' ? (
              <tr key={`${row.path}/`} className={classes.folder}>
                <th scope="rowgroup" colSpan={3} style={{ paddingLeft: row.level * 14 }}>
                  <button
                    type="button"
                    aria-expanded={!folded.has(row.path)}
                    onClick={() => fold(row.path)}
                    {...roving(index)}
                  >
                    {folded.has(row.path) ? '▸' : '▾'} {row.name}/
                  </button>
                  <span className={classes.facts}>{row.files}</span>
                </th>
              </tr>
            ) : (
              <tr
                key={`${row.file.file} ${row.file.parts[0]}`}
                data-file={row.file.file}
                data-clash={clashing.has(row.file.file) || undefined}
                onClick={() => row.file.parts[0] && onChoose(row.file.parts, row.file.parts[0])}
              >
                <td className={classes.file} style={{ paddingLeft: row.level * 14 }}>
                  <PlannedFile
                    source={source}
                    row={row}
                    isClashing={clashing.has(row.file.file)}
                    roving={roving(index)}
                    onOpen={seen.some((one) => one.file === row.file.file) ? () => setOpened(row.file.file) : undefined}
                  />
                </td>
                <td className={classes.number}>
                  {row.file.size && `${row.file.size[0]} × ${row.file.size[1]}`}
                  <Bytes source={source} file={row.file} />
                </td>
                <td data-mark={row.file.change}>{MARKS[row.file.change]}</td>
              </tr>
            ),
          )}
          {plan.gone.map((file) => (
            <tr key={file}>
              <td className={classes.file}>{file}</td>
              <td />
              <td data-mark="gone">{MARKS.gone}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {opened !== null && (
        <Viewer source={source} files={seen} file={opened} onFile={setOpened} onClose={() => setOpened(null)} />
      )}
    </>
  );
}

/** How many bytes a file has: as in the package before, or once its picture was looked at. */
function Bytes({ source, file }: { source: PlanSource; file: Plan['files'][number] }) {
  const picture = usePlanned(source, file.file, false);
  // A TIFF is shown as a PNG of its pixels.
  const seen = file.file.endsWith('.tif') ? undefined : picture?.size;
  const known = file.bytes ?? seen;
  return known === undefined ? null : <span className={classes.facts}> {bytes(known)}</span>;
}

interface FileProps {
  source: PlanSource;
  row: FileRow;
  isClashing: boolean;
  /** By which its name is reached with the keyboard. */
  roving: { tabIndex: number; onFocus: () => void };
  onOpen: (() => void) | undefined;
}

function PlannedFile({ source, row, isClashing, roving, onOpen }: FileProps) {
  const { file } = row;
  const [first] = file.parts;
  const part = source.plan.parts.find((one) => one.id === first);
  return (
    <span className={classes.planned}>
      {SHOWN.has(file.kind) && onOpen ? (
        <PlannedPicture
          source={source}
          file={file.file}
          name={row.name}
          isLarge={file.kind === 'sheet' || file.kind === 'combination'}
          onOpen={onOpen}
        />
      ) : (
        <span className={classes.noPicture}>
          {onOpen && (
            <button
              type="button"
              className={classes.see}
              aria-label={words.showAtFullSize(row.name)}
              onClick={(event) => {
                event.stopPropagation();
                onOpen();
              }}
            >
              {words.show}
            </button>
          )}
        </span>
      )}
      <span>
        {/* The row around it chooses its parts. */}
        <button type="button" className={classes.name} {...roving}>
          {row.name}
        </button>
        {isClashing && <strong className={classes.clash}>{words.clash}</strong>}
        {part && !part.shown && <span className={classes.facts}>{words.hidden}</span>}
        {file.parts.length > 1 && <span className={classes.facts}>{words.oneImageForParts(file.parts.length)}</span>}
      </span>
    </span>
  );
}
