/** The package that is tried out: which one, how it is read, and how its picture is looked at. */

import { useQueryClient } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { type HandOver, isRunning } from '../../api/calls';
import { Refusal } from '../../api/client';
import {
  closeRehearsal,
  lookForMissing,
  openHandOver,
  openOutside,
  type Reading,
  type Rehearsal,
  readInAnotherWay,
  useRehearsal,
  useRehearsals,
} from '../../api/rehearsals';
import { usePage } from '../../ui/useAddress';
import { useFirstPlay } from './useFirstPlay';
import { useLiningUp } from './useLiningUp';
import { useMoving } from './useMoving';
import { useScreens } from './useScreens';
import { useTrying as words } from './words';

/** What is seen of the picture that was put together. */
export type Sight = 'together' | 'reference' | 'slider' | 'difference';

/** What is done with the package. */
export type Task = 'check' | 'move' | 'screens';

const TASKS: [Task, ...Task[]] = ['check', 'move', 'screens'];

interface Props {
  illustration: number;
  /** The newest first. */
  handOvers: readonly HandOver[];
  canEdit: boolean;
  isOpen: boolean;
}

export function useTrying({ illustration, handOvers, canEdit, isOpen }: Props) {
  const queries = useQueryClient();
  const [chosen, setChosen] = useState<number | null>(null);
  const [error, setError] = useState<string | null>(null);
  const [sending, setSending] = useState<string | null>(null);
  const listed = useRehearsals(illustration, isOpen);
  const newest = handOvers.find((one) => one.package_bytes > 0);
  const ofNewest = listed.data?.find((one) => one.hand_over === newest?.id);
  // Where nothing was handed over, what came from outside last is looked at.
  const id = chosen ?? (newest ? ofNewest?.id : listed.data?.[0]?.id) ?? null;
  const { rehearsal, problem, keepShowing } = useShown(isOpen ? id : null);

  const perform = async (ask: () => Promise<Rehearsal>) => {
    setError(null);
    try {
      const made = await ask();
      queries.setQueryData(['rehearsal', made.id], made);
      setChosen(made.id);
    } catch (problem) {
      if (!(problem instanceof Refusal)) throw problem;
      setError(problem.message);
    }
    setSending(null);
    await queries.invalidateQueries({ queryKey: ['rehearsals', illustration] });
  };
  const open = (handOver: number) => perform(() => openHandOver(illustration, handOver));

  // Whoever comes here after handing over wants to see what was handed over, and so does whoever looks at the hand-over before.
  const asked = useRef<number | null>(null);
  const isBefore = handOvers.filter((one) => one.package_bytes > 0)[1]?.id === rehearsal?.hand_over;
  const isFollowed = chosen === null || (rehearsal !== null && rehearsal.hand_over !== null && isBefore);
  const isWanted = isOpen && canEdit && listed.data !== undefined && newest !== undefined && !ofNewest && isFollowed;
  // biome-ignore lint/correctness/useExhaustiveDependencies: once for each hand-over that becomes the newest
  useEffect(() => {
    if (!isWanted || asked.current === newest.id) return;
    asked.current = newest.id;
    keepShowing();
    void open(newest.id);
  }, [isWanted, newest?.id]);
  // A newer one takes its place only when it is open.
  const first = chosen === null ? (ofNewest?.id ?? null) : null;
  useEffect(() => {
    if (first !== null) setChosen(first);
  }, [first]);

  const telling = (files: readonly File[]) => (share: number) =>
    setSending(words.sending(files[0]?.name, Math.round(share * 100)));
  const send = (files: readonly File[]) => perform(() => openOutside(illustration, files, telling(files)));
  const lookForMissingIn = (files: readonly File[]) =>
    rehearsal && perform(() => lookForMissing(rehearsal.id, files, telling(files)));
  const close = async () => {
    if (id === null) return;
    await closeRehearsal(id);
    setChosen(null);
    await queries.invalidateQueries({ queryKey: ['rehearsals', illustration] });
  };
  /** Read in another way; what is not said stays. */
  const read = async (reading: Reading) => {
    if (rehearsal) await perform(() => readInAnotherWay(rehearsal.id, { ...rehearsal.reading, ...reading }));
  };
  const isOpening = isRunning(rehearsal?.job);
  const lining = useLiningUp({ rehearsal, isOpening, canEdit, read });
  const [task, setTask] = usePage<Task>(isOpen, TASKS);
  const isReady = isOpen && rehearsal?.result != null && !isOpening;
  const isPlayed = useFirstPlay(illustration, isReady ? rehearsal : null, () => setTask('move', true));
  const moving = useMoving({ rehearsal, canEdit, isOn: isReady && task === 'move', isPlayed });
  const hasScreens = rehearsal?.result?.ways.includes('interface') ?? false;
  const screens = useScreens(rehearsal, isReady && task === 'screens' && hasScreens);
  return {
    handOvers: handOvers.filter((one) => one.package_bytes > 0),
    outside: (listed.data ?? []).filter((one) => one.hand_over === null),
    rehearsal,
    isOpening,
    lining,
    canEdit,
    task,
    setTask,
    moving,
    hasScreens,
    screens,
    error: error ?? problem ?? listed.error?.message ?? null,
    sending,
    open,
    choose: setChosen,
    send,
    lookForMissingIn,
    read,
    close,
    // While images are lined up it always differs.
    ...useSight(rehearsal?.result?.comparison?.ok === false && !lining.isOn),
  };
}

export type Trying = ReturnType<typeof useTrying>;

/** A package, or, while a newer hand-over of the same illustration is opened, the one that was seen before. */
function useShown(id: number | null) {
  const [before, setBefore] = useState<number | null>(null);
  const opened = useRehearsal(id);
  const kept = useRehearsal(before);
  const isReady = opened.data?.result != null && !isRunning(opened.data.job);
  const isOver = id !== before && (isReady || opened.data?.job?.state === 'failed');
  useEffect(() => {
    if (isOver) setBefore(null);
  }, [isOver]);
  const rehearsal = before !== null && !isOver ? kept.data : opened.data;
  return {
    rehearsal: rehearsal ?? null,
    problem: opened.error?.message ?? null,
    keepShowing: () => setBefore(rehearsal?.result ? rehearsal.id : null),
  };
}

/** How the picture is looked at; where it differs, by that at first. */
function useSight(differs: boolean) {
  const [sight, setSight] = useState<Sight>('together');
  const [times, setTimes] = useState(16);
  const [share, setShare] = useState(0.5);
  const [place, setPlace] = useState<{ x: number; y: number } | null>(null);
  useEffect(() => {
    setSight(differs ? 'difference' : 'together');
    setPlace(null);
  }, [differs]);
  return { sight, setSight, times, setTimes, share, setShare, place, setPlace };
}
