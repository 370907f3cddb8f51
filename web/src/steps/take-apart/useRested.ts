/** Values that rest, and work that takes long. */
import { useEffect, useState } from 'react';

/** Milliseconds that a number rests before its effect is asked for. */
const REST = 120;
/** Milliseconds of computing after which it is said. */
const SLOW = 500;

/** A value once it has not changed for a moment. */
export function useRested<T>(value: T): T {
  const [rested, setRested] = useState(value);
  useEffect(() => {
    const timer = window.setTimeout(() => setRested(value), REST);
    return () => window.clearTimeout(timer);
  }, [value]);
  return rested;
}

/** Whether something has been going on for longer than a moment. */
export function useSlow(isGoing: boolean): boolean {
  const [isSlow, setSlow] = useState(false);
  useEffect(() => {
    if (!isGoing) {
      setSlow(false);
      return;
    }
    const timer = window.setTimeout(() => setSlow(true), SLOW);
    return () => window.clearTimeout(timer);
  }, [isGoing]);
  return isSlow;
}
