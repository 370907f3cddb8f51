import { Button, NativeSelect, NumberInput, TextInput } from '@mantine/core';
import { useState } from 'react';
import type { Recipe } from '../../api/calls';
import form from '../../ui/form.module.css';
import { Panel } from '../../ui/Panel';
import { plural } from '../../ui/units';
import classes from './HandOver.module.css';
import { added, moved, type Piece, type PieceKind, pieceKind, pieceLabel } from './pieces';
import type { StepProps } from './useHandingOver';

type Names = Recipe['names'];

const KINDS: readonly { value: PieceKind; label: string }[] = [
  { value: 'text', label: 'Text' },
  { value: 'part', label: 'Part' },
  { value: 'group', label: 'Group' },
  { value: 'look', label: 'Look' },
  { value: 'side', label: 'Side' },
  { value: 'number', label: 'Number' },
  { value: 'frame', label: 'Frame' },
  { value: 'scale', label: 'Scale' },
  { value: 'illustration', label: 'Illustration' },
];
const FOLDERS = [
  { value: 'nested', label: 'From groups' },
  { value: 'looks', label: 'One for each look' },
  { value: 'flat', label: 'None' },
];
const LETTERS = [
  { value: 'as named', label: 'Unchanged' },
  { value: 'lower', label: 'Lower case' },
  { value: 'upper', label: 'Upper case' },
];
const SPACES = [
  { value: ' ', label: 'Space' },
  { value: '-', label: '-' },
  { value: '_', label: '_' },
  { value: '', label: 'Nothing' },
];

/** File names put together of pieces, with all names that come of it. */
export function NamesPage({ handing, onChoose }: StepProps) {
  const { recipe, plan } = handing;
  const [at, setAt] = useState(0);
  if (!recipe) return <Panel title="Names">{null}</Panel>;
  const { names } = recipe;
  const change = (said: Partial<Names>) => handing.setRecipe({ ...recipe, names: { ...names, ...said } });
  const put = (pieces: readonly Piece[], current: number) => {
    change({ pieces: [...pieces] });
    setAt(current);
  };
  const piece = names.pieces[at];
  const images = plan?.files.filter((file) => file.kind === 'image') ?? [];
  const clashes = new Set(plan?.notes.flatMap((note) => (note.kind === 'clash' ? note.files : [])) ?? []);
  return (
    <Panel title="Names">
      <div className={form.form}>
        <p className={form.told}>
          A file name is these pieces in order. Drag them, or select one and move it with the arrow keys or the buttons.
        </p>
        <PieceList pieces={names.pieces} at={at} onAt={setAt} onPieces={put} />
        {piece && (
          <PieceFields
            piece={piece}
            isOnly={names.pieces.length === 1}
            onChange={(next) =>
              put(
                names.pieces.map((one, index) => (index === at ? next : one)),
                at,
              )
            }
            onEarlier={at > 0 ? () => put(moved(names.pieces, at, at - 1), at - 1) : null}
            onLater={at < names.pieces.length - 1 ? () => put(moved(names.pieces, at, at + 1), at + 1) : null}
            onTakeAway={() =>
              put(
                names.pieces.filter((_, index) => index !== at),
                Math.max(at - 1, 0),
              )
            }
          />
        )}
        <fieldset className={`${form.tools} ${classes.add}`} aria-label="Add piece">
          <span className={form.told}>Add</span>
          {KINDS.map(({ value, label }) => (
            <Button
              key={value}
              size="compact-xs"
              variant="default"
              onClick={() => put([...names.pieces, added(value)], names.pieces.length)}
            >
              {label}
            </Button>
          ))}
        </fieldset>
      </div>
      <NameRules names={names} change={change} />
      <h3>
        {plural(images.length, 'name')}
        {clashes.size > 0 && <strong className={classes.clash}>, {clashes.size} clash</strong>}
      </h3>
      {handing.planError && (
        <p role="alert" className={classes.problem}>
          {handing.planError}
        </p>
      )}
      <ol className={classes.names} aria-label="All names" aria-busy={handing.isPlanning}>
        {images.toReversed().map((file) => (
          <li key={`${file.file} ${file.parts[0]}`} data-clash={clashes.has(file.file) || undefined}>
            <button type="button" onClick={() => onChoose(file.parts, file.parts[0] ?? null)}>
              {file.file}
            </button>
            {clashes.has(file.file) && <strong className={classes.clash}> twice</strong>}
          </li>
        ))}
      </ol>
    </Panel>
  );
}

interface PieceListProps {
  pieces: readonly Piece[];
  /** Which of them is open. */
  at: number;
  onAt: (at: number) => void;
  onPieces: (pieces: readonly Piece[], at: number) => void;
}

