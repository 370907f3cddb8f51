/** Draws the parts of a package where a motion takes them, on a 2D canvas whose operators are those of the W3C. */

import type { View } from '../../pile/view';
import { type Affine, after, movedBy, REST } from '../../rules/joints';
import { inverse, pictureAt } from '../../rules/motion';
import type { Extent, Spot } from '../../rules/places';
import { cuts } from '../../rules/screens';
import type { Figure, Node, Part } from './figure';
import { movingDrawing as words } from './words';

/** Where everything is at one moment. */
export interface Moment {
  maps: readonly Affine[];
  /** The same as without a camera, and what the camera does to each part; null where it does nothing. */
  bare: readonly Affine[];
  cameras: readonly Affine[] | null;
  opacity: readonly number[];
  /** The number of the member that is seen of each set. */
  members: readonly number[];
  /** The colour behind everything, or null. */
  ground: string | null;
  /** Seconds since the motion began, for parts that have frames of their own. */
  time: number;
  /** While it plays: which parts lie still all the time. */
  isStill?: readonly boolean[] | null;
  /** Parts that are not as large as drawn, by their numbers, and how much larger everything else is seen. */
  stretched?: ReadonlyMap<number, Stretched>;
  grown?: number;
}

/** How large a part is seen, what of it is not stretched, and how much larger that is seen than drawn. */
export interface Stretched extends Extent {
  margins: readonly [number, number, number, number];
  grown: number;
}

type Bitmap = ImageBitmap | OffscreenCanvas;

/** The pictures of parts, each also at half, a quarter ... of its size, made once. */
export class PartPictures {
  private readonly whole = new Map<string, ImageBitmap>();
  private readonly reduced = new Map<string, Bitmap>();

  add(name: string, picture: ImageBitmap): void {
    this.whole.set(name, picture);
  }

  /** How many are there. */
  get count(): number {
    return this.whole.size;
  }

  has(name: string): boolean {
    return this.whole.has(name);
  }

  /** The smallest that is not smaller than it is seen. */
  at(name: string, zoom: number): Bitmap | null {
    const picture = this.whole.get(name);
    if (!picture) return null;
    const halvings = Math.max(0, Math.floor(Math.log2(1 / zoom) + 1e-9));
    if (halvings === 0) return picture;
    const key = `${halvings} ${name}`;
    let made = this.reduced.get(key);
    if (!made) {
      made = halved(picture, halvings);
      this.reduced.set(key, made);
    }
    return made;
  }

  /** How much a picture covers at a place of it, from 0 to 1. */
  coverAt(name: string, { x, y }: Spot): number {
    const picture = this.whole.get(name);
    if (!picture || x < 0 || y < 0 || x >= picture.width || y >= picture.height) return 0;
    const context = new OffscreenCanvas(1, 1).getContext('2d');
    context?.drawImage(picture, Math.floor(x), Math.floor(y), 1, 1, 0, 0, 1, 1);
    return (context?.getImageData(0, 0, 1, 1).data[3] ?? 0) / 255;
  }
}

function halved(picture: ImageBitmap, times: number): Bitmap {
  let made: Bitmap = picture;
  let { width, height } = picture;
  for (let time = 0; time < times; time++) {
    [width, height] = [Math.max(1, Math.ceil(width / 2)), Math.max(1, Math.ceil(height / 2))];
    const next = new OffscreenCanvas(width, height);
    const context = next.getContext('2d');
    if (!context) return made;
    context.imageSmoothingQuality = 'high';
    context.drawImage(made, 0, 0, width, height);
    made = next;
  }
  return made;
}

/** The canvases that groups are laid on apart, by how deep they lie: the same ones at each picture. */
const apart: OffscreenCanvas[] = [];

