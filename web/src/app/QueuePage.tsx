import { Table, Text } from '@mantine/core';
import { type Queued, useQueue } from '../api/calls';
import type { SignedIn } from '../ui/AccountMenu';
import { JobProgress } from '../ui/JobProgress';
import { PlainPage } from './PlainPage';
import classes from './QueuePage.module.css';

const KINDS: Record<Queued['job']['kind'], string> = {
  'bring-in': 'Bring in',
  'hand-over': 'Hand over',
  pack: 'Pack the project',
  unpack: 'Unpack a project',
  'try-out': 'Open in Try out',
  film: 'Write a film',
  gather: 'Hand over the project',
};

/** Long work that runs or waits, so that nobody has to guess why nothing moves. */
export function QueuePage({ user }: { user: SignedIn }) {
  const queue = useQueue();
  const rows = queue.data ?? [];
  return (
    <PlainPage title="Queue" user={user}>
      <Text c="dimmed">
        Long work of your projects, running jobs first. Turns are fair: whoever has the fewest running jobs is next.
      </Text>
      {queue.error && <Text role="alert">{queue.error.message}</Text>}
      {queue.data && rows.length === 0 && <Text className={classes.nothing}>No jobs are running or queued.</Text>}
      {rows.length > 0 && (
        <Table aria-label="Queue" verticalSpacing="xs">
          <Table.Thead>
            <Table.Tr>
              <Table.Th>Work</Table.Th>
              <Table.Th>Project</Table.Th>
              <Table.Th>Started by</Table.Th>
              <Table.Th>Since</Table.Th>
              <Table.Th className={classes.progress}>Progress</Table.Th>
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
                <Table.Td>{asked_by ?? 'removed account'}</Table.Td>
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
  if (seconds < 3600) return `${Math.floor(seconds / 60)} min`;
  return `${Math.floor(seconds / 3600)} h ${Math.floor((seconds % 3600) / 60)} min`;
}
