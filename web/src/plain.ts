/** What of the page is plain functions: tests/test_rules.py runs cases through them, and through the core where that has the same rule. */
export { afterEvent } from './pile/pointer';
export { applied } from './rules/commands';
export { posesOf } from './rules/joints';
export { mergedInto } from './rules/regions';
export { seenParts, settled } from './rules/tree';
