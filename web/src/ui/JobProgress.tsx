import { Button, Group, Progress, Text } from '@mantine/core';
import { useEffect, useState } from 'react';
import { cancelJob, type Job } from '../api/calls';
import { count } from './units';
import { jobProgress as words } from './words';

const STAGES: Record<string, string> = {
  read: words.reading,
  write: words.writing,
  prove: words.verifying,
  film: words.drawing,
  keep: words.savingLayerImages,
  pack: words.packingFile,
  unpack: words.unpackingFile,
  try: words.rebuildingStep,
  gather: words.collectingPackages,
};

interface Props {
  job: Job;
  canCancel: boolean;
}

/** How far long work is, with a way to end it. */
export function JobProgress({ job, canCancel }: Props) {
  const sentence =
    job.state === 'waiting' || !job.stage
      ? words.queued(job.held_up && `. ${job.held_up}`)
      : words.of(STAGES[job.stage] ?? job.stage, job.done, job.total);
  const speed = useSpeed(job);
  return (
    <div role="status">
      <Group justify="space-between" gap="xs">
        <Text size="sm">
          {sentence}
          {speed && (
            <Text span size="xs" c="dimmed">
              {' '}
              {speed}
            </Text>
          )}
        </Text>
        {canCancel && (
          <Button size="compact-xs" variant="default" onClick={() => cancelJob(job.id).catch(() => undefined)}>
            {words.cancel}
          </Button>
        )}
      </Group>
      <Progress
        color="var(--petrol)"
        value={job.total ? (100 * job.done) / job.total : 0}
        mt={4}
        aria-label={sentence}
      />
    </div>
  );
}

/** Milliseconds of a stage after which its speed says something. */
const TELLING = 2000;

/** How fast a stage goes, once that can be told. How long it will take cannot: the largest pieces come first. */
function useSpeed({ stage, done }: Job): string {
  const [began, setBegan] = useState({ stage, done, at: Date.now() });
  useEffect(() => {
    setBegan((before) => (before.stage === stage ? before : { stage, done, at: Date.now() }));
  }, [stage, done]);
  const passed = Date.now() - began.at;
  const second = (1000 * (done - began.done)) / passed;
  if (began.stage !== stage || passed < TELLING || second <= 0) return '';
  return words.perSecond(second < 10 ? second.toFixed(1) : count(Math.round(second)));
}
