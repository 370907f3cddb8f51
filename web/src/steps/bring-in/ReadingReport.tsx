import { Anchor, Table } from '@mantine/core';
import { Link } from 'react-router';
import type { WholeIllustration } from '../../api/calls';
import { Panel } from '../../ui/Panel';
import { bytes, count, plural } from '../../ui/units';

const COUNTS = [
  ['layers', 'Layers'],
  ['groups', 'Groups'],
  ['hidden', 'Hidden'],
  ['empty', 'Empty'],
] as const;

/** What was read of the file, what was not understood, and how our picture compares with the file's own. */
export function ReadingReport({ illustration }: { illustration: WholeIllustration }) {
  const { report } = illustration;
  const facts: [string, React.ReactNode][] = [
    ['File', `${illustration.file_name}, ${bytes(illustration.bytes)}`],
    ['Canvas', `${illustration.width} × ${illustration.height} px${report?.ppi ? ` at ${report.ppi} ppi` : ''}`],
    ['Colour', report ? `${report.bit_depth} bits a channel, ${report.colour_space}` : ''],
    ...COUNTS.map(([kind, name]): [string, React.ReactNode] => [name, count(report?.counts[kind] ?? 0)]),
  ];
  return (
    <Panel title="What was brought in">
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
        <Anchor href={`/api/illustrations/${illustration.id}/original`}>Download the original</Anchor>: it is kept as it
        came, byte for byte.
      </p>
      {report?.merged && (
        <>
          <h3>Against the picture that the file shows</h3>
          <p>{report.merged.sentence}</p>
        </>
      )}
      <h3>Notes</h3>
      {report && report.notes.length > 0 ? (
        <ul>
          {report.notes.map((note) => (
            <li key={`${note.kind} ${note.path.join('/')} ${note.sentence}`}>
              {note.path.length > 0 && <strong>{note.path.join(' / ')}: </strong>}
              {note.sentence}
            </li>
          ))}
        </ul>
      ) : (
        <p>Everything in the file was understood; nothing was converted.</p>
      )}
      <p>
        Another picture is brought in on the <Link to="/">page of projects</Link>.{' '}
        {report && plural(report.counts.layers ?? 0, 'layer')} wait under “Put in order”.
      </p>
    </Panel>
  );
}
