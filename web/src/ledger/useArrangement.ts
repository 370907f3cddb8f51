/** The arrangement as it is seen: the server's rows with the steps on top that are still on their way. */
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useCallback, useEffect, useMemo, useRef, useState } from 'react';
import type { Arrangement } from '../api/calls';
import { body, client, Refusal } from '../api/client';
import { applied, type Command } from './commands';
import { settled } from './tree';

const RETRY_AFTER = [500, 1500, 4000];
const OTHERS = 15_000;

export interface Refused {
  command: Command;
  refusal: Refusal;
}

/** A step on its way; undo and redo have no command of their own, so their effect is seen when they are answered. */
interface Sent {
  id: number;
  command: Command | null;
}

export function useArrangement(illustration: number, onRefused: (refused: Refused) => void) {
  const queries = useQueryClient();
  const key = useMemo(() => ['arrangement', illustration], [illustration]);
  const params = useMemo(() => ({ path: { illustration } }), [illustration]);
  const [pending, setPending] = useState<Sent[]>([]);
  const chain = useRef<Promise<void>>(Promise.resolve());
  const counter = useRef(0);
  const query = useQuery({
    queryKey: key,
    queryFn: () => body(client.GET('/api/illustrations/{illustration}/arrangement', { params })),
    refetchInterval: pending.length > 0 ? false : OTHERS,
  });

  /** Send one after the other, so that each is made on the answer to the one before. */
  const queue = useCallback(
    (send: (version: number) => Promise<Arrangement>, command: Command | null) => {
      const id = ++counter.current;
      setPending((before) => [...before, { id, command }]);
      const work = async () => {
        try {
          await queries.cancelQueries({ queryKey: key });
          const version = queries.getQueryData<Arrangement>(key)?.version ?? 0;
          // A command may arrive twice without harm; taking back a step may not.
          queries.setQueryData(key, await (command ? patiently(() => send(version)) : send(version)));
        } catch (error) {
          if (!(error instanceof Refusal)) throw error;
          onRefused({ command: command ?? { do: 'show-alone' }, refusal: error });
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

  const act = useCallback(
    (command: Command) =>
      queue(
        (version) =>
          body(client.POST('/api/illustrations/{illustration}/steps', { params, body: { version, command } })),
        command,
      ),
    [queue, params],
  );
  /** Any other step: what is sent answers the arrangement as it is then. */
  const perform = useCallback((send: (version: number) => Promise<Arrangement>) => queue(send, null), [queue]);
  const undo = useCallback(
    () => queue(() => body(client.POST('/api/illustrations/{illustration}/undo', { params })), null),
    [queue, params],
  );
  const redo = useCallback(
    () => queue(() => body(client.POST('/api/illustrations/{illustration}/redo', { params })), null),
    [queue, params],
  );

  const view = useMemo(() => {
    const seen =
      query.data && pending.reduce((before, { command }) => (command ? applied(before, command) : before), query.data);
    return seen && { ...seen, rows: settled(seen.rows) };
  }, [query.data, pending]);
  const isSaving = pending.length > 0;
  // Whoever leaves while steps are on their way is asked first: they would be lost.
  useEffect(() => {
    if (!isSaving) return;
    const ask = (event: BeforeUnloadEvent) => event.preventDefault();
    window.addEventListener('beforeunload', ask);
    return () => window.removeEventListener('beforeunload', ask);
  }, [isSaving]);
  return { view, isSaving, error: query.error, act, perform, undo, redo };
}

/** Try again a few times while the server is away; a refusal is final. */
async function patiently<T>(send: () => Promise<T>): Promise<T> {
  for (const wait of RETRY_AFTER) {
    try {
      return await send();
    } catch (error) {
      const isAway = error instanceof Refusal && (error.status === 0 || error.status >= 500);
      if (!isAway) throw error;
      await new Promise((resolve) => setTimeout(resolve, wait));
    }
  }
  return send();
}
