/** The pictures of parts, decoded once. Very large illustrations are kept at a reduced scale, and the pile says so. */
import type { Row } from '../api/calls';
import { imageAddress } from '../api/client';

const BUDGET = 400_000_000;
const AT_ONCE = 6;

export type Pictures = Map<string, ImageBitmap>;

/** The scale (1, 1/2, 1/4, ...) at which all pictures together stay within the budget of bytes. */
export function previewScale(rows: readonly Row[]): number {
  const bytes = rows.reduce((sum, row) => sum + (row.box ? (row.box[2] ?? 0) * (row.box[3] ?? 0) * 4 : 0), 0);
  let scale = 1;
  while (bytes * scale * scale > BUDGET) scale /= 2;
  return scale;
}

/** Load what is missing; `onLoaded` is told after each picture. Answers a function that stops the loading. */
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
      into.set(row.image, await createImageBitmap(blob, { ...size, resizeQuality: 'medium' }));
    } catch {
      if (stop.signal.aborted) return;
      onFailed(row.name);
    }
    left -= 1;
    onLoaded(left);
    return next();
  };
  for (let lane = 0; lane < AT_ONCE; lane++) void next();
  return () => stop.abort();
}
