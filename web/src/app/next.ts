/** What is to be done next at each step, and when it is done, in one line. */

import type { WholeIllustration } from '../api/calls';
import type { Bench } from './useBench';
import { next as words } from './words';

type Told = Pick<Bench, 'step' | 'illustration' | 'view' | 'findings' | 'handing' | 'trying' | 'taking' | 'canEdit'>;

export function nextOf({ step, canEdit, ...told }: Told): string {
  // Whoever only looks has nothing to do next.
  return canEdit ? NEXT[step](told) : '';
}

type Of = (told: Omit<Told, 'step' | 'canEdit'>) => string;

const NEXT: Record<Told['step'], Of> = {
  'bring-in': ({ illustration }) =>
    isReviewed(illustration) ? words.nextCompareBothStatesThen : words.doneThePictureIsRead,
  'take-apart': ({ view, taking, findings }) => {
    const parts = view?.rows.filter((row) => row.kind === 'part').length ?? 0;
    if (parts === 1) return words.nextClickAPart;
    if (!taking.findings.isAsked) return words.doneWhenEverything;
    return findings.count > 0 ? words.nextToLookAt(findings.count) : words.doneNoFindingIsLeft;
  },
  'put-in-order': ({ findings }) =>
    findings.count > 0
      ? words.nextNamesOrderAndJoints(findings.count, findings.count === 1)
      : words.doneNoFindingIsLeftNext,
  'try-out': ({ trying }) => {
    if (!trying.rehearsal) return words.nextHandOverFirst;
    if (trying.rehearsal.result?.ok === false) return words.nextLookAtTheDifferences;
    return words.nextMoveTheFigure;
  },
  'hand-over': ({ view, handing, findings: { stops } }) => {
    if (stops > 0) return words.nextSettleNothingIsWritten(stops);
    if (handing.running) return words.thePackageIsBeingWritten;
    const { last, plan } = handing;
    if (!last) return words.nextChooseARecipeCheck;
    if (plan?.compared_with !== last.number) return words.nextCheckThePlanThen;
    return last.version === view?.version ? words.doneThisStateIsHanded : words.changedSinceNoNextCheck(last.number);
  },
};

const isReviewed = ({ waiting }: WholeIllustration) => waiting?.state === 'review';
