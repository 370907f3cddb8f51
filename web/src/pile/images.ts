/** The pictures of parts, decoded once. Very large illustrations are kept at a reduced scale, and the pile says so. */
import type { Row } from '../api/calls';
import { imageAddress } from '../api/client';

const BUDGET = 800_000_000;
const AT_ONCE = 6;
/** Milliseconds between two tellings: each draws the composite anew, which takes longer the more there is. */
const TELL_EVERY = 400;

export type Pictures = Map<string, ImageBitmap>;

/** The scale (1, 1/2, 1/4, ...) at which all pictures together stay within the budget of bytes. */
export function previewScale(rows: readonly Row[]): number {
  const bytes = rows.reduce((sum, row) => sum + (row.box ? (row.box[2] ?? 0) * (row.box[3] ?? 0) * 4 : 0), 0);
  let scale = 1;
  while (bytes * scale * scale > BUDGET) scale /= 2;
  return scale;
}

/** Load what is missing; `onLoaded` is told now and then, and at the end. Answers a function that stops the loading. */
export function loadPictures(
  illustration: number,
  rows: readonly Row[],
  scale: number,
  into: Pictures,
  onLoaded: (left: number) => void,
  onFailed: (name: string) => void,
): () => void {
  const stop = new AbortController();
  const waiting = rows.filter((row) => row.image !== null && row.box !== null && !into.has(row.image));
  let left = waiting.length;
  let told = performance.now();
  const next = async (): Promise<void> => {
    const row = waiting.shift();
    if (!row?.image || !row.box || stop.signal.aborted) return;
    try {
      const answer = await fetch(imageAddress(illustration, row.image), { signal: stop.signal });
      if (!answer.ok) throw new Error(`status ${answer.status}`);
      const blob = await answer.blob();
      const [, , width = 1, height = 1] = row.box;
      const size =
        scale === 1
          ? {}
          : {
              resizeWidth: Math.max(1, Math.round(width * scale)),
              resizeHeight: Math.max(1, Math.round(height * scale)),
            };
      into.set(row.image, await createImageBitmap(blob, { ...size, resizeQuality: 'low' }));
    } catch {
      if (stop.signal.aborted) return;
      onFailed(row.name);
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
