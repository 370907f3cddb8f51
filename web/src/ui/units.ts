/** Numbers with units, as people read them. */

export function bytes(value: number): string {
  if (value < 1000) return `${value} B`;
  if (value < 1_000_000) return `${(value / 1000).toFixed(value < 10_000 ? 1 : 0)} kB`;
  return `${(value / 1_000_000).toFixed(1)} MB`;
}

// Made once: a format takes longer to make than to use.
const DAY = new Intl.DateTimeFormat('en-GB', { day: 'numeric', month: 'long', year: 'numeric' });
const MINUTE = new Intl.DateTimeFormat('en-GB', { hour: '2-digit', minute: '2-digit' });
const MOMENT = new Intl.DateTimeFormat('en-GB', {
  day: 'numeric',
  month: 'short',
  year: 'numeric',
  hour: '2-digit',
  minute: '2-digit',
  second: '2-digit',
});
const COUNT = new Intl.NumberFormat('en');
const ROUNDED = new Intl.NumberFormat('en', { maximumFractionDigits: 1, useGrouping: false });

/** A day, with its month in letters. */
export const day = (at: string): string => DAY.format(new Date(at));

/** A time of the day to the minute. */
export const minute = (at: string): string => MINUTE.format(new Date(at));

/** A moment to the second, with the month in letters. */
export const moment = (at: string): string => MOMENT.format(new Date(at));

/** A number to one decimal, as px are shown; without commas, since it may stand in a pair. */
export const rounded = (value: number): string => ROUNDED.format(value);

export const count = (value: number): string => COUNT.format(value);

export const plural = (value: number, one: string, many = `${one}s`): string =>
  `${count(value)} ${value === 1 ? one : many}`;
