/** The composite of what is seen, on a 2D canvas whose operators are those of the W3C that the core uses too. */
import type { Row } from '../api/calls';
import type { Extent } from '../rules/places';
import { membersOf } from '../rules/tree';
import type { Pictures } from './images';
import { isWhole, type Piece, piecesAt } from './pieces';

export interface Area {
  left: number;
  top: number;
  right: number;
  bottom: number;
}

export interface Scene {
  rows: readonly Row[];
  seen: ReadonlySet<string>;
  /** Which frame of each animated part. */
  moment: number;
}

const OPERATORS: Record<string, GlobalCompositeOperation> = { normal: 'source-over' };

/** The W3C names a mode and the canvas' operator alike, but for normal. */
function operatorOf(blend: string): GlobalCompositeOperation {
  return OPERATORS[blend] ?? (blend as GlobalCompositeOperation);
}

/** A composite at a scale of the canvas, drawn again only where something changed. */
export class Composite {
  readonly canvas: OffscreenCanvas;
  readonly scale: number;
  private readonly context: OffscreenCanvasRenderingContext2D;
  private last: { keys: Map<string, string>; boxes: Map<string, string>; order: string } | null = null;

  constructor(size: Extent, scale: number) {
    this.scale = scale;
    this.canvas = new OffscreenCanvas(
      Math.max(1, Math.round(size.width * scale)),
      Math.max(1, Math.round(size.height * scale)),
    );
    this.context = surface(this.canvas);
  }

  /** Bring the composite up to date; answers whether anything was drawn. */
  update(scene: Scene, pictures: Pictures): boolean {
    const keys = keysOf(scene, pictures);
    const order = scene.rows.map((row) => `${row.group}/${row.id}`).join();
    const area = this.changed(scene.rows, keys, order);
    this.last = { keys, boxes: new Map(scene.rows.map((row) => [row.id, String(row.box)])), order };
    if (area === null) return false;
    this.draw(scene, pictures, area);
    return true;
  }

  private changed(rows: readonly Row[], keys: Map<string, string>, order: string): Area | null {
    const whole = { left: 0, top: 0, right: this.canvas.width, bottom: this.canvas.height };
    if (this.last === null || this.last.order !== order) return whole;
    let area: Area | null = null;
    for (const row of rows) {
      if (this.last.keys.get(row.id) === keys.get(row.id)) continue;
      // Some operators reach beyond the box of the part, and one that was moved leaves another place.
      if (row.blend.startsWith('destination') || this.last.boxes.get(row.id) !== String(row.box)) return whole;
      area = joined(area, row.box && areaOf(row.box, this.scale));
    }
    return area;
  }

  private draw(scene: Scene, pictures: Pictures, area: Area): void {
    layScene(
      this.context,
      scene,
      area,
      (box) => areaOf(box, this.scale),
      (onto, piece) => {
        const picture = pictures.get(piece.image);
        const { left, top } = areaOf(piece.box, this.scale);
        if (picture) onto.drawImage(picture, left, top);
      },
    );
  }
}

/** Draw a scene anew within an area of a surface; `place` says where boxes of the canvas lie on it. `posed` turns the surface for
 * a part that lies in another pose, and answers whether it does. */
export function layScene(
  context: OffscreenCanvasRenderingContext2D,
  scene: Scene,
  area: Area,
  place: (box: readonly number[]) => Area,
  drawPiece: (onto: OffscreenCanvasRenderingContext2D, piece: Piece) => void,
  posed?: (onto: OffscreenCanvasRenderingContext2D, row: Row) => boolean,
): void {
  const layPiece = (onto: OffscreenCanvasRenderingContext2D, piece: Piece) =>
    laid(onto, piece, () => drawPiece(onto, piece));
  const layGroup = (
    onto: OffscreenCanvasRenderingContext2D,
    row: Row,
    lay: (inner: OffscreenCanvasRenderingContext2D) => void,
  ) => {
    const apart = new OffscreenCanvas(area.right - area.left, area.bottom - area.top);
    const inner = surface(apart);
    inner.translate(-area.left, -area.top);
    lay(inner);
    laid(onto, row, () => onto.drawImage(apart, area.left, area.top));
  };
  const layPart = (onto: OffscreenCanvasRenderingContext2D, row: Row) => {
    const box = row.box && place(row.box);
    if (!box || !scene.seen.has(row.id)) return;
    if (posed) {
      onto.save();
      if (posed(onto, row)) {
        layPieces(onto, row);
        onto.restore();
        return;
      }
      onto.restore();
    }
    const apart = box.right <= area.left || box.left >= area.right || box.bottom <= area.top || box.top >= area.bottom;
    if (apart && !row.blend.startsWith('destination')) return;
    layPieces(onto, row);
  };
  const layPieces = (onto: OffscreenCanvasRenderingContext2D, row: Row) => {
    const pieces = piecesAt(row, scene.moment);
    const [only] = pieces;
    if (only && isWhole(pieces)) layPiece(onto, { ...only, opacity: row.opacity, blend: row.blend });
    else
      layGroup(onto, row, (inner) => {
        for (const piece of pieces) layPiece(inner, piece);
      });
  };
  const members = membersOf(scene.rows);
  const lay = (onto: OffscreenCanvasRenderingContext2D, group: string | null) => {
    for (const row of members.get(group) ?? []) {
      if (row.kind === 'part') layPart(onto, row);
      else if (row.blend === 'normal' && row.opacity === 1 && !row.isolated) lay(onto, row.id);
      else layGroup(onto, row, (inner) => lay(inner, row.id));
    }
  };
  context.save();
  context.beginPath();
  context.rect(area.left, area.top, area.right - area.left, area.bottom - area.top);
  context.clip();
  context.clearRect(area.left, area.top, area.right - area.left, area.bottom - area.top);
  lay(context, null);
  context.restore();
}

function laid(
  onto: OffscreenCanvasRenderingContext2D,
  { opacity, blend }: Pick<Piece, 'opacity' | 'blend'>,
  draw: () => void,
): void {
  onto.globalAlpha = opacity;
  onto.globalCompositeOperation = operatorOf(blend);
  draw();
  onto.globalAlpha = 1;
  onto.globalCompositeOperation = 'source-over';
}

export function surface(canvas: OffscreenCanvas): OffscreenCanvasRenderingContext2D {
  const context = canvas.getContext('2d');
  if (!context) throw new Error('This browser has no 2D canvas.');
  return context;
}

/** What of a row its pixels on the composite depend on. */
function keysOf(scene: Scene, pictures: Pictures): Map<string, string> {
  const keys = new Map<string, string>();
  for (const row of scene.rows) {
    const there = piecesAt(row, scene.moment).map(
      (piece) => pictures.has(piece.image) && `${piece.image} ${piece.box}`,
    );
    keys.set(row.id, `${scene.seen.has(row.id)} ${there} ${row.opacity} ${row.blend} ${row.isolated}`);
  }
  return keys;
}

function areaOf([left = 0, top = 0, width = 0, height = 0]: readonly number[], scale: number): Area {
  const [x, y] = [Math.round(left * scale), Math.round(top * scale)];
  return {
    left: x,
    top: y,
    right: x + Math.max(1, Math.ceil(width * scale)),
    bottom: y + Math.max(1, Math.ceil(height * scale)),
  };
}

function joined(one: Area | null, other: Area | null): Area | null {
  if (!one || !other) return one ?? other;
  return {
    left: Math.min(one.left, other.left),
    top: Math.min(one.top, other.top),
    right: Math.max(one.right, other.right),
    bottom: Math.max(one.bottom, other.bottom),
  };
}
