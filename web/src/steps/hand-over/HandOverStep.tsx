import { Button } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { handOver, isRunning, useHandOvers, usePlan } from '../../api/calls';
import { JobProgress } from '../../ui/JobProgress';
import { Panel } from '../../ui/Panel';
import { plural } from '../../ui/units';
import classes from './HandOver.module.css';
import { HandOverReport } from './HandOverReport';
import { PlanTable } from './PlanTable';
import { lastDone, sizesOf } from './report';

interface Props {
  illustration: number;
  version: number;
  isSaving: boolean;
  canEdit: boolean;
}

/** The plan before anything is written, one action, and what came of it. */
export function HandOverStep({ illustration, version, isSaving, canEdit }: Props) {
  const queries = useQueryClient();
  const handOvers = useHandOvers(illustration);
  const last = lastDone(handOvers.data);
  const plan = usePlan(illustration, version, last?.number);
  const [error, setError] = useState<string | null>(null);
  const running = handOvers.data?.find((one) => isRunning(one.job));
  const [newest] = handOvers.data ?? [];
  const ask = async () => {
    setError(null);
    try {
      await handOver(illustration, version);
    } catch (problem) {
      setError((problem as Error).message);
    }
    await queries.invalidateQueries({ queryKey: ['hand-overs', illustration] });
    await queries.invalidateQueries({ queryKey: ['arrangement', illustration] });
  };

  const changes = new Map<string, number>();
  for (const file of plan.data?.files ?? []) changes.set(file.change, (changes.get(file.change) ?? 0) + 1);
  return (
    <Panel title="Hand over">
      {plan.error && (
        <p role="alert" className={classes.problem}>
          {plan.error.message}
        </p>
      )}
      {plan.data && (
        <>
          <p>
            {plural(
              plan.data.files.reduce((sum, file) => sum + file.images, 0),
              'image',
            )}{' '}
            and {plural(plan.data.beside.length, 'file')} beside them
            {plan.data.left_out.length > 0 && `; ${plural(plan.data.left_out.length, 'part')} left out`}
            {plan.data.empty.length > 0 && `; ${plural(plan.data.empty.length, 'part')} empty, so without a file`}.
            {plan.data.compared_with !== null &&
              ` Since no. ${plan.data.compared_with}: ${changes.get('new') ?? 0} new, ${changes.get('changed') ?? 0} changed, ${changes.get('same') ?? 0} the same, ${plan.data.gone.length} gone.`}
          </p>
          {canEdit && !running && (
            <Button onClick={ask} disabled={isSaving || plan.data.files.length === 0}>
              Hand over {plural(plan.data.files.length, 'part')}
            </Button>
          )}
        </>
      )}
      {running?.job && (
        <div className={classes.running}>
          <strong>No. {running.number}</strong>
          <JobProgress job={running.job} canCancel={canEdit} />
        </div>
      )}
      <div role="alert">
        {error && <p className={classes.problem}>{error}</p>}
        {newest?.job?.state === 'failed' && (
          <p className={classes.problem}>
            No. {newest.number} failed: {newest.job.error}
          </p>
        )}
        {newest?.job?.state === 'cancelled' && (
          <p className={classes.problem}>No. {newest.number} was cancelled; nothing of it was kept.</p>
        )}
      </div>
      {last && <HandOverReport handOver={last} />}
      {plan.data && <PlanTable plan={plan.data} sizes={sizesOf(last)} />}
      {handOvers.data && handOvers.data.length > 1 && (
        <>
          <h3>Earlier ones</h3>
          <ul className={classes.earlier}>
            {handOvers.data
              .filter((one) => one !== last && one !== running)
              .map((one) => (
                <li key={one.id}>
                  No. {one.number}, {new Date(one.created_at).toLocaleString()}
                  {one.created_by && ` by ${one.created_by}`}:{' '}
                  {one.report ? (
                    <a href={`/api/hand-overs/${one.id}/package`}>download</a>
                  ) : one.job?.state === 'failed' ? (
                    'failed'
                  ) : (
                    'cancelled'
                  )}
                </li>
              ))}
          </ul>
        </>
      )}
    </Panel>
  );
}
