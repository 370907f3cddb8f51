import { useMemo } from 'react';

/** A value that stays the same object for as long as its key is the same. */
export function useStable<T>(value: T, key: string): T {
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key stands for the value
  return useMemo(() => value, [key]);
}
