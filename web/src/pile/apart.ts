/** The exploded view: the parts as panes one behind the other, seen from the side. An orthographic projection, no library. */

import type { Row } from '../api/calls';
import { frameKey } from '../rules/art';
import type { Extent, Spot } from '../rules/places';
import { surface } from './composite';
import { drawSource, type Pictures } from './pictures';
import { piecesAt } from './pieces';
import { onScreen } from './view';

/** How the panes are turned and how far apart they are: degrees, and the depth of all of them as a share of the width. */
export interface Stance {
  turn: number;
  spread: number;
}

export const STANCE: Stance = { turn: 38, spread: 0.9 };
const PITCH = 14;
/** Pixels of the longer side at which panes are kept: they are small on the screen, and there may be hundreds. */
const PANE = 640;
/** Pixels of all panes together. */
const PANES = 24_000_000;
const THRESHOLD = 9;

interface Pane {
  row: Row;
  picture: OffscreenCanvas;
  key: string;
}

/** The matrix of a pane as a canvas takes it: a, b, c, d, e, f. */
export type Matrix = readonly [number, number, number, number, number, number];

/** Reduced pictures of parts, kept from frame to frame. */
export class Panes {
  private readonly kept = new Map<string, Pane>();
  private last: { of: unknown[]; panes: Pane[] } | null = null;
  scale = 1;

  constructor(private readonly canvas: Extent) {}

  /** The panes of what is seen, back to front. */
  of(rows: readonly Row[], seen: ReadonlySet<string>, pictures: Pictures, moment: number): Pane[] {
    // While the panes are only turned, none of these is another one.
    const same = [rows, seen, pictures.version, moment];
    if (!this.last || same.some((one, index) => one !== this.last?.of[index])) {
      this.scale = scaleOf(this.canvas, rows);
      this.last = { of: same, panes: this.made(rows, seen, pictures, moment) };
    }
    return this.last.panes;
  }

  private made(rows: readonly Row[], seen: ReadonlySet<string>, pictures: Pictures, moment: number): Pane[] {
    return rows.flatMap((row) => {
      const pieces = piecesAt(row, moment);
      const sources = pieces.map((piece) => pictures.get(piece.image));
      if (!row.box || !seen.has(row.id) || !sources.some((source) => source)) return [];
      const there = sources.map((source) => source?.halved);
      const key = [row.box, row.opacity, frameKey({ milliseconds: null, pieces: [...pieces] }), there, this.scale].join(
        ' ',
      );
      const old = this.kept.get(row.id);
      if (old?.key === key) return [{ ...old, row }];
      const [left = 0, top = 0, width = 0, height = 0] = row.box;
      const picture = new OffscreenCanvas(
        Math.max(1, Math.ceil(width * this.scale)),
        Math.max(1, Math.ceil(height * this.scale)),
      );
      const context = surface(picture);
      context.imageSmoothingQuality = 'high';
      const place = onScreen({ zoom: this.scale, x: -left * this.scale, y: -top * this.scale });
      pieces.forEach((piece, at) => {
        const source = sources[at];
        context.globalAlpha = piece.opacity * row.opacity;
        if (source) drawSource(context, source, piece.box, place);
      });
      const pane = { row, picture, key };
      this.kept.set(row.id, pane);
      return [pane];
    });
  }
}

/** The scale of the panes: what there is room for. */
function scaleOf(canvas: Extent, rows: readonly Row[]): number {
  const pixels = rows.reduce((sum, { box }) => sum + (box ? (box[2] ?? 0) * (box[3] ?? 0) : 0), 0);
  return Math.min(1, PANE / Math.max(canvas.width, canvas.height), Math.sqrt(PANES / Math.max(1, pixels)));
}