export function drawParts(
  onto: CanvasRenderingContext2D | Context,
  figure: Figure,
  pictures: PartPictures,
  view: View,
  moment: Moment,
): void {
  const draw = (context: Context, layers: readonly Layer[], depth: number) => {
    for (let at = 0; at < layers.length; ) {
      const long = moment.isStill ? stillFrom(figure, layers, at, moment.isStill) : 0;
      if (moment.isStill && long >= LEAST_RUN) {
        drawRun(context, layers.slice(at, at + long), moment.isStill);
        at += long;
        continue;
      }
      const layer = layers[at];
      if (typeof layer === 'number') drawPart(context, figure, pictures, view, moment, layer);
      else if (layer) drawGroup(context, layer, depth);
      at += 1;
    }
  };
  const drawGroup = (context: Context, { group: at, layers }: Apart, depth: number) => {
    const group = figure.groups[at];
    if (!group) return;
    const inner = cleared(depth, onto.canvas);
    draw(inner, layers, depth + 1);
    context.setTransform(1, 0, 0, 1, 0, 0);
    context.globalAlpha = group.opacity;
    context.globalCompositeOperation = operatorOf(group.blend);
    context.drawImage(inner.canvas, 0, 0);
  };
  /** What lies still while it plays is drawn once, as one picture. */
  const drawRun = (context: Context, layers: readonly Layer[], isStill: readonly boolean[]) => {
    // Pictures may still arrive.
    const key = `${layers.join(' ')} ${view.zoom} ${view.x} ${view.y} ${pictures.count}`;
    const known = runs.get(isStill) ?? new Map<string, Run>();
    runs.set(isStill, known);
    let run = known.get(key);
    if (!run) {
      if (known.size >= MOST_RUNS) known.clear();
      run = runOf(
        layers.filter((one) => typeof one === 'number'),
        figure,
        pictures,
        view,
        moment,
        onto.canvas,
      );
      known.set(key, run);
    }
    context.setTransform(1, 0, 0, 1, 0, 0);
    context.globalAlpha = 1;
    context.globalCompositeOperation = 'source-over';
    if (run.canvas) context.drawImage(run.canvas, run.left, run.top);
  };
  // Apart from the ground: parts may be laid by what is behind them.
  const whole = cleared(0, onto.canvas);
  draw(whole, layersOf(figure, figure.tree, moment), 1);
  onto.drawImage(whole.canvas, 0, 0);
}

/** A part by its number, or a group that is laid as a whole. */
type Layer = number | Apart;

interface Apart {
  group: number;
  layers: readonly Layer[];
}

/** What is seen, back to front; groups that change nothing are opened. */
function layersOf(figure: Figure, nodes: readonly Node[], moment: Moment): Layer[] {
  return nodes.flatMap((node): Layer[] => {
    if ('part' in node) {
      const member = figure.memberOf.parts[node.part];
      const isSeen = member ? moment.members[member.set] === member.member : figure.parts[node.part]?.is_on;
      return isSeen ? [node.part] : [];
    }
    const group = figure.groups[node.group];
    const member = figure.memberOf.groups[node.group];
    if (!group || !(member ? moment.members[member.set] === member.member : group.is_on)) return [];
    const layers = layersOf(figure, node.members, moment);
    const isOpen = group.blend === 'normal' && group.opacity === 1 && !group.isolated;
    return isOpen ? layers : [{ group: node.group, layers }];
  });
}

/** How many layers from one on lie still and are laid normally, so that they can be one picture. */
function stillFrom({ parts }: Figure, layers: readonly Layer[], from: number, isStill: readonly boolean[]): number {
  let at = from;
  for (; at < layers.length; at++) {
    const layer = layers[at];
    if (typeof layer !== 'number' || !isStill[layer] || parts[layer]?.blend !== 'normal') break;
  }
  return at - from;
}

const LEAST_RUN = 3;
const MOST_RUNS = 200;

/** Parts that are one picture, and where that lies on the surface; null where nothing of it is seen. */
interface Run {
  canvas: OffscreenCanvas | null;
  left: number;
  top: number;
}

/** By what lies still in a motion; forgotten with it. */
const runs = new WeakMap<readonly boolean[], Map<string, Run>>();

function runOf(
  numbers: readonly number[],
  figure: Figure,
  pictures: PartPictures,
  view: View,
  moment: Moment,
  surface: Extent,
): Run {
  const corners = numbers.flatMap((at) => {
    const part = figure.parts[at];
    if (!part) return [];
    const map = moment.maps[at] ?? REST;
    return [
      { x: part.left, y: part.top },
      { x: part.left + part.width, y: part.top },
      { x: part.left, y: part.top + part.height },
      { x: part.left + part.width, y: part.top + part.height },
    ].map((corner) => movedBy(map, corner));
  });
  const xs = corners.map(({ x }) => view.x + x * view.zoom);
  const ys = corners.map(({ y }) => view.y + y * view.zoom);
  const [left, top] = [Math.max(0, Math.floor(Math.min(...xs)) - 1), Math.max(0, Math.floor(Math.min(...ys)) - 1)];
  const width = Math.min(surface.width, Math.ceil(Math.max(...xs)) + 1) - left;
  const height = Math.min(surface.height, Math.ceil(Math.max(...ys)) + 1) - top;
  if (!(width > 0 && height > 0)) return { canvas: null, left, top };
  const canvas = new OffscreenCanvas(width, height);
  const context = canvas.getContext('2d');
  const here = { ...view, x: view.x - left, y: view.y - top };
  if (context) for (const at of numbers) drawPart(context, figure, pictures, here, moment, at);
  return { canvas, left, top };
}

