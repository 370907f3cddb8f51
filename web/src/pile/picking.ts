/** Which part is under the pointer: decided by the pixel, never by the box. */
import type { Row } from '../api/calls';
import type { Spot } from '../rules/places';
import { type Sources, surface } from './composite';
import { piecesAt } from './pieces';

/** Alpha above which a pixel counts as seen: a fringe of under 10 of 255 is not aimed at. */
const THRESHOLD = 9;

let probe: OffscreenCanvasRenderingContext2D | null = null;

function alphaAt(picture: ImageBitmap, x: number, y: number): number {
  if (!probe) {
    const canvas = new OffscreenCanvas(1, 1);
    probe = canvas.getContext('2d', { willReadFrequently: true }) ?? surface(canvas);
    probe.globalCompositeOperation = 'copy';
  }
  probe.drawImage(picture, -x, -y);
  return probe.getImageData(0, 0, 1, 1).data[3] ?? 0;
}

/** The seen and unlocked parts at a canvas pixel, front-most first. */
export function partsAt(
  rows: readonly Row[],
  seen: ReadonlySet<string>,
  sources: Sources,
  moment: number,
  spot: Spot,
): Row[] {
  return rows.filter((row) => !row.locked && covers(row, seen, sources, moment, spot)).reverse();
}

/** The front-most part at a canvas pixel, locked or not. */
export function frontMost(
  rows: readonly Row[],
  seen: ReadonlySet<string>,
  sources: Sources,
  moment: number,
  spot: Spot,
): Row | undefined {
  return rows.findLast((row) => covers(row, seen, sources, moment, spot));
}

/** The front-most locked part at a canvas pixel. */
export function lockedAt(
  rows: readonly Row[],
  seen: ReadonlySet<string>,
  sources: Sources,
  moment: number,
  spot: Spot,
): Row | undefined {
  return rows.findLast((row) => row.locked && covers(row, seen, sources, moment, spot));
}

function covers(row: Row, seen: ReadonlySet<string>, sources: Sources, moment: number, spot: Spot): boolean {
  if (!seen.has(row.id)) return false;
  return piecesAt(row, moment).some((piece) => {
    const source = sources(piece);
    const [left = 0, top = 0, width = 0, height = 0] = piece.box;
    const [x, y] = [spot.x - left, spot.y - top];
    if (!source || x < 0 || y < 0 || x >= width || y >= height) return false;
    const side = 2 ** source.halved;
    const at = { x: Math.floor((x - source.left) / side), y: Math.floor((y - source.top) / side) };
    return alphaAt(source.bitmap, at.x, at.y) > THRESHOLD;
  });
}

/** The next part to pick: the front-most at first; at the same place again, the one behind the last one picked. */
export function nextDeeper(found: readonly Row[], last: string | null): Row | null {
  const at = found.findIndex((row) => row.id === last);
  return found[(at + 1) % Math.max(1, found.length)] ?? null;
}
