/** The five stops of the line, in the order of the work. */
import { steps as words } from './words';

export const STEPS = [
  { step: 'bring-in', label: words.bringIn },
  { step: 'take-apart', label: words.takeApart },
  { step: 'put-in-order', label: words.putInOrder },
  { step: 'try-out', label: words.tryOut },
  { step: 'hand-over', label: words.handOver },
] as const;

export type StepName = (typeof STEPS)[number]['step'];

export const isStep = (name: string): name is StepName => STEPS.some(({ step }) => step === name);