function drawPart(
  context: Context,
  figure: Figure,
  pictures: PartPictures,
  view: View,
  moment: Moment,
  at: number,
): void {
  const part = figure.parts[at];
  const name = part && pictureOf(part, moment.time);
  const picture = name && pictures.at(name, view.zoom * (moment.grown ?? 1));
  if (!part || !picture) return;
  const map = moment.maps[at] ?? REST;
  place(context, view, map);
  context.globalAlpha = part.opacity * (moment.opacity[at] ?? 1);
  context.globalCompositeOperation = operatorOf(part.blend);
  context.imageSmoothingEnabled = view.zoom < 1 || map.some((value, number) => value !== REST[number]);
  const stretched = moment.stretched?.get(at);
  if (stretched) drawStretched(context, picture, part, stretched);
  else context.drawImage(picture, part.left, part.top, part.width, part.height);
}

type Context = OffscreenCanvasRenderingContext2D;

/** In nine pieces, so that its corners are as they were drawn. */
function drawStretched(
  context: Context,
  picture: Bitmap,
  part: Part,
  { width, height, margins, grown }: Stretched,
): void {
  const reduced = picture.width / part.width;
  const [left, top, right, bottom] = margins.map((side) => (side / grown) * reduced);
  const cut = [left ?? 0, top ?? 0, right ?? 0, bottom ?? 0] as const;
  const own = margins.map((side) => side / grown);
  const kept = [own[0] ?? 0, own[1] ?? 0, own[2] ?? 0, own[3] ?? 0] as const;
  // The map makes everything `grown` times as large.
  for (const { from, to } of cuts(picture, cut, { width: width / grown, height: height / grown }, kept)) {
    context.drawImage(picture, ...from, part.left + to[0], part.top + to[1], to[2], to[3]);
  }
}

function cleared(depth: number, { width, height }: Extent): Context {
  let canvas = apart[depth];
  if (!canvas || canvas.width !== width || canvas.height !== height) {
    canvas = new OffscreenCanvas(width, height);
    apart[depth] = canvas;
  }
  const context = canvas.getContext('2d');
  if (!context) throw new Error(words.thisBrowserHasNo2d);
  context.setTransform(1, 0, 0, 1, 0, 0);
  context.globalAlpha = 1;
  context.globalCompositeOperation = 'source-over';
  context.clearRect(0, 0, width, height);
  return context;
}

const operatorOf = (blend: string): GlobalCompositeOperation =>
  blend === 'normal' ? 'source-over' : (blend as GlobalCompositeOperation);

function place(context: Context, { zoom, x, y }: View, [a, b, c, d, e, f]: Affine): void {
  context.setTransform(zoom * a, zoom * b, zoom * c, zoom * d, x + zoom * e, y + zoom * f);
}

function pictureOf(part: Part, time: number): string | null {
  if (part.moments.length === 0) return part.picture;
  const at = pictureAt(
    part.moments.map((one) => one.milliseconds),
    part.loops,
    time,
  );
  return part.moments[at]?.picture ?? part.picture;
}

/** The front-most part that covers a place of the canvas by half or more, else by anything: a glow hides nothing from the hand. */
export function partAt(figure: Figure, pictures: PartPictures, moment: Moment, spot: Spot): string | null {
  const seen = layersOf(figure, figure.tree, moment);
  const numbers = (layers: readonly Layer[]): number[] =>
    layers.flatMap((one) => (typeof one === 'number' ? [one] : numbers(one.layers)));
  let faint: string | null = null;
  for (const at of numbers(seen).reverse()) {
    const part = figure.parts[at];
    const back = inverse(moment.maps[at] ?? REST);
    const name = part && pictureOf(part, moment.time);
    if (!part || !back || !name || (moment.opacity[at] ?? 1) === 0) continue;
    const { x, y } = movedBy(back, spot);
    const cover = pictures.coverAt(name, { x: x - part.left, y: y - part.top });
    if (cover * part.opacity * (moment.opacity[at] ?? 1) >= 0.5) return part.id;
    if (cover > 0) faint ??= part.id;
  }
  return faint;
}

