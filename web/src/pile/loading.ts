/** Pictures on their way from the server: many small ones in one answer, large ones each by itself, of very large ones an area. */

import { fetchImage, fetchPack } from '../api/images';
import { sizeOf } from './halves';
import type { Pictures, Source } from './pictures';
import type { Piece } from './pieces';

/** A picture of a piece that is wanted: how often halved, and, in pixels of the piece, of which area if not of all. */
export interface Wanted {
  piece: Piece;
  halved: number;
  area?: { left: number; top: number; width: number; height: number };
}

const AT_ONCE = 6;
/** Pictures of up to so many pixels come together, up to so many of both in one answer: an answer takes the server longer than a picture. */
const SMALL = 1 << 20;
const PACKED = { pictures: 100, pixels: 3_000_000 };

/** What is fetched in one go: a picture, or many small ones. */
function inPacks(wanted: readonly Wanted[]): Wanted[][] {
  const packs: Wanted[][] = [];
  let open: Wanted[] = [];
  let pixels = 0;
  for (const one of wanted) {
    const { width, height } = sizeOf(one.piece, one.halved);
    if (width * height > SMALL) {
      packs.push([one]);
      continue;
    }
    if (open.length === 0) packs.push(open);
    open.push(one);
    pixels += width * height;
    if (open.length >= PACKED.pictures || pixels > PACKED.pixels) {
      open = [];
      pixels = 0;
    }
  }
  return packs;
}

/** The picture of what is wanted, decoded. */
async function sourceOf({ piece, halved, area }: Wanted, blob: Blob): Promise<Source> {
  if (!area) return { bitmap: await createImageBitmap(blob), halved, left: 0, top: 0 };
  const side = 2 ** halved;
  const { width, height } = sizeOf(piece, halved);
  const [left, top] = [Math.floor(area.left / side), Math.floor(area.top / side)];
  const right = Math.min(Math.ceil((area.left + area.width) / side), width);
  const bottom = Math.min(Math.ceil((area.top + area.height) / side), height);
  const bitmap = await createImageBitmap(blob, left, top, right - left, bottom - top);
  return { bitmap, halved, left: left * side, top: top * side };
}

interface Telling {
  onThere: (wanted: Wanted, source: Source) => void;
  onFailed: (piece: Piece) => void;
  /** After each: how many are still on their way; 0 comes once, at the end. */
  onLeft: (left: number) => void;
}

/** Load pictures; answers a function that stops the loading. */
export function load(
  illustration: number,
  wanted: readonly Wanted[],
  { onThere, onFailed, onLeft }: Telling,
): () => void {
  const stop = new AbortController();
  const waiting = inPacks(wanted);
  let left = wanted.length;
  const keep = async (one: Wanted, blob: Promise<Blob>) => {
    try {
      const source = await sourceOf(one, await blob);
      if (stop.signal.aborted) source.bitmap.close();
      else onThere(one, source);
    } catch {
      if (!stop.signal.aborted) onFailed(one.piece);
    }
    if (stop.signal.aborted) return;
    left -= 1;
    onLeft(left);
  };
  const digestOf = ({ piece, halved }: Wanted) => ({ digest: piece.image, halved });
  const alone = (one: Wanted): Promise<Blob> =>
    one.halved === 0
      ? fetchImage(illustration, one.piece.image, stop.signal)
      : fetchPack(illustration, [digestOf(one)], stop.signal).then(([blob]) => blob ?? Promise.reject());
  const next = async (): Promise<void> => {
    const pack = waiting.shift();
    if (!pack || stop.signal.aborted) return;
    const [only] = pack;
    if (pack.length === 1 && only) {
      await keep(only, alone(only));
    } else {
      const blobs = await fetchPack(illustration, pack.map(digestOf), stop.signal).catch(() => null);
      // Where one of them cannot be had, the others can.
      await Promise.all(
        pack.map((one, at) => {
          const blob = blobs?.[at];
          return keep(one, blob ? Promise.resolve(blob) : alone(one));
        }),
      );
    }
    return next();
  };
  if (left === 0) onLeft(0);
  for (let lane = 0; lane < AT_ONCE; lane++) void next();
  return () => stop.abort();
}

/** Keep what comes. */
export const into =
  (pictures: Pictures) =>
  ({ piece }: Wanted, source: Source): void =>
    pictures.keep(piece.image, source);
