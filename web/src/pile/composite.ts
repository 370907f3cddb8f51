/** The composite of what is seen, on a 2D canvas whose operators are those of the W3C that the core uses too. */

import type { Row } from '../api/calls';
import type { Area } from '../rules/places';
import { membersOf } from '../rules/tree';
import { drawSource, type Source } from './pictures';
import { isWhole, type Piece, piecesAt } from './pieces';
import { composite as words } from './words';

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

/** What a piece is drawn from; undefined while it is on its way. */
export type Sources = (piece: Piece) => Source | undefined;

/** A part, or a group that is laid as one picture with all that it holds. */
export interface Node {
  row: Row;
  inside: readonly Row[];
}

/** What lies on the canvas itself, back to front: groups that change nothing are only their members. */
export function nodesOf(rows: readonly Row[]): Node[] {
  const members = membersOf(rows);
  const within = (group: string): Row[] =>
    (members.get(group) ?? []).flatMap((row) => [row, ...(row.kind === 'part' ? [] : within(row.id))]);
  const found: Node[] = [];
  const visit = (group: string | null) => {
    for (const row of members.get(group) ?? []) {
      if (row.kind === 'part') found.push({ row, inside: [] });
      else if (isPlain(row) && !row.isolated) visit(row.id);
      else found.push({ row, inside: within(row.id) });
    }
  };
  visit(null);
  return found;
}

const isPlain = (row: Row) => row.blend === 'normal' && row.opacity === 1;

/** A composite of an area of the canvas, halved so often, drawn again only where something changed. */
export class Composite {
  readonly canvas: OffscreenCanvas;
  private readonly context: OffscreenCanvasRenderingContext2D;
  private readonly scale: number;
  private readonly whole: Area;
  private runs: readonly Run[] = [];

  constructor(
    readonly area: Area,
    readonly halved: number,
  ) {
    this.scale = 1 / 2 ** halved;
    const [width, height] = [(area.right - area.left) * this.scale, (area.bottom - area.top) * this.scale];
    this.canvas = new OffscreenCanvas(Math.max(1, Math.ceil(width)), Math.max(1, Math.ceil(height)));
    this.context = surface(this.canvas);
    this.whole = { left: 0, top: 0, right: this.canvas.width, bottom: this.canvas.height };
  }

  /** Bring the composite up to date; answers whether anything was drawn. */
  update(scene: Scene, sources: Sources): boolean {
    const layer: Layer = {
      scene,
      sources,
      rows: rowsOf(scene),
      members: membersOf(scene.rows),
      place: this.place,
      drawPiece: (onto, piece) => {
        const source = sources(piece);
        if (source) drawSource(onto, source, piece.box, this.place);
      },
    };
    const before = new Map(this.runs.map((run) => [run.key, run]));
    const runs = runsOf(nodesOf(scene.rows), this.whole, this.place).map((run) => before.get(run.key) ?? run);
    const kept = new Set(runs.map((run) => run.key));
    const isSameOrder =
      String(this.runs.filter((run) => kept.has(run.key)).map((run) => run.key)) ===
      String(runs.filter((run) => before.has(run.key)).map((run) => run.key));
    let area = isSameOrder ? null : this.whole;
    for (const run of this.runs) if (!kept.has(run.key)) area = joined(area, run.area);
    for (const run of runs) area = joined(area, run.update(layer));
    const isFirst = this.runs.length === 0;
    this.runs = runs;
    const changed = isFirst ? this.whole : area && within(area, this.whole);
    if (changed) this.draw(layer, changed);
    return changed !== null;
  }

  private draw(layer: Layer, area: Area): void {
    const { context } = this;
    context.save();
    clear(context, area);
    for (const run of this.runs) run.draw(context, layer, area);
    context.restore();
  }

  /** Where a box of the canvas lies on this composite. */
  private readonly place = ([x = 0, y = 0, width = 0, height = 0]: readonly number[]): Area => {
    const [left, top] = [(x - this.area.left) * this.scale, (y - this.area.top) * this.scale];
    return { left, top, right: left + width * this.scale, bottom: top + height * this.scale };
  };
}

/** From so many nodes on they are drawn in runs of about this many. */
const MANY = 64;
const RUN = 32;
/** Pixels that the pictures of all runs take together at most. */
const MOST_PIXELS = 16_000_000;

