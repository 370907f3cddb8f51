/** The texts of rules, for each file those it shows. */

export const described = {
  nothingIsSelectedPickParts: 'Nothing is selected. Pick parts here with the pointer, or by keyboard in the ledger.',
  rowsAreSelected: (selected: number) => `${selected} rows are selected.`,
  isSelectedItHasNo: (name: string) => `'${name}' is selected. It has no pixels.`,
  more: (more: number) => `${more} more`,
  inFrontOfIt: (front: string) => `In front of it: ${front}.`,
  nothingIsInFront: 'Nothing is in front of it.',
  isSelectedPxAt: (name: string, width: number, height: number, x: number, y: number, front: string) =>
    `'${name}' is selected: ${width} × ${height} px at ${x}, ${y}. ${front}`,
};

export const filter = {
  all: 'All',
  parts: 'Parts',
  groups: 'Groups',
  vectorParts: 'Vector parts',
  animatedParts: 'Animated parts',
  hidden: 'Hidden',
  leftOut: 'Left out',
  locked: 'Locked',
  empty: 'Empty',
  needsReview: 'Needs review',
};
