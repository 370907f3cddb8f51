import { Button } from '@mantine/core';
import { useLocation, useNavigate } from 'react-router';
import { useWalking } from '../ui/useWalk';
import classes from './Workspace.module.css';

/** The stops of the walk: where each is, and what is to be seen there. */
const STOPS: readonly { to: string; told: string }[] = [
  {
    to: 'bring-in?page=report',
    told: 'Bring in. Brindle came as one file with layers. The report says what was read of it, and what was adapted.',
  },
  {
    to: 'bring-in?page=revisions',
    told: 'A changed drawing becomes a revision. Both states are compared here, and nothing changes before you accept it.',
  },
  {
    to: 'take-apart',
    told: "Take apart. Flat art is separated by clicks: click a part, type its name, click the next. Brindle's layers are parts already.",
  },
  {
    to: 'put-in-order',
    told: 'Put in order. A row a part, front-most first. F2 renames, N and F move nearer and farther, S hides. Undo takes back anything.',
  },
  {
    to: 'put-in-order?page=joints',
    told: 'Joints. A limb has a parent and a pivot. Select one and press Swing to see where a gap opens.',
  },
  {
    to: 'put-in-order?page=notes',
    told: 'Findings. All that should be looked at, from rows, pixels and the plan, each with its fix.',
  },
  {
    to: 'try-out',
    told: 'Try out. The package as its recipient gets it, rebuilt from its files alone. Under Move it is posed, keyed and played.',
  },
  {
    to: 'hand-over',
    told: 'Hand over. The plan shows every file before it is written. Afterwards the picture is rebuilt from them, and differing pixels are counted.',
  },
];

/** A line above the foot, from stop to stop; it is left at any time, and everything works meanwhile. */
export function Walk({ illustration }: { illustration: number }) {
  const [walking, setWalking] = useWalking();
  const navigate = useNavigate();
  const { pathname, search } = useLocation();
  const stop = walking?.illustration === illustration ? walking.stop : -1;
  const here = STOPS[stop];
  if (!here) return null;
  const [step, page = null] = here.to.split('?page=');
  const isThere = pathname.endsWith(`/${step}`) && new URLSearchParams(search).get('page') === page;
  const go = (next: number) => {
    setWalking({ illustration, stop: next });
    navigate(`/illustrations/${illustration}/${STOPS[next]?.to}`);
  };
  return (
    <section className={classes.walk} aria-label="Walk">
      <p role="status">
        <strong>
          {stop + 1} of {STOPS.length}
        </strong>{' '}
        {here.told}
      </p>
      {!isThere && (
        <Button size="compact-sm" variant="default" onClick={() => go(stop)}>
          Show again
        </Button>
      )}
      <Button size="compact-sm" variant="default" disabled={stop === 0} onClick={() => go(stop - 1)}>
        Back
      </Button>
      {stop < STOPS.length - 1 && (
        <Button size="compact-sm" onClick={() => go(stop + 1)}>
          Next
        </Button>
      )}
      <Button size="compact-sm" variant="default" onClick={() => setWalking(null)}>
        End walk
      </Button>
    </section>
  );
}
