/** The pictures of parts, decoded once. Very large illustrations are kept at a reduced scale, and the pile says so. */

import { useEffect, useState } from 'react';
import type { Row } from '../api/calls';
import { fetchImage, fetchPack } from '../api/images';
import { allPieces, type Piece } from './pieces';

const BUDGET = 800_000_000;
const AT_ONCE = 6;
/** Milliseconds between two tellings: each draws the composite anew, which takes longer the more there is. */
const TELL_EVERY = 400;

export type Pictures = Map<string, ImageBitmap>;

/** Whole pictures by their digests, each null until it is there. */
export function useWholePictures(illustration: number, digests: readonly (string | null)[]): (ImageBitmap | null)[] {
  const [kept, setKept] = useState<ReadonlyMap<string, ImageBitmap>>(new Map());
  const wanted = digests.filter((digest) => digest !== null).join();
  useEffect(() => {
    const stop = new AbortController();
    for (const digest of wanted ? wanted.split(',') : []) {
      fetchImage(illustration, digest, stop.signal)
        .then(createImageBitmap)
        .then((picture) => setKept((before) => new Map(before).set(digest, picture)))
        // The state line says that parts were not loaded; a comparison that lacks a side shows it.
        .catch(() => undefined);
    }
    return () => stop.abort();
  }, [illustration, wanted]);
  return digests.map((digest) => (digest === null ? null : (kept.get(digest) ?? null)));
}

/** The scale (1, 1/2, 1/4, ...) at which all pictures together stay within the budget of bytes. */
export function previewScale(rows: readonly Row[]): number {
  const bytes = allPieces(rows).reduce((sum, { box }) => sum + (box[2] ?? 0) * (box[3] ?? 0) * 4, 0);
  let scale = 1;
  while (bytes * scale * scale > BUDGET) scale /= 2;
  return scale;
}

/** Pictures of up to so many pixels come together, up to so many of both in one answer: an answer takes the server longer than a picture. */
const SMALL = 1 << 20;
const PACKED = { pictures: 100, pixels: 3_000_000 };

/** What is fetched in one go: a picture, or many small ones. */
function inPacks(pieces: readonly Piece[]): Piece[][] {
  const packs: Piece[][] = [];
  let open: Piece[] = [];
  let pixels = 0;
  for (const piece of pieces) {
    const own = (piece.box[2] ?? 0) * (piece.box[3] ?? 0);
    if (own > SMALL) {
      packs.push([piece]);
      continue;
    }
    if (open.length === 0) packs.push(open);
    open.push(piece);
    pixels += own;
    if (open.length >= PACKED.pictures || pixels > PACKED.pixels) {
      open = [];
      pixels = 0;
    }
  }
  return packs;
}

/** Load what is missing; `onLoaded` is told at the start, now and then, and at the end. Answers a function that stops the loading. */
export function loadPictures(
  illustration: number,
  rows: readonly Row[],
  scale: number,
  into: Pictures,
  onLoaded: (left: number) => void,
  onFailed: (name: string) => void,
): () => void {
  const stop = new AbortController();
  const names = new Map(
    rows.flatMap((row) => row.frames.flatMap(({ pieces }) => pieces.map((p) => [p.image, row.name]))),
  );
  const missing = new Map(allPieces(rows).map((piece) => [piece.image, piece]));
  const waiting = inPacks([...missing.values()].filter((piece) => !into.has(piece.image)));
  let left = waiting.reduce((sum, pack) => sum + pack.length, 0);
  let told = performance.now();
  if (left > 0) onLoaded(left);
  const done = () => {
    left -= 1;
    if (left === 0 || performance.now() - told > TELL_EVERY) {
      told = performance.now();
      onLoaded(left);
    }
  };
  const keep = async (piece: Piece, blob: Promise<Blob>) => {
    try {
      into.set(piece.image, await createImageBitmap(await blob, sizeAt(piece, scale)));
    } catch {
      if (stop.signal.aborted) return;
      onFailed(names.get(piece.image) ?? '');
    }
    done();
  };
  const next = async (): Promise<void> => {
    const pack = waiting.shift();
    if (!pack || stop.signal.aborted) return;
    const alone = (piece: Piece) => keep(piece, fetchImage(illustration, piece.image, stop.signal));
    if (pack.length === 1 && pack[0]) {
      await alone(pack[0]);
    } else {
      const digests = pack.map((piece) => piece.image);
      const blobs = await fetchPack(illustration, digests, stop.signal).catch(() => null);
      // Where one of them cannot be had, the others can.
      await Promise.all(
        pack.map((piece, at) => {
          const blob = blobs?.[at];
          return blob ? keep(piece, Promise.resolve(blob)) : alone(piece);
        }),
      );
    }
    return next();
  };
  for (let lane = 0; lane < AT_ONCE; lane++) void next();
  return () => stop.abort();
}

function sizeAt({ box }: Piece, scale: number): ImageBitmapOptions {
  if (scale === 1) return {};
  const [, , width = 1, height = 1] = box;
  return {
    resizeWidth: Math.max(1, Math.round(width * scale)),
    resizeHeight: Math.max(1, Math.round(height * scale)),
    resizeQuality: 'low',
  };
}
