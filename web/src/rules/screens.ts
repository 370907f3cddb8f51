/** Where frames of several sizes lie side by side in a window, all to one scale and as large as fits. */
import type { Extent } from './places';

export interface Arranged {
  /** Pixels of the window for one of a screen. */
  scale: number;
  /** The left top corner of each frame, in the order of the sizes. */
  corners: { left: number; top: number }[];
}

/** Frames in rows, or in columns of which the wide ones come first, whichever shows them larger. `gap` is between them, `title` the height above each. */
export function arranged(sizes: readonly Extent[], window: Extent, gap: number, title: number): Arranged {
  const order = sizes.map((_, at) => at);
  const wideFirst = [...order].sort((one, other) => shape(sizes[one]) - shape(sizes[other]));
  const ways = [
    (scale: number) => inLines(sizes, order, window, gap, title, scale, true),
    (scale: number) => inLines(sizes, wideFirst, window, gap, title, scale, false),
  ];
  const found = ways.map((way) => largest(way));
  return found.reduce((best, one) => (one.scale > best.scale * 1.01 ? one : best));
}

const shape = (size: Extent | undefined): number => Math.sign((size?.height ?? 0) - (size?.width ?? 0));

type Corners = Arranged['corners'];

/** The largest scale up to 1 at which everything fits, by halving. */
function largest(way: (scale: number) => Corners | null): Arranged {
  let [low, high] = [0.005, 1];
  for (let step = 0; step < 24; step++) {
    const middle = (low + high) / 2;
    if (way(middle)) low = middle;
    else high = middle;
  }
  return { scale: low, corners: way(low) ?? [] };
}

/** One after the other along rows, or along columns; null where they do not fit. */
function inLines(
  sizes: readonly Extent[],
  order: readonly number[],
  window: Extent,
  gap: number,
  title: number,
  scale: number,
  areRows: boolean,
): Corners | null {
  const corners: Corners = new Array(sizes.length);
  const [length, breadth] = areRows ? [window.width, window.height] : [window.height, window.width];
  let [along, across, line] = [gap, gap, 0];
  for (const at of order) {
    const wide = (sizes[at]?.width ?? 0) * scale;
    const high = (sizes[at]?.height ?? 0) * scale + title;
    const [long, thick] = areRows ? [wide, high] : [high, wide];
    if (along > gap && along + long + gap > length) {
      across += line + gap;
      [along, line] = [gap, 0];
    }
    corners[at] = areRows ? { left: along, top: across } : { left: across, top: along };
    line = Math.max(line, thick);
    along += long + gap;
    if (along > length || across + line + gap > breadth) return null;
  }
  return corners;
}

/** Where a picture is cut so that it is stretched between its margins: from, in its own pixels, and to, in those that it is seen in. */
export interface Cut {
  from: readonly [left: number, top: number, width: number, height: number];
  to: readonly [left: number, top: number, width: number, height: number];
}

/** The nine pieces; those without a size are left out. Margins are left, top, right and bottom. */
export function cuts(
  picture: Extent,
  cut: readonly [number, number, number, number],
  place: Extent,
  kept: readonly [number, number, number, number],
): Cut[] {
  const across = edges(picture.width, cut[0], cut[2], place.width, kept[0], kept[2]);
  const down = edges(picture.height, cut[1], cut[3], place.height, kept[1], kept[3]);
  return down.flatMap(([y, high, toY, toHigh]) =>
    across.map(([x, wide, toX, toWide]): Cut => ({ from: [x, y, wide, high], to: [toX, toY, toWide, toHigh] })),
  );
}

type Edge = [from: number, size: number, to: number, toSize: number];

/** The three pieces of a side. Margins that are larger than the place share it. */
function edges(size: number, first: number, last: number, room: number, kept: number, keptLast: number): Edge[] {
  const squeezed = Math.min(1, room / Math.max(kept + keptLast, 1e-9));
  const [begin, end] = [kept * squeezed, keptLast * squeezed];
  const all: Edge[] = [
    [0, first, 0, begin],
    [first, size - first - last, begin, room - begin - end],
    [size - last, last, room - end, end],
  ];
  return all.filter(([, from, , to]) => from > 0 && to > 0);
}
