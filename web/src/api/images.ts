/** Pictures as they are kept, and areas of vector art drawn anew. */

import { drawnAddress, imageAddress, Refusal, refusalOf } from './client';
import { patiently } from './patience';
import { images as words } from './words';

/** What an answer holds, asked for again while the server is away or the connection breaks. */
const fetched = <T>(address: string, signal: AbortSignal, read: (answer: Response) => Promise<T>): Promise<T> =>
  patiently(async () => {
    try {
      const answer = await fetch(address, { signal });
      if (!answer.ok) throw refusalOf(answer.status, await answer.text());
      return await read(answer);
    } catch (error) {
      if (signal.aborted || error instanceof Refusal) throw error;
      throw new Refusal(0, 'unreachable', words.thePictureCannotBeHad);
    }
  });

export const fetchImage = (illustration: number, digest: string, signal: AbortSignal): Promise<Blob> =>
  fetched(imageAddress(illustration, digest), signal, (answer) => answer.blob());

/** Letters of a digest by which an image of a pack is asked for. */
const BEGINNING = 16;

/** Many images in one answer, each halved so often, in the order that they are asked for. */
export const fetchPack = (
  illustration: number,
  images: readonly { digest: string; halved: number }[],
  signal: AbortSignal,
): Promise<Blob[]> => {
  const of = images.map(({ digest, halved }) => digest.slice(0, BEGINNING) + (halved ? `-${halved}` : '')).join('.');
  return fetched(`/api/illustrations/${illustration}/pack?of=${of}`, signal, async (answer) => {
    const found = unpacked(await answer.arrayBuffer());
    if (found.length !== images.length) throw new Error('the pack ended before its time');
    return found;
  });
};

function unpacked(bytes: ArrayBuffer): Blob[] {
  const view = new DataView(bytes);
  const found: Blob[] = [];
  for (let at = 0; at + 4 <= bytes.byteLength; ) {
    const length = view.getUint32(at);
    if (at + 4 + length > bytes.byteLength) break;
    found.push(new Blob([new Uint8Array(bytes, at + 4, length)], { type: 'image/png' }));
    at += 4 + length;
  }
  return found;
}

/** An area drawn anew; null where it cannot be. */
export const fetchDrawn = async (
  ...[illustration, revision, layer, area, signal]: [...Parameters<typeof drawnAddress>, AbortSignal]
): Promise<Blob | null> => {
  const answer = await fetch(drawnAddress(illustration, revision, layer, area), { signal });
  return answer.ok ? answer.blob() : null;
};
