/** A picture that moves is seen moving when its package is looked at for the first time, unless the system asks for less motion. */
import { readLocalStorageValue, useReducedMotion } from '@mantine/hooks';
import { useEffect, useState } from 'react';
import { askMotion } from '../../api/motion';
import type { Rehearsal } from '../../api/rehearsals';

const KEY = 'seen-moving';
/** Illustrations that are remembered. */
const MOST = 500;

/** Whether it is to be played now; `onMoves` is told so once. */
export function useFirstPlay(illustration: number, rehearsal: Rehearsal | null, onMoves: () => void): boolean {
  const [isPlayed, setPlayed] = useState(false);
  const isStill = useReducedMotion();
  const id = rehearsal?.hand_over != null ? rehearsal.id : null;
  // biome-ignore lint/correctness/useExhaustiveDependencies: once for each illustration
  useEffect(() => {
    if (id === null || isStill || seen().includes(illustration)) return;
    let isLeft = false;
    askMotion(id)
      .then(({ motion }) => {
        if (isLeft) return;
        localStorage.setItem(KEY, JSON.stringify([illustration, ...seen()].slice(0, MOST)));
        if (motion.tracks.length === 0) return;
        onMoves();
        setPlayed(true);
      })
      // Then it is not played; the page itself says what is wrong.
      .catch(() => undefined);
    return () => {
      isLeft = true;
    };
  }, [illustration, id, isStill]);
  return isPlayed;
}

function seen(): number[] {
  const value = readLocalStorageValue<unknown>({ key: KEY });
  return Array.isArray(value) ? value.filter((one) => typeof one === 'number') : [];
}
