/** What is to be done next at each step, and when it is done, in one line. */
import type { WholeIllustration } from '../api/calls';
import { plural } from '../ui/units';
import type { Bench } from './useBench';

type Told = Pick<Bench, 'step' | 'illustration' | 'view' | 'findings' | 'handing' | 'trying' | 'taking' | 'canEdit'>;

export function nextOf({ step, canEdit, ...told }: Told): string {
  // Whoever only looks has nothing to do next.
  return canEdit ? NEXT[step](told) : '';
}

type Of = (told: Omit<Told, 'step' | 'canEdit'>) => string;

const NEXT: Record<Told['step'], Of> = {
  'bring-in': ({ illustration }) =>
    isReviewed(illustration)
      ? 'Next: compare both states, then accept or discard the revision.'
      : 'Done: the picture is read. Next: take it apart, or put its layers in order.',
  'take-apart': ({ view, taking, findings }) => {
    const parts = view?.rows.filter((row) => row.kind === 'part').length ?? 0;
    if (parts === 1) return 'Next: click a part of the picture, type its name, then click the next part.';
    if (!taking.findings.isAsked) return 'Done when everything to be moved is a part. Next: Findings, Check all parts.';
    return findings.count > 0 ? `Next: ${plural(findings.count, 'finding')} to look at.` : 'Done: no finding is left.';
  },
  'put-in-order': ({ findings }) =>
    findings.count > 0
      ? `Next: names, order and joints, until ${plural(findings.count, 'finding')} ${findings.count === 1 ? 'is' : 'are'} settled.`
      : 'Done: no finding is left. Next: hand over.',
  'try-out': ({ trying }) => {
    if (!trying.rehearsal) return 'Next: hand over first, or open a package from elsewhere.';
    if (trying.rehearsal.result?.ok === false) return 'Next: look at the differences, mend them, hand over again.';
    return 'Next: move the figure, and look at what opens between its parts.';
  },
  'hand-over': ({ view, handing, findings: { stops } }) => {
    if (stops > 0) return `Next: settle ${plural(stops, 'error')}; nothing is written before.`;
    if (handing.running) return 'The package is being written and verified. You can go on working.';
    const { last, plan } = handing;
    if (!last) return 'Next: choose a recipe, check the plan, then hand over.';
    if (plan?.compared_with !== last.number) return 'Next: check the plan, then hand over.';
    return last.version === view?.version
      ? 'Done: this state is handed over. Next: download it, or link a recipient.'
      : `Changed since no. ${last.number}. Next: check the plan, then hand over.`;
  },
};

const isReviewed = ({ waiting }: WholeIllustration) => waiting?.state === 'review';
