/** Pictures as they are kept, and areas of vector art drawn anew. */
import { drawnAddress, imageAddress } from './client';

export const fetchImage = async (illustration: number, digest: string, signal: AbortSignal): Promise<Blob> => {
  const answer = await fetch(imageAddress(illustration, digest), { signal });
  if (!answer.ok) throw new Error(`status ${answer.status}`);
  return answer.blob();
};

/** Letters of a digest by which an image of a pack is asked for. */
const BEGINNING = 16;

/** Many images in one answer, each halved so often, in the order that they are asked for. */
export const fetchPack = async (
  illustration: number,
  images: readonly { digest: string; halved: number }[],
  signal: AbortSignal,
): Promise<Blob[]> => {
  const of = images.map(({ digest, halved }) => digest.slice(0, BEGINNING) + (halved ? `-${halved}` : '')).join('.');
  const answer = await fetch(`/api/illustrations/${illustration}/pack?of=${of}`, { signal });
  if (!answer.ok) throw new Error(`status ${answer.status}`);
  const bytes = await answer.arrayBuffer();
  const view = new DataView(bytes);
  const found: Blob[] = [];
  for (let at = 0; at < bytes.byteLength; ) {
    const length = view.getUint32(at);
    if (at + 4 + length > bytes.byteLength) break;
    found.push(new Blob([new Uint8Array(bytes, at + 4, length)], { type: 'image/png' }));
    at += 4 + length;
  }
  if (found.length !== images.length) throw new Error('the pack ended before its time');
  return found;
};

/** An area drawn anew; null where it cannot be. */
export const fetchDrawn = async (
  ...[illustration, revision, layer, area, signal]: [...Parameters<typeof drawnAddress>, AbortSignal]
): Promise<Blob | null> => {
  const answer = await fetch(drawnAddress(illustration, revision, layer, area), { signal });
  return answer.ok ? answer.blob() : null;
};
