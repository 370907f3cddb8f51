/** What the plan of the hand-over says that should be looked at: what stops it, and what the recipient will have to know. */

import type { Plan } from '../api/calls';
import { fixes, type Kind, type Listed } from './finding';
import { ofPlan as words } from './words';

export interface PlanContext {
  plan: Plan;
  choose: (ids: readonly string[], current: string | null) => void;
  goToPlan: () => void;
}

export const planFound = ({ choose, goToPlan }: PlanContext, notes: Plan['notes']): Listed[] =>
  notes.map((note) => ({
    key: `plan ${note.kind} ${note.sentence}`,
    severity: note.severity,
    kind: `plan ${note.kind}`,
    sentence: note.sentence,
    rows: note.parts,
    isShown: false,
    show: () => choose(note.parts, note.parts[0] ?? null),
    fixes: fixes([words.showInPlan, goToPlan]),
  }));

/** What many of a plan's findings have in common. */
export const planKind = ({ goToPlan }: PlanContext): Kind => ({
  together: words.findingsOfTheHandOver,
  fixAll: () => fixes([words.showInPlan, goToPlan]),
});
