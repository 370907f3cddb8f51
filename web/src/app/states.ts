/** What each step says of itself under its name. */

import type { Row, WholeIllustration } from '../api/calls';
import type { HandingOver } from '../steps/hand-over/useHandingOver';
import type { Trying } from '../steps/try-out/useTrying';
import type { StepName } from './steps';
import { states as words } from './words';

export function statesOf(
  illustration: WholeIllustration,
  rows: readonly Row[],
  stops: number,
  handing: Pick<HandingOver, 'running' | 'last'>,
  trying: Pick<Trying, 'rehearsal' | 'isOpening'>,
): Record<StepName, string> {
  const parts = rows.filter((row) => row.kind === 'part');
  const leftOut = parts.filter((row) => !row.included).length;
  const { last } = handing;
  return {
    'bring-in': illustration.waiting
      ? words.reviewRevision(illustration.waiting.number)
      : words.px(illustration.width, illustration.height),
    'take-apart': words.partCount(parts.length),
    'put-in-order': leftOut > 0 ? words.leftOut(leftOut) : words.allIncluded,
    'try-out': trying.isOpening ? words.opening : triedState(trying.rehearsal),
    'hand-over': handing.running
      ? words.running
      : stops > 0
        ? words.stopped(stops)
        : last
          ? words.no(last.number, last.report?.proof.ok ? words.verified : words.notVerified)
          : words.notYet,
  };
}

/** Whether what was opened last came back as it should. */
function triedState(rehearsal: Trying['rehearsal']): string {
  const trial = rehearsal?.result;
  if (!trial) return words.notYet;
  if (!trial.ok) return words.differencesFound;
  return trial.comparison ? words.matches : words.opened;
}
