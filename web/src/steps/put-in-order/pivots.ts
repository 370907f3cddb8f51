/** Where a part could turn: the place that is pointed at, or a telling one near to it. */
import type { Row } from '../../api/calls';
import type { Extent, Spot } from '../../rules/places';

/** How near a telling place must be, as a share of the canvas' longer side. */
const NEAR = 0.008;

/** Corners, edges and the middle of a part's box, the pivots of other parts, and places that are known otherwise. */
function tellingPlaces(row: Row, rows: readonly Row[], known: readonly Spot[]): Spot[] {
  const [x = 0, y = 0, width = 0, height = 0] = row.box ?? [];
  const own = [0, 0.5, 1].flatMap((across) =>
    [0, 0.5, 1].map((down) => ({ x: x + across * width, y: y + down * height })),
  );
  const others = rows.flatMap((other) =>
    other.id !== row.id && other.pivot ? [{ x: other.pivot[0] ?? 0, y: other.pivot[1] ?? 0 }] : [],
  );
  return [...known, ...others, ...own];
}

export function pivotNear(at: Spot, row: Row, rows: readonly Row[], canvas: Extent, known: readonly Spot[] = []): Spot {
  const reach = NEAR * Math.max(canvas.width, canvas.height);
  const far = (place: Spot) => Math.hypot(place.x - at.x, place.y - at.y);
  const [nearest] = tellingPlaces(row, rows, known).sort((one, other) => far(one) - far(other));
  return nearest && far(nearest) <= reach ? nearest : at;
}
