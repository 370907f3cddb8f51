/** Sizes of the ledger that more than its style sheet must know, in CSS pixels. */

export const ROW_HEIGHT = 40;
export const INDENT = 14;
