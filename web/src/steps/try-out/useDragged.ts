/** Parts that are dragged: how far the hand has gone is how they are turned, moved or resized. */
import { useRef, useState } from 'react';
import type { Property, Value } from '../../api/motion';
import { type Affine, after, movedBy, REST } from '../../rules/joints';
import { carriedAlong, inverse, mapOf, type Pose } from '../../rules/motion';
import type { Spot } from '../../rules/places';
import type { Figure } from './figure';
import type { Moment } from './movingDrawing';

export type Tool = 'rotate' | 'translate' | 'scale';
export type Posed = Record<string, Partial<Record<Property, Value>>>;

/** `held` is where all parts lie meanwhile, as without a camera. */
export function useDragged() {
  const [held, setHeld] = useState<readonly Affine[] | null>(null);
  const dragging = useRef<(Dragged & { moment: Moment }) | null>(null);
  return {
    held,
    letGo: () => setHeld(null),
    take: (
      figure: Figure,
      moment: Moment,
      ids: readonly string[],
      tool: Tool,
      spot: Spot,
      poseAt: (id: string) => Pose | null,
    ) => {
      const taken = takenAt(figure, moment, ids, tool, spot, poseAt);
      dragging.current = { ...taken, moment, spot: withoutCamera(moment, taken.parts[0]?.at, spot) };
    },
    drag: (figure: Figure, spot: Spot, isStraight: boolean) => {
      const now = dragging.current;
      if (now) setHeld(dragged(figure, now, withoutCamera(now.moment, now.parts[0]?.at, spot), isStraight));
    },
    /** What the parts have become. */
    drop: (): Posed => {
      const values = dragging.current?.values ?? {};
      dragging.current = null;
      return values;
    },
  };
}

/** Parts that are held, from where, and what they have become. */
interface Dragged {
  spot: Spot;
  tool: Tool;
  maps: readonly Affine[];
  /** The parts that are held, those that carry others first. */
  parts: readonly { at: number; id: string; pose: Pose; ring: Spot }[];
  values: Posed;
}

/** Where a place of the picture is without the camera, for a part. */
function withoutCamera(moment: Moment, at: number | undefined, spot: Spot): Spot {
  const camera = at === undefined ? undefined : moment.cameras?.[at];
  return camera ? movedBy(inverse(camera) ?? REST, spot) : spot;
}

function takenAt(
  figure: Figure,
  moment: Moment,
  ids: readonly string[],
  tool: Tool,
  spot: Spot,
  poseAt: (id: string) => Pose | null,
): Dragged {
  const parts = ids
    .flatMap((id) => {
      const at = figure.byId.get(id);
      const pose = poseAt(id);
      const about = at === undefined ? undefined : figure.about[at];
      if (at === undefined || !pose || !about) return [];
      return [{ at, id, pose, ring: movedBy(moment.bare[at] ?? REST, about), depth: depthOf(figure, at) }];
    })
    .sort((one, other) => one.depth - other.depth);
  return { spot, tool, maps: moment.bare, parts, values: {} };
}

function depthOf({ parents }: Figure, part: number): number {
  let [depth, at] = [0, parents[part] ?? -1];
  while (at >= 0 && depth < parents.length) {
    depth += 1;
    at = parents[at] ?? -1;
  }
  return depth;
}

/** Where everything lies while parts are dragged; what they become is noted in `values`. */
function dragged(figure: Figure, held: Dragged, spot: Spot, isStraight: boolean): readonly Affine[] {
  let maps: readonly Affine[] = held.maps;
  held.values = {};
  for (const { at, id, pose, ring } of held.parts) {
    const before = held.maps[figure.parents[at] ?? -1] ?? REST;
    const next = changed(held.tool, pose, held.spot, spot, ring, before, isStraight);
    held.values[id] = { [held.tool]: next[held.tool] as Value };
    const about = figure.about[at] ?? { x: 0, y: 0 };
    const above = maps[figure.parents[at] ?? -1] ?? REST;
    maps = carriedAlong(maps, figure.parents, at, after(above, mapOf(next, about)));
  }
  return maps;
}

const rounded = (value: number, places: number) => Math.round(value * 10 ** places) / 10 ** places;

function changed(tool: Tool, pose: Pose, from: Spot, to: Spot, ring: Spot, above: Affine, isStraight: boolean): Pose {
  if (tool === 'translate') {
    const back = inverse([above[0], above[1], above[2], above[3], 0, 0]) ?? REST;
    let [across, down] = [to.x - from.x, to.y - from.y];
    if (isStraight) [across, down] = Math.abs(across) > Math.abs(down) ? [across, 0] : [0, down];
    const { x, y } = movedBy(back, { x: across, y: down });
    return { ...pose, translate: [rounded(pose.translate[0] + x, 1), rounded(pose.translate[1] + y, 1)] };
  }
  if (tool === 'scale') {
    const factor = Math.hypot(to.x - ring.x, to.y - ring.y) / Math.max(1, Math.hypot(from.x - ring.x, from.y - ring.y));
    const [wide, high] = pose.scale;
    return { ...pose, scale: [rounded(wide * factor, 3), rounded(high * factor, 3)] };
  }
  const angle = Math.atan2(to.y - ring.y, to.x - ring.x) - Math.atan2(from.y - ring.y, from.x - ring.x);
  const isMirrored = above[0] * above[3] - above[1] * above[2] < 0;
  let degrees = ((angle * 180) / Math.PI) * (isMirrored ? -1 : 1);
  degrees -= 360 * Math.round(degrees / 360);
  const turn = pose.rotate + degrees;
  return { ...pose, rotate: isStraight ? Math.round(turn / 15) * 15 : rounded(turn, 1) };
}
