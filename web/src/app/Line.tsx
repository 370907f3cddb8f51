import { NavLink } from 'react-router';
import { STEPS, type StepName } from './steps';
import classes from './Workspace.module.css';
import { line as words } from './words';

interface Props {
  illustration: number;
  /** What each stop has to say of itself, in a few words. */
  states: Record<StepName, string>;
  /** The page of each that was open last. */
  pages: Partial<Record<StepName, string>>;
}

/** The line: five stops of the work, each with its state; one may go back and forth freely. */
export function Line({ illustration, states, pages }: Props) {
  return (
    <nav aria-label={words.steps}>
      <ol className={classes.line}>
        {STEPS.map(({ step, label }) => (
          <li key={step}>
            <NavLink
              to={`/illustrations/${illustration}/${step}${pages[step] ? `?page=${pages[step]}` : ''}`}
              className={classes.stop}
            >
              <span className={classes.stopName}>{label}</span>
              <span className={classes.stopState}>{states[step]}</span>
            </NavLink>
          </li>
        ))}
      </ol>
    </nav>
  );
}
