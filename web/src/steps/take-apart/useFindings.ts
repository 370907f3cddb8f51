/** What there is to look at before handing over, once somebody has asked for it; looked for again after every step. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import type { Schemas } from '../../api/client';
import { askFindings } from '../../api/questions';
import type { Command } from '../../api/steps';
import { bitmapOf } from '../../pile/bitmaps';
import type { Mask } from '../../pile/marks';
import type { Change } from './change';

export type Finding = Schemas['Finding'];
const HERE = '#d5342a';

interface Props {
  illustration: number;
  version: number | undefined;
  isOpen: boolean;
  change: Change;
  onMoment: (moment: number) => void;
}

export function useFindings({ illustration, version, isOpen, change, onMoment }: Props) {
  const [isAsked, setAsked] = useState(false);
  const [smallest, setSmallest] = useState(12);
  const [tolerance, setTolerance] = useState(0);
  const [shown, setShown] = useState<Finding | null>(null);
  const [mask, setMask] = useState<Mask | null>(null);
  const query = useQuery({
    queryKey: ['findings', illustration, version, smallest, tolerance],
    enabled: isAsked && isOpen,
    retry: false,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => askFindings(illustration, smallest, tolerance, signal),
  });
  // biome-ignore lint/correctness/useExhaustiveDependencies: what was shown may be mended in another version
  useEffect(() => setShown(null), [version]);
  useEffect(() => {
    setMask(null);
    if (!shown?.mask || !shown.box) return;
    let isLate = false;
    const { box } = shown;
    void bitmapOf(shown.mask).then((picture) => !isLate && setMask({ picture, box, colour: HERE }));
    return () => {
      isLate = true;
    };
  }, [shown]);
  const mend = (finding: Finding, frames: number[] = []) =>
    change((row) => mended(finding, finding.rows[0] ?? row, frames, smallest, tolerance));
  return {
    ask: () => setAsked(true),
    isAsked,
    found: isAsked ? query.data : undefined,
    isLooking: query.isFetching,
    error: query.error,
    smallest,
    setSmallest,
    tolerance,
    setTolerance,
    shown,
    /** Mark one on the picture, in the frame that it is in. */
    show: (finding: Finding | null) => {
      setShown(finding);
      if (finding?.frame != null) onMoment(finding.frame);
    },
    mask,
    mend,
  };
}

/** What mends a finding. */
function mended(finding: Finding, row: string, frames: number[], smallest: number, tolerance: number): Command {
  switch (finding.kind) {
    case 'pinholes':
      return { do: 'fill-pinholes', row, frames, smallest };
    case 'remainder':
      return { do: 'keep-rest', layer: finding.layer ?? '', smallest };
    case 'same-drawing':
      return { do: 'share-drawing', rows: finding.rows, tolerance };
    case 'overlay':
      return { do: 'lay-as-normal', row };
    case 'joint':
      return { do: 'round-joint', row };
    case 'cover':
      return { do: 'reach-beyond', row };
    default:
      return { do: 'sweep-crumbs', row, frames, smallest };
  }
}

export type Findings = ReturnType<typeof useFindings>;
