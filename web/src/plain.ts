/** What of the page is plain functions: tests/test_rules.py runs cases through them, and through the core where that has the same rule. */
export { samplesOf } from './api/motion';
export { afterEvent } from './pile/pointer';
export { applied } from './rules/commands';
export { curvePath } from './rules/curve';
export { posesOf } from './rules/joints';
export { carriedAlong, mapOf, momentAt, pictureAt, poseOf, throughCamera } from './rules/motion';
export { mergedInto } from './rules/regions';
export { seenParts, settled } from './rules/tree';
