/** Gestures: what a hand does with a tool on the picture becomes numbers, which the core makes a selection of. Plain functions. */
import type { Schemas } from '../../api/client';
import type { MarkKeys, MarkKind, Stroke } from '../../pile/marks';
import type { Spot } from '../../rules/places';

export type Gesture = Schemas['Gestures'][number];
type Clicked = Extract<Gesture, { tool: 'clicked' }>;
type Scribble = Extract<Gesture, { tool: 'scribble' }>;
type Mark = Scribble['inside'][number];
export type Edge = Required<Schemas['Edge']>;
export type Tool =
  | 'pick'
  | 'clicked'
  | 'proposed'
  | 'same-colour'
  | 'inside-lines'
  | 'scribble'
  | 'island'
  | 'draw-round'
  | 'point-to-point'
  | 'rectangle'
  | 'ellipse'
  | 'brush';
export type How = 'instead' | 'add' | 'subtract' | 'intersect';

export interface Numbers {
  distance: number;
  connected: boolean;
  gap: number;
  darkness: number;
  line: 'part' | 'shared' | 'apart';
  /** Into how many regions the part is divided where proposals are chosen. */
  regions: number;
  /** Of the brush and of marks, in pixels. */
  size: number;
}

export const NUMBERS: Numbers = {
  distance: 8,
  connected: true,
  gap: 6,
  darkness: 20,
  line: 'part',
  regions: 40,
  size: 24,
};
export const KINDS: Record<Exclude<Tool, 'pick'>, MarkKind> = {
  clicked: 'pixel',
  proposed: 'pixel',
  'same-colour': 'pixel',
  'inside-lines': 'pixel',
  island: 'pixel',
  scribble: 'stroke',
  'draw-round': 'line',
  'point-to-point': 'corners',
  rectangle: 'rectangle',
  ellipse: 'ellipse',
  brush: 'stroke',
};

/** What the server takes at the most. */
const MOST_STEPS = 100;

export const CHOSEN = '#0b6f78';
export const DIFFERENT = '#d5342a';

/** A gesture with the numbers that its tool has now; what it lacks of them is not sent. */
export function stated(gesture: Gesture, numbers: Numbers): Gesture {
  const { distance, connected, gap, darkness, line, regions, size } = numbers;
  if (gesture.tool === 'same-colour') return { ...gesture, distance, connected };
  if (gesture.tool === 'inside-lines') return { ...gesture, gap, darkness, line };
  if (gesture.tool === 'proposed') return { ...gesture, regions };
  if (gesture.tool === 'island') return { ...gesture, gap };
  if (gesture.tool === 'scribble' || gesture.tool === 'brush') return { ...gesture, size };
  return gesture;
}

/** What a tool makes of a click at a pixel, or of places on the canvas. */
function gestureOf(
  tool: Exclude<Tool, 'pick' | 'clicked' | 'scribble'>,
  how: How,
  at: [number, number],
  points: Mark,
  numbers: Numbers,
): Gesture {
  switch (tool) {
    case 'same-colour':
    case 'inside-lines':
    case 'proposed':
    case 'island':
      return stated({ tool, how, at }, numbers);
    case 'brush':
      return stated({ tool, how, points }, numbers);
    default:
      return { tool: 'draw-round', how, points };
  }
}

/** Clicks belong together until one begins anew: those with Shift add to the part that is meant, those with Alt take away. */
function clickedOn(
  before: readonly Gesture[],
  [x, y]: [number, number],
  keys: MarkKeys,
  usual: How,
): readonly Gesture[] {
  const last = before[before.length - 1];
  const how: How = keys.subtract ? 'subtract' : keys.add ? 'add' : usual;
  if (last?.tool === 'clicked' && (how === 'add' || how === 'subtract')) {
    // Within what is taken away from earlier choices, taking away more is adding to that.
    const add = (how === 'add') !== (last.how === 'subtract');
    const clicks = [...last.clicks, { x, y, add }];
    return [...before.slice(0, -1), { ...last, clicks, steps: 0 }];
  }
  const made: Clicked = { tool: 'clicked', how, clicks: [{ x, y, add: true }], steps: 0 };
  return how === 'instead' ? [made] : [...before, made];
}

/** The last click takes so many pieces more or fewer around it. */
export function stepped(before: readonly Gesture[], by: number): readonly Gesture[] {
  const last = before[before.length - 1];
  if (last?.tool !== 'clicked') return before;
  const steps = Math.min(Math.max((last.steps ?? 0) + by, -MOST_STEPS), MOST_STEPS);
  return [...before.slice(0, -1), { ...last, steps }];
}

/** The same without what was done last. */
export function withoutLast(before: readonly Gesture[]): readonly Gesture[] {
  const last = before[before.length - 1];
  const rest = before.slice(0, -1);
  if (last?.tool !== 'clicked' || last.clicks.length < 2) return rest;
  return [...rest, { ...last, clicks: last.clicks.slice(0, -1), steps: 0 }];
}

/** Marks belong together until something else is done: those with Alt lie outside of what is meant. */
function scribbled(
  before: readonly Gesture[],
  mark: Mark,
  isOutside: boolean,
  how: How,
  numbers: Numbers,
): readonly Gesture[] {
  const last = before[before.length - 1];
  const marks: Scribble =
    last?.tool === 'scribble'
      ? last
      : {
          tool: 'scribble',
          how: how === 'subtract' ? 'instead' : how,
          inside: [],
          outside: [],
          size: numbers.size,
        };
  const side = isOutside ? 'outside' : 'inside';
  const next: Scribble = { ...marks, [side]: [...(marks[side] ?? []), mark] };
  if (last?.tool === 'scribble') return [...before.slice(0, -1), next];
  return next.how === 'instead' ? [next] : [...before, next];
}

/** The gestures after another one with a tool: at once instead of those before, or beside them. */
export function withMark(
  before: readonly Gesture[],
  tool: Exclude<Tool, 'pick'>,
  usual: How,
  numbers: Numbers,
  points: readonly Spot[],
  keys: MarkKeys,
): readonly Gesture[] {
  const how: How = keys.subtract ? 'subtract' : keys.add ? 'add' : usual;
  const [first] = points;
  if (!first) return before;
  const places: Mark = points.map(({ x, y }) => [Math.round(x * 8) / 8, Math.round(y * 8) / 8]);
  if (tool === 'clicked') return clickedOn(before, [first.x, first.y], keys, usual);
  if (tool === 'scribble') return scribbled(before, places, keys.subtract, how, numbers);
  const made = gestureOf(tool, how, [first.x, first.y], places, numbers);
  return how === 'instead' && tool !== 'brush' ? [made] : [...before, made];
}

/** The marks of a scribble, to be seen while the border between them is looked for. */
export function marksOf(gesture: Gesture): Stroke[] {
  if (gesture.tool !== 'scribble') return [];
  const drawn = (marks: readonly Mark[] | undefined, colour: string) =>
    (marks ?? []).map((mark) => ({
      points: mark.map(([x, y]) => ({ x, y })),
      size: gesture.size ?? 1,
      colour,
    }));
  return [...drawn(gesture.inside, CHOSEN), ...drawn(gesture.outside, DIFFERENT)];
}
