import { Button, Group, Progress, Text } from '@mantine/core';
import { cancelJob, type Job } from '../api/calls';
import { count } from './units';

const STAGES: Record<string, string> = {
  read: 'Reading',
  write: 'Writing',
  prove: 'Proving',
  keep: 'Keeping pictures',
  pack: 'Packing file',
  unpack: 'Unpacking file',
};

interface Props {
  job: Job;
  canCancel: boolean;
}

/** How far long work is, with a way to end it. */
export function JobProgress({ job, canCancel }: Props) {
  const sentence =
    job.state === 'waiting' || !job.stage
      ? 'Waiting for its turn'
      : `${STAGES[job.stage] ?? job.stage} ${count(job.done)} of ${count(job.total)}`;
  return (
    <div role="status">
      <Group justify="space-between" gap="xs">
        <Text size="sm">{sentence}</Text>
        {canCancel && (
          <Button size="compact-xs" variant="default" onClick={() => cancelJob(job.id).catch(() => undefined)}>
            Cancel
          </Button>
        )}
      </Group>
      <Progress value={job.total ? (100 * job.done) / job.total : 0} mt={4} aria-label={sentence} />
    </div>
  );
}
