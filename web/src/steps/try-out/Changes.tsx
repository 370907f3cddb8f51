import { useChanges } from '../../api/rehearsals';
import { count } from '../../ui/units';
import classes from './TryOut.module.css';

/** At most so many of a kind are listed. */
const LISTED = 8;

/** What is otherwise than in the hand-over that was opened before this one. */
export function Changes({ rehearsal }: { rehearsal: number }) {
  const { data } = useChanges(rehearsal);
  if (!data || data.since === null) return null;
  const lists: readonly [string, readonly string[]][] = [
    ['Changed pixels', data.changed],
    ['New', data.new],
    ['Removed', data.gone],
    ['Changed pivot', data.other_pivot],
    ['Moved or scaled', data.other_box],
    ['Changed parent', data.other_parent],
    ['Matched by name', data.by_name],
  ];
  return (
    <section className={classes.right} aria-label="Changes">
      <p className={classes.figure}>
        Since hand-over no. {data.since}: {count(data.same)} parts unchanged
      </p>
      <ul className={classes.trouble}>
        {lists.map(
          ([what, found]) =>
            found.length > 0 && (
              <li key={what}>
                {what}: {found.slice(0, LISTED).join(', ')}
                {found.length > LISTED && ` and ${count(found.length - LISTED)} more`}
              </li>
            ),
        )}
      </ul>
      <p className={classes.facts}>Poses and keys stay with their parts.</p>
    </section>
  );
}
