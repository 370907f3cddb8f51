/** The decoded pictures of parts, within a budget of memory: each as large as it is or halved, of very large ones the area that is looked at. */

import type { Area, Extent } from '../rules/places';
import { PIXEL } from './halves';

/** A decoded picture of a piece, or of an area of it. */
export interface Source {
  bitmap: ImageBitmap;
  halved: number;
  /** Where it begins, in pixels of the piece. */
  left: number;
  top: number;
}

const keyOf = (image: string, halved: number) => `${image} ${halved}`;

/** Draws a source where a box lies that its whole piece fills. */
export function drawSource(
  onto: OffscreenCanvasRenderingContext2D | CanvasRenderingContext2D,
  { bitmap, halved, left, top }: Source,
  [x = 0, y = 0]: readonly number[],
  place: (box: readonly number[]) => Area,
): void {
  // One that was let go of in the same moment has no pixels, and a canvas does not take it.
  if (bitmap.width === 0) return;
  const side = 2 ** halved;
  const on = place([x + left, y + top, bitmap.width * side, bitmap.height * side]);
  onto.drawImage(bitmap, on.left, on.top, on.right - on.left, on.bottom - on.top);
}

export class Pictures {
  /** Least recently used first. */
  private readonly kept = new Map<string, Source>();
  private bytes = 0;
  /** Counts what has changed, so that a drawing can tell. */
  version = 0;
  /** How often what is there of all pictures is halved at most. Those that are halved less may still be on their way. */
  settled = 0;

  /** `budget` is how many bytes the decoded pictures take together at most. */
  constructor(readonly budget: number) {}

  /** The picture of an image as the whole is drawn from it. */
  get(image: string): Source | undefined {
    for (let halved = this.settled; halved >= 0; halved--) {
      const found = this.kept.get(keyOf(image, halved));
      if (found) return found;
    }
    for (let halved = this.settled + 1; halved < 16; halved++) {
      const found = this.kept.get(keyOf(image, halved));
      if (found) return found;
    }
    return undefined;
  }

  has(image: string): boolean {
    return this.get(image) !== undefined;
  }

  at(image: string, halved: number): Source | undefined {
    return this.kept.get(keyOf(image, halved));
  }

  keep(image: string, source: Source): void {
    const key = keyOf(image, source.halved);
    this.drop(key);
    this.kept.set(key, source);
    this.bytes += bytesOf(source.bitmap);
    this.version += 1;
  }

  /** Say that these are looked at, and let go of those that were not for longest, until all are within the budget. */
  use(wanted: Iterable<readonly [image: string, halved: number]>, besides = 0): void {
    const now = new Set<string>();
    for (const [image, halved] of wanted) {
      const key = keyOf(image, halved);
      const source = this.kept.get(key);
      now.add(key);
      if (!source) continue;
      this.kept.delete(key);
      this.kept.set(key, source);
    }
    for (const key of [...this.kept.keys()]) {
      if (this.bytes + besides <= this.budget) return;
      if (!now.has(key)) this.drop(key);
    }
  }

  /** Let go of all of them. */
  clear(): void {
    for (const key of [...this.kept.keys()]) this.drop(key);
  }

  private drop(key: string): void {
    const old = this.kept.get(key);
    if (!old) return;
    this.kept.delete(key);
    this.bytes -= bytesOf(old.bitmap);
    this.version += 1;
    old.bitmap.close();
  }
}

export const bytesOf = ({ width, height }: Extent) => width * height * PIXEL;
