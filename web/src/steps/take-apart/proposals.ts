/** Proposed parts in the page: nested regions, of which one is under the pointer. The same numbers mean the same in the core. */

import type { Schemas } from '../../api/client';
import { bitmapOf } from '../../pile/bitmaps';
import type { Mask } from '../../pile/marks';
import type { Spot } from '../../rules/places';
import { mergedInto } from '../../rules/regions';
import { proposals as words } from './words';

const BORDER = [255, 132, 56, 255] as const;

export class Regions {
  readonly count: number;
  private readonly box: readonly [number, number, number, number];
  private readonly labels: Uint16Array;
  private readonly parents: readonly number[];
  private readonly tops = new Map<number, Int32Array>();

  private constructor(answer: Schemas['Proposals'], labels: Uint16Array) {
    const [x = 0, y = 0, width = 0, height = 0] = answer.box;
    this.box = [x, y, width, height];
    this.count = answer.count;
    this.parents = answer.parents;
    this.labels = labels;
  }

  static async of(answer: Schemas['Proposals']): Promise<Regions> {
    const picture = await bitmapOf(answer.labels);
    const context = new OffscreenCanvas(picture.width, picture.height).getContext('2d', { willReadFrequently: true });
    if (!context) throw new Error(words.thisBrowserHasNo2d);
    context.drawImage(picture, 0, 0);
    const { data } = context.getImageData(0, 0, picture.width, picture.height);
    const labels = new Uint16Array(data.length / 4);
    for (let at = 0; at < labels.length; at++) labels[at] = (data[4 * at] ?? 0) + 256 * (data[4 * at + 1] ?? 0);
    return new Regions(answer, labels);
  }

  /** What each region has become when there are so many of them. */
  private top(regions: number): Int32Array {
    const known = this.tops.get(regions);
    if (known) return known;
    const top = mergedInto(this.parents, this.count, regions);
    this.tops.set(regions, top);
    return top;
  }

  /** The region at a pixel of the canvas; 0 where there is none. */
  at(spot: Spot, regions: number): number {
    const [left, top, width, height] = this.box;
    const [x, y] = [spot.x - left, spot.y - top];
    if (x < 0 || y < 0 || x >= width || y >= height) return 0;
    return this.top(regions)[this.labels[y * width + x] ?? 0] ?? 0;
  }

  async mask(region: number, regions: number, colour: string): Promise<Mask> {
    const top = this.top(regions);
    return this.drawn(colour, (at) => (top[this.labels[at] ?? 0] === region ? [0, 0, 0, 255] : null));
  }

  /** Where regions meet. */
  async borders(regions: number): Promise<Mask> {
    const top = this.top(regions);
    const [, , width, height] = this.box;
    const { labels } = this;
    // A large picture is seen smaller, and its borders with it.
    const thick = Math.max(1, Math.round(Math.max(width, height) / 700));
    const regionOf = (at: number) => top[labels[at] ?? 0] ?? 0;
    return this.drawn('', (at) => {
      const own = regionOf(at);
      for (let far = 1; far <= thick; far++) {
        const right = (at % width) + far < width ? regionOf(at + far) : own;
        const below = at + far * width < labels.length ? regionOf(at + far * width) : own;
        if (own !== right || own !== below) return BORDER;
      }
      return null;
    });
  }

  private async drawn(colour: string, paint: (at: number) => readonly number[] | null): Promise<Mask> {
    const [, , width, height] = this.box;
    const image = new ImageData(width, height);
    for (let at = 0; at < this.labels.length; at++) {
      const value = paint(at);
      if (value) image.data.set(value, 4 * at);
    }
    return { picture: await createImageBitmap(image), box: this.box, colour };
  }
}
