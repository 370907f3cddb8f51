/** The pictures of all parts that are on the pile, in the size that is looked at. */

import { useEffect, useRef, useState } from 'react';
import type { Row } from '../api/calls';
import { loadPictures, type Pictures, previewScale } from './images';
import { allPieces } from './pieces';

export function usePictures(illustration: number, rows: readonly Row[]) {
  const [pictures] = useState<Pictures>(() => new Map());
  // Decided when the parts are known, and then kept: pictures that are there already have it.
  const decided = useRef<number | null>(null);
  if (decided.current === null && rows.length > 0) decided.current = previewScale(rows);
  const scale = decided.current ?? 1;
  const [left, setLeft] = useState<number | null>(null);
  const [failed, setFailed] = useState<readonly string[]>([]);
  const latest = useRef(rows);
  latest.current = rows;
  const images = allPieces(rows)
    .map((piece) => piece.image)
    .join();
  // biome-ignore lint/correctness/useExhaustiveDependencies: pictures depend on the digests, not on names or order
  useEffect(
    () =>
      loadPictures(illustration, latest.current, scale, pictures, setLeft, (name) =>
        setFailed((before) => [...before, name]),
      ),
    [illustration, images, scale, pictures],
  );
  return {
    pictures,
    /** How much smaller they are than the art: 1, 1/2, 1/4 ... */
    scale,
    /** How many are still on their way; null before that is known. */
    left,
    failed,
  };
}
