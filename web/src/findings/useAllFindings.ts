/** All that there is to look at in an illustration, from the rows, the pixels, the plan and whoever received it. */
import { type Remark, useRemarks } from '../api/calls';
import { countOf, type Kind, type Listed } from './finding';
import { type PixelsContext, pixelsFound, pixelsKinds } from './ofPixels';
import { type PlanContext, planFound, planKind } from './ofPlan';
import { type RowsContext, rowsFound, rowsKinds } from './ofRows';

interface Props {
  illustration: number;
  /** Nothing where it is not known yet. */
  rows: RowsContext | null;
  pixels: PixelsContext;
  plan: PlanContext | null;
}

export function useAllFindings({ illustration, rows, pixels, plan }: Props) {
  const remarks = useRemarks(illustration).data ?? NONE;
  const found: Listed[] = [...(plan ? planFound(plan) : []), ...pixelsFound(pixels), ...(rows ? rowsFound(rows) : [])];
  const ofPlan = plan ? Object.fromEntries(planFound(plan).map(({ kind }) => [kind, planKind(plan)])) : {};
  const kinds: Readonly<Record<string, Kind>> = { ...(rows && rowsKinds(rows)), ...pixelsKinds(pixels), ...ofPlan };
  return {
    found,
    kinds,
    /** How many ask for something, with what was said by whoever received it and is not answered yet. */
    count: countOf(found) + remarks.filter((one) => !one.answer).length,
    /** What stops the hand-over. */
    stops: plan?.plan.notes.filter((note) => note.severity === 'error').length ?? 0,
  };
}

const NONE: readonly Remark[] = [];

export type AllFindings = ReturnType<typeof useAllFindings>;
