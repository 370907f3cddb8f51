/** What is looked at closely, with larger pictures than the budget has room for of the whole: once the view stands still. */

import { useEffect, useMemo, useRef, useState } from 'react';
import type { Area, Extent } from '../rules/places';
import { type Scene, within } from './composite';
import { halvedOf, sizeOf } from './halves';
import { into, load, type Wanted } from './loading';
import { bytesOf, type Pictures, type Source } from './pictures';
import { type Piece, piecesAt } from './pieces';
import { canvasSpot, type View } from './view';

/** An area of the canvas that is drawn from larger pictures: those that were kept whole, and areas of very large ones. */
export interface Detail {
  area: Area;
  halved: number;
  cuts: ReadonlyMap<string, Source>;
}

const STILL = 200;
/** Of a picture with more pixels only what is looked at stays decoded. */
const LARGE = 4_000_000;
/** How much is drawn beyond each side of the screen, so that a small move shows nothing else. */
const MARGIN = 0.1;
/** The area begins and ends at multiples of so many pixels of the canvas: also at pixels of pictures that are halved as often as any. */
const GRID = 64;

/** What of the canvas is on the screen, and a little more. */
function lookedAt(view: View, screen: Extent, canvas: Extent): Area | null {
  const [x, y] = [screen.width * MARGIN, screen.height * MARGIN];
  const first = canvasSpot(view, { x: -x, y: -y });
  const last = canvasSpot(view, { x: screen.width + x, y: screen.height + y });
  const area = {
    left: Math.floor(first.x / GRID) * GRID,
    top: Math.floor(first.y / GRID) * GRID,
    right: Math.ceil(last.x / GRID) * GRID,
    bottom: Math.ceil(last.y / GRID) * GRID,
  };
  return within(area, { left: 0, top: 0, right: canvas.width, bottom: canvas.height });
}

function wantedOf(piece: Piece, area: Area, wanted: number, large: number): Wanted | null {
  const [x = 0, y = 0, width = 0, height = 0] = piece.box;
  const common = within({ left: x, top: y, right: x + width, bottom: y + height }, area);
  if (!common) return null;
  const halved = halvedOf(piece, wanted);
  const size = sizeOf(piece, halved);
  if (size.width * size.height <= large) return { piece, halved };
  const { left, top, right, bottom } = common;
  return { piece, halved, area: { left: left - x, top: top - y, width: right - left, height: bottom - top } };
}

const bytesWanted = ({ piece, halved, area }: Wanted) =>
  bytesOf(sizeOf(area ? { box: [0, 0, area.width, area.height] } : piece, halved));

interface Props {
  illustration: number;
  canvas: Extent;
  scene: Scene;
  /** Null where nothing is looked at closely. */
  view: View | null;
  screen: Extent | null;
  pictures: Pictures;
  /** All pieces, and how often they are halved for the whole: null before they are there. */
  pieces: readonly Piece[];
  halved: number | null;
}

/** The area that is looked at closely, once all its pictures are there; null where the whole is drawn as large already. */
export function useDetail({
  illustration,
  canvas,
  scene,
  view,
  screen,
  pictures,
  pieces,
  halved,
}: Props): Detail | null {
  const [detail, setDetail] = useState<Detail | null>(null);
  const latest = useRef(detail);
  latest.current = detail;
  const wanted = useMemo(() => {
    if (!view || !screen || !halved) return null;
    const area = lookedAt(view, screen, canvas);
    if (!area) return null;
    const seen = scene.rows.filter((row) => scene.seen.has(row.id)).flatMap((row) => piecesAt(row, scene.moment));
    const different = [...new Map(seen.map((piece) => [`${piece.image} ${piece.box}`, piece])).values()];
    const whole = pieces.reduce((sum, piece) => sum + bytesOf(sizeOf(piece, halvedOf(piece, halved))), 0);
    for (let times = Math.max(0, Math.floor(-Math.log2(view.zoom))); times < halved; times++) {
      // Whole pictures are there for the next view too; where there is no room for them, only what is seen of them is kept.
      for (const large of [LARGE, 0]) {
        const all = different.map((piece) => wantedOf(piece, area, times, large)).filter((one) => one !== null);
        if (all.reduce((sum, one) => sum + bytesWanted(one), whole) <= pictures.budget)
          return { area, halved: times, all };
      }
    }
    return null;
  }, [scene, view, screen, canvas, pieces, pictures, halved]);
  const key = wanted && [wanted.halved, ...Object.values(wanted.area), ...wanted.all.map(cutKey)].join();
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key says all of what is wanted
  useEffect(() => {
    if (!wanted || !halved) {
      closeAll(latest.current?.cuts);
      setDetail(null);
      return;
    }
    const before = latest.current;
    const isSame =
      before?.halved === wanted.halved && String(Object.values(before.area)) === String(Object.values(wanted.area));
    const cuts = new Map<string, Source>();
    let stop = () => {};
    let isOver = false;
    const settle = () => {
      isOver = true;
      const kept = [...pieces.map((piece) => [piece.image, halvedOf(piece, halved)] as const)];
      for (const { piece, halved: times, area } of wanted.all) if (!area) kept.push([piece.image, times]);
      pictures.use(
        kept,
        [...cuts.values()].reduce((sum, { bitmap }) => sum + bytesOf(bitmap), 0),
      );
      for (const [cut, source] of before?.cuts ?? []) if (cuts.get(cut) !== source) source.bitmap.close();
      // The same area stays the same object: what is drawn of it already stays too.
      setDetail({ area: isSame && before ? before.area : wanted.area, halved: wanted.halved, cuts });
    };
    const begin = () => {
      const missing = wanted.all.filter((one) => {
        if (!one.area) return pictures.at(one.piece.image, one.halved) === undefined;
        const known = isSame ? before?.cuts.get(cutOf(one.piece)) : undefined;
        if (known) cuts.set(cutOf(one.piece), known);
        return known === undefined;
      });
      stop = load(illustration, missing, {
        onThere: (one, source) => {
          if (one.area) cuts.set(cutOf(one.piece), source);
          else into(pictures)(one, source);
        },
        // What is there of the whole stays in its place.
        onFailed: () => {},
        onLeft: (left) => left === 0 && settle(),
      });
    };
    const late = window.setTimeout(begin, isSame ? 0 : STILL);
    return () => {
      window.clearTimeout(late);
      stop();
      if (isOver) return;
      for (const [cut, source] of cuts) if (before?.cuts.get(cut) !== source) source.bitmap.close();
    };
  }, [illustration, key, pictures]);
  return detail;
}

/** Where a cut is found: the same image may lie in several places. */
export const cutOf = (piece: Piece) => `${piece.image} ${piece.box}`;

const cutKey = ({ piece, area }: Wanted) => `${cutOf(piece)} ${area !== undefined}`;

function closeAll(cuts: ReadonlyMap<string, Source> | undefined): void {
  for (const { bitmap } of cuts?.values() ?? []) bitmap.close();
}
