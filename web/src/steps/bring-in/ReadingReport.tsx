import { Anchor, Button, Table } from '@mantine/core';
import { Link } from 'react-router';
import type { Row, WholeIllustration } from '../../api/calls';
import { FirstFew } from '../../ui/FirstFew';
import { bytes, count } from '../../ui/units';
import classes from './BringIn.module.css';
import { readingReport as words } from './words';

const COUNTS = [
  ['layers', words.layers],
  ['vector', words.vectorLayers],
  ['groups', words.groups],
  ['animations', words.animations],
  ['frames', words.frames],
  ['hidden', words.hidden],
  ['empty', words.empty],
] as const;
const ALWAYS = new Set(['layers', 'groups', 'hidden']);

interface Props {
  illustration: WholeIllustration;
  rows: readonly Row[];
  onChoose: (ids: readonly string[], current: string | null) => void;
  /** Somebody wants to cut the picture into frames. */
  onCut: () => void;
}

/** What was read of the file, what was not understood, and how our picture compares with the file's own. */
export function ReadingReport({ illustration, rows, onChoose, onCut }: Props) {
  const { report } = illustration;
  const facts: [string, React.ReactNode][] = [
    [words.file, `${illustration.file_name}, ${bytes(illustration.bytes)}`],
    [words.canvas, words.px(illustration.width, illustration.height, report?.ppi ? words.atPpi(report.ppi) : '')],
    [words.colour, report ? words.bitsAChannel(report.bit_depth, report.colour_space) : ''],
    ...COUNTS.filter(([kind]) => ALWAYS.has(kind) || report?.counts[kind]).map(
      ([kind, name]): [string, React.ReactNode] => [name, count(report?.counts[kind] ?? 0)],
    ),
  ];
  const rowOf = (layer: string | null | undefined) =>
    rows.find((row) => row.id === layer || row.frames.some(({ pieces }) => pieces.some((one) => one.layer === layer)));
  return (
    <>
      <Table withRowBorders verticalSpacing={4} layout="fixed">
        <Table.Tbody>
          {facts.map(([name, value]) => (
            <Table.Tr key={name}>
              <Table.Th scope="row" w={130}>
                {name}
              </Table.Th>
              <Table.Td>{value}</Table.Td>
            </Table.Tr>
          ))}
        </Table.Tbody>
      </Table>
      <p>
        <Anchor download href={`/api/illustrations/${illustration.id}/original`}>
          {words.downloadTheOriginal}
        </Anchor>
        {words.keptByteForByte}
      </p>
      {report?.merged && (
        <>
          <h3>{words.comparedWithThePreview}</h3>
          <p>{report.merged.sentence}</p>
        </>
      )}
      <h3>{words.notes}</h3>
      {report && report.notes.length > 0 ? (
        <ul>
          {ofOneKind(report.notes).map(([kind, notes]) => (
            <FirstFew key={kind} items={notes} keyOf={({ path, sentence }) => `${path.join(' / ')} ${sentence}`}>
              {(note) => <ReadingNote note={note} row={rowOf(note.layer)} onChoose={onChoose} onCut={onCut} />}
            </FirstFew>
          ))}
        </ul>
      ) : (
        <p>{words.everythingWasRead}</p>
      )}
      <p>
        {words.toBringInAnotherPicture}
        <Link to="/">{words.projectsPage}</Link>. {report && words.layerCount(report.counts.layers ?? 0)}
        {words.areReadyInPut}
      </p>
    </>
  );
}

type Note = NonNullable<WholeIllustration['report']>['notes'][number];

function ofOneKind(notes: readonly Note[]): [string, Note[]][] {
  const kinds = new Map<string, Note[]>();
  for (const note of notes) kinds.set(note.kind, [...(kinds.get(note.kind) ?? []), note]);
  return [...kinds];
}

interface NoteProps extends Pick<Props, 'onChoose' | 'onCut'> {
  note: Note;
  /** What became of the layer that it is about. */
  row: Row | undefined;
}

function ReadingNote({ note, row, onChoose, onCut }: NoteProps) {
  const path = note.path.join(' / ');
  return (
    <li>
      {row ? (
        <button type="button" className={classes.toRow} onClick={() => onChoose([row.id], row.id)}>
          {path}
        </button>
      ) : (
        path && <strong>{path}</strong>
      )}
      {path && ': '}
      {note.sentence}{' '}
      {note.kind === 'sheet' && (
        <Button size="compact-xs" onClick={onCut}>
          {words.cutIntoFrames}
        </Button>
      )}
    </li>
  );
}
