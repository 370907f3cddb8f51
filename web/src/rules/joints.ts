/** Which part carries which: questions to the rows, and how they come to lie when some are turned. */
import type { Row } from '../api/calls';
import type { Spot } from './places';

/** A map of the plane as CSS writes matrix(a, b, c, d, e, f). */
export type Affine = readonly [number, number, number, number, number, number];
export type Poses = ReadonlyMap<string, Affine>;

export const pivotOf = (row: Row | undefined): Spot | null =>
  row?.pivot ? { x: row.pivot[0] ?? 0, y: row.pivot[1] ?? 0 } : null;

/** The part that carries each; one that is gone carries nothing, nor does one that would close a circle: the server refuses it. */
export function carriersOf(rows: readonly Row[]): Map<string, Row> {
  const parts = new Map(rows.filter((row) => row.kind === 'part').map((row) => [row.id, row]));
  const carriers = new Map<string, Row>();
  for (const row of parts.values()) {
    const parent = row.parent === null ? undefined : parts.get(row.parent);
    let above = parent;
    while (above && above.id !== row.id) above = carriers.get(above.id);
    if (parent && !above) carriers.set(row.id, parent);
  }
  return carriers;
}

export interface Carried {
  row: Row;
  level: number;
  /** How many parts it carries itself. */
  carries: number;
}

/** All parts as a tree of who carries whom, front-most first among those that are carried alike. */
export function carriedTree(rows: readonly Row[]): Carried[] {
  const carriers = carriersOf(rows);
  const carried = new Map<string | null, Row[]>();
  for (const row of rows) {
    if (row.kind !== 'part') continue;
    const key = carriers.get(row.id)?.id ?? null;
    carried.set(key, [row, ...(carried.get(key) ?? [])]);
  }
  const below = (key: string | null, level: number): Carried[] =>
    (carried.get(key) ?? []).flatMap((row) => [
      { row, level, carries: carried.get(row.id)?.length ?? 0 },
      ...below(row.id, level + 1),
    ]);
  return below(null, 1);
}

/** A part and all that moves along with it. */
export function carriedBy(rows: readonly Row[], id: string): Set<string> {
  const carriers = carriersOf(rows);
  const found = new Set([id]);
  for (let more = true; more; ) {
    more = false;
    for (const [part, carrier] of carriers) {
      if (found.has(carrier.id) && !found.has(part)) {
        found.add(part);
        more = true;
      }
    }
  }
  return found;
}

function turnAbout({ x, y }: Spot, degrees: number): Affine {
  const angle = (degrees * Math.PI) / 180;
  const [cosine, sine] = [Math.cos(angle), Math.sin(angle)];
  return [cosine, sine, -sine, cosine, x - cosine * x + sine * y, y - sine * x - cosine * y];
}

/** One map that does `first` and then `next`. */
export function after(next: Affine, first: Affine): Affine {
  const [a, b, c, d, e, f] = next;
  const [g, h, i, j, k, l] = first;
  return [a * g + c * h, b * g + d * h, a * i + c * j, b * i + d * j, a * k + c * l + e, b * k + d * l + f];
}

export const REST: Affine = [1, 0, 0, 1, 0, 0];

/** Where parts come to lie when some are turned about their pivots, clockwise: a preview of what the core computes. */
export function posesOf(rows: readonly Row[], turns: Readonly<Record<string, number>>): Poses {
  const carriers = carriersOf(rows);
  const parts = new Map(rows.filter((row) => row.kind === 'part').map((row) => [row.id, row]));
  const found = new Map<string, Affine>();
  const poseOf = (id: string): Affine => {
    const known = found.get(id);
    if (known) return known;
    const pivot = pivotOf(parts.get(id));
    const own = pivot && turns[id] ? turnAbout(pivot, turns[id]) : REST;
    const carrier = carriers.get(id);
    const pose = carrier ? after(poseOf(carrier.id), own) : own;
    found.set(id, pose);
    return pose;
  };
  for (const id of parts.keys()) poseOf(id);
  return new Map([...found].filter(([, pose]) => pose.some((value, at) => value !== REST[at])));
}

export const movedBy = ([a, b, c, d, e, f]: Affine, { x, y }: Spot): Spot => ({
  x: a * x + c * y + e,
  y: b * x + d * y + f,
});
