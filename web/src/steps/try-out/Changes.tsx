import { useChanges } from '../../api/rehearsals';
import classes from './TryOut.module.css';
import { changes as words } from './words';

/** At most so many of a kind are listed. */
const LISTED = 8;

/** What is otherwise than in the hand-over that was opened before this one. */
export function Changes({ rehearsal }: { rehearsal: number }) {
  const { data } = useChanges(rehearsal);
  if (!data || data.since === null) return null;
  const lists: readonly [string, readonly string[]][] = [
    [words.changedPixels, data.changed],
    [words.new, data.new],
    [words.removed, data.gone],
    [words.changedPivot, data.other_pivot],
    [words.movedOrScaled, data.other_box],
    [words.changedParent, data.other_parent],
    [words.matchedByName, data.by_name],
  ];
  return (
    <section className={classes.right} aria-label={words.changes}>
      <p className={classes.figure}>{words.sinceHandOverNoParts(data.since, data.same)}</p>
      <ul className={classes.trouble}>
        {lists.map(
          ([what, found]) =>
            found.length > 0 && (
              <li key={what}>
                {what}: {found.slice(0, LISTED).join(', ')}
                {found.length > LISTED && words.andMore(found.length - LISTED)}
              </li>
            ),
        )}
      </ul>
      <p className={classes.facts}>{words.posesAndKeysStay}</p>
    </section>
  );
}
