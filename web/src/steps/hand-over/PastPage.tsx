import { Panel } from '../../ui/Panel';
import { bytes, day, plural } from '../../ui/units';
import classes from './HandOver.module.css';
import { Receivers } from './Receivers';
import type { StepProps } from './useHandingOver';

/** All hand-overs, the newest first: by which recipe, what each changed, and whether the picture came back. */
export function PastPage({ handing, illustration, canEdit, onChoose }: StepProps) {
  const { handOvers } = handing;
  return (
    <Panel title="History">
      <Receivers
        illustration={illustration}
        handOvers={handOvers}
        canEdit={canEdit}
        onShow={(part) => onChoose([part], part)}
      />
      <h3>All hand-overs</h3>
      {handOvers.length === 0 && <p>No hand-overs yet. The plan shows what will be written.</p>}
      <ul className={classes.past}>
        {handOvers.map((one) => {
          const { report } = one;
          const fresh = report?.files.filter((file) => !file.kept).length ?? 0;
          return (
            <li key={one.id}>
              <strong>No. {one.number}</strong> {one.recipe}
              <p className={classes.facts}>
                {day(one.created_at)},{' '}
                {new Date(one.created_at).toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })}
                {one.created_by && `, ${one.created_by}`}
              </p>
              {report ? (
                <>
                  <p>
                    {plural(report.files.length, 'file')}, {bytes(report.bytes)}: {fresh} written,{' '}
                    {report.files.length - fresh} unchanged
                    {report.gone.length > 0 && `, ${report.gone.length} obsolete`}.{' '}
                    {report.proof.ok ? 'Verified.' : 'Not verified: the picture differs.'}
                  </p>
                  {one.package_bytes > 0 ? (
                    <a download href={`/api/hand-overs/${one.id}/package`}>
                      Download ZIP, {bytes(one.package_bytes)}
                    </a>
                  ) : (
                    <p className={classes.facts}>Its files are no longer kept; newer hand-overs by this recipe are.</p>
                  )}
                </>
              ) : (
                <p>{one.job?.state === 'failed' ? `Failed: ${one.job.error}` : (one.job?.state ?? 'cancelled')}</p>
              )}
            </li>
          );
        })}
      </ul>
    </Panel>
  );
}
