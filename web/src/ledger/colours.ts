/** A colour for each part: hues spread by the golden angle at equal lightness, so that neighbours differ clearly. */
const GOLDEN_ANGLE = 137.508;

export function partColour(number: number): string {
  return `oklch(0.68 0.15 ${((number * GOLDEN_ANGLE) % 360).toFixed(1)})`;
}
