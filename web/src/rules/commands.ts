/** What an artist does, as the server's commands, and what each does to the rows: shown at once, confirmed by the server. */
import type { Arrangement, Row } from '../api/calls';
import type { Command, Place } from '../api/steps';
import { flattened, membersOf, within } from './tree';

/** The command of a kind. */
type Of<Kind extends Command['do']> = Extract<Command, { do: Kind }>;
export type View = Pick<Arrangement, 'rows' | 'alone'>;
export type Direction = 'front' | 'nearer' | 'farther' | 'back';

/** The rows after a command, or as they were where it names rows that are gone. The server has the last word. */
export function applied<T extends View>(view: T, command: Command): T {
  switch (command.do) {
    case 'rename-rows':
      return { ...view, rows: view.rows.map((row) => ({ ...row, name: command.names[row.id] ?? row.name })) };
    case 'show-rows':
      return { ...view, rows: shownOrHidden(view.rows, command.shown) };
    case 'include-parts':
      return {
        ...view,
        rows: view.rows.map((row) => ({ ...row, included: command.included[row.id] ?? row.included })),
      };
    case 'lock-parts':
      return { ...view, rows: view.rows.map((row) => ({ ...row, locked: command.locked[row.id] ?? row.locked })) };
    case 'show-alone':
      return { ...view, alone: command.row };
    case 'move-rows':
      return { ...view, rows: moved(view.rows, command.places) };
    case 'place-parts':
      return { ...view, rows: view.rows.map((row) => placed(row, command.offsets[row.id])) };
    case 'set-pivots':
      return {
        ...view,
        rows: view.rows.map((row) => ({
          ...row,
          pivot: given(command.pivots, row.id, row.pivot),
        })),
      };
    case 'set-joints':
      return {
        ...view,
        rows: view.rows.map((row) => ({
          ...row,
          parent: given(command.parents, row.id, row.parent),
          pivot: given(command.pivots, row.id, row.pivot),
        })),
      };
    case 'set-depths':
      return { ...view, rows: view.rows.map((row) => ({ ...row, depth: command.depths[row.id] ?? row.depth })) };
    case 'set-roles':
      return { ...view, rows: view.rows.map((row) => ({ ...row, role: command.roles[row.id] ?? row.role })) };
    case 'set-fits':
      return {
        ...view,
        rows: view.rows.map((row) => ({
          ...row,
          margins: given(command.margins, row.id, row.margins),
          anchor: given(command.anchors, row.id, row.anchor),
        })),
      };
    case 'spread-depths':
      return { ...view, rows: spread(view.rows, command) };
    case 'order-rows':
      return { ...view, rows: inOrder(view.rows, command) };
    case 'remove-rows':
      return { ...view, rows: without(view.rows, command.rows) };
    default:
      // What becomes of a stack is only known when the server has answered.
      return view;
  }
}

/** Parts at even steps, from the front on. */
function spread(rows: readonly Row[], { rows: of, step, nearest, by_groups }: Of<'spread-depths'>): Row[] {
  const wanted = new Set(of);
  const groups = new Map(rows.map((row) => [row.id, row.group]));
  const outermost = (row: Row): string => {
    let at = row.id;
    for (let group = row.group; group !== null && group !== undefined; group = groups.get(group) ?? null) at = group;
    return by_groups ? at : row.id;
  };
  const planes = new Map<string, number>();
  const depths = new Map<string, number>();
  for (const row of rows.toReversed()) {
    if (!wanted.has(row.id)) continue;
    const plane = outermost(row);
    if (!planes.has(plane)) planes.set(plane, planes.size);
    depths.set(row.id, (nearest ?? 0) + (planes.get(plane) ?? 0) * step);
  }
  return rows.map((row) => ({ ...row, depth: depths.get(row.id) ?? row.depth }));
}

const NAMES = new Intl.Collator('en', { numeric: true, sensitivity: 'base' });

/** The members of a group in another order: nearly as the server puts them, which has the last word. */
function inOrder(rows: readonly Row[], { group, by, listed = [] }: Of<'order-rows'>): Row[] {
  const members = membersOf(rows);
  const depthOf = (row: Row): number =>
    row.kind === 'part' ? row.depth : Math.min(...(members.get(row.id) ?? []).map(depthOf), Number.POSITIVE_INFINITY);
  const places = new Map(listed.map((id, index) => [id, index]));
  const placeOf = (row: Row) => places.get(row.id) ?? places.size;
  const ordered = (members.get(group) ?? []).toSorted((one, other) =>
    by === 'name'
      ? NAMES.compare(one.name, other.name)
      : by === 'depth'
        ? depthOf(other) - depthOf(one)
        : placeOf(one) - placeOf(other),
  );
  members.set(group, ordered);
  return flattened(members);
}

/** What a command gives a row, which may be nothing; what the row has where the command does not name it. */
function given<T>(values: Readonly<Record<string, T | null>> | undefined, id: string, kept: T | null): T | null {
  return values && id in values ? (values[id] ?? null) : kept;
}

