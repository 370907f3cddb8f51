import { Table, Text } from '@mantine/core';
import { type Queued, useQueue } from '../api/calls';
import type { SignedIn } from '../ui/AccountMenu';
import { JobProgress } from '../ui/JobProgress';
import { PlainPage } from './PlainPage';
import classes from './QueuePage.module.css';
import { queuePage as words } from './words';

const KINDS: Record<Queued['job']['kind'], string> = {
  'bring-in': words.bringIn,
  'hand-over': words.handOver,
  pack: words.packTheProject,
  unpack: words.unpackAProject,
  'try-out': words.openInTryOut,
  film: words.writeAFilm,
  gather: words.handOverTheProject,
};

/** Long work that runs or waits, so that nobody has to guess why nothing moves. */
export function QueuePage({ user }: { user: SignedIn }) {
  const queue = useQueue();
  const rows = queue.data ?? [];
  return (
    <PlainPage title={words.queue} user={user}>
      <Text c="dimmed">{words.longWorkOfYourProjects}</Text>
      {queue.error && <Text role="alert">{queue.error.message}</Text>}
      {queue.data && rows.length === 0 && <Text className={classes.nothing}>{words.noJobsAreRunning}</Text>}
      {rows.length > 0 && (
        <Table aria-label={words.queue} verticalSpacing="xs">
          <Table.Thead>
            <Table.Tr>
              <Table.Th>{words.work}</Table.Th>
              <Table.Th>{words.project}</Table.Th>
              <Table.Th>{words.startedBy}</Table.Th>
              <Table.Th>{words.since}</Table.Th>
              <Table.Th className={classes.progress}>{words.progress}</Table.Th>
            </Table.Tr>
          </Table.Thead>
          <Table.Tbody>
            {rows.map(({ job, project, illustration, asked_by, created_at, can_cancel }) => (
              <Table.Tr key={job.id} data-state={job.state}>
                <Table.Td>
                  {KINDS[job.kind]}
                  {illustration && <span className={classes.name}>{illustration}</span>}
                </Table.Td>
                <Table.Td>{project}</Table.Td>
                <Table.Td>{asked_by ?? words.removedAccount}</Table.Td>
                <Table.Td>{since(created_at)}</Table.Td>
                <Table.Td>
                  <JobProgress job={job} canCancel={can_cancel} />
                </Table.Td>
              </Table.Tr>
            ))}
          </Table.Tbody>
        </Table>
      )}
    </PlainPage>
  );
}

/** For how long something has been there. */
function since(moment: string): string {
  const seconds = Math.max(0, Math.round((Date.now() - Date.parse(moment)) / 1000));
  if (seconds < 60) return `${seconds} s`;
  if (seconds < 3600) return words.min(Math.floor(seconds / 60));
  return words.hMin(Math.floor(seconds / 3600), Math.floor((seconds % 3600) / 60));
}
