/** Parts that are posed and moved: what is chosen, with which tool, at which time, and where everything lies meanwhile. */
import { useEffect, useMemo, useState } from 'react';
import type { KeyRef, Stage, Track, Value } from '../../api/motion';
import type { Rehearsal } from '../../api/rehearsals';
import { curveThrough, nearValue, type Pose, seenMoment } from '../../rules/motion';
import type { Spot } from '../../rules/places';
import { type Figure, figureOf } from './figure';
import type { Moment } from './movingDrawing';
import { Player } from './player';
import { ownPose, seenAt, stillOf } from './seen';
import { type Posed, type Tool, useDragged } from './useDragged';
import { useMotion } from './useMotion';

export type { Tool } from './useDragged';

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
  /** It plays by itself as soon as it can. */
  isPlayed: boolean;
}

export function useMoving({ rehearsal, canEdit, isOn, isPlayed }: Props) {
  const result = rehearsal?.result ?? null;
  const figure = useMemo(() => (result ? figureOf(result) : null), [result]);
  const kept = useMotion(rehearsal?.id ?? null, isOn && result !== null, rehearsal?.hand_over != null);
  const { motion, act } = kept;
  const stage = motion?.motion.stage ?? FIRST_STAGE;
  const samples = kept.samples && kept.samples.parts === figure?.parts.length ? kept.samples : null;
  const tracks = useMemo(() => new Map((motion?.motion.tracks ?? []).map((one) => [placeOf(one), one])), [motion]);
  const [player] = useState(() => new Player());
  const [chosen, setChosen] = useState<readonly string[]>([]);
  const [keys, setKeys] = useState<readonly KeyRef[]>([]);
  const [tool, setTool] = useState<Tool>('rotate');
  const [writesKeys, setWritesKeys] = useState(false);
  const dragging = useDragged();
  const { held } = dragging;
  const looking = useLooking();
  const [range, setRange] = useState<readonly [number, number] | null>(null);
  /** The places of a path that is being drawn. */
  const [places, setPlaces] = useState<readonly Spot[] | null>(null);

  useEffect(() => {
    player.rate = stage.rate;
    player.end = stage.iterations === null ? Number.POSITIVE_INFINITY : stage.iterations * stage.duration;
  }, [player, stage]);
  const figureKey = keyOf(rehearsal);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another figure begins anew
  useEffect(() => {
    setChosen([]);
    setKeys([]);
    setRange(null);
    player.range = null;
    player.halt();
    player.seek(0);
  }, [figureKey]);
  useEffect(() => {
    if (!isOn) player.halt();
  }, [isOn, player]);
  const isThere = samples !== null;
  useEffect(() => {
    if (isPlayed && isThere) player.play();
  }, [isPlayed, isThere, player]);
  // What was dragged is where the server says, once it has said so.
  // biome-ignore lint/correctness/useExhaustiveDependencies: when either has come
  useEffect(dragging.letGo, [kept.samples, kept.error]);

  const isStill = useMemo(() => (figure && samples ? stillOf(figure, samples) : null), [figure, samples]);
  const momentOf = useMemo(
    () =>
      figure
        ? (time: number, isPlaying = false): Moment =>
            seenAt(figure, samples, stage, time, seenMoment(stage, time, isPlaying), held, isPlaying ? isStill : null)
        : null,
    [figure, samples, stage, held, isStill],
  );
  const paths = useMemo(() => new Map((motion?.motion.paths ?? []).map((one) => [one.target, one])), [motion]);
  const isAtRest = held === null && tracks.size === 0;
  const path = chosen.length === 1 ? paths.get(chosen[0] ?? '') : undefined;
  const drawn = useDrawn({
    figure,
    momentOf,
    player,
    stage,
    chosen,
    isAtRest,
    places,
    path: path?.data ?? null,
    ...looking,
  });
  const now = () => seenMoment(stage, player.now().time, player.now().isPlaying);
  const poseAt = (id: string): Pose | null => {
    const at = figure?.byId.get(id);
    if (!figure || !momentOf || at === undefined) return null;
    return ownPose(figure, momentOf(player.now().time), at, nearValue(tracks.get(`${id} rotate`), now()));
  };
  const pose = (values: Posed) => {
    if (canEdit)
      void act({
        do: 'pose',
        values: values as Record<string, Record<string, Value>>,
        at: now(),
        writes_keys: writesKeys,
      });
  };
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
    ...looking,
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
      dragging.take(figure, momentOf(player.now().time), ids, tool, spot, poseAt);
    },
    drag: (spot: Spot, isStraight: boolean) => figure && dragging.drag(figure, spot, isStraight),
    drop: () => {
      const values = dragging.drop();
      if (Object.keys(values).length > 0) pose(values);
    },
  };
}

/** What moves in one motion: all hand-overs of an illustration, or one package from elsewhere. */
export const keyOf = (rehearsal: Rehearsal | null): string =>
  rehearsal === null ? '' : rehearsal.hand_over === null ? `${rehearsal.id}` : 'hand-overs';

/** What is seen beside the picture itself. */
function useLooking() {
  const [neighbours, setNeighbours] = useState(0);
  const [isClipped, setClipped] = useState(false);
  return { neighbours, setNeighbours, isClipped, setClipped };
}

interface Drawn {
  figure: Figure | null;
  momentOf: ((time: number, isPlaying?: boolean) => Moment) | null;
  player: Player;
  stage: Stage;
  chosen: readonly string[];
  isAtRest: boolean;
  places: readonly Spot[] | null;
  path: string | null;
  neighbours: number;
  isClipped: boolean;
}

/** All that the stage draws at the time at which the player is. */
function useDrawn({ figure, momentOf, player, stage, chosen, isAtRest, places, path, neighbours, isClipped }: Drawn) {
  return useMemo(() => {
    if (!figure || !momentOf) return null;
    return () => {
      const { time, isPlaying } = player.now();
      const near = isPlaying ? 0 : neighbours;
      const beside = Array.from({ length: 2 * near }, (_, at) => (at < near ? at - near : at - near + 1));
      const drawing = places && (places.length > 1 ? curveThrough(places) : null);
      return {
        figure,
        moment: momentOf(time, isPlaying),
        chosen: isPlaying ? NONE : chosen,
        isAtRest,
        isClipped,
        path: isPlaying ? null : places ? drawing : path,
        places: places ?? [],
        neighbours: beside.flatMap((by) => {
          const at = time + by / stage.rate;
          return at < 0 || at > player.end ? [] : [{ moment: momentOf(at), isBefore: by < 0 }];
        }),
      };
    };
  }, [figure, momentOf, player, neighbours, chosen, isAtRest, isClipped, places, path, stage.rate]);
}

const NONE: readonly string[] = [];

export type MovingParts = ReturnType<typeof useMoving>;

export const placeOf = ({ target, property }: Pick<Track, 'target' | 'property'>): string => `${target} ${property}`;
