/** Parts that move: which moment is seen, and the maps of what is dragged. What lies between keys is computed by the server. */
import type { Key, Stage, Track, Value } from '../api/motion';
import { type Affine, after } from './joints';
import type { Extent, Spot } from './places';

/** The moment of one iteration that is seen at a time, in seconds (W3C Web Animations, 4.8 to 4.10); null where it has no effect. */
export function momentAt(stage: Stage, time: number): number | null {
  const { duration, iterations, direction, fill } = stage;
  const active = iterations === null ? Number.POSITIVE_INFINITY : duration * iterations;
  const [isBefore, isAfter] = [time < 0, time >= active];
  if (isBefore && fill !== 'backwards' && fill !== 'both') return null;
  if (isAfter && fill !== 'forwards' && fill !== 'both') return null;
  let overall = Math.min(Math.max(time, 0), active) / duration;
  // Times that were added up from pictures meet the whole iteration that they mean.
  if (Math.abs(overall - Math.round(overall)) < 1e-9) overall = Math.round(overall);
  let [simple, current] = [overall % 1, Math.floor(overall)];
  if (simple === 0 && isAfter && active !== 0) [simple, current] = [1, current - 1];
  const isOdd = current % 2 === 1;
  const isBack = direction === 'reverse' || (direction === 'alternate' ? isOdd : direction !== 'normal' && !isOdd);
  return (isBack ? 1 - simple : simple) * duration;
}

/** The moment that is seen at a time. Where it stands still at the end of the first iteration, that end is seen, although the next one begins there. */
export function seenMoment(stage: Stage, time: number, isPlaying: boolean): number {
  const isEnd = !isPlaying && Math.abs(time - stage.duration) < 1e-6;
  if (isEnd) return stage.direction === 'normal' || stage.direction === 'alternate' ? stage.duration : 0;
  return momentAt(stage, time) ?? 0;
}

/** What a part is by itself at a moment. */
export interface Pose {
  translate: readonly [number, number];
  rotate: number;
  scale: readonly [number, number];
  opacity: number;
}

/** The map of a part by itself: sized, then turned about its pivot, then moved. */
export function mapOf({ translate, rotate, scale }: Pose, { x, y }: Spot): Affine {
  const angle = (rotate * Math.PI) / 180;
  const [cos, sin] = [Math.cos(angle), Math.sin(angle)];
  const [a, b, c, d] = [cos * scale[0], sin * scale[0], -sin * scale[1], cos * scale[1]];
  return [a, b, c, d, x + translate[0] - (a * x + c * y), y + translate[1] - (b * x + d * y)];
}

/** Where a plane at a depth is seen by a camera that stands elsewhere: to the right, down and nearer (docs/formats/motion.md). */
export function throughCamera(
  [across, down, nearer]: readonly [number, number, number],
  depth: number,
  distance: number,
  { width, height }: Extent,
): Affine {
  const left = distance + depth - nearer;
  if (left <= 1e-6 * distance) return [0, 0, 0, 0, -1e6, -1e6];
  const factor = (distance + depth) / left;
  const shift = distance / left;
  return [
    factor,
    0,
    0,
    factor,
    (width / 2) * (1 - factor) - across * shift,
    (height / 2) * (1 - factor) - down * shift,
  ];
}

/** The map that takes a map back; null for one that makes everything flat. */
export function inverse([a, b, c, d, e, f]: Affine): Affine | null {
  const size = a * d - b * c;
  if (Math.abs(size) < 1e-12) return null;
  return [d / size, -b / size, -c / size, a / size, (c * f - d * e) / size, (b * e - a * f) / size];
}

/** All maps once a part lies elsewhere: what it carries goes along. `parents` are the numbers of the parts that carry (-1: none). */
export function carriedAlong(
  maps: readonly Affine[],
  parents: readonly number[],
  part: number,
  next: Affine,
): Affine[] {
  const now = maps[part];
  const back = now && inverse(now);
  const change = back && after(next, back);
  return maps.map((map, at) => {
    if (at === part) return next;
    if (!change) return map;
    let above = parents[at] ?? -1;
    for (let steps = 0; above >= 0 && above !== part && steps < parents.length; steps++) above = parents[above] ?? -1;
    return above === part ? after(change, map) : map;
  });
}

/** A pose from the map of a part beside what carries it; whole turns come from `near`, a turn close to it. */
export function poseOf(own: Affine, about: Spot, near: number, opacity: number): Pose {
  const [a, b, c, d, e, f] = own;
  const wide = Math.hypot(a, b);
  const sign = a * d - b * c < 0 ? -1 : 1;
  const angle = (Math.atan2(b, a) * 180) / Math.PI;
  return {
    translate: [a * about.x + c * about.y + e - about.x, b * about.x + d * about.y + f - about.y],
    rotate: angle + 360 * Math.round((near - angle) / 360),
    scale: [wide, sign * Math.hypot(c, d)],
    opacity,
  };
}

/** What a key would be at a moment without easing; what is sought lies near it. */
export function nearValue(track: Track | undefined, at: number): Value | undefined {
  if (!track) return undefined;
  const later = track.keys.findIndex((key) => key.at > at);
  const [before, next] = [track.keys[later < 0 ? track.keys.length - 1 : later - 1], track.keys[later]];
  if (!before || !next) return (before ?? next)?.value;
  if (typeof before.value !== 'number' || typeof next.value !== 'number') return before.value;
  return before.value + ((at - before.at) / (next.at - before.at)) * (next.value - before.value);
}

/** The key of a track at a moment. */
export const keyAt = (track: Track | undefined, at: number): Key | undefined =>
  track?.keys.find((key) => Math.abs(key.at - at) < 1e-4);

/** Which of the pictures of an animated part is seen; without times each is seen for a tenth of a second. */
export function pictureAt(milliseconds: readonly (number | null)[], loops: number, time: number): number {
  const long = milliseconds.map((one) => one ?? 100);
  const whole = long.reduce((sum, one) => sum + one, 0);
  if (whole <= 0) return 0;
  let left = Math.max(0, time * 1000);
  if (loops > 0 && left >= whole * loops) return long.length - 1;
  left %= whole;
  for (const [at, one] of long.entries()) {
    if (left < one) return at;
    left -= one;
  }
  return long.length - 1;
}

/** A smooth curve through places, as SVG path data: at each place it goes on along its two neighbours (Catmull and Rom's way). */
export function curveThrough(places: readonly Spot[]): string {
  const at = (number: number): Spot => places[Math.min(Math.max(number, 0), places.length - 1)] ?? { x: 0, y: 0 };
  const text = ({ x, y }: Spot) => `${round(x)} ${round(y)}`;
  const pieces = places.slice(1).map((end, number) => {
    const [before, start, after] = [at(number - 1), at(number), at(number + 2)];
    const first = { x: start.x + (end.x - before.x) / 6, y: start.y + (end.y - before.y) / 6 };
    const second = { x: end.x - (after.x - start.x) / 6, y: end.y - (after.y - start.y) / 6 };
    return ` C ${text(first)} ${text(second)} ${text(end)}`;
  });
  return `M ${text(at(0))}${pieces.join('')}`;
}

const round = (value: number) => Math.round(value * 10) / 10;
