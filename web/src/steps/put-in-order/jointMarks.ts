/** What is seen of joints on the picture, and can be dragged there: who carries whom, pivots, and the grip by which a part is turned. */

import type { Row } from '../../api/calls';
import type { Circle, Handle, Link } from '../../pile/marks';
import { movedBy, type Poses, pivotOf } from '../../rules/joints';
import type { Spot } from '../../rules/places';

/** Pixels of the canvas from a pivot to the grip by which a part is turned, at least. */
const LEAST_ARM = 40;

type Carriers = ReadonlyMap<string, Row>;

const middleOf = (row: Row | undefined): Spot | null => {
  const [x = 0, y = 0, width = 0, height = 0] = row?.box ?? [];
  return row?.box ? { x: x + width / 2, y: y + height / 2 } : null;
};

/** Where a spot of a part lies in the pose that it has. */
export function posed(poses: Poses, of: Row | undefined, spot: Spot | null): Spot | null {
  const pose = of && poses.get(of.id);
  return pose && spot ? movedBy(pose, spot) : spot;
}

/** A link for each part that is carried: of the chosen one, what it carries and what carries it, or of all; `at` is where the pivot of the chosen one is while it is dragged. */
export function linksOf(
  rows: readonly Row[],
  carriers: Carriers,
  poses: Poses,
  chosen: string | undefined,
  at: Spot | null,
  isAll: boolean,
): Link[] {
  const above = chosen === undefined ? undefined : carriers.get(chosen)?.id;
  return rows.flatMap((carried) => {
    const carrier = carriers.get(carried.id);
    if (!carrier || !carried.box) return [];
    const isNear = chosen !== undefined && (carrier.id === chosen || [chosen, above].includes(carried.id));
    if (!isAll && !isNear) return [];
    const isChosen = carried.id === chosen;
    // What is carried is led by its carrier's pose, and turns about its own pivot.
    const from = posed(poses, carrier, pivotOf(carrier) ?? middleOf(carrier));
    const to = posed(poses, carried, (isChosen ? at : pivotOf(carried)) ?? middleOf(carried));
    return from && to ? [{ from, to, isChosen }] : [];
  });
}

/** The grip by which a part is turned about its pivot: on the way from there to its middle. */
export function gripOf(
  row: Row,
  pivot: Spot,
  carriers: Carriers,
  poses: Poses,
  onTurn: (degrees: number) => void,
): Handle[] {
  const middle = middleOf(row) ?? pivot;
  const arm = Math.max(LEAST_ARM, Math.hypot(middle.x - pivot.x, middle.y - pivot.y));
  const rest = Math.atan2(middle.y - pivot.y || 1, middle.x - pivot.x);
  const at = posed(poses, row, { x: pivot.x + arm * Math.cos(rest), y: pivot.y + arm * Math.sin(rest) });
  const about = posed(poses, row, pivot) ?? pivot;
  const onMove = (spot: Spot) => {
    const carrier = carriers.get(row.id);
    const base = carrier ? poses.get(carrier.id) : undefined;
    const led = base ? Math.atan2(base[1], base[0]) : 0;
    const angle = ((Math.atan2(spot.y - about.y, spot.x - about.x) - rest - led) * 180) / Math.PI;
    onTurn(Math.round(((((angle + 180) % 360) + 360) % 360) - 180));
  };
  return at ? [{ at, shape: 'grip', onMove }] : [];
}

/** A circle about the pivot: as large as what the swing looks at, or just the place where it cannot be dragged. */
export function circleOf(here: Spot | null, radius: number | undefined, isHandle: boolean): Circle | null {
  if (!here) return null;
  if (radius !== undefined) return { at: here, radius };
  return isHandle ? null : { at: here, radius: 0 };
}
