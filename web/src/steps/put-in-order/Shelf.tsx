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
import { shelf as words } from './words';

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
      words.isOnYourShelf(called),
    );
  const use = (one: Kept) =>
    perform(takeFromShelf(illustration, one.id, one.kind === 'part' ? (row?.id ?? null) : null), {
      made: ([made]) => made !== undefined && onChoose([made], made),
    });
  const remove = (one: Kept) => tried(() => removeFromShelf(one.id), words.isRemoved(one.name));
  const wanted = name.trim();
  return (
    <section className={form.form} aria-label={words.shelf}>
      <div className={form.row}>
        <TextInput
          size="xs"
          label={words.nameOnTheShelf}
          placeholder={words.badgerStanding}
          value={name}
          onChange={(event) => setName(event.currentTarget.value)}
        />
        <Button size="xs" variant="default" disabled={!wanted} onClick={() => keep('template', wanted)}>
          {words.keepTemplate}
        </Button>
        <Button size="xs" variant="default" disabled={!wanted || !hasList} onClick={() => keep('list', wanted)}>
          {words.keepList}
        </Button>
        <Button
          size="xs"
          variant="default"
          disabled={row?.frames.length !== 1}
          onClick={() => keep('part', wanted || (row?.name ?? ''))}
        >
          {words.keepPart}
        </Button>
      </div>
      <p className={form.told} role="status">
        {said || (kept.data?.length === 0 ? words.yourShelfIsTheSame : '')}
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
      <p data-testid="fit">{words.byNameByPosition(byName, byPlace.length)}</p>
      {byPlace.length > 0 && (
        <p className={form.told}>{words.byPosition(byPlace.map((one) => words.as(one.name, one.place)).join(', '))}</p>
      )}
      {fit.places_left.length > 0 && (
        <p className={form.told}>{words.positionsWithoutAPart(fit.places_left.join(', '))}</p>
      )}
      {fit.parts_left.length > 0 && (
        <p className={form.told}>{words.partsWithoutAPosition(fit.parts_left.join(', '))}</p>
      )}
      <div className={form.row}>
        <Button size="xs" onClick={onSet}>
          {words.applyPivotsAndParents}
        </Button>
        <Button size="xs" variant="subtle" onClick={onLeave}>
          {words.cancel}
        </Button>
      </div>
    </>
  );
}
