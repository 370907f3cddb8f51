import { useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { handOver, isRunning, type Recipe, type Row, useHandOvers, usePlan } from '../../api/calls';
import { Refusal } from '../../api/client';
import type { Act } from '../../ledger/useArrangement';
import { usePage } from '../../ui/useAddress';
import { lastDone } from './report';

export type HandOverPage = 'plan' | 'recipe' | 'names' | 'past' | 'in-step' | 'project';

const PAGES: [HandOverPage, ...HandOverPage[]] = ['plan', 'recipe', 'names', 'past', 'in-step', 'project'];

/** Milliseconds that a changed recipe rests before its plan is asked for. */
const REST = 200;

/** The recipe that is worked with, its plan and the hand-overs of an illustration; kept while other steps are looked at (`isOpen` is false then). */
export function useHandingOver(
  illustration: number,
  version: number,
  chosen: readonly string[],
  isOpen: boolean,
  /** Whether the plan is asked for although the step is not open. */
  isPlanned: boolean,
  isFollowed: boolean,
) {
  const queries = useQueryClient();
  const [page, setPage] = usePage<HandOverPage>(isOpen, PAGES);
  const [draft, setDraft] = useState<Recipe | null>(null);
  const [asked, setAsked] = useState(draft);
  const [folder, setFolder] = useState('');
  const [target, setTarget] = useState(folder);
  const [removesObsolete, setRemovesObsolete] = useState(false);
  const [provesEverything, setProvesEverything] = useState(false);
  const [isOfChosen, setOfChosen] = useState(false);
  const [error, setError] = useState<string | null>(null);
  useEffect(() => {
    const timer = window.setTimeout(() => {
      setAsked(draft);
      setTarget(folder);
    }, REST);
    return () => window.clearTimeout(timer);
  }, [draft, folder]);
  const handOvers = useHandOvers(illustration, isFollowed);
  const last = lastDone(handOvers.data);
  const only = isOfChosen && chosen.length > 0 ? chosen : null;
  const plan = usePlan(illustration, version, last?.number, asked, only, target, isOpen || isPlanned);
  const recipe = draft ?? plan.data?.recipe ?? null;
  const ask = async () => {
    setError(null);
    try {
      await handOver(illustration, version, recipe, only, folder, {
        removeObsolete: removesObsolete,
        proveEverything: provesEverything,
      });
    } catch (problem) {
      if (!(problem instanceof Refusal)) throw problem;
      setError(problem.message);
    }
    await queries.invalidateQueries({ queryKey: ['hand-overs', illustration] });
    await queries.invalidateQueries({ queryKey: ['arrangement', illustration] });
  };
  return {
    page,
    setPage,
    recipe,
    /** What was picked or changed here, whether it is saved or not. */
    draft,
    setRecipe: setDraft,
    only,
    isOfChosen: only !== null,
    setOfChosen,
    plan: plan.data,
    planError: plan.error?.message ?? null,
    isPlanning: plan.isFetching || asked !== draft || target !== folder,
    folder,
    setFolder,
    removesObsolete,
    setRemovesObsolete,
    provesEverything,
    setProvesEverything,
    handOvers: handOvers.data ?? [],
    last,
    running: handOvers.data?.find((one) => isRunning(one.job)),
    ask,
    error,
  };
}

export type HandingOver = ReturnType<typeof useHandingOver>;

/** What every page of the step is told. */
export interface StepProps {
  illustration: number;
  project: number;
  rows: readonly Row[];
  chosen: readonly string[];
  isSaving: boolean;
  canEdit: boolean;
  handing: HandingOver;
  onChoose: (ids: readonly string[], current: string | null) => void;
  act: Act;
}
