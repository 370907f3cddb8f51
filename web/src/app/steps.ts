/** The five stops of the line, in the order of the work. */
export const STEPS = [
  { step: 'bring-in', label: 'Bring in' },
  { step: 'take-apart', label: 'Take apart' },
  { step: 'put-in-order', label: 'Put in order' },
  { step: 'try-out', label: 'Try out' },
  { step: 'hand-over', label: 'Hand over' },
] as const;

export type StepName = (typeof STEPS)[number]['step'];

export const isStep = (name: string): name is StepName => STEPS.some(({ step }) => step === name);
