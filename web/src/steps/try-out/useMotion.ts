/** The motion of a package: its keys, where they take every part, and the steps that change them, one after the other. */
import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/react-query';
import { useCallback, useEffect, useRef, useState } from 'react';
import { v4 as freshId } from 'uuid';
import { Refusal } from '../../api/client';
import {
  askMotion,
  askSamples,
  layMotion,
  type Motion,
  type MotionCommand,
  motionKey,
  redoMotion,
  type Samples,
  takeMotionStep,
  undoMotion,
} from '../../api/motion';
import { patiently } from '../../api/patience';
import { useAskBeforeLeaving } from '../../ui/useAskBeforeLeaving';

const OTHERS = 15_000;

/** Of a newer hand-over (`isSame` figure) what is known of the motion holds until it is asked for. */
export function useMotion(rehearsal: number | null, isOpen: boolean, isSame: boolean) {
  const queries = useQueryClient();
  const [waiting, setWaiting] = useState(0);
  const [error, setError] = useState<string | null>(null);
  const chain = useRef<Promise<void>>(Promise.resolve());
  const id = rehearsal ?? 0;
  const query = useQuery({
    queryKey: motionKey(id),
    enabled: isOpen && rehearsal !== null,
    queryFn: () => askMotion(id),
    ...(isSame ? { placeholderData: keepPreviousData } : {}),
    refetchInterval: waiting > 0 ? false : OTHERS,
  });
  const version = query.data?.version;
  const [samples, setSamples] = useState<Samples | null>(null);
  useEffect(() => {
    if (!isOpen || rehearsal === null || version === undefined) return;
    const stop = new AbortController();
    askSamples(rehearsal, stop.signal)
      .then(setSamples)
      .catch((problem) => {
        if (problem instanceof Refusal) setError(problem.message);
      });
    return () => stop.abort();
  }, [rehearsal, isOpen, version]);

  const queue = useCallback(
    (send: (key: string, version: number) => Promise<Motion>) => {
      const key = freshId();
      setWaiting((before) => before + 1);
      const work = async () => {
        try {
          setError(null);
          await queries.cancelQueries({ queryKey: motionKey(id) });
          const seen = queries.getQueryData<Motion>(motionKey(id))?.version ?? 0;
          queries.setQueryData(motionKey(id), await patiently(() => send(key, seen)));
        } catch (problem) {
          if (!(problem instanceof Refusal)) throw problem;
          setError(problem.message);
          await queries.invalidateQueries({ queryKey: motionKey(id) });
        } finally {
          setWaiting((before) => before - 1);
        }
      };
      chain.current = chain.current.then(work, work);
      return chain.current;
    },
    [queries, id],
  );
  const act = useCallback(
    (command: MotionCommand) => queue((key, seen) => takeMotionStep(id, key, seen, command)),
    [queue, id],
  );
  useAskBeforeLeaving(waiting > 0);
  return {
    motion: query.data ?? null,
    samples: rehearsal === null ? null : samples,
    isSaving: waiting > 0,
    error: error ?? query.error?.message ?? null,
    act,
    /** Lay a motion of one's own shelf on this figure. */
    lay: (kept: number) => queue((key, seen) => layMotion(id, kept, key, seen)),
    undo: () => queue((key) => undoMotion(id, key)),
    redo: () => queue((key) => redoMotion(id, key)),
  };
}

export type Moving = ReturnType<typeof useMotion>;
