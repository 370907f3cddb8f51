/** Where everything is at a time, from what the server has sampled. */
import { NUMBERS, type Samples, type Stage, type Value } from '../../api/motion';
import { type Affine, after, REST } from '../../rules/joints';
import { inverse, type Pose, poseOf, throughCamera } from '../../rules/motion';
import type { Figure } from './figure';
import type { Moment } from './movingDrawing';

/** As it was sampled at a moment of the motion; what is dragged is where it is held (`held`, all parts as without a camera). */
export function seenAt(
  figure: Figure,
  samples: Samples | null,
  stage: Stage,
  time: number,
  moment: number,
  held: readonly Affine[] | null,
  isStill: readonly boolean[] | null = null,
): Moment {
  if (!samples) {
    const bare = held ?? figure.parts.map(() => REST);
    const members = figure.sets.map(({ rest }) => rest);
    return { maps: bare, bare, cameras: null, opacity: figure.parts.map(() => 1), members, ground: stage.ground, time };
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
  const cameras = camerasAt(figure, samples, picture);
  const bare = held ?? (cameras ? maps.map((map, at) => after(inverse(cameras[at] ?? REST) ?? REST, map)) : maps);
  const ground = samples.ground?.subarray(picture * 3, picture * 3 + 3);
  return {
    maps: held && cameras ? held.map((map, at) => after(cameras[at] ?? REST, map)) : (held ?? maps),
    bare,
    cameras,
    opacity,
    members: figure.sets.map(({ rest }, set) => samples.members[picture * samples.sets + set] ?? rest),
    ground: ground ? `rgb(${[...ground].map(Math.round).join(' ')})` : stage.ground,
    time,
    isStill: held ? null : isStill,
  };
}

/** Which parts lie still all the time; of those with frames of their own none. */
export const stillOf = ({ parts }: Figure, samples: Samples): boolean[] =>
  parts.map((part, at) => (samples.lanes[at] ?? -1) < 0 && part.moments.length === 0);

/** What the camera does to each part; null where it does nothing. */
function camerasAt({ parts, distance, size }: Figure, { camera }: Samples, picture: number): Affine[] | null {
  if (!camera || distance === null) return null;
  const [x = 0, y = 0, z = 0] = camera.subarray(picture * 3, picture * 3 + 3);
  return parts.map(({ depth }) => throughCamera([x, y, z], depth, distance, size));
}

/** What a part is by itself, from where it lies beside what carries it. */
export function ownPose(figure: Figure, moment: Moment, at: number, near: Value | undefined): Pose {
  const above = moment.bare[figure.parents[at] ?? -1] ?? REST;
  const own = after(inverse(above) ?? REST, moment.bare[at] ?? REST);
  const about = figure.about[at] ?? { x: 0, y: 0 };
  return poseOf(own, about, typeof near === 'number' ? near : 0, moment.opacity[at] ?? 1);
}
