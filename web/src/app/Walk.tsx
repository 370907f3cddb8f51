import { Button } from '@mantine/core';
import { useLocation, useNavigate } from 'react-router';
import { useWalking } from '../ui/useWalk';
import classes from './Workspace.module.css';
import { walk as words } from './words';

/** The stops of the walk: where each is, and what is to be seen there. */
const STOPS: readonly { to: string; told: string }[] = [
  {
    to: 'bring-in?page=report',
    told: words.bringInBrindleCame,
  },
  {
    to: 'bring-in?page=revisions',
    told: words.aChangedDrawingBecomes,
  },
  {
    to: 'take-apart',
    told: words.takeApartFlatArt,
  },
  {
    to: 'put-in-order',
    told: words.putInOrderARow,
  },
  {
    to: 'put-in-order?page=joints',
    told: words.jointsALimb,
  },
  {
    to: 'put-in-order?page=notes',
    told: words.findingsAllThatShould,
  },
  {
    to: 'try-out',
    told: words.tryOutThePackage,
  },
  {
    to: 'hand-over',
    told: words.handOverThePlanShows,
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
    <section className={classes.walk} aria-label={words.walk}>
      <p role="status">
        <strong>{words.of(stop + 1, STOPS.length)}</strong> {here.told}
      </p>
      {!isThere && (
        <Button size="compact-sm" variant="default" onClick={() => go(stop)}>
          {words.showAgain}
        </Button>
      )}
      <Button size="compact-sm" variant="default" disabled={stop === 0} onClick={() => go(stop - 1)}>
        {words.back}
      </Button>
      {stop < STOPS.length - 1 && (
        <Button size="compact-sm" onClick={() => go(stop + 1)}>
          {words.next}
        </Button>
      )}
      <Button size="compact-sm" variant="default" onClick={() => setWalking(null)}>
        {words.endWalk}
      </Button>
    </section>
  );
}
