import { Button, TextInput } from '@mantine/core';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Refusal } from '../../api/client';
import { askMotionFit, keepMotion, type MotionFit } from '../../api/motion';
import { askShelf, type Kept, removeFromShelf, shelfKey } from '../../api/shelf';
import { plural } from '../../ui/units';
import classes from './Move.module.css';
import type { MovingParts } from './useMoving';

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
    queryKey: ['motion fit', rehearsal, fitting?.id],
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
      <legend>Shelf</legend>
      <form
        className={classes.keep}
        onSubmit={(event) => {
          event.preventDefault();
          if (wanted) void tried(() => keepMotion(rehearsal, wanted), `'${wanted}' is on your shelf.`);
        }}
      >
        <TextInput
          size="xs"
          label="Motion name"
          placeholder="Walk, tired"
          value={name}
          onChange={(event) => setName(event.currentTarget.value)}
        />
        <Button type="submit" size="xs" variant="default" disabled={!wanted || moving.tracks.size === 0}>
          Keep
        </Button>
      </form>
      <p className={classes.hint} role="status">
        {said || (motions.length === 0 ? 'Motions on your shelf can be used for other figures.' : '')}
      </p>
      {motions.length > 0 && (
        <ul className={classes.kept} aria-label="Motions on your shelf">
          {motions.map((one) => (
            <li key={one.id}>
              <span>{one.name}</span>
              {canEdit && (
                <Button size="compact-xs" variant="default" onClick={() => setFitting(one)}>
                  Use for this figure
                </Button>
              )}
              <Button
                size="compact-xs"
                variant="subtle"
                onClick={() => void tried(() => removeFromShelf(one.id), `'${one.name}' is removed.`)}
              >
                Remove
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
    <section className={classes.wide} aria-label="Counterparts">
      <p>
        {plural(byName, 'part')} by name, {others.length} by words or role.
      </p>
      {others.length > 0 && <p>{others.map((one) => `${one.name} as ${one.kept}`).join(', ')}.</p>}
      {fit.left.length > 0 && <p className={classes.problem}>Without a counterpart: {fit.left.join(', ')}.</p>}
      <div className={classes.buttons}>
        <Button size="compact-sm" disabled={fit.pairs.length === 0} onClick={onLay}>
          Use motion
        </Button>
        <Button size="compact-sm" variant="default" onClick={onLeave}>
          Cancel
        </Button>
      </div>
    </section>
  );
}
