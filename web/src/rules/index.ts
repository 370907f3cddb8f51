/** The rules that the page shows at once, which the core has, too: tests/test_rules.py runs the same cases through both. */
export { applied } from './commands';
export { posesOf } from './joints';
export { mergedInto } from './regions';
export { seenParts, settled } from './tree';
