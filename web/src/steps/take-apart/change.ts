/** What several pages of the step share. */
import type { Command } from '../../api/steps';

/** Change the part, or by it: what speaks against it is said in the panel. */
export type Change = (
  make: (row: string) => Command,
  made?: (rows: readonly string[]) => void,
  refused?: () => void,
) => void;

export type Colour = [number, number, number];

/** The three numbers of #rrggbb. */
export function channels(colour: string): Colour {
  const [red = 0, green = 0, blue = 0] = [1, 3, 5].map((at) => Number.parseInt(colour.slice(at, at + 2), 16));
  return [red, green, blue];
}
