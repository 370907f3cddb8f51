import { Button, NativeSelect, NumberInput, TextInput } from '@mantine/core';
import { useState } from 'react';
import type { Recipe } from '../../api/calls';
import form from '../../ui/form.module.css';
import { Panel } from '../../ui/Panel';
import classes from './HandOver.module.css';
import { added, moved, type Piece, type PieceKind, pieceKind, pieceLabel } from './pieces';
import type { StepProps } from './useHandingOver';
import { namesPage as words } from './words';

type Names = Recipe['names'];

const KINDS: readonly { value: PieceKind; label: string }[] = [
  { value: 'text', label: words.text },
  { value: 'part', label: words.part },
  { value: 'group', label: words.group },
  { value: 'look', label: words.look },
  { value: 'side', label: words.side },
  { value: 'number', label: words.number },
  { value: 'frame', label: words.frame },
  { value: 'scale', label: words.scale },
  { value: 'illustration', label: words.illustration },
];
const FOLDERS = [
  { value: 'nested', label: words.fromGroups },
  { value: 'looks', label: words.oneForEachLook },
  { value: 'flat', label: words.none },
];
const LETTERS = [
  { value: 'as named', label: words.unchanged },
  { value: 'lower', label: words.lowerCase },
  { value: 'upper', label: words.upperCase },
];
const SPACES = [
  { value: ' ', label: words.space },
  { value: '-', label: '-' },
  { value: '_', label: '_' },
  { value: '', label: words.nothing },
];

/** File names put together of pieces, with all names that come of it. */
export function NamesPage({ handing, onChoose }: StepProps) {
  const { recipe, plan } = handing;
  const [at, setAt] = useState(0);
  if (!recipe) return <Panel title={words.names}>{null}</Panel>;
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
    <Panel title={words.names}>
      <div className={form.form}>
        <p className={form.told}>{words.aFileNameIsThese}</p>
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
        <fieldset className={`${form.tools} ${classes.add}`} aria-label={words.addPiece}>
          <span className={form.told}>{words.add}</span>
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
        {words.nameCount(images.length)}
        {clashes.size > 0 && <strong className={classes.clash}>{words.clash(clashes.size)}</strong>}
      </h3>
      {handing.planError && (
        <p role="alert" className={classes.problem}>
          {handing.planError}
        </p>
      )}
      <ol className={classes.names} aria-label={words.allNames} aria-busy={handing.isPlanning}>
        {images.toReversed().map((file) => (
          <li key={`${file.file} ${file.parts[0]}`} data-clash={clashes.has(file.file) || undefined}>
            <button type="button" onClick={() => onChoose(file.parts, file.parts[0] ?? null)}>
              {file.file}
            </button>
            {clashes.has(file.file) && <strong className={classes.clash}>{words.twice}</strong>}
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
    <ol className={classes.pieces} aria-label={words.piecesOfAName}>
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
          label={words.folders}
          data={FOLDERS}
          value={names.folders}
          onChange={(event) => change({ folders: event.currentTarget.value as Names['folders'] })}
        />
        <TextInput
          size="xs"
          label={words.rootFolder}
          maxLength={60}
          value={names.folder}
          onChange={(event) => event.currentTarget.value && change({ folder: event.currentTarget.value })}
        />
      </div>
      <div className={form.row}>
        <NativeSelect
          size="xs"
          label={words.letterCase}
          data={LETTERS}
          value={names.letters}
          onChange={(event) => change({ letters: event.currentTarget.value as Names['letters'] })}
        />
        <NativeSelect
          size="xs"
          label={words.replaceSpacesWith}
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
          label={words.text}
          maxLength={60}
          value={piece.text}
          onChange={(event) => event.currentTarget.value && onChange({ text: event.currentTarget.value })}
        />
      )}
      {'start' in piece && (
        <>
          <NumberInput
            size="xs"
            label={words.firstNumber}
            min={0}
            allowDecimal={false}
            value={piece.start}
            onChange={(value) => typeof value === 'number' && onChange({ ...piece, start: value })}
          />
          <NumberInput
            size="xs"
            label={words.minimumDigits}
            min={1}
            max={6}
            allowDecimal={false}
            value={piece.width}
            onChange={(value) => typeof value === 'number' && value >= 1 && onChange({ ...piece, width: value })}
          />
          <NativeSelect
            size="xs"
            label={words.count}
            data={[
              { value: 'back', label: words.fromTheBack },
              { value: 'front', label: words.fromTheFront },
            ]}
            value={piece.counted}
            onChange={(event) => onChange({ ...piece, counted: event.currentTarget.value as 'back' | 'front' })}
          />
          <NativeSelect
            size="xs"
            label={words.within}
            data={[
              { value: 'all', label: words.allParts },
              { value: 'group', label: words.ownGroup },
            ]}
            value={piece.within}
            onChange={(event) => onChange({ ...piece, within: event.currentTarget.value as 'all' | 'group' })}
          />
        </>
      )}
      <Button size="xs" variant="default" disabled={!onEarlier} onClick={onEarlier ?? undefined}>
        {words.moveEarlier}
      </Button>
      <Button size="xs" variant="default" disabled={!onLater} onClick={onLater ?? undefined}>
        {words.moveLater}
      </Button>
      <Button size="xs" variant="default" disabled={isOnly} onClick={onTakeAway}>
        {words.removePiece}
      </Button>
    </div>
  );
}
