/** Questions to hand-overs that views ask more than once. */
import type { HandOver } from '../../api/calls';

/** The newest hand-over that has come to its end; they are listed newest first. */
export function lastDone(handOvers: readonly HandOver[] | undefined): HandOver | undefined {
  return handOvers?.find((one) => one.report !== null);
}
