/** The curve of a property over time, as CSS easings make it between keys. A cubic-bezier() between two keys is a Bézier curve of SVG. */
import type { Key, Value } from '../api/motion';
import type { Spot } from './places';

/** The two points of a cubic-bezier(), as shares of the time and of the change between two keys. */
export type Bend = readonly [x1: number, y1: number, x2: number, y2: number];

const NAMED: Readonly<Record<string, Bend>> = {
  linear: [0, 0, 1, 1],
  ease: [0.25, 0.1, 0.25, 1],
  'ease-in': [0.42, 0, 1, 1],
  'ease-out': [0, 0, 0.58, 1],
  'ease-in-out': [0.42, 0, 0.58, 1],
};

/** The points of an easing; null for one that goes by steps or straight lines. */
export function bendOf(easing: string): Bend | null {
  const named = NAMED[easing.trim().toLowerCase()];
  if (named) return named;
  const inside = /^\s*cubic-bezier\(([^()]*)\)\s*$/i.exec(easing)?.[1];
  const numbers = inside?.split(',').map(Number) ?? [];
  const [x1, y1, x2, y2] = numbers;
  return numbers.length === 4 && numbers.every(Number.isFinite) ? [x1 ?? 0, y1 ?? 0, x2 ?? 0, y2 ?? 0] : null;
}

/** The easing with these points, to hundredths. */
export function easingOf(bend: Bend): string {
  const [x1, y1, x2, y2] = bend.map((one) => Math.round(one * 100) / 100);
  return `cubic-bezier(${[within(x1), y1, within(x2), y2].join(', ')})`;
}

const within = (share = 0): number => Math.min(1, Math.max(0, share));

/** The corners of an easing that goes by steps or straight lines: shares of the time, and of the change. */
export function cornersOf(easing: string): Spot[] {
  const [, name = '', inside = ''] = /^\s*([a-z-]+)(?:\(([^()]*)\))?\s*$/i.exec(easing) ?? [];
  const pieces = inside.split(',').map((one) => one.trim());
  if (name === 'step-start') return stepped(1, 'start');
  if (name === 'step-end') return stepped(1, 'end');
  if (name === 'steps') return stepped(Number(pieces[0]), pieces[1] ?? 'end');
  if (name === 'linear') return through(pieces);
  return [
    { x: 0, y: 0 },
    { x: 1, y: 1 },
  ];
}

function stepped(count: number, jump: string): Spot[] {
  const first = ['start', 'jump-start', 'jump-both'].includes(jump) ? 1 : 0;
  const jumps = count + (jump === 'jump-both' ? 1 : jump === 'jump-none' ? -1 : 0);
  return Array.from({ length: count }, (_, at) => Math.min(at + first, jumps) / jumps).flatMap((y, at) => [
    { x: at / count, y },
    { x: (at + 1) / count, y },
  ]);
}

/** Points without a place lie evenly between those that have one; none lies before another. */
function through(pieces: readonly string[]): Spot[] {
  const found = pieces.flatMap((piece): { place: number | null; y: number }[] => {
    const words = piece.split(/\s+/);
    const places = words.filter((word) => word.endsWith('%')).map((word) => Number.parseFloat(word) / 100);
    const y = Number.parseFloat(words.find((word) => !word.endsWith('%')) ?? '0');
    return places.length > 0 ? places.map((place) => ({ place, y })) : [{ place: null, y }];
  });
  const [first, last] = [found[0], found.at(-1)];
  if (first) first.place ??= 0;
  if (last) last.place ??= Math.max(1, ...found.map(({ place }) => place ?? 0));
  let largest = Number.NEGATIVE_INFINITY;
  for (const one of found) {
    if (one.place === null) continue;
    largest = Math.max(largest, one.place);
    one.place = largest;
  }
  const corners = found.map(({ place, y }, at) => {
    if (place !== null) return { x: place, y };
    const before = found.slice(0, at).findLastIndex((one) => one.place !== null);
    const after = at + found.slice(at).findIndex((one) => one.place !== null);
    const [from, to] = [found[before]?.place ?? 0, found[after]?.place ?? 1];
    return { x: from + ((at - before) / (after - before)) * (to - from), y };
  });
  // Beyond the ends the nearest line goes on.
  const beyond = (x: number, one: Spot | undefined, other: Spot | undefined): Spot[] =>
    one && other && one.x !== other.x ? [{ x, y: one.y + ((x - one.x) / (other.x - one.x)) * (other.y - one.y) }] : [];
  const [begin, end] = [corners[0], corners.at(-1)];
  const before = begin && begin.x > 0 ? beyond(0, begin, corners[1]) : [];
  const after = end && end.x < 1 ? beyond(1, corners.at(-2), end) : [];
  return [...before, ...corners, ...after];
}

/** One number of a value that has several. */
export const numberOf = (value: Value, component: number): number =>
  Array.isArray(value) ? Number(value[component] ?? 0) : Number(value);

export const withNumber = (value: Value, component: number, next: number): Value =>
  Array.isArray(value) ? (value.map((one, at) => (at === component ? next : one)) as Value) : next;

/** The path of a curve from the beginning to the end; `x` and `y` say where a time and a value lie. */
export function curvePath(
  keys: readonly Key[],
  component: number,
  end: number,
  x: (time: number) => number,
  y: (value: number) => number,
): string {
  const [first, last] = [keys[0], keys.at(-1)];
  if (!first || !last) return '';
  const place = (time: number, value: number) => `${round(x(time))} ${round(y(value))}`;
  const pieces = [
    `M ${place(0, numberOf(first.value, component))}`,
    `L ${place(first.at, numberOf(first.value, component))}`,
  ];
  keys.slice(0, -1).forEach((key, at) => {
    const next = keys[at + 1];
    if (!next) return;
    const [from, to] = [numberOf(key.value, component), numberOf(next.value, component)];
    const there = ({ x: share, y: change }: Spot) =>
      place(key.at + share * (next.at - key.at), from + change * (to - from));
    const bend = bendOf(key.easing);
    if (bend) {
      const [x1, y1, x2, y2] = bend;
      pieces.push(`C ${there({ x: x1, y: y1 })} ${there({ x: x2, y: y2 })} ${there({ x: 1, y: 1 })}`);
    } else {
      pieces.push(...cornersOf(key.easing).map((corner) => `L ${there(corner)}`), `L ${there({ x: 1, y: 1 })}`);
    }
  });
  pieces.push(`L ${place(Math.max(end, last.at), numberOf(last.value, component))}`);
  return pieces.join(' ');
}

/** The lowest and the highest value that is to be seen, with room around them. */
export function rangeOf(keys: readonly Key[], component: number): [number, number] {
  const values = keys.flatMap((key, at) => {
    const next = keys[at + 1];
    const from = numberOf(key.value, component);
    if (!next) return [from];
    const to = numberOf(next.value, component);
    const bend = bendOf(key.easing);
    const changes = bend ? [bend[1], bend[3]] : cornersOf(key.easing).map((corner) => corner.y);
    return [from, ...changes.map((change) => from + change * (to - from))];
  });
  const [low, high] = [Math.min(...values), Math.max(...values)];
  const room = Math.max((high - low) * 0.12, Math.abs(high) * 1e-3, 1e-3);
  return high - low < 1e-9
    ? [low - Math.max(1, Math.abs(low) / 2), high + Math.max(1, Math.abs(high) / 2)]
    : [low - room, high + room];
}

const round = (value: number): number => Math.round(value * 100) / 100;