/** The neighbours of a picture, faint: those before in one colour, those after in another; `tint` covers what is drawn. */
export function drawNeighbour(
  onto: CanvasRenderingContext2D,
  figure: Figure,
  pictures: PartPictures,
  view: View,
  moment: Moment,
  tint: string,
  share: number,
): void {
  const { width, height } = onto.canvas;
  const one = cleared(NEIGHBOUR, { width, height });
  const plain = one.canvas.getContext('2d');
  drawParts(one, figure, pictures, view, moment);
  if (!plain) return;
  plain.setTransform(1, 0, 0, 1, 0, 0);
  plain.globalAlpha = 1;
  plain.globalCompositeOperation = 'source-atop';
  plain.fillStyle = tint;
  plain.globalAlpha = 0.6;
  plain.fillRect(0, 0, width, height);
  onto.globalAlpha = share;
  onto.drawImage(one.canvas, 0, 0);
  onto.globalAlpha = 1;
}

/** Deeper than groups lie in each other. */
const NEIGHBOUR = 99;

/** The path that a part goes along, and the places of one that is being drawn. */
export function drawPath(
  context: CanvasRenderingContext2D,
  view: View,
  data: string | null,
  places: readonly Spot[],
): void {
  const ratio = window.devicePixelRatio;
  for (const [colour, width] of [
    ['#262420', 5],
    ['#f3f0e9', 2],
  ] as const) {
    context.strokeStyle = colour;
    if (data) {
      context.save();
      context.setTransform(view.zoom, 0, 0, view.zoom, view.x, view.y);
      context.lineWidth = (width * ratio) / view.zoom;
      context.stroke(new Path2D(data));
      context.restore();
    }
    for (const { x, y } of places) {
      context.lineWidth = width * ratio;
      context.strokeRect(view.x + x * view.zoom - 4 * ratio, view.y + y * view.zoom - 4 * ratio, 8 * ratio, 8 * ratio);
    }
  }
}

/** What is chosen: its box, a ring where it turns, and a line with a tick to what carries it. */
export function drawHandles(
  context: CanvasRenderingContext2D,
  figure: Figure,
  view: View,
  moment: Moment,
  chosen: readonly string[],
  dash: readonly [number, number] = [8, 5],
): void {
  const ratio = window.devicePixelRatio;
  const toScreen: Affine = [view.zoom, 0, 0, view.zoom, view.x, view.y];
  for (const id of chosen) {
    const at = figure.byId.get(id);
    const part = at === undefined ? undefined : figure.parts[at];
    const about = at === undefined ? undefined : figure.about[at];
    if (at === undefined || !part || !about) continue;
    const map = after(toScreen, moment.maps[at] ?? REST);
    const corners = [
      { x: part.left, y: part.top },
      { x: part.left + part.width, y: part.top },
      { x: part.left + part.width, y: part.top + part.height },
      { x: part.left, y: part.top + part.height },
    ].map((corner) => movedBy(map, corner));
    const ring = movedBy(map, about);
    const parent = figure.parents[at] ?? -1;
    const above = figure.about[parent];
    const there = above && movedBy(after(toScreen, moment.maps[parent] ?? REST), above);
    for (const [colour, width] of [
      ['#262420', 4],
      ['#f3f0e9', 2],
    ] as const) {
      context.strokeStyle = colour;
      context.lineWidth = width * ratio;
      context.beginPath();
      for (const { x, y } of corners) context.lineTo(x, y);
      context.closePath();
      context.setLineDash(dash.map((long) => long * ratio));
      context.stroke();
      context.setLineDash([]);
      context.beginPath();
      context.arc(ring.x, ring.y, 8 * ratio, 0, 2 * Math.PI);
      if (there) {
        const [across, down] = [there.x - ring.x, there.y - ring.y];
        const long = Math.hypot(across, down);
        if (long > 12 * ratio) {
          const start = (8 * ratio) / long;
          context.moveTo(ring.x + across * start, ring.y + down * start);
          context.lineTo(there.x, there.y);
          // The tick stands across the line, at what carries.
          const [side, up] = [(-down / long) * 6 * ratio, (across / long) * 6 * ratio];
          context.moveTo(there.x - side, there.y - up);
          context.lineTo(there.x + side, there.y + up);
        }
      }
      context.stroke();
    }
  }
}
