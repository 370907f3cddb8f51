/** The pictures of parts, decoded once. Very large illustrations are kept at a reduced scale, and the pile says so. */

import { useEffect, useState } from 'react';
import type { Row } from '../api/calls';
import { fetchImage } from '../api/images';
import { allPieces } from './pieces';

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
  const waiting = [...missing.values()].filter((piece) => !into.has(piece.image));
  let left = waiting.length;
  let told = performance.now();
  if (left > 0) onLoaded(left);
  const next = async (): Promise<void> => {
    const piece = waiting.shift();
    if (!piece || stop.signal.aborted) return;
    try {
      const blob = await fetchImage(illustration, piece.image, stop.signal);
      const [, , width = 1, height = 1] = piece.box;
      const size =
        scale === 1
          ? {}
          : {
              resizeWidth: Math.max(1, Math.round(width * scale)),
              resizeHeight: Math.max(1, Math.round(height * scale)),
            };
      into.set(piece.image, await createImageBitmap(blob, { ...size, resizeQuality: 'low' }));
    } catch {
      if (stop.signal.aborted) return;
      onFailed(names.get(piece.image) ?? '');
    }
    left -= 1;
    if (left === 0 || performance.now() - told > TELL_EVERY) {
      told = performance.now();
      onLoaded(left);
    }
    return next();
  };
  for (let lane = 0; lane < AT_ONCE; lane++) void next();
  return () => stop.abort();
}