/** The nodes in runs, one after the other. Where there are many, those whose pictures can be put together beforehand have a picture of
 * their own: what changes one of a thousand parts draws those of its run, and then the runs. */
function runsOf(nodes: readonly Node[], whole: Area, place: (box: readonly number[]) => Area): Run[] {
  if (nodes.length < MANY) return [new Run(nodes, whole, false)];
  const runs: Run[] = [];
  let open: Node[] = [];
  const end = (isKept: boolean) => {
    const area = open
      .flatMap(({ row, inside }) => [row, ...inside])
      .flatMap(({ box }) => (box ? [outward(place(box))] : []))
      .reduce(joined, null as Area | null);
    const seen = area && within(area, whole);
    if (open.length > 0) runs.push(new Run(open, isKept ? (seen ?? NOTHING) : whole, isKept));
    open = [];
  };
  for (const node of nodes) {
    if (!laysOver(node.row)) {
      end(true);
      open = [node];
      end(false);
      continue;
    }
    open.push(node);
    // Not by counting: so a part that is moved to another place changes two runs, and not all in between.
    if (hashOf(node.row.id) % RUN === 0) end(true);
  }
  end(true);
  const pixels = runs.reduce((sum, { area, isKept }) => sum + (isKept ? sizeOf(area) : 0), 0);
  return pixels > MOST_PIXELS ? [new Run(nodes, whole, false)] : runs;
}

const NOTHING: Area = { left: 0, top: 0, right: 0, bottom: 0 };
const sizeOf = ({ left, top, right, bottom }: Area) => (right - left) * (bottom - top);

/** Whether it lies over what is under it and changes nothing else: then it can be put together with its neighbours first (Porter and Duff). */
const laysOver = (row: Row) => row.blend === 'normal';

function hashOf(text: string): number {
  let hash = 7;
  for (let at = 0; at < text.length; at++) hash = (Math.imul(hash, 31) + text.charCodeAt(at)) | 0;
  return Math.abs(hash >> 3);
}

/** Nodes that follow each other, and what of them was drawn last. */
class Run {
  readonly key: string;
  private readonly rows: readonly Row[];
  private context: OffscreenCanvasRenderingContext2D | null = null;
  private last: Map<string, { key: string; box: readonly number[] | null }> | null = null;

  constructor(
    private readonly nodes: readonly Node[],
    /** What of the composite they can reach. */
    readonly area: Area,
    /** Whether they have a picture of their own. */
    readonly isKept: boolean,
  ) {
    this.rows = nodes.flatMap(({ row, inside }) => [row, ...inside]);
    const order = this.rows.map((row) => (row.kind === 'part' ? row.id : `${row.id}/${row.group}`));
    this.key = [isKept, ...Object.values(area), ...order].join();
  }

  /** What has changed since the last time, and how it looks now where it has a picture; null: nothing. */
  update(layer: Layer): Area | null {
    const { scene, sources, place, rows } = layer;
    const now = new Map<string, { key: string; box: readonly number[] | null }>();
    let area: Area | null = this.last === null ? this.area : null;
    for (const { id } of this.rows) {
      const row = rows.get(id);
      if (!row) continue;
      const state = { key: keyOf(row, scene, sources), box: row.box };
      now.set(id, state);
      const before = this.last?.get(id);
      if (!this.last || before?.key === state.key) continue;
      // A group has no box, some operators reach beyond that of the part, and one that was moved leaves another place.
      if (row.kind === 'group' || row.blend.startsWith('destination') || String(before?.box) !== String(row.box))
        area = this.area;
      else area = joined(area, row.box && outward(place(row.box)));
    }
    this.last = now;
    const changed = area && within(area, this.area);
    if (changed && this.isKept) this.redraw(layer, changed);
    return changed;
  }

  /** Draw what lies in an area onto a composite. */
  draw(onto: OffscreenCanvasRenderingContext2D, layer: Layer, area: Area): void {
    if (!this.isKept) {
      layNodes(onto, this.nodes, layer, area);
      return;
    }
    const common = within(area, this.area);
    if (!common || !this.context) return;
    const { left, top } = common;
    const [width, height] = [common.right - left, common.bottom - top];
    onto.drawImage(
      this.context.canvas,
      left - this.area.left,
      top - this.area.top,
      width,
      height,
      left,
      top,
      width,
      height,
    );
  }

