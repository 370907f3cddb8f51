/** Numbers with units, as people read them. */

export function bytes(value: number): string {
  if (value < 1000) return `${value} B`;
  if (value < 1_000_000) return `${(value / 1000).toFixed(value < 10_000 ? 1 : 0)} kB`;
  return `${(value / 1_000_000).toFixed(1)} MB`;
}

/** A day, with its month in letters. */
export const day = (moment: string): string =>
  new Date(moment).toLocaleDateString('en-GB', { day: 'numeric', month: 'long', year: 'numeric' });

/** A moment to the second, with the month in letters. */
export const moment = (at: string): string =>
  new Date(at).toLocaleString('en-GB', {
    day: 'numeric',
    month: 'short',
    year: 'numeric',
    hour: '2-digit',
    minute: '2-digit',
    second: '2-digit',
  });

/** A number to one decimal, as px are shown; without commas, since it may stand in a pair. */
export const rounded = (value: number): string =>
  value.toLocaleString('en', { maximumFractionDigits: 1, useGrouping: false });

export const count = (value: number): string => value.toLocaleString('en');

export const plural = (value: number, one: string, many = `${one}s`): string =>
  `${count(value)} ${value === 1 ? one : many}`;
