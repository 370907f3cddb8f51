import { Button, TextInput } from '@mantine/core';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import type { Row } from '../../api/calls';
import { Refusal, type Schemas } from '../../api/client';
import { askFit, askShelf, keepOnShelf, removeFromShelf, shelfKey } from '../../api/shelf';
import { takeFromShelf } from '../../api/steps';
import type { Perform } from '../../ledger/useArrangement';
import form from '../../ui/form.module.css';
import { KeptList } from '../../ui/KeptList';
import { plural } from '../../ui/units';

type Kept = Schemas['Kept'];

interface Props {
  illustration: number;
  row: Row | undefined;
  hasList: boolean;
  canEdit: boolean;
  perform: Perform;
  onChoose: (ids: readonly string[], current: string | null) => void;
}

/** What one keeps for other projects: parts, the places of a figure, lists of what must be there. */
export function Shelf({ illustration, row, hasList, canEdit, perform, onChoose }: Props) {
  const queries = useQueryClient();
  const [name, setName] = useState('');
  const [fitting, setFitting] = useState<Kept | null>(null);
  const [said, setSaid] = useState('');
  const kept = useQuery({ queryKey: shelfKey, queryFn: askShelf });
  const fit = useQuery({
    queryKey: ['fit', illustration, fitting?.id],
    enabled: fitting !== null,
    gcTime: 0,
    queryFn: () => askFit(illustration, fitting?.id ?? 0),
  });
  const tried = async (work: () => Promise<unknown>, done: string) => {
    setSaid('');
    try {
      await work();
      setSaid(done);
      await queries.invalidateQueries({ queryKey: shelfKey });
    } catch (error) {
      if (!(error instanceof Refusal)) throw error;
      setSaid(error.message);
    }
  };
  const keep = (kind: 'part' | 'template' | 'list', called: string) =>
    tried(
      () => keepOnShelf(illustration, kind, called, kind === 'part' ? (row?.id ?? '') : ''),
      `'${called}' is on your shelf.`,
    );
  const use = (one: Kept) =>
    perform(takeFromShelf(illustration, one.id, one.kind === 'part' ? (row?.id ?? null) : null), {
      made: ([made]) => made !== undefined && onChoose([made], made),
    });
  const remove = (one: Kept) => tried(() => removeFromShelf(one.id), `'${one.name}' is removed.`);
  const wanted = name.trim();
  return (
    <section className={form.form} aria-label="Shelf">
      <div className={form.row}>
        <TextInput
          size="xs"
          label="Name on the shelf"
          placeholder="Badger, standing"
          value={name}
          onChange={(event) => setName(event.currentTarget.value)}
        />
        <Button size="xs" variant="default" disabled={!wanted} onClick={() => keep('template', wanted)}>
          Keep template
        </Button>
        <Button size="xs" variant="default" disabled={!wanted || !hasList} onClick={() => keep('list', wanted)}>
          Keep list
        </Button>
        <Button
          size="xs"
          variant="default"
          disabled={row?.frames.length !== 1}
          onClick={() => keep('part', wanted || (row?.name ?? ''))}
        >
          Keep part
        </Button>
      </div>
      <p className={form.told} role="status">
        {said ||
          (kept.data?.length === 0
            ? 'Your shelf is the same in every project. Keep the positions, names, pivots and parents of a figure as a template, or a part, or a list.'
            : '')}
      </p>
      <KeptList
        kept={kept.data ?? []}
        canEdit={canEdit}
        onUse={(one) => (one.kind === 'template' ? setFitting(one) : use(one))}
        onRemove={remove}
      />
      {fitting && fit.data && (
        <FitFound
          fit={fit.data}
          onSet={() => {
            use(fitting);
            setFitting(null);
          }}
          onLeave={() => setFitting(null)}
        />
      )}
    </section>
  );
}

interface FitProps {
  fit: Awaited<ReturnType<typeof askFit>>;
  onSet: () => void;
  onLeave: () => void;
}

/** Which part of this figure is which place of the other one. */
function FitFound({ fit, onSet, onLeave }: FitProps) {
  const byPlace = fit.pairs.filter((one) => one.found_by === 'box');
  const byName = fit.pairs.filter((one) => one.found_by === 'name').length;
  return (
    <>
      <p data-testid="fit">
        {plural(byName, 'part')} by name, {byPlace.length} by position.
      </p>
      {byPlace.length > 0 && (
        <p className={form.told}>By position: {byPlace.map((one) => `${one.name} as ${one.place}`).join(', ')}.</p>
      )}
      {fit.places_left.length > 0 && (
        <p className={form.told}>Positions without a part: {fit.places_left.join(', ')}.</p>
      )}
      {fit.parts_left.length > 0 && <p className={form.told}>Parts without a position: {fit.parts_left.join(', ')}.</p>}
      <div className={form.row}>
        <Button size="xs" onClick={onSet}>
          Apply pivots and parents
        </Button>
        <Button size="xs" variant="subtle" onClick={onLeave}>
          Cancel
        </Button>
      </div>
    </>
  );
}
