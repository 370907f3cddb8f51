/** Questions to hand-overs that views ask more than once. */
import type { HandOver } from '../../api/calls';

/** The newest hand-over that has come to its end; they are listed newest first. */
export function lastDone(handOvers: readonly HandOver[] | undefined): HandOver | undefined {
  return handOvers?.find((one) => one.report !== null);
}

/** The sizes of the files of a hand-over. */
export function sizesOf(handOver: HandOver | undefined): Map<string, number> {
  return new Map(handOver?.report?.files.map((file) => [file.file, file.bytes]));
}
