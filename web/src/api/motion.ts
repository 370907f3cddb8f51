/** How the parts of a package move: its keys, steps on them, and where they take every part. */
import { body, client, refusalOf, type Schemas } from './client';

export type Motion = Schemas['Motion'];
export type MotionCommand = Schemas['MotionCommand'];
export type Stage = Schemas['Stage'];
export type Track = Schemas['Track'];
export type Key = Schemas['Key'];
export type KeyRef = Schemas['KeyRef'];
export type MotionPath = Schemas['MotionPath'];
export type RunsOut = Schemas['RunsOut'];
export type Property = Track['property'];
export type Value = Key['value'];

/** What the tracks of the camera and of the ground are about. */
export const CAMERA = '@camera';
export const GROUND = '@stage';

const at = (rehearsal: number) => ({ path: { rehearsal } });

/** The client's types forget that pairs are pairs. */
const motionOf = (call: Promise<{ data?: unknown }>): Promise<Motion> => body(call) as Promise<Motion>;

export const motionKey = (rehearsal: number) => ['motion', rehearsal];

export const askMotion = (rehearsal: number): Promise<Motion> =>
  motionOf(client.GET('/api/rehearsals/{rehearsal}/motion', { params: at(rehearsal) }));

export const takeMotionStep = (rehearsal: number, id: string, version: number, command: MotionCommand) =>
  motionOf(
    client.POST('/api/rehearsals/{rehearsal}/motion/steps', { params: at(rehearsal), body: { id, version, command } }),
  );

export const undoMotion = (rehearsal: number, id: string) =>
  motionOf(client.POST('/api/rehearsals/{rehearsal}/motion/undo', { params: at(rehearsal), body: { id } }));

export const redoMotion = (rehearsal: number, id: string) =>
  motionOf(client.POST('/api/rehearsals/{rehearsal}/motion/redo', { params: at(rehearsal), body: { id } }));

export type MotionFit = Schemas['MotionFit'];

/** Keep a motion on one's own shelf. */
export const keepMotion = (rehearsal: number, name: string) =>
  body(client.POST('/api/rehearsals/{rehearsal}/motion/keep', { params: at(rehearsal), body: { name } }));

/** What stands in a package for what a kept motion moves. */
export const askMotionFit = (rehearsal: number, kept: number) =>
  body(client.GET('/api/rehearsals/{rehearsal}/motion/shelf/{kept}/fit', { params: { path: { rehearsal, kept } } }));

export const layMotion = (rehearsal: number, kept: number, id: string, version: number) =>
  motionOf(
    client.POST('/api/rehearsals/{rehearsal}/motion/shelf/{kept}/lay', {
      params: { path: { rehearsal, kept } },
      body: { id, version },
    }),
  );

/** Numbers of one part at one moment: a, b, c, d, e, f of its map, and its opacity. */
export const NUMBERS = 7;

/** Where a motion takes every part, at each picture of one iteration, its end included. */
export interface Samples {
  version: number;
  times: number;
  parts: number;
  /** The numbers of the parts that move, and where each is among them (-1: it does not). */
  lanes: Int32Array;
  moving: number;
  rest: Float32Array;
  maps: Float32Array;
  sets: number;
  members: Int32Array;
  /** Red, green and blue of the ground at each picture; null where it does not change. */
  ground: Float32Array | null;
  /** Where the camera stands at each picture; null where it does not move. */
  camera: Float32Array | null;
}

/** Numbers that say how many of each there are. */
const HEAD = 5;

/** What the server has packed (docs/formats/motion.md). */
export function samplesOf(data: ArrayBuffer, version: number): Samples {
  const [times = 0, parts = 0, moving = 0, sets = 0, flags = 0] = new Uint32Array(data, 0, HEAD);
  const lanes = new Int32Array(parts).fill(-1);
  new Uint32Array(data, 4 * HEAD, moving).forEach((part, lane) => {
    lanes[part] = lane;
  });
  let offset = 4 * (HEAD + moving);
  const rest = new Float32Array(data, offset, parts * NUMBERS);
  offset += rest.byteLength;
  const maps = new Float32Array(data, offset, times * moving * NUMBERS);
  offset += maps.byteLength;
  const members = new Int32Array(data, offset, times * sets);
  offset += members.byteLength;
  const ground = flags & 1 ? new Float32Array(data, offset, times * 3) : null;
  offset += ground?.byteLength ?? 0;
  const camera = flags & 2 ? new Float32Array(data, offset, times * 3) : null;
  return { version, times, parts, lanes, moving, rest, maps, sets, members, ground, camera };
}

export async function askSamples(rehearsal: number, signal: AbortSignal): Promise<Samples> {
  const answer = await fetch(`/api/rehearsals/${rehearsal}/motion/samples`, { signal });
  if (!answer.ok) throw refusalOf(answer.status, await answer.text());
  return samplesOf(await answer.arrayBuffer(), Number(answer.headers.get('Motion-Version')));
}

export type Film = Schemas['Film'];
export type FilmKind = Schemas['FilmKind'];

export const filmsKey = (rehearsal: number) => ['films', rehearsal];

export const askFilms = (rehearsal: number) =>
  body(client.GET('/api/rehearsals/{rehearsal}/films', { params: at(rehearsal) }));

export const startFilm = (rehearsal: number, kind: FilmKind, width: number | null) =>
  body(client.POST('/api/rehearsals/{rehearsal}/films', { params: at(rehearsal), body: { kind, width } }));

export const discardFilm = (film: number) => client.DELETE('/api/films/{film}', { params: { path: { film } } });
