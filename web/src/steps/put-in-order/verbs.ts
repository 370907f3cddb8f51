/** What can be done to the rows that are chosen: each a verb with the command that it is. */

import type { Arrangement, Row } from '../../api/calls';
import type { Command } from '../../api/steps';
import { within } from '../../rules/tree';

export interface Verb {
  label: string;
  command: Command;
  /** The key that does it. */
  shortcut?: string;
  title?: string;
  /** Where the label alone is not clear enough for those who hear it. */
  said?: string;
  off?: boolean;
}

/** What is chosen, and what of it decides what can be done. */
export interface Choice {
  rows: readonly Row[];
  first: Row | undefined;
  /** The row, when it is the only one. */
  only: Row | undefined;
  /** All parts that are chosen, or lie in a group that is. */
  parts: readonly Row[];
  /** The alternates that the only row is, or is one of. */
  alternates: Row | undefined;
}

export function choiceOf(view: Arrangement, chosen: ReadonlySet<string>): Choice {
  const rows = view.rows.filter((row) => chosen.has(row.id));
  const inside = new Set(rows.flatMap((row) => [...within(view.rows, row.id)]));
  const [first] = rows;
  const only = rows.length === 1 ? first : undefined;
  return {
    rows,
    first,
    only,
    parts: view.rows.filter((row) => row.kind === 'part' && inside.has(row.id)),
    alternates:
      only && view.rows.find((row) => row.alternate !== null && (row.id === only.id || row.id === only.group)),
  };
}

/** Verbs that change what rows there are; only those that can be done. */
export function stackVerbs(view: Arrangement, { rows, first, only, alternates }: Choice): Verb[] {
  if (!first) return [];
  const ids = rows.map((row) => row.id);
  const areGroups = rows.every((row) => row.kind === 'group');
  const areSiblings = rows.every((row) => row.group === first.group);
  const inner = only ? view.rows.filter((row) => row.kind === 'group' && row.group === only.id) : [];
  const layered = rows.filter((row) => row.frames.length === 1 && (row.frames[0]?.pieces.length ?? 0) > 1);
  const isStack = only ? only.kind === 'group' : areSiblings;
  const isUngrouping = areGroups && only !== undefined;
  const verbs: (Verb | false)[] = [
    !alternates &&
      (areGroups || (rows.length > 1 && areSiblings)) && {
        label: rows.length > 1 && areGroups ? 'Make one part of each' : 'Make one part',
        command: { do: 'join-rows', rows: ids },
      },
    !alternates &&
      inner.length > 1 && {
        label: 'One part of each in it',
        title: `Each of the ${inner.length} groups in it becomes one part`,
        command: { do: 'join-rows', rows: inner.map((row) => row.id) },
      },
    layered.length > 0 && {
      label: 'Split into layers',
      command: { do: 'split-parts', rows: layered.map((row) => row.id) },
    },
    areSiblings &&
      !(isUngrouping && alternates) && {
        label: isUngrouping ? 'Ungroup' : 'Group',
        shortcut: 'G',
        command: { do: isUngrouping ? 'ungroup-rows' : 'group-rows', rows: ids },
      },
    !alternates &&
      isStack && {
        label: areLooks(view, rows, only) ? 'Make looks' : 'One at a time',
        title: 'Exactly one of them is shown; each has a key',
        command: { do: 'make-alternates', rows: ids },
      },
  ];
  return verbs.filter((verb) => verb !== false);
}

/** Verbs about frames; only those that can be done. */
export function frameVerbs({ rows, first, only, alternates }: Choice): Verb[] {
  const isStack = only ? only.kind === 'group' : rows.every((row) => row.group === first?.group);
  const verbs: (Verb | false | undefined)[] = [
    first &&
      isStack &&
      !alternates && { label: 'Read as frames', command: { do: 'read-as-frames', rows: rows.map((row) => row.id) } },
    only &&
      only.frames.length > 1 && {
        label: 'Frames as parts',
        said: 'Read frames as parts',
        command: { do: 'read-as-parts', row: only.id },
      },
  ];
  return verbs.filter((verb) => !!verb);
}

/** Alternates whose members are groups are looks. */
const areLooks = (view: Arrangement, rows: readonly Row[], only: Row | undefined) =>
  (only ? view.rows.filter((row) => row.group === only.id) : rows).every((row) => row.kind === 'group');

/** Verbs that are always there, whether they can be done or not. */
export function stateVerbs(view: Arrangement, { rows, first, only, parts }: Choice, canEdit: boolean): Verb[] {
  const off = !canEdit || !first;
  const isShown = rows.some((row) => row.shown);
  const isIncluded = parts.some((row) => row.included);
  const isLocked = parts.some((row) => row.locked);
  const isAlone = view.alone !== null;
  const each = (of: readonly Row[], value: boolean) => Object.fromEntries(of.map((row) => [row.id, value]));
  return [
    {
      label: isShown || off ? 'Hide' : 'Show',
      shortcut: 'S',
      off,
      command: { do: 'show-rows', shown: each(rows, !isShown) },
    },
    {
      label: isAlone ? 'Show all again' : 'Show alone',
      shortcut: 'A',
      off: !canEdit || (!isAlone && !only),
      command: { do: 'show-alone', row: isAlone ? null : (first?.id ?? null) },
    },
    {
      label: isIncluded || off ? 'Leave out' : 'Include',
      shortcut: 'I',
      off: off || parts.length === 0,
      command: { do: 'include-parts', included: each(parts, !isIncluded) },
    },
    {
      label: isLocked ? 'Unlock' : 'Lock',
      shortcut: 'K',
      off: off || parts.length === 0,
      command: { do: 'lock-parts', locked: each(parts, !isLocked) },
    },
  ];
}
