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
  const raw = [...(plan?.plan.notes ?? []), ...(pixels.findings.found ?? []), ...(rows?.order.findings ?? [])];
  return {
    /** Made when it is looked at, and not with each click on the picture: there may be hundreds. */
    list: (): { found: readonly Listed[]; kinds: Readonly<Record<string, Kind>> } => {
      const ofPlan = plan ? planFound(plan) : [];
      return {
        found: [...ofPlan, ...pixelsFound(pixels), ...(rows ? rowsFound(rows) : [])],
        kinds: {
          ...(rows && rowsKinds(rows)),
          ...pixelsKinds(pixels),
          ...(plan && Object.fromEntries(ofPlan.map(({ kind }) => [kind, planKind(plan)]))),
        },
      };
    },
    /** How many ask for something, with what was said by whoever received it and is not answered yet. */
    count: countOf(raw) + remarks.filter((one) => !one.answer).length,
    /** What stops the hand-over. */
    stops: plan?.plan.notes.filter((note) => note.severity === 'error').length ?? 0,
  };
}

const NONE: readonly Remark[] = [];

export type AllFindings = ReturnType<typeof useAllFindings>;
