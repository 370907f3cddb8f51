/** All that there is to look at in an illustration, from the rows, the pixels, the plan and whoever received it. */
import { type Remark, useRemarks } from '../api/calls';
import { countOf, type Kind, type Listed, type Severity } from './finding';
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
  const told = [...(pixels.findings.found ?? []), ...(rows?.order.findings ?? [])];
  const notes = plan ? notToldBy(told, plan.plan.notes) : [];
  return {
    /** Made when it is looked at, and not with each click on the picture: there may be hundreds. */
    list: (): { found: readonly Listed[]; kinds: Readonly<Record<string, Kind>> } => {
      const ofPlan = plan ? planFound(plan, notes) : [];
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
    count: countOf([...notes, ...told]) + remarks.filter((one) => !one.answer).length,
    /** What stops the hand-over. */
    stops: plan?.plan.notes.filter((note) => note.severity === 'error').length ?? 0,
  };
}

interface Said {
  severity: Severity;
  sentence: string;
}

/** What the plan says that rows and pixels do not say as well: there it can be fixed. */
function notToldBy<T extends Said>(told: readonly Said[], notes: readonly T[]): T[] {
  const known = new Set(told.map(({ severity, sentence }) => `${severity} ${sentence}`));
  return notes.filter(({ severity, sentence }) => !known.has(`${severity} ${sentence}`));
}

const NONE: readonly Remark[] = [];

export type AllFindings = ReturnType<typeof useAllFindings>;
