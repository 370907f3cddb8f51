/** One illustration as it is worked on: its rows, what is chosen, and what each of the steps holds. */

import { useQueryClient } from '@tanstack/react-query';
import { useEffect, useMemo, useState } from 'react';
import { useNavigate } from 'react-router';
import type { Arrangement, WholeIllustration } from '../api/calls';
import { useEvents } from '../api/events';
import { sendPicture } from '../api/steps';
import { useAllFindings } from '../findings/useAllFindings';
import { type Refused, useArrangement } from '../ledger/useArrangement';
import { useHandingOver } from '../steps/hand-over/useHandingOver';
import type { Again } from '../steps/put-in-order/BenchDrawer';
import { useOrdering } from '../steps/put-in-order/useOrdering';
import { useTaking } from '../steps/take-apart/useTaking';
import { useTrying } from '../steps/try-out/useTrying';
import { useSelectionInAddress } from '../ui/useAddress';
import type { StepName } from './steps';
import { useOthers } from './useOthers';
import { useSeen } from './useSeen';

const NOBODY: readonly string[] = [];

export function useBench(illustration: WholeIllustration, step: StepName) {
  const { id } = illustration;
  const navigate = useNavigate();
  const refusals = useRefusals();
  const told = useEvents(id);
  const { view, isSaving, error, act, perform, undo, redo } = useArrangement(id, refusals.add, told !== null);
  useOthers(id, told, view?.version, isSaving);
  const choosing = useChoosing();
  const { chosenIds, current, choose } = choosing;
  useSelectionInAddress(choose, chosenIds);
  const [moment, setMoment] = useState(0);
  const canEdit = illustration.role !== 'viewer';
  const { onChanged } = useFreshness(id, view !== undefined && view.revision !== illustration.revision);
  const canvas = useMemo(
    () => ({ width: illustration.width ?? 1, height: illustration.height ?? 1 }),
    [illustration.width, illustration.height],
  );
  const ordering = useOrdering({
    illustration: id,
    view,
    chosenIds,
    canvas,
    canEdit,
    isOpen: step === 'put-in-order',
    moment,
    act,
  });
  const taking = useTaking({
    illustration: id,
    canvas,
    view,
    current,
    isOpen: step === 'take-apart',
    isListed: step === 'put-in-order' && ordering.page === 'notes',
    moment,
    onMoment: setMoment,
    act,
    onTaken: choose,
  });
  const isAtRest = useAtRest(view);
  const handing = useHandingOver(
    id,
    view?.version ?? 0,
    chosenIds,
    step === 'hand-over' && view !== undefined,
    canEdit && isAtRest,
    step === 'try-out',
  );
  const trying = useTrying({ illustration: id, handOvers: handing.handOvers, canEdit, isOpen: step === 'try-out' });
  const again = (row: string, how: Again) => act({ do: 'duplicate-part', row, ...how }, { made: chooseMade });
  const chooseMade = (made: readonly string[]) => choose(made, made[0] ?? null);
  const { plan } = handing;
  const findings = useAllFindings({
    illustration: id,
    rows:
      view && ordering.order
        ? {
            view,
            order: ordering.order,
            act,
            again,
            propose: ordering.joints.propose,
            widen: ordering.widen,
            choose,
            goTo: (page) => navigate(`/illustrations/${id}/put-in-order${page === 'rows' ? '' : `?page=${page}`}`),
          }
        : null,
    pixels: { findings: taking.findings, act, choose },
    plan: plan
      ? {
          plan,
          choose,
          goToPlan: () => navigate(`/illustrations/${id}/hand-over`),
        }
      : null,
  });
  return {
    illustration,
    step,
    canEdit,
    canvas,
    here: told?.here ?? NOBODY,
    view,
    error,
    isSaving,
    act,
    perform,
    undo,
    redo,
    refusals,
    ...choosing,
    ...useSeen(view?.rows, view?.alone ?? null, chosenIds),
    moment,
    setMoment,
    taking,
    ordering,
    handing,
    trying,
    /** What belongs to the illustration is asked for again. */
    onChanged,
    /** The page of each step that was open last, where it is not the first. */
    pages: {
      'take-apart': taking.page === 'take-out' ? '' : taking.page,
      'put-in-order': ordering.page === 'rows' ? '' : ordering.page,
      'try-out': trying.task === 'check' ? '' : trying.task,
      'hand-over': handing.page === 'plan' ? '' : handing.page,
    },
    again,
    findings,
    /** Show all that there is to look at, in this step where it has a page for it. */
    lookOver: () => {
      if (step === 'take-apart') return taking.setPage('check');
      navigate(`/illustrations/${id}/put-in-order?page=notes`);
    },
    addPicture: (file: File, row: string | null, instead: boolean) =>
      perform(sendPicture(id, file, row, instead), {
        made: (made) => chooseMade(instead && row !== null ? [row] : made),
      }),
  };
}

export type Bench = ReturnType<typeof useBench>;

/** Milliseconds for which nothing was changed before the plan is asked for, and of how many rows that is done unasked. */
const REST = 2500;
const FEW_ROWS = 300;

/** Whether nothing has been changed for a while, in an illustration that is planned quickly. */
function useAtRest(view: Arrangement | undefined): boolean {
  const [rested, setRested] = useState<number | null>(null);
  const version = view?.version;
  useEffect(() => {
    if (version === undefined) return;
    const timer = window.setTimeout(() => setRested(version), REST);
    return () => window.clearTimeout(timer);
  }, [version]);
  return view !== undefined && view.rows.length <= FEW_ROWS && rested === view.version;
}

/** Steps that were refused, until somebody has seen to them. */
function useRefusals() {
  const [refused, setRefused] = useState<readonly Refused[]>([]);
  const [add] = useState(() => (one: Refused) => setRefused((before) => [...before, one]));
  return {
    refused,
    add,
    settle: (one: Refused) => setRefused((before) => before.filter((other) => other !== one)),
  };
}

/** Which rows are chosen, and which of them is the one that keys are about. */
function useChoosing() {
  const [chosenIds, setChosenIds] = useState<readonly string[]>([]);
  const [current, setCurrent] = useState<string | null>(null);
  const chosen = useMemo(() => new Set(chosenIds), [chosenIds]);
  const choose = (ids: readonly string[], now: string | null) => {
    setChosenIds(ids);
    setCurrent(now);
  };
  return { chosenIds, chosen, current, choose };
}

/** Ask again for what others have changed; `isOther`: somebody's step has changed which revision is worked with. */
function useFreshness(illustration: number, isOther: boolean) {
  const queries = useQueryClient();
  // biome-ignore lint/correctness/useExhaustiveDependencies: asked for again when the two differ, and not more often
  useEffect(() => {
    if (isOther) void queries.invalidateQueries({ queryKey: ['illustration', illustration] });
  }, [isOther]);
  return {
    onChanged: () => {
      for (const key of ['illustration', 'arrangement', 'revisions']) {
        void queries.invalidateQueries({ queryKey: [key, illustration] });
      }
    },
  };
}
