/** The texts of the ledger, for each file those it shows. */

export const ledger = {
  partsFrontMostFirst: 'Parts, front-most first',
  noNameContainsPressEscape: (search: string) => `No name contains '${search}'. Press Escape to see all.`,
  nothingMatchesThisFilter: 'Nothing matches this filter.',
};

export const ledgerRow = {
  no: 'no',
  yes: 'yes',
  empty: 'empty',
  frames: (frames: number) => `${frames} frames`,
  needsReview: 'needs review',
  dragToChangeTheOrder: 'Drag to change the order',
  unfold: 'Unfold',
  fold: 'Fold',
  alternates: 'alternates',
  locked: 'locked',
  alone: 'alone',
  show: (name: string) => `Show ${name}`,
  include: (name: string) => `Include ${name}`,
  noParent: 'no parent',
  noPivot: 'no pivot',
  px: (depth: number) => `${depth} px`,
  nameOf: (name: string) => `Name of ${name}`,
};

export const ledgerTools = {
  findByName: 'Find by name',
  findByNameL: 'Find by name (L)',
  filter: 'Filter',
  foldAll: 'Fold all',
  fold: 'Fold',
  unfold: 'Unfold',
  unfoldAll: 'Unfold all',
  positionSize: 'Position, size',
  parentPivot: 'Parent, pivot',
  depthRole: 'Depth, role',
  no: 'No.',
  name: 'Name',
  middleColumn: 'Middle column',
  shown: 'Shown',
  included: 'Included',
};

export const refusedSteps = {
  use: (proposal: string) => `Use '${proposal}'`,
  toUseMy: (name: undefined | string) => `Use my '${name}'`,
  repeatMyStep: 'Repeat my step',
  keep: (theirs: string) => `Keep '${theirs}'`,
  keepTheChange: 'Keep the change',
  dismiss: 'Dismiss',
};
