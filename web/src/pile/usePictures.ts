/** The pictures of all parts that are on the pile: halved ones first where there are many, then as large as the budget allows. */

import { useEffect, useMemo, useRef, useState } from 'react';
import { type Row, useSession } from '../api/calls';
import { fetchImage } from '../api/images';
import type { Extent } from '../rules/places';
import { fewestHalvings, halvedOf, PIXEL } from './halves';
import { into, load } from './loading';
import { Pictures } from './pictures';
import { allPieces, type Piece } from './pieces';

const DEFAULT_BUDGET = 512 * 2 ** 20;
/** Pixels that are decoded before the parts are shown: more of them would be waited for. */
const FIRST = 36_000_000;
/** The share of the budget that the whole picture takes; what is looked at closely has the rest. */
const WHOLE = 0.5;
/** Milliseconds between two tellings. */
const TELL_EVERY = 400;

export function usePictures(illustration: number, canvas: Extent, rows: readonly Row[]) {
  const budget = useSession().data?.picture_bytes ?? DEFAULT_BUDGET;
  const pictures = useMemo(() => new Pictures(budget), [budget]);
  const [left, setLeft] = useState<number | null>(null);
  const [settled, setSettled] = useState<number | null>(null);
  const [failed, setFailed] = useState<readonly string[]>([]);
  const latest = useRef(rows);
  latest.current = rows;
  const { width, height } = canvas;
  const images = allPieces(rows)
    .map((piece) => piece.image)
    .join();
  // biome-ignore lint/correctness/useExhaustiveDependencies: pictures depend on the digests, not on names or order
  const { pieces, halved, first } = useMemo(() => {
    const pieces = [...new Map(allPieces(latest.current).map((piece) => [piece.image, piece])).values()];
    const whole = [...pieces, { box: [0, 0, width, height] }];
    const halved = fewestHalvings(whole, (budget * WHOLE) / PIXEL);
    return { pieces, halved, first: Math.max(halved, fewestHalvings(pieces, FIRST)) };
  }, [images, budget, width, height]);
  useEffect(() => {
    const names = new Map(
      latest.current.flatMap((row) => row.frames.flatMap((frame) => frame.pieces.map((p) => [p.image, row.name]))),
    );
    const onFailed = (piece: Piece) => setFailed((before) => [...before, names.get(piece.image) ?? '']);
    const onThere = into(pictures);
    const settle = (at: number) => {
      pictures.settled = at;
      pictures.use(pieces.map((piece) => [piece.image, halvedOf(piece, at)]));
      setSettled(at);
    };
    if (pieces.length === 0) return;
    const stops: (() => void)[] = [];
    const fetched = (at: number, isThere: (piece: Piece) => boolean, onLeft: (left: number) => void) => {
      const lacking = pieces.filter((piece) => !isThere(piece));
      const wanted = lacking.map((piece) => ({ piece, halved: halvedOf(piece, at) }));
      stops.push(load(illustration, wanted, { onThere, onFailed, onLeft }));
    };
    const isAt = (at: number) => (piece: Piece) => pictures.at(piece.image, halvedOf(piece, at)) !== undefined;
    const enlarge = () => fetched(halved, isAt(halved), (now) => now === 0 && settle(halved));
    // What is added to a picture that is there comes as large as the rest; where it leaves less room for all, or more, all come anew.
    const isNew = !pieces.some((piece) => pictures.has(piece.image));
    const begin = isNew ? first : halved;
    let told = performance.now();
    const tell = (now: number) => {
      if (now > 0 && performance.now() - told < TELL_EVERY) return;
      told = performance.now();
      if (now === 0) settle(begin);
      setLeft(now);
      if (now === 0 && begin > halved) enlarge();
    };
    const missing = pieces.filter((piece) => !isAt(begin)(piece)).length;
    if (missing > 0) setLeft(missing);
    fetched(begin, isAt(begin), tell);
    return () => {
      for (const stop of stops) stop();
    };
  }, [illustration, pieces, first, halved, pictures]);
  useEffect(() => () => pictures.clear(), [pictures]);
  return {
    pictures,
    pieces,
    /** How often pictures are halved, where they must be, for all of them to be within the budget. */
    halved,
    /** How often those are that are there; null before they are. */
    settled,
    /** How many are still on their way; null before that is known. */
    left,
    failed,
  };
}

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