/** Where each of `count` panes of the canvas' size lies on the screen, back to front, all of them as large as there is room. */
export function panePlaces(screen: Extent, canvas: Extent, count: number, stance: Stance, zoom: number): Matrix[] {
  const [turn, pitch] = [
    (stance.turn * Math.PI) / 180,
    ((PITCH * Math.PI) / 180) * Math.min(1, Math.abs(stance.turn) / 20),
  ];
  const depth = stance.spread * canvas.width;
  const a = Math.cos(turn);
  const b = Math.sin(turn) * Math.sin(pitch);
  const d = Math.cos(pitch);
  // The front-most pane is nearest: it goes to the side from which the panes are seen, and down.
  const [ex, ey] = [-Math.sin(turn) * depth, Math.cos(turn) * Math.sin(pitch) * depth];
  const corners = [0, 1].flatMap((z) =>
    [0, canvas.width].flatMap((x) => [0, canvas.height].map((y) => ({ x: a * x + ex * z, y: b * x + d * y + ey * z }))),
  );
  const [xs, ys] = [corners.map((corner) => corner.x), corners.map((corner) => corner.y)];
  const [left, top] = [Math.min(...xs), Math.min(...ys)];
  const fit = Math.min(
    (screen.width * 0.94) / (Math.max(...xs) - left),
    (screen.height * 0.92) / (Math.max(...ys) - top),
  );
  const scale = fit * zoom;
  const [x0, y0] = [
    (screen.width - (Math.max(...xs) + left) * scale) / 2,
    (screen.height - (Math.max(...ys) + top) * scale) / 2,
  ];
  return Array.from({ length: count }, (_, index) => {
    const z = count > 1 ? index / (count - 1) : 0.5;
    return [a * scale, b * scale, 0, d * scale, x0 + ex * z * scale, y0 + ey * z * scale] as const;
  });
}

/** A matrix that leads to a surface of another size. */
export const scaled = ([a, b, c, d, e, f]: Matrix, by: number): Matrix => [
  a * by,
  b * by,
  c * by,
  d * by,
  e * by,
  f * by,
];

/** Draw the panes, roughly while they move; what is chosen has its frame drawn in its colour. */
export function drawApart(
  context: CanvasRenderingContext2D | OffscreenCanvasRenderingContext2D,
  panes: readonly Pane[],
  places: readonly Matrix[],
  canvas: Extent,
  scale: number,
  colours: ReadonlyMap<string, string>,
  isStill: boolean,
): void {
  context.imageSmoothingEnabled = isStill;
  context.imageSmoothingQuality = 'high';
  panes.forEach(({ row, picture }, index) => {
    const place = places[index];
    if (!place || !row.box) return;
    context.setTransform(...place);
    const [left = 0, top = 0, width = 0, height = 0] = row.box;
    const colour = colours.get(row.id);
    context.drawImage(picture, left, top, picture.width / scale, picture.height / scale);
    if (colour || index === 0 || index === panes.length - 1) {
      context.strokeStyle = colour ?? '#0000004d';
      context.lineWidth = (colour ? 2.5 : 1) / (place[3] || 1);
      context.strokeRect(0, 0, canvas.width, canvas.height);
      if (colour) context.strokeRect(left, top, width, height);
    }
  });
  context.setTransform(1, 0, 0, 1, 0, 0);
}

/** The parts under a place on the screen, front-most first. */
export function panesAt(panes: readonly Pane[], places: readonly Matrix[], scale: number, spot: Spot): Row[] {
  return panes
    .filter(({ row, picture }, index) => {
      const place = places[index];
      if (!place || !row.box || row.locked) return false;
      const [a, b, , d, e, f] = place;
      const x = (spot.x - e) / a;
      const y = (spot.y - f - b * x) / d;
      const [px, py] = [Math.floor((x - (row.box[0] ?? 0)) * scale), Math.floor((y - (row.box[1] ?? 0)) * scale)];
      if (px < 0 || py < 0 || px >= picture.width || py >= picture.height) return false;
      return (surface(picture).getImageData(px, py, 1, 1).data[3] ?? 0) > THRESHOLD;
    })
    .map(({ row }) => row)
    .reverse();
}
