/** What can be done to the rows that are chosen: each a verb with the command that it is. */

import type { Arrangement, Row } from '../../api/calls';
import type { Command } from '../../api/steps';
import { within } from '../../rules/tree';
import { verbs as words } from './words';

export interface Verb {
  label: string;
  command: Command;
  /** The key that does it. */
  shortcut?: string;
  /** Why it is off, or what it does. */
  title?: string | undefined;
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

/** Verbs that make other rows of what is chosen: always the same ones, each with what it needs where it cannot be done. */
export function makeVerbs(view: Arrangement, { rows, first, only, alternates }: Choice): Verb[] {
  const ids = rows.map((row) => row.id);
  const areGroups = rows.length > 0 && rows.every((row) => row.kind === 'group');
  const isStack = first !== undefined && (only ? only.kind === 'group' : areSiblings(rows));
  const inner = only ? view.rows.filter((row) => row.kind === 'group' && row.group === only.id) : [];
  const layered = rows.filter((row) => row.frames.length === 1 && (row.frames[0]?.pieces.length ?? 0) > 1);
  const [canJoin, canNest] = [!alternates && (areGroups || (rows.length > 1 && isStack)), inner.length > 1];
  const canStack = isStack && !alternates;
  return [
    {
      label: rows.length > 1 && areGroups ? words.makeOnePartOfEach : words.makeOnePart,
      command: { do: 'join-rows', rows: ids },
      ...needs(canJoin, STACK),
    },
    {
      label: words.onePartPerSubgroup,
      command: { do: 'join-rows', rows: inner.map((row) => row.id) },
      ...needs(canNest && !alternates, words.selectAGroup),
    },
    {
      label: words.splitIntoLayers,
      command: { do: 'split-parts', rows: layered.map((row) => row.id) },
      ...needs(layered.length > 0, words.selectAPartOfSeveral),
    },
    {
      label: isStack && areLooks(view, rows, only) ? words.makeLooks : words.makeAlternates,
      command: { do: 'make-alternates', rows: ids },
      ...needs(canStack, alternates ? words.theseAreAlternatesAlready : STACK),
    },
    {
      label: words.endAlternates,
      command: { do: 'end-alternates', row: alternates?.id ?? '' },
      ...needs(alternates !== undefined, words.selectAlternatesOrOne),
    },
    {
      label: words.combineAsFrames,
      command: { do: 'read-as-frames', rows: ids },
      ...needs(canStack, alternates ? words.endTheAlternatesFirst : STACK),
    },
    {
      label: words.splitFramesIntoParts,
      command: { do: 'read-as-parts', row: only?.id ?? '' },
      ...needs(only !== undefined && only.frames.length > 1, words.selectAnAnimatedPart),
    },
  ];
}

const STACK = words.selectAGroupOrSeveral;

const needs = (isMet: boolean, what: string) => ({ off: !isMet, title: isMet ? undefined : what });

const areSiblings = (rows: readonly Row[]) => rows.every((row) => row.group === rows[0]?.group);

/** Rows become a group; a single group is taken apart. */
export function groupVerb({ rows, only, alternates }: Choice, canEdit: boolean): Verb {
  const isUngrouping = only?.kind === 'group';
  return {
    label: isUngrouping ? words.ungroup : words.group,
    shortcut: 'G',
    off: !canEdit || rows.length === 0 || !areSiblings(rows) || (isUngrouping && alternates !== undefined),
    title: areSiblings(rows) ? undefined : words.selectPartsOfOneGroup,
    command: { do: isUngrouping ? 'ungroup-rows' : 'group-rows', rows: rows.map((row) => row.id) },
  };
}

/** Alternates whose members are groups are looks. */
const areLooks = (view: Arrangement, rows: readonly Row[], only: Row | undefined) =>
  (only ? view.rows.filter((row) => row.group === only.id) : rows).every((row) => row.kind === 'group');

/** How rows are seen and whether they are handed over. */
export function stateVerbs(view: Arrangement, { rows, first, only, parts }: Choice, canEdit: boolean): Verb[] {
  const off = !canEdit || !first;
  const isShown = rows.some((row) => row.shown);
  const isIncluded = parts.some((row) => row.included);
  const isLocked = parts.some((row) => row.locked);
  const isAlone = view.alone !== null;
  const each = (of: readonly Row[], value: boolean) => Object.fromEntries(of.map((row) => [row.id, value]));
  return [
    {
      label: isShown || off ? words.hide : words.show,
      shortcut: 'S',
      off,
      command: { do: 'show-rows', shown: each(rows, !isShown) },
    },
    {
      label: isAlone ? words.showAllAgain : words.showAlone,
      shortcut: 'A',
      off: !canEdit || (!isAlone && !only),
      command: { do: 'show-alone', row: isAlone ? null : (first?.id ?? null) },
    },
    {
      label: isIncluded || off ? words.leaveOut : words.include,
      shortcut: 'I',
      off: off || parts.length === 0,
      command: { do: 'include-parts', included: each(parts, !isIncluded) },
    },
    {
      label: isLocked ? words.unlock : words.lock,
      shortcut: 'K',
      off: off || parts.length === 0,
      command: { do: 'lock-parts', locked: each(parts, !isLocked) },
    },
  ];
}
