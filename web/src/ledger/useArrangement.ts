/** The arrangement as it is seen: the server's rows with the steps on top that are still on their way. */
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useCallback, useDeferredValue, useMemo, useRef, useState } from 'react';
import { v4 as freshId } from 'uuid';
import { type Arrangement, arrangementQuery } from '../api/calls';
import { Refusal } from '../api/client';
import { isAway, patiently } from '../api/patience';
import { type Command, merged, redoStep, type Send, takeStep, undoStep } from '../api/steps';
import { applied } from '../rules/commands';
import { settled } from '../rules/tree';
import { useAskBeforeLeaving } from '../ui/useAskBeforeLeaving';

/** How often is asked for the steps of others where nobody tells of them, and where somebody does. */
const OTHERS = 15_000;
const TOLD = 60_000;

export interface Refused {
  command: Command | null;
  refusal: Refusal;
}

/** What happens when a step is answered: with the rows that it made, or with what speaks against it. */
export interface Then {
  made?: (rows: readonly string[]) => void;
  refused?: (refusal: Refusal) => void;
}
export type Act = (command: Command, then?: Then) => void;
export type Perform = (send: Send, then?: Then) => void;

/** A step on its way; undo and redo have no command of their own, so their effect is seen when they are answered. */
interface OnItsWay {
  id: string;
  command: Command | null;
}

export function useArrangement(illustration: number, onRefused: (refused: Refused) => void, isTold: boolean) {
  const queries = useQueryClient();
  const { queryKey: key } = useMemo(() => arrangementQuery(illustration), [illustration]);
  const [pending, setPending] = useState<OnItsWay[]>([]);
  const chain = useRef<Promise<void>>(Promise.resolve());
  const query = useQuery({
    ...arrangementQuery(illustration),
    refetchInterval: pending.length > 0 ? false : isTold ? TOLD : OTHERS,
  });

  /** Send one after the other, so that each is made on the answer to the one before. */
  const queue = useCallback(
    (send: Send, command: Command | null, then: Then = {}) => {
      const id = freshId();
      setPending((before) => [...before, { id, command }]);
      const work = async () => {
        try {
          await queries.cancelQueries({ queryKey: key });
          const { version } = queries.getQueryData<Arrangement>(key) ?? { version: 0 };
          // The id lets it arrive twice without harm.
          const answer = await patiently(() => send({ id, version }));
          queries.setQueryData<Arrangement>(key, (before) => before && merged(before, answer));
          then.made?.(answer.made);
        } catch (error) {
          if (!(error instanceof Refusal)) throw error;
          if (then.refused && !isAway(error)) then.refused(error);
          else onRefused({ command, refusal: error });
          await queries.invalidateQueries({ queryKey: key });
        } finally {
          setPending((before) => before.filter((sent) => sent.id !== id));
        }
      };
      chain.current = chain.current.then(work, work);
      return chain.current;
    },
    [queries, key, onRefused],
  );

  const act: Act = useCallback(
    (command, then) => void queue(takeStep(illustration, command), command, then),
    [queue, illustration],
  );
  /** Any other step, like a picture that is sent. */
  const perform: Perform = useCallback((send, then) => void queue(send, null, then), [queue]);
  const undo = useCallback(() => queue(undoStep(illustration), null), [queue, illustration]);
  const redo = useCallback(() => queue(redoStep(illustration), null), [queue, illustration]);

  // A thousand rows that come in keep the page busy for a while: the picture is seen meanwhile. Later answers are shown at once.
  const isThere = useDeferredValue(query.data !== undefined);
  const data = isThere ? query.data : undefined;
  const view = useMemo(() => {
    const seen = data && pending.reduce((before, { command }) => (command ? applied(before, command) : before), data);
    return seen && { ...seen, rows: settled(seen.rows) };
  }, [data, pending]);
  const isSaving = pending.length > 0;
  useAskBeforeLeaving(isSaving);
  return { view, isSaving, error: query.error, act, perform, undo, redo };
}
