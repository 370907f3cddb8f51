/** Vector layers drawn anew at the zoom they are looked at: what is on the screen, once the view stands still. */

import { useEffect, useMemo, useState } from 'react';
import { fetchDrawn } from '../api/images';
import type { Extent } from '../rules/places';
import { layScene, type Scene, type Sources, surface } from './composite';
import { drawSource } from './pictures';
import { type Piece, piecesAt } from './pieces';
import { onScreen, type View } from './view';

/** An area of a layer, in pixels of the layer's own box, and how many times as large it is drawn. */
interface Cut {
  layer: string;
  left: number;
  top: number;
  width: number;
  height: number;
  factor: number;
}
export type SharpPictures = ReadonlyMap<string, ImageBitmap>;

const STILL = 200;
const AT_ONCE = 4;
/** Cuts begin and end at multiples of this many pixels of the screen, so that a small move needs no new ones. */
const GRID = 256;
const LARGEST_FACTOR = 32;

const keyOf = (cut: Cut) => Object.values(cut).join();

/** What of a piece is on the screen. */
function cutOf(piece: Piece, view: View, screen: Extent): Cut | null {
  const factor = Math.min(2 ** Math.ceil(Math.log2(view.zoom)), LARGEST_FACTOR);
  const grid = Math.max(GRID / factor, 1);
  const [x = 0, y = 0, width = 0, height = 0] = piece.box;
  const along = (origin: number, length: number, at: number, extent: number): [number, number] => {
    const first = Math.floor((-at / view.zoom - origin) / grid) * grid;
    const end = Math.ceil(((extent - at) / view.zoom - origin) / grid) * grid;
    return [Math.max(first, 0), Math.min(end, length)];
  };
  const [left, right] = along(x, width, view.x, screen.width);
  const [top, bottom] = along(y, height, view.y, screen.height);
  if (right <= left || bottom <= top) return null;
  return { layer: piece.layer, left, top, width: right - left, height: bottom - top, factor };
}

/** The cuts that are there of what is seen; empty while nothing is drawn anew. */
export function useSharp(
  illustration: number,
  revision: number,
  scene: Scene,
  view: View | null,
  screen: Extent | null,
): SharpPictures {
  const [there, setThere] = useState<SharpPictures>(new Map());
  const wanted = useMemo(() => {
    if (!view || !screen || view.zoom <= 1) return [];
    const pieces = scene.rows.filter((row) => scene.seen.has(row.id)).flatMap((row) => piecesAt(row, scene.moment));
    const cuts = pieces.map((piece) => (piece.vector ? cutOf(piece, view, screen) : null));
    return [...new Map(cuts.filter((cut) => cut !== null).map((cut) => [keyOf(cut), cut])).values()];
  }, [scene, view, screen]);
  const key = wanted.map(keyOf).join(';');
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key says all of what is wanted
  useEffect(() => {
    if (wanted.length === 0) return;
    const stop = new AbortController();
    const next = new Map<string, ImageBitmap>();
    const waiting = wanted.filter((cut) => {
      const known = there.get(keyOf(cut));
      if (known) next.set(keyOf(cut), known);
      return !known;
    });
    const lane = async (): Promise<void> => {
      const cut = waiting.shift();
      if (!cut || stop.signal.aborted) return;
      try {
        const { layer, ...area } = cut;
        const drawn = await fetchDrawn(illustration, revision, layer, area, stop.signal);
        if (drawn) next.set(keyOf(cut), await createImageBitmap(drawn));
      } catch {
        // The pixels that are there anyway stay; the next view asks again.
      }
      return lane();
    };
    const late = window.setTimeout(async () => {
      await Promise.all(Array.from({ length: AT_ONCE }, lane));
      if (!stop.signal.aborted) setThere(next);
    }, STILL);
    return () => {
      window.clearTimeout(late);
      stop.abort();
    };
  }, [illustration, revision, key]);
  return there;
}

/** The scene as it is seen on the screen, drawn from the cuts, and from pixels where there is none. */
export function sharpScene(
  scene: Scene,
  view: View,
  screen: Extent,
  sharp: SharpPictures,
  sources: Sources,
): OffscreenCanvas {
  const canvas = new OffscreenCanvas(screen.width, screen.height);
  const whole = { left: 0, top: 0, right: screen.width, bottom: screen.height };
  const place = onScreen(view);
  layScene(surface(canvas), scene, whole, place, (onto, piece) => {
    const cut = piece.vector ? cutOf(piece, view, screen) : null;
    const anew = cut && sharp.get(keyOf(cut));
    if (cut && anew) {
      const [x = 0, y = 0] = piece.box;
      const { left, top, right, bottom } = place([x + cut.left, y + cut.top, cut.width, cut.height]);
      onto.imageSmoothingEnabled = true;
      onto.drawImage(anew, left, top, right - left, bottom - top);
      return;
    }
    const source = sources(piece);
    onto.imageSmoothingEnabled = source !== undefined && source.halved > 0;
    if (source) drawSource(onto, source, piece.box, place);
  });
  return canvas;
}
