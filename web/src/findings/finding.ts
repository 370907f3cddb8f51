/** What there is to look at, wherever it was found: in the rows, in the pixels, or by the plan of the hand-over. */

export type Severity = 'error' | 'warning' | 'note';

export interface Fix {
  label: string;
  fix: () => void;
}

export interface Listed {
  key: string;
  severity: Severity;
  kind: string;
  sentence: string;
  rows: readonly string[];
  /** Whether it is marked on the picture now. */
  isShown: boolean;
  /** Select its parts, and mark where it is. */
  show: () => void;
  fixes: readonly Fix[];
}

/** What those of one kind have in common. */
export interface Kind {
  /** What many of them are, after their number. */
  together: string;
  /** What it means, where the sentences do not say so. */
  told?: string;
  fixAll: (alike: readonly Listed[]) => readonly Fix[];
}

/** How many of one kind are lines of their own. */
const MANY = 3;

export interface Group {
  kind: string;
  alike: readonly Listed[];
  isOneLine: boolean;
}

/** Those of one severity by their kinds, in the order in which they come. */
export function groupsOf(found: readonly Listed[], severity: Severity): Group[] {
  const kinds = new Map<string, Listed[]>();
  for (const one of found) {
    if (one.severity === severity) kinds.set(one.kind, [...(kinds.get(one.kind) ?? []), one]);
  }
  return [...kinds].map(([kind, alike]) => ({ kind, alike, isOneLine: alike.length > MANY }));
}

/** How many ask for something; notes only tell. */
export const countOf = (found: readonly { severity: Severity }[]): number =>
  found.filter((one) => one.severity !== 'note').length;

/** Fixes that there are: what does not apply is left out. */
export const fixes = (...all: readonly (readonly [string, () => void] | false | undefined | null)[]): Fix[] =>
  all.flatMap((one) => (one ? [{ label: one[0], fix: one[1] }] : []));
