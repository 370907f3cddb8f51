import { Anchor, Button, Table } from '@mantine/core';
import { Link } from 'react-router';
import type { Row, WholeIllustration } from '../../api/calls';
import { FirstFew } from '../../ui/FirstFew';
import { bytes, count, plural } from '../../ui/units';
import classes from './BringIn.module.css';

const COUNTS = [
  ['layers', 'Layers'],
  ['vector', 'Vector layers'],
  ['groups', 'Groups'],
  ['animations', 'Animations'],
  ['frames', 'Frames'],
  ['hidden', 'Hidden'],
  ['empty', 'Empty'],
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
    ['File', `${illustration.file_name}, ${bytes(illustration.bytes)}`],
    ['Canvas', `${illustration.width} × ${illustration.height} px${report?.ppi ? ` at ${report.ppi} ppi` : ''}`],
    ['Colour', report ? `${report.bit_depth} bits a channel, ${report.colour_space}` : ''],
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
          Download the original
        </Anchor>
        , kept byte for byte.
      </p>
      {report?.merged && (
        <>
          <h3>Compared with the preview in the file</h3>
          <p>{report.merged.sentence}</p>
        </>
      )}
      <h3>Notes</h3>
      {report && report.notes.length > 0 ? (
        <ul>
          {ofOneKind(report.notes).map(([kind, notes]) => (
            <FirstFew key={kind} items={notes} keyOf={({ path, sentence }) => `${path.join(' / ')} ${sentence}`}>
              {(note) => <ReadingNote note={note} row={rowOf(note.layer)} onChoose={onChoose} onCut={onCut} />}
            </FirstFew>
          ))}
        </ul>
      ) : (
        <p>Everything was read as it is; nothing was converted.</p>
      )}
      <p>
        To bring in another picture, go to the <Link to="/">projects page</Link>.{' '}
        {report && plural(report.counts.layers ?? 0, 'layer')} are ready in Put in order.
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
          Cut into frames
        </Button>
      )}
    </li>
  );
}
