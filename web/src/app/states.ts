/** What each step says of itself under its name. */
import type { Row, WholeIllustration } from '../api/calls';
import type { HandingOver } from '../steps/hand-over/useHandingOver';
import type { Trying } from '../steps/try-out/useTrying';
import { plural } from '../ui/units';
import type { StepName } from './steps';

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
      ? `Review revision ${illustration.waiting.number}`
      : `${illustration.width} × ${illustration.height} px`,
    'take-apart': plural(parts.length, 'part'),
    'put-in-order': leftOut > 0 ? `${leftOut} left out` : 'All included',
    'try-out': trying.isOpening ? 'Opening' : triedState(trying.rehearsal),
    'hand-over': handing.running
      ? 'Running'
      : stops > 0
        ? `Stopped: ${plural(stops, 'error')}`
        : last
          ? `No. ${last.number}, ${last.report?.proof.ok ? 'verified' : 'not verified'}`
          : 'Not yet',
  };
}

/** Whether what was opened last came back as it should. */
function triedState(rehearsal: Trying['rehearsal']): string {
  const trial = rehearsal?.result;
  if (!trial) return 'Not yet';
  if (!trial.ok) return 'Differences found';
  return trial.comparison ? 'Matches' : 'Opened';
}
