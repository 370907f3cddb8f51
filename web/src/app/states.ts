/** What each step says of itself under its name. */
import type { Row, WholeIllustration } from '../api/calls';
import type { HandingOver } from '../steps/hand-over/useHandingOver';
import type { Trying } from '../steps/try-out/useTrying';
import { plural } from '../ui/units';
import type { StepName } from './steps';

export function statesOf(
  illustration: WholeIllustration,
  rows: readonly Row[],
  notes: number | undefined,
  warnings: number | undefined,
  handing: Pick<HandingOver, 'running' | 'last'>,
  trying: Pick<Trying, 'rehearsal' | 'isOpening'>,
): Record<StepName, string> {
  const parts = rows.filter((row) => row.kind === 'part');
  const leftOut = parts.filter((row) => !row.included).length;
  const { last } = handing;
  return {
    'bring-in': illustration.waiting
      ? `revision ${illustration.waiting.number} waits`
      : `${illustration.width} × ${illustration.height} px`,
    'take-apart': notes ? `${plural(parts.length, 'part')}, ${plural(notes, 'note')}` : plural(parts.length, 'part'),
    'put-in-order':
      [leftOut > 0 && `${leftOut} left out`, warnings && plural(warnings, 'note')].filter(Boolean).join(', ') ||
      plural(parts.length, 'part'),
    'try-out': trying.isOpening ? 'opening' : triedState(trying.rehearsal),
    'hand-over': handing.running
      ? 'at work'
      : last
        ? `no. ${last.number}, ${last.report?.proof.ok ? 'proved' : 'not proved'}`
        : 'not yet',
  };
}

/** Whether what was opened last came back as it should. */
function triedState(rehearsal: Trying['rehearsal']): string {
  const trial = rehearsal?.result;
  if (!trial) return 'not yet';
  if (!trial.ok) return 'something is wrong';
  return trial.comparison ? 'as it should be' : 'opened';
}
