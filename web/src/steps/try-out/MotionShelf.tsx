import { Button, TextInput } from '@mantine/core';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Refusal } from '../../api/client';
import { askMotionFit, keepMotion, type MotionFit } from '../../api/motion';
import { askShelf, type Kept, removeFromShelf, shelfKey } from '../../api/shelf';
import classes from './Move.module.css';
import type { MovingParts } from './useMoving';
import { motionShelf as words } from './words';

interface Props {
  rehearsal: number;
  moving: MovingParts;
  canEdit: boolean;
}

/** Motions that one keeps for other figures. */
export function MotionShelf({ rehearsal, moving, canEdit }: Props) {
  const queries = useQueryClient();
  const [name, setName] = useState('');
  const [said, setSaid] = useState('');
  const [fitting, setFitting] = useState<Kept | null>(null);
  const kept = useQuery({ queryKey: shelfKey, queryFn: askShelf });
  const fit = useQuery({
    queryKey: [words.motionFit, rehearsal, fitting?.id],
    enabled: fitting !== null,
    gcTime: 0,
    queryFn: () => askMotionFit(rehearsal, fitting?.id ?? 0),
  });
  const tried = async (work: () => Promise<unknown>, done: string) => {
    try {
      await work();
      setSaid(done);
      setName('');
      await queries.invalidateQueries({ queryKey: shelfKey });
    } catch (error) {
      if (!(error instanceof Refusal)) throw error;
      setSaid(error.message);
    }
  };
  const motions = (kept.data ?? []).filter(({ kind }) => kind === 'motion');
  const wanted = name.trim();
  return (
    <fieldset className={classes.pose}>
      <legend>{words.shelf}</legend>
      <form
        className={classes.keep}
        onSubmit={(event) => {
          event.preventDefault();
          if (wanted) void tried(() => keepMotion(rehearsal, wanted), words.isOnYourShelf(wanted));
        }}
      >
        <TextInput
          size="xs"
          label={words.motionName}
          placeholder={words.walkTired}
          value={name}
          onChange={(event) => setName(event.currentTarget.value)}
        />
        <Button type="submit" size="xs" variant="default" disabled={!wanted || moving.tracks.size === 0}>
          {words.keep}
        </Button>
      </form>
      <p className={classes.hint} role="status">
        {said || (motions.length === 0 ? words.motionsOnYourShelfCan : '')}
      </p>
      {motions.length > 0 && (
        <ul className={classes.kept} aria-label={words.motionsOnYourShelf}>
          {motions.map((one) => (
            <li key={one.id}>
              <span>{one.name}</span>
              {canEdit && (
                <Button size="compact-xs" variant="default" onClick={() => setFitting(one)}>
                  {words.toUseForThisFigure}
                </Button>
              )}
              <Button
                size="compact-xs"
                variant="subtle"
                onClick={() => void tried(() => removeFromShelf(one.id), words.isRemoved(one.name))}
              >
                {words.remove}
              </Button>
            </li>
          ))}
        </ul>
      )}
      {fitting && fit.data && (
        <FitFound
          fit={fit.data}
          onLay={() => {
            setFitting(null);
            void moving.lay(fitting.id);
          }}
          onLeave={() => setFitting(null)}
        />
      )}
    </fieldset>
  );
}

/** What of this figure moves as what of the other one did. */
function FitFound({ fit, onLay, onLeave }: { fit: MotionFit; onLay: () => void; onLeave: () => void }) {
  const others = fit.pairs.filter((one) => one.found_by !== 'name');
  const byName = fit.pairs.length - others.length;
  return (
    <section className={classes.wide} aria-label={words.counterparts}>
      <p>{words.byNameByWords(byName, others.length)}</p>
      {others.length > 0 && <p>{others.map((one) => words.as(one.name, one.kept)).join(', ')}.</p>}
      {fit.left.length > 0 && <p className={classes.problem}>{words.withoutACounterpart(fit.left.join(', '))}</p>}
      <div className={classes.buttons}>
        <Button size="compact-sm" disabled={fit.pairs.length === 0} onClick={onLay}>
          {words.toUseMotion}
        </Button>
        <Button size="compact-sm" variant="default" onClick={onLeave}>
          {words.cancel}
        </Button>
      </div>
    </section>
  );
}
