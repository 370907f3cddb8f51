/** Parts that are posed and moved: what is chosen, with which tool, at which time, and where everything lies meanwhile. */
import { useEffect, useMemo, useRef, useState } from 'react';
import {
  type KeyRef,
  NUMBERS,
  type Property,
  type Samples,
  type Stage,
  type Track,
  type Value,
} from '../../api/motion';
import type { Rehearsal } from '../../api/rehearsals';
import { type Affine, after, movedBy, REST } from '../../rules/joints';
import {
  carriedAlong,
  curveThrough,
  inverse,
  mapOf,
  nearValue,
  type Pose,
  poseOf,
  seenMoment,
} from '../../rules/motion';
import type { Spot } from '../../rules/places';
import { type Figure, figureOf } from './figure';
import type { Moment } from './movingDrawing';
import { Player } from './player';
import { useMotion } from './useMotion';

export type Tool = 'rotate' | 'translate' | 'scale';

export const FIRST_STAGE: Stage = {
  rate: 24,
  duration: 2,
  iterations: null,
  direction: 'normal',
  fill: 'both',
  ground: null,
};

interface Props {
  rehearsal: Rehearsal | null;
  canEdit: boolean;
  isOn: boolean;
}

export function useMoving({ rehearsal, canEdit, isOn }: Props) {
  const result = rehearsal?.result ?? null;
  const figure = useMemo(() => (result ? figureOf(result) : null), [result]);
  const kept = useMotion(rehearsal?.id ?? null, isOn && result !== null);
  const { motion, act } = kept;
  const stage = motion?.motion.stage ?? FIRST_STAGE;
  const samples = kept.samples && kept.samples.parts === figure?.parts.length ? kept.samples : null;
  const tracks = useMemo(() => new Map((motion?.motion.tracks ?? []).map((one) => [placeOf(one), one])), [motion]);
  const [player] = useState(() => new Player());
  const [chosen, setChosen] = useState<readonly string[]>([]);
  const [keys, setKeys] = useState<readonly KeyRef[]>([]);
  const [tool, setTool] = useState<Tool>('rotate');
  const [writesKeys, setWritesKeys] = useState(false);
  const [held, setHeld] = useState<readonly Affine[] | null>(null);
  const [neighbours, setNeighbours] = useState(0);
  const [isClipped, setClipped] = useState(false);
  const [range, setRange] = useState<readonly [number, number] | null>(null);
  /** The places of a path that is being drawn. */
  const [places, setPlaces] = useState<readonly Spot[] | null>(null);

  useEffect(() => {
    player.rate = stage.rate;
    player.end = stage.iterations === null ? Number.POSITIVE_INFINITY : stage.iterations * stage.duration;
  }, [player, stage]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another package begins anew
  useEffect(() => {
    setChosen([]);
    setKeys([]);
    setRange(null);
    player.range = null;
    player.halt();
    player.seek(0);
  }, [rehearsal?.id]);
  useEffect(() => {
    if (!isOn) player.halt();
  }, [isOn, player]);
  // What was dragged is where the server says, once it has said so.
  // biome-ignore lint/correctness/useExhaustiveDependencies: when either has come
  useEffect(() => setHeld(null), [kept.samples, kept.error]);

  const momentOf = useMemo(
    () =>
      figure
        ? (time: number, isPlaying = false): Moment =>
            seenAt(figure, samples, stage, time, seenMoment(stage, time, isPlaying), held)
        : null,
    [figure, samples, stage, held],
  );
  const paths = useMemo(() => new Map((motion?.motion.paths ?? []).map((one) => [one.target, one])), [motion]);
  const isAtRest = held === null && tracks.size === 0;
  const path = chosen.length === 1 ? paths.get(chosen[0] ?? '') : undefined;
  /** All that the stage draws at the time at which the player is. */
  const drawn = useMemo(() => {
    if (!figure || !momentOf) return null;
    return () => {
      const { time, isPlaying } = player.now();
      const near = isPlaying ? 0 : neighbours;
      const beside = Array.from({ length: 2 * near }, (_, at) => (at < near ? at - near : at - near + 1));
      return {
        figure,
        moment: momentOf(time, isPlaying),
        chosen: isPlaying ? NONE : chosen,
        isAtRest,
        isClipped,
        path: isPlaying ? null : places ? (places.length > 1 ? curveThrough(places) : null) : (path?.data ?? null),
        places: places ?? [],
        neighbours: beside.flatMap((by) => {
          const at = time + by / stage.rate;
          return at < 0 || at > player.end ? [] : [{ moment: momentOf(at), isBefore: by < 0 }];
        }),
      };
    };
  }, [figure, momentOf, player, neighbours, chosen, isAtRest, isClipped, places, path, stage.rate]);
  const now = () => seenMoment(stage, player.now().time, player.now().isPlaying);
  const poseAt = (id: string): Pose | null => {
    const at = figure?.byId.get(id);
    if (!figure || !momentOf || at === undefined) return null;
    return ownPose(figure, momentOf(player.now().time), at, nearValue(tracks.get(`${id} rotate`), now()));
  };
  const pose = (values: Record<string, Partial<Record<Property, Value>>>) => {
    if (canEdit)
      void act({
        do: 'pose',
        values: values as Record<string, Record<string, Value>>,
        at: now(),
        writes_keys: writesKeys,
      });
  };
  const dragging = useRef<Dragged | null>(null);
  return {
    ...kept,
    isOn,
    figure,
    stage,
    tracks,
    player,
    momentOf,
    now,
    chosen,
    setChosen,
    keys,
    setKeys,
    tool,
    setTool,
    writesKeys,
    setWritesKeys,
    poseAt,
    pose,
    drawn,
    range,
    setRange,
    paths,
    path,
    places,
    setPlaces,
    neighbours,
    setNeighbours,
    isClipped,
    setClipped,
    setPath: (target: string, next: { data: string; turns: number | null } | null) =>
      act({ do: 'set-path', target, path: next && { target, ...next } }),
    setStage: (change: Partial<Stage>) => void act({ do: 'set-stage', stage_after: { ...stage, ...change } }),
    /** Where the camera stands: to the right, down and nearer. */
    cameraAt: (): [number, number, number] => {
      const picture = Math.floor(now() * stage.rate + 1e-6);
      const [x = 0, y = 0, z = 0] = samples?.camera?.subarray(picture * 3, picture * 3 + 3) ?? [];
      return [x, y, z];
    },
    /** The chosen parts are taken hold of at a place of the canvas. */
    take: (spot: Spot, ids: readonly string[]) => {
      player.halt();
      // Where a part on a path lies is what the path says.
      const isFree = tool === 'scale' || !ids.some((id) => paths.has(id));
      if (!figure || !momentOf || !canEdit || !isFree) return;
      dragging.current = takenAt(figure, momentOf(player.now().time), ids, tool, spot, (id) => poseAt(id));
    },
    drag: (spot: Spot, isHeldStraight: boolean) => {
      if (!figure || !dragging.current) return;
      setHeld(dragged(figure, dragging.current, spot, isHeldStraight));
    },
    drop: () => {
      const values = dragging.current?.values ?? {};
      dragging.current = null;
      if (Object.keys(values).length > 0) pose(values);
    },
  };
}

const NONE: readonly string[] = [];

export type MovingParts = ReturnType<typeof useMoving>;

export const placeOf = ({ target, property }: Pick<Track, 'target' | 'property'>): string => `${target} ${property}`;

/** Where everything is at a time: as it was sampled, and what is dragged as it is held. */
function seenAt(
  figure: Figure,
  samples: Samples | null,
  stage: Stage,
  time: number,
  moment: number,
  held: readonly Affine[] | null,
): Moment {
  if (!samples) {
    return {
      maps: held ?? figure.parts.map(() => REST),
      opacity: figure.parts.map(() => 1),
      members: figure.sets.map(({ rest }) => rest),
      ground: stage.ground,
      time,
    };
  }
  const picture = Math.min(samples.times - 1, Math.floor(moment * stage.rate + 1e-6));
  const maps: Affine[] = [];
  const opacity: number[] = [];
  figure.parts.forEach((_, part) => {
    const lane = samples.lanes[part] ?? -1;
    const numbers = lane < 0 ? samples.rest : samples.maps;
    const at = (lane < 0 ? part : picture * samples.moving + lane) * NUMBERS;
    const [a = 1, b = 0, c = 0, d = 1, e = 0, f = 0, seen = 1] = numbers.subarray(at, at + NUMBERS);
    maps.push([a, b, c, d, e, f]);
    opacity.push(seen);
  });
  const members = figure.sets.map(({ rest }, set) => samples.members[picture * samples.sets + set] ?? rest);
  const ground = samples.ground?.subarray(picture * 3, picture * 3 + 3);
  return {
    maps: held ?? maps,
    opacity,
    members,
    ground: ground ? `rgb(${[...ground].map(Math.round).join(' ')})` : stage.ground,
    time,
  };
}

/** What a part is by itself, from where it lies beside what carries it. */
function ownPose(figure: Figure, moment: Moment, at: number, near: Value | undefined): Pose {
  const above = moment.maps[figure.parents[at] ?? -1] ?? REST;
  const own = after(inverse(above) ?? REST, moment.maps[at] ?? REST);
  const about = figure.about[at] ?? { x: 0, y: 0 };
  return poseOf(own, about, typeof near === 'number' ? near : 0, moment.opacity[at] ?? 1);
}

interface Dragged {
  spot: Spot;
  tool: Tool;
  maps: readonly Affine[];
  /** The parts that are held, those that carry others first. */
  parts: readonly { at: number; id: string; pose: Pose; ring: Spot }[];
  values: Record<string, Partial<Record<Property, Value>>>;
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
      return [{ at, id, pose, ring: movedBy(moment.maps[at] ?? REST, about), depth: depthOf(figure, at) }];
    })
    .sort((one, other) => one.depth - other.depth);
  return { spot, tool, maps: moment.maps, parts, values: {} };
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
