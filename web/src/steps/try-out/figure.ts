/** A package as something that moves: its parts, what carries them, the groups that they are drawn in, and its sets of alternates. */
import type { Trial } from '../../api/rehearsals';
import type { Extent, Spot } from '../../rules/places';

export type Part = Trial['parts'][number];
export type Group = Trial['groups'][number];

/** A part by its number, or a group with what is in it, back to front. */
export type Node = { part: number } | { group: number; members: Node[] };

export interface Member {
  name: string;
  picture: string | null;
}

/** A set of alternates or looks, of which one member is seen; `rest` is that of the package. */
export interface MemberSet {
  path: string;
  name: string;
  members: readonly Member[];
  rest: number;
}

export interface Figure {
  parts: readonly Part[];
  groups: readonly Group[];
  byId: ReadonlyMap<string, number>;
  /** The number of the part that carries each, or -1. */
  parents: readonly number[];
  /** What each turns about: its pivot, else its middle. */
  about: readonly Spot[];
  tree: readonly Node[];
  sets: readonly MemberSet[];
  /** Of the camera before the picture, in pixels; null where the package has none. */
  distance: number | null;
  size: Extent;
  /** For each part and for each group: the set that it is a member of, and which; null where it is none. */
  memberOf: { parts: readonly (Membership | null)[]; groups: readonly (Membership | null)[] };
}

interface Membership {
  set: number;
  member: number;
}

const lastOf = (name: string): string => name.split(' / ').at(-1) ?? name;

export const nameOf = (part: Part | undefined): string => (part ? lastOf(part.name) : '');

export function figureOf({ parts, groups, distance, width, height }: Trial): Figure {
  const byId = new Map(parts.map((part, at) => [part.id, at]));
  const memberOf = {
    parts: new Array<Membership | null>(parts.length).fill(null),
    groups: new Array<Membership | null>(groups.length).fill(null),
  };
  const sets: MemberSet[] = [];
  groups.forEach((group, number) => {
    if (!group.is_set) return;
    const inner = groups.flatMap((one, at) => (one.group === number ? [{ at, one, kind: 'groups' as const }] : []));
    const own = parts.flatMap((one, at) => (one.group === number ? [{ at, one, kind: 'parts' as const }] : []));
    const all = [...inner, ...own];
    if (all.length === 0) return;
    all.forEach(({ at, kind }, member) => {
      memberOf[kind][at] = { set: sets.length, member };
    });
    sets.push({
      path: group.path,
      name: group.name,
      members: all.map(({ one }) => ({ name: lastOf(one.name), picture: 'picture' in one ? one.picture : null })),
      rest: Math.max(
        0,
        all.findIndex(({ one }) => one.is_on),
      ),
    });
  });
  return {
    parts,
    groups,
    byId,
    parents: parts.map((part) => (part.parent === null ? -1 : (byId.get(part.parent) ?? -1))),
    about: parts.map(({ pivot, left, top, width, height }) =>
      pivot ? { x: pivot[0] ?? 0, y: pivot[1] ?? 0 } : { x: left + width / 2, y: top + height / 2 },
    ),
    tree: treeOf(parts, groups),
    sets,
    distance,
    size: { width, height },
    memberOf,
  };
}

function treeOf(parts: readonly Part[], groups: readonly Group[]): Node[] {
  const top: Node[] = [];
  const made = new Map<number, Node[]>();
  const membersOf = (group: number | null): Node[] => {
    if (group === null) return top;
    const there = made.get(group);
    if (there) return there;
    const members: Node[] = [];
    made.set(group, members);
    membersOf(groups[group]?.group ?? null).push({ group, members });
    return members;
  };
  parts.forEach((part, at) => {
    membersOf(part.group).push({ part: at });
  });
  return top;
}