/** Rows shown or hidden; to show one of a set of alternates is to choose it, and nothing else. */
function shownOrHidden(rows: readonly Row[], shown: Readonly<Record<string, boolean>>): Row[] {
  const sets = new Set(rows.filter((row) => row.alternate !== null).map((row) => row.id));
  const inSet = (row: Row) => row.group !== null && sets.has(row.group);
  const chosen = new Map<string | null, string>();
  for (const row of rows) if (inSet(row) && shown[row.id]) chosen.set(row.group, row.id);
  return rows.map((row) => ({
    ...row,
    shown: inSet(row) ? row.shown : (shown[row.id] ?? row.shown),
    alternate: row.alternate === null ? null : (chosen.get(row.id) ?? row.alternate),
  }));
}

/** Rows without some and without all that is in those. */
function without(rows: readonly Row[], gone: readonly string[]): Row[] {
  const leaving = new Set(gone.flatMap((id) => [...within(rows, id)]));
  return rows.filter((row) => !leaving.has(row.id));
}

/** A part at another offset; everything of it goes along. */
function placed(row: Row, offset: readonly number[] | undefined): Row {
  if (!offset) return row;
  const by = [0, 1].map((axis) => (offset[axis] ?? 0) - (row.offset[axis] ?? 0)) as [number, number];
  const along = ([x = 0, y = 0, ...size]: number[]) => [x + by[0], y + by[1], ...size];
  const frames = row.frames.map((frame) => ({
    ...frame,
    pieces: frame.pieces.map((piece) => ({ ...piece, box: along(piece.box) })),
  }));
  return { ...row, offset: [...offset], frames, box: row.box && along(row.box) };
}

function moved(rows: readonly Row[], places: readonly Place[]): Row[] {
  const byId = new Map(rows.map((row) => [row.id, row]));
  const moving = new Set(places.map((place) => place.row));
  const members = membersOf(rows.filter((row) => !moving.has(row.id)));
  for (const place of places) {
    const row = byId.get(place.row);
    if (!row) continue;
    const siblings = members.get(place.group) ?? [];
    siblings.splice(Math.min(Math.max(place.index, 0), siblings.length), 0, { ...row, group: place.group });
    members.set(place.group, siblings);
  }
  return flattened(members);
}

/** Where rows go when they are moved among their siblings; no places where they stand at the end already. */
export function placesTowards(rows: readonly Row[], chosen: ReadonlySet<string>, direction: Direction): Place[] {
  const places: Place[] = [];
  const towardsFront = direction === 'front' || direction === 'nearer';
  for (const [group, siblings] of membersOf(rows)) {
    if (group !== null && chosen.has(group)) continue;
    const ids = siblings.map((row) => row.id);
    if (!ids.some((id) => chosen.has(id))) continue;
    const before = towardsFront ? ids : ids.toReversed();
    const pushed =
      direction === 'front' || direction === 'back'
        ? [...before.filter((id) => !chosen.has(id)), ...before.filter((id) => chosen.has(id))]
        : steppedUp(before, chosen);
    const after = towardsFront ? pushed : pushed.toReversed();
    if (after.every((id, index) => id === ids[index])) continue;
    after.forEach((id, index) => {
      if (chosen.has(id)) places.push({ row: id, group, index });
    });
  }
  return places;
}

function steppedUp(ids: readonly string[], chosen: ReadonlySet<string>): string[] {
  const result = [...ids];
  for (let at = result.length - 2; at >= 0; at--) {
    const [own, next] = [result[at], result[at + 1]];
    if (own !== undefined && next !== undefined && chosen.has(own) && !chosen.has(next)) {
      result[at] = next;
      result[at + 1] = own;
    }
  }
  return result;
}

export type Drop = { kind: 'in-front' | 'behind' | 'inside'; row: string };

/** Say where a dragged row lands on another one; a group takes it in its middle half. Rows are listed front-most first. */
export function dropOn(target: { id: string; isGroup: boolean; top: number; height: number }, pointerY: number): Drop {
  const share = (pointerY - target.top) / target.height;
  if (target.isGroup && share > 0.25 && share < 0.75) return { kind: 'inside', row: target.id };
  return { kind: share < 0.5 ? 'in-front' : 'behind', row: target.id };
}

/** The places that a drop gives to the dragged rows, which keep their order among each other. */
export function placesOfDrop(rows: readonly Row[], dragged: ReadonlySet<string>, drop: Drop): Place[] {
  const target = rows.find((row) => row.id === drop.row);
  if (!target || dragged.has(drop.row)) return [];
  // Members go along with their group.
  const moving = rows.filter((row) => dragged.has(row.id) && (row.group === null || !dragged.has(row.group)));
  const ids = new Set(moving.map((row) => row.id));
  const group = drop.kind === 'inside' ? target.id : target.group;
  const staying = (membersOf(rows).get(group) ?? []).filter((row) => !ids.has(row.id));
  const at = staying.findIndex((row) => row.id === drop.row);
  const first = drop.kind === 'inside' ? staying.length : drop.kind === 'in-front' ? at + 1 : at;
  return moving.map((row, offset) => ({ row: row.id, group, index: first + offset }));
}
