/** A part swung through a range of angles: what opens at its joint, and what juts out, as a curve and as masks. */

import { useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import type { Schemas } from '../../api/client';
import { askCompletions, askSwing } from '../../api/questions';
import { bitmapOf } from '../../pile/bitmaps';
import type { Mask } from '../../pile/marks';

export type Swing = Schemas['Swing'];

const OPENS = '#d5342a';
const JUTS = '#7a3fb5';
const STEPS = 61;

interface Props {
  illustration: number;
  version: number | undefined;
  /** The part that is swung. */
  id: string | undefined;
  hasPivot: boolean;
  isOpen: boolean;
}

export function useSwing({ illustration, version, id, hasPivot, isOpen }: Props) {
  const [range, setRange] = useState<{ start: number; end: number } | null>(null);
  const [at, setAt] = useState<number | undefined>();
  // biome-ignore lint/correctness/useExhaustiveDependencies: what was begun for one part is not for another
  useEffect(() => {
    setRange(null);
    setAt(undefined);
  }, [id]);
  const query = useQuery({
    queryKey: ['swing', illustration, id, version, range, at],
    enabled: isOpen && range !== null && hasPivot,
    retry: false,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
    // The curve of the same part stays until the next one is there.
    placeholderData: (before: Swing | undefined, last) => (last?.queryKey[2] === id ? before : undefined),
    queryFn: ({ signal }): Promise<Swing> => {
      const { start, end } = range ?? { start: 0, end: 0 };
      return askSwing(
        illustration,
        { row: id ?? '', start, end, steps: STEPS, ...(at !== undefined && { at }) },
        signal,
      );
    },
  });
  const completing = useQuery({
    queryKey: ['completions', illustration, id, version, range],
    enabled: isOpen && range !== null && hasPivot,
    retry: false,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
    queryFn: ({ signal }) => {
      const { start, end } = range ?? { start: 0, end: 0 };
      return askCompletions(illustration, { row: id ?? '', start, end }, signal);
    },
  });
  const found = range && isOpen ? query.data : undefined;
  return {
    found,
    masks: useMasks(found),
    /** What would close the gap, and how much would open then; undefined until that is known. */
    completions: range && isOpen ? completing.data : undefined,
    range,
    isBusy: range !== null && query.isFetching,
    error: range ? query.error : null,
    setAt,
    start: (start: number, end: number) => {
      setAt(undefined);
      setRange({ start, end });
    },
    end: () => setRange(null),
  };
}

function useMasks(found: Swing | undefined): readonly Mask[] {
  const [masks, setMasks] = useState<readonly Mask[]>([]);
  useEffect(() => {
    setMasks([]);
    if (!found) return;
    let isLate = false;
    void Promise.all([bitmapOf(found.opened_mask), bitmapOf(found.jutting_mask)]).then(([opens, juts]) => {
      if (isLate) return;
      setMasks([
        { picture: opens, box: found.box, colour: OPENS },
        { picture: juts, box: found.box, colour: JUTS },
      ]);
    });
    return () => {
      isLate = true;
    };
  }, [found]);
  return masks;
}
