/** Nested regions, as the core proposes them. */

/** What each region has become when there are so many of them; `parents[i]` is what region i is merged into (itself: never). */
export function mergedInto(parents: readonly number[], count: number, regions: number): Int32Array {
  const made = parents.length - 1;
  const first = Math.min(count + Math.max(count - Math.max(regions, 1), 0), made);
  const top = Int32Array.from({ length: made + 1 }, (_, region) => region);
  // Later regions are made of earlier ones, so one way down is enough.
  for (let region = first; region > 0; region--) {
    const parent = parents[region] ?? region;
    if (parent !== region && parent <= first) top[region] = top[parent] ?? parent;
  }
  return top;
}
