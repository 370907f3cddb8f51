/** What is left of a part to be taken out of it: how much of the picture, and where, hatched while somebody wants to see it. */

import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { askRemainder } from '../../api/questions';
import { bitmapOf } from '../../pile/bitmaps';
import type { Mask } from '../../pile/marks';
import type { Extent } from '../../rules/places';
import { useRemainder as words } from './words';

/** Pixels between two lines of the hatching, for each thousand of the picture's longer side. */
const EVERY = 14;

export function useRemainder(
  illustration: number,
  row: string | undefined,
  art: string | undefined,
  version: number | undefined,
  canvas: Extent | undefined,
  isWanted: boolean,
  isAtOnce: boolean,
) {
  const [isHatched, setHatched] = useState(false);
  const [hatching, setHatching] = useState<Mask | null>(null);
  const query = useQuery({
    queryKey: ['remainder', illustration, row, art, version],
    enabled: isWanted && (isAtOnce || isHatched) && row !== undefined,
    retry: false,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => askRemainder(illustration, row ?? '', signal),
  });
  const found = isWanted ? query.data : undefined;
  useEffect(() => {
    setHatching(null);
    if (!found?.mask || !isHatched) return;
    let isLate = false;
    void hatched(found.mask, found.box ?? []).then((mask) => !isLate && setHatching(mask));
    return () => {
      isLate = true;
    };
  }, [found, isHatched]);
  return {
    /** Of the picture, from 0 to 1. */
    share: found && canvas ? found.pixels / (canvas.width * canvas.height) : null,
    isHatched,
    setHatched,
    hatching,
  };
}

/** A mask as fine slanting lines. */
async function hatched(mask: string, box: readonly number[]): Promise<Mask> {
  const there = await bitmapOf(mask);
  const { width, height } = there;
  const canvas = new OffscreenCanvas(width, height);
  const context = canvas.getContext('2d');
  if (!context) throw new Error(words.thisBrowserHasNo2d);
  context.drawImage(there, 0, 0);
  context.globalCompositeOperation = 'source-in';
  const every = Math.max(Math.round((EVERY * Math.max(width, height)) / 1000), 6);
  const tile = new OffscreenCanvas(every, every);
  const pattern = tile.getContext('2d');
  if (!pattern) throw new Error(words.thisBrowserHasNo2d);
  for (const [colour, line] of [
    ['#ffffffb0', every / 3],
    ['#b4471c', every / 6],
  ] as const) {
    pattern.strokeStyle = colour;
    pattern.lineWidth = line;
    pattern.beginPath();
    for (const shift of [-every, 0, every]) {
      pattern.moveTo(shift, every);
      pattern.lineTo(shift + every, 0);
    }
    pattern.stroke();
  }
  const fill = context.createPattern(tile, 'repeat');
  if (fill) context.fillStyle = fill;
  context.fillRect(0, 0, width, height);
  return { picture: await createImageBitmap(canvas), box, colour: '' };
}