/** The pieces in a row, to be dragged or moved with the arrow keys; by touch with the buttons below. */
function PieceList({ pieces, at, onAt, onPieces }: PieceListProps) {
  const [dragged, setDragged] = useState<number | null>(null);
  return (
    <ol className={classes.pieces} aria-label="Pieces of a name">
      {pieces.map((one, index) => (
        <li
          // biome-ignore lint/suspicious/noArrayIndexKey: the same piece may be there twice
          key={index}
          draggable
          onDragStart={() => setDragged(index)}
          onDragEnd={() => setDragged(null)}
          onDragOver={(event) => dragged !== null && event.preventDefault()}
          onDrop={(event) => {
            event.preventDefault();
            event.stopPropagation();
            if (dragged !== null) onPieces(moved(pieces, dragged, index), index);
            setDragged(null);
          }}
        >
          <button
            type="button"
            aria-pressed={index === at}
            data-kind={pieceKind(one)}
            onClick={() => onAt(index)}
            onKeyDown={(event) => {
              const to = event.key === 'ArrowLeft' ? index - 1 : event.key === 'ArrowRight' ? index + 1 : null;
              if (to !== null && pieces[to]) {
                event.preventDefault();
                onPieces(moved(pieces, index, to), to);
                const list = event.currentTarget.closest('ol');
                window.setTimeout(() => list?.querySelectorAll<HTMLElement>('button')[to]?.focus());
              } else if (event.key === 'Delete' && pieces.length > 1) {
                onPieces(
                  pieces.filter((_, other) => other !== index),
                  Math.max(index - 1, 0),
                );
              }
            }}
          >
            {pieceLabel(one)}
          </button>
        </li>
      ))}
    </ol>
  );
}

/** Folders, letters and spaces. */
function NameRules({ names, change }: { names: Names; change: (said: Partial<Names>) => void }) {
  return (
    <div className={form.form}>
      <div className={form.row}>
        <NativeSelect
          size="xs"
          label="Folders"
          data={FOLDERS}
          value={names.folders}
          onChange={(event) => change({ folders: event.currentTarget.value as Names['folders'] })}
        />
        <TextInput
          size="xs"
          label="Root folder"
          maxLength={60}
          value={names.folder}
          onChange={(event) => event.currentTarget.value && change({ folder: event.currentTarget.value })}
        />
      </div>
      <div className={form.row}>
        <NativeSelect
          size="xs"
          label="Letter case"
          data={LETTERS}
          value={names.letters}
          onChange={(event) => change({ letters: event.currentTarget.value as Names['letters'] })}
        />
        <NativeSelect
          size="xs"
          label="Replace spaces with"
          data={SPACES}
          value={names.space}
          onChange={(event) => change({ space: event.currentTarget.value as Names['space'] })}
        />
      </div>
    </div>
  );
}

interface PieceProps {
  piece: Piece;
  isOnly: boolean;
  onChange: (piece: Piece) => void;
  /** Null where there is no place before, or behind. */
  onEarlier: (() => void) | null;
  onLater: (() => void) | null;
  onTakeAway: () => void;
}

/** What can be said of one piece. */
function PieceFields({ piece, isOnly, onChange, onEarlier, onLater, onTakeAway }: PieceProps) {
  return (
    <div className={form.row}>
      {'text' in piece && (
        <TextInput
          size="xs"
          label="Text"
          maxLength={60}
          value={piece.text}
          onChange={(event) => event.currentTarget.value && onChange({ text: event.currentTarget.value })}
        />
      )}
      {'start' in piece && (
        <>
          <NumberInput
            size="xs"
            label="First number"
            min={0}
            allowDecimal={false}
            value={piece.start}
            onChange={(value) => typeof value === 'number' && onChange({ ...piece, start: value })}
          />
          <NumberInput
            size="xs"
            label="Minimum digits"
            min={1}
            max={6}
            allowDecimal={false}
            value={piece.width}
            onChange={(value) => typeof value === 'number' && value >= 1 && onChange({ ...piece, width: value })}
          />
          <NativeSelect
            size="xs"
            label="Count"
            data={[
              { value: 'back', label: 'From the back' },
              { value: 'front', label: 'From the front' },
            ]}
            value={piece.counted}
            onChange={(event) => onChange({ ...piece, counted: event.currentTarget.value as 'back' | 'front' })}
          />
          <NativeSelect
            size="xs"
            label="Within"
            data={[
              { value: 'all', label: 'All parts' },
              { value: 'group', label: 'Own group' },
            ]}
            value={piece.within}
            onChange={(event) => onChange({ ...piece, within: event.currentTarget.value as 'all' | 'group' })}
          />
        </>
      )}
      <Button size="xs" variant="default" disabled={!onEarlier} onClick={onEarlier ?? undefined}>
        Move earlier
      </Button>
      <Button size="xs" variant="default" disabled={!onLater} onClick={onLater ?? undefined}>
        Move later
      </Button>
      <Button size="xs" variant="default" disabled={isOnly} onClick={onTakeAway}>
        Remove piece
      </Button>
    </div>
  );
}