  private redraw(layer: Layer, area: Area): void {
    if (!this.context) {
      const { left, top, right, bottom } = this.area;
      this.context = surface(new OffscreenCanvas(right - left, bottom - top));
      this.context.translate(-left, -top);
    }
    this.context.save();
    clear(this.context, area);
    layNodes(this.context, this.nodes, layer, area);
    this.context.restore();
  }
}

/** What nodes are laid by. */
interface Layer {
  scene: Scene;
  sources: Sources;
  rows: ReadonlyMap<string, Row>;
  members: ReadonlyMap<string | null, readonly Row[]>;
  place: (box: readonly number[]) => Area;
  drawPiece: (onto: OffscreenCanvasRenderingContext2D, piece: Piece) => void;
  posed?: ((onto: OffscreenCanvasRenderingContext2D, row: Row) => boolean) | undefined;
}

const rowsOf = (scene: Scene) => new Map(scene.rows.map((row) => [row.id, row]));

/** Clear an area, and draw nowhere else until the context is restored. */
function clear(context: OffscreenCanvasRenderingContext2D, area: Area): void {
  const [width, height] = [area.right - area.left, area.bottom - area.top];
  context.beginPath();
  context.rect(area.left, area.top, width, height);
  context.clip();
  context.clearRect(area.left, area.top, width, height);
}

/** Draw a scene anew within an area of a surface; `place` says where boxes of the canvas lie on it. `posed` turns the surface for
 * a part that lies in another pose, and answers whether it does. */
export function layScene(
  context: OffscreenCanvasRenderingContext2D,
  scene: Scene,
  area: Area,
  place: (box: readonly number[]) => Area,
  drawPiece: Layer['drawPiece'],
  posed?: Layer['posed'],
): void {
  const layer = {
    scene,
    sources: () => undefined,
    rows: rowsOf(scene),
    members: membersOf(scene.rows),
    place,
    drawPiece,
    posed,
  };
  context.save();
  clear(context, area);
  layNodes(context, nodesOf(scene.rows), layer, area);
  context.restore();
}

function layNodes(
  context: OffscreenCanvasRenderingContext2D,
  nodes: readonly Node[],
  { scene, rows, members, place, drawPiece, posed }: Layer,
  area: Area,
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
  const layRow = (onto: OffscreenCanvasRenderingContext2D, row: Row): void => {
    if (row.kind === 'part') layPart(onto, row);
    else if (isPlain(row) && !row.isolated) layMembers(onto, row.id);
    else layGroup(onto, row, (inner) => layMembers(inner, row.id));
  };
  const layMembers = (onto: OffscreenCanvasRenderingContext2D, group: string) => {
    for (const row of members.get(group) ?? []) layRow(onto, row);
  };
  for (const node of nodes) layRow(context, rows.get(node.row.id) ?? node.row);
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
  if (!context) throw new Error(words.thisBrowserHasNo2d);
  return context;
}

/** What of a row its pixels on the composite depend on. */
function keyOf(row: Row, scene: Scene, sources: Sources): string {
  const there = piecesAt(row, scene.moment).map((piece) => {
    const source = sources(piece);
    return source && `${piece.image} ${piece.box} ${source.halved} ${source.left} ${source.top}`;
  });
  return `${scene.seen.has(row.id)} ${there} ${row.opacity} ${row.blend} ${row.isolated}`;
}

/** Whole pixels, and one more on each side: a picture that is halved may reach a little beyond its box. */
const outward = ({ left, top, right, bottom }: Area): Area => ({
  left: Math.floor(left) - 1,
  top: Math.floor(top) - 1,
  right: Math.ceil(right) + 1,
  bottom: Math.ceil(bottom) + 1,
});

/** What of an area lies in another one; null where nothing does. */
export function within(area: Area, other: Area): Area | null {
  const [left, top] = [Math.max(area.left, other.left), Math.max(area.top, other.top)];
  const [right, bottom] = [Math.min(area.right, other.right), Math.min(area.bottom, other.bottom)];
  return right > left && bottom > top ? { left, top, right, bottom } : null;
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
