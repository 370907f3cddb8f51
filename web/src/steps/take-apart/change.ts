/** What several pages of the step share. */
import type { Arrangement } from '../../api/calls';

/** Send a change of the part; what speaks against it is said in the panel. */
export type Change = (ask: (version: number, row: string) => Promise<Arrangement>) => void;

/** The three numbers of #rrggbb. */
export function channels(colour: string): number[] {
  return [1, 3, 5].map((at) => Number.parseInt(colour.slice(at, at + 2), 16));
}
