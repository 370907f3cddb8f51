/** What the plan of the hand-over says that should be looked at: what stops it, and what the recipient will have to know. */
import type { Plan } from '../api/calls';
import { fixes, type Kind, type Listed } from './finding';

export interface PlanContext {
  plan: Plan;
  choose: (ids: readonly string[], current: string | null) => void;
  goToPlan: () => void;
}

export const planFound = ({ plan, choose, goToPlan }: PlanContext): Listed[] =>
  plan.notes.map((note) => ({
    key: `plan ${note.kind} ${note.sentence}`,
    severity: note.severity,
    kind: `plan ${note.kind}`,
    sentence: note.sentence,
    rows: note.parts,
    isShown: false,
    show: () => choose(note.parts, note.parts[0] ?? null),
    fixes: fixes(['Show in plan', goToPlan]),
  }));

/** What many of a plan's findings have in common. */
export const planKind = ({ goToPlan }: PlanContext): Kind => ({
  together: 'findings of the hand-over',
  fixAll: () => fixes(['Show in plan', goToPlan]),
});
