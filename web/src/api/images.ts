/** Pictures as they are kept, and areas of vector art drawn anew. */
import { drawnAddress, imageAddress } from './client';

export const fetchImage = async (illustration: number, digest: string, signal: AbortSignal): Promise<Blob> => {
  const answer = await fetch(imageAddress(illustration, digest), { signal });
  if (!answer.ok) throw new Error(`status ${answer.status}`);
  return answer.blob();
};

/** An area drawn anew; null where it cannot be. */
export const fetchDrawn = async (
  ...[illustration, revision, layer, area, signal]: [...Parameters<typeof drawnAddress>, AbortSignal]
): Promise<Blob | null> => {
  const answer = await fetch(drawnAddress(illustration, revision, layer, area), { signal });
  return answer.ok ? answer.blob() : null;
};
