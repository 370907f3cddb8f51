import { Panel } from '../../ui/Panel';
import { day, minute } from '../../ui/units';
import classes from './HandOver.module.css';
import { Receivers } from './Receivers';
import type { StepProps } from './useHandingOver';
import { pastPage as words } from './words';

/** All hand-overs, the newest first: by which recipe, what each changed, and whether the picture came back. */
export function PastPage({ handing, illustration, canEdit, onChoose }: StepProps) {
  const { handOvers } = handing;
  return (
    <Panel title={words.history}>
      <Receivers
        illustration={illustration}
        handOvers={handOvers}
        canEdit={canEdit}
        onShow={(part) => onChoose([part], part)}
      />
      <h3>{words.allHandOvers}</h3>
      {handOvers.length === 0 && <p>{words.noHandOversYet}</p>}
      <ul className={classes.past}>
        {handOvers.map((one) => {
          const { report } = one;
          const fresh = report?.files.filter((file) => !file.kept).length ?? 0;
          return (
            <li key={one.id}>
              <strong>{words.no(one.number)}</strong> {one.recipe}
              <p className={classes.facts}>
                {day(one.created_at)}, {minute(one.created_at)}
                {one.created_by && `, ${one.created_by}`}
              </p>
              {report ? (
                <>
                  <p>
                    {words.writtenUnchanged(report.files.length, report.bytes, fresh, report.files.length - fresh)}
                    {report.gone.length > 0 && words.obsolete(report.gone.length)}.{' '}
                    {report.proof.ok ? words.verified : words.notVerifiedThePictureDiffers}
                  </p>
                  {one.package_bytes > 0 ? (
                    <a download href={`/api/hand-overs/${one.id}/package`}>
                      {words.downloadZip(one.package_bytes)}
                    </a>
                  ) : (
                    <p className={classes.facts}>{words.itsFilesAreNoLonger}</p>
                  )}
                </>
              ) : (
                <p>
                  {one.job?.state === 'failed' ? words.failed(one.job.error) : (one.job?.state ?? words.isCancelled)}
                </p>
              )}
            </li>
          );
        })}
      </ul>
    </Panel>
  );
}
