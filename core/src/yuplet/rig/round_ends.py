"""Round ends of limbs: the circle that an outline follows, and how wide a limb is at what it turns about.

Circle fit: W. Gander, G. H. Golub, R. Strebel, "Least-squares fitting of circles and ellipses", BIT 34, 1994: the geometric
distance is minimised by the method of Gauss and Newton, from the algebraic solution on.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from yuplet.derivation.content import Content, placed_mask
from yuplet.errors import CannotTakeOut
from yuplet.geometry import Box, Point
from yuplet.selecting.masks import HALF, distance_to, within

_STEPS = 100
_NEAR = 3
"""Pixels up to which a limb and what carries it touch."""
_ARC_POINTS = 12
_ROUNDS = 12
_ROUND = 0.06
"""The share of the radius by which the outline of a round end may deviate, as a root mean square."""
_SECTOR = 10
_LEAST_ARC = 100
"""Degrees of a circle that an outline must go round for its centre to be told well."""
_SIDEWAYS = 40
"""Degrees from straight sideways, towards the limb, in which its border is looked for: the other way it may end."""


@dataclass(frozen=True, slots=True)
class Circle:
    """A circle on the canvas; `deviation` is the root mean square of the distances of the points that it was fitted to."""

    centre: Point
    radius: float
    deviation: float = 0.0


def fit_circle(points: NDArray[np.float64]) -> Circle:
    """The circle to which points, (N, 2), have the least squared distances.

    Raises
    ------
    ValueError
        For fewer than three points, or points on one line.
    """
    x, y = points[:, 0], points[:, 1]
    middle = points.mean(axis=0)
    if len(points) < 3 or np.linalg.matrix_rank(points - middle, tol=1e-9 * max(np.ptp(points), 1e-300)) < 2:
        raise ValueError("three points that are on no line make a circle")
    algebraic = np.column_stack([2 * (points - middle), np.ones(len(points))])
    solved, *_ = np.linalg.lstsq(algebraic, ((points - middle) ** 2).sum(axis=1), rcond=None)
    a, b = solved[:2] + middle
    radius = float(np.sqrt(max(solved[2] + (solved[:2] ** 2).sum(), 0.0)))
    for _ in range(_STEPS):
        away = np.hypot(x - a, y - b)
        away[away == 0] = 1e-12
        slopes = np.column_stack([-(x - a) / away, -(y - b) / away, -np.ones(len(points))])
        step, *_ = np.linalg.lstsq(slopes, -(away - radius), rcond=None)
        a, b, radius = a + step[0], b + step[1], radius + float(step[2])
        if np.abs(step).max() < 1e-12 * max(radius, 1.0):
            break
    distances = np.hypot(x - a, y - b) - radius
    return Circle(Point(float(a), float(b)), radius, float(np.sqrt((distances**2).mean())))


def limb_at(layer: Content, pivot: Point) -> Circle:
    """The circle about a pivot that is as wide as the limb is there.

    Sideways is across the way from the pivot to the middle of the limb. The centre is the pivot; `deviation` is half of
    how much nearer one border is than the other.

    Raises
    ------
    CannotTakeOut
        When the pivot is not on opaque pixels of the layer.
    """
    opaque = layer.picture[..., 3] == 255
    x, y = pivot.x - layer.box.left, pivot.y - layer.box.top
    height, width = opaque.shape
    if not (0 <= x < width and 0 <= y < height and opaque[int(y), int(x)]):
        raise CannotTakeOut("The part has no opaque art at this place. Choose a place on the part, at its joint.")
    rows, columns = np.nonzero(opaque)
    towards = np.degrees(np.arctan2(rows.mean() + 0.5 - y, columns.mean() + 0.5 - x))
    sides = []
    for side in (-1, 1):
        angles = np.radians(towards + side * (90 - np.arange(0, _SIDEWAYS + 1, 2)))
        sides.append(min(_reach(opaque, x, y, float(np.cos(angle)), float(np.sin(angle))) for angle in angles))
    return Circle(pivot, (sides[0] + sides[1]) / 2, abs(sides[0] - sides[1]) / 2)


def joint_about(layer: Content, pivot: Point) -> Circle:
    """The circle about a pivot that is as wide as the limb is there, or, where the pivot lies beside the limb, where that is nearest.

    Beside the limb it is the largest disc within the limb that reaches as near to the pivot as any art of it does.

    Raises
    ------
    CannotTakeOut
        When the limb is farther from the pivot than it is wide there.
    """
    opaque = layer.picture[..., 3] == 255
    x, y = pivot.x - layer.box.left, pivot.y - layer.box.top
    height, width = opaque.shape
    if 0 <= x < width and 0 <= y < height and opaque[int(y), int(x)]:
        return limb_at(layer, pivot)
    rows, columns = np.nonzero(opaque)
    away = np.hypot(columns + 0.5 - x, rows + 0.5 - y)
    inside = distance_to(np.pad(~opaque, 1, constant_values=True))[1:-1, 1:-1][rows, columns]
    # Of a disc about each pixel, how near to the pivot it reaches.
    gap = away - inside
    nearest = float(gap.min(initial=np.inf))
    radius = float(inside[gap <= nearest + _NEAR].max(initial=0.0))
    if nearest > 2 * radius:
        raise CannotTakeOut("The part has no opaque art near its pivot. Set the pivot on the part, or next to its end.")
    return Circle(pivot, radius, max(nearest, 0.0))


@dataclass(frozen=True, slots=True)
class Joint:
    """Where a limb could turn: `circle` about it, and whether the limb's end is round there, so that the outline fits that circle.

    `overlap` is how many pixels limb and carrier share.
    """

    circle: Circle
    is_round: bool
    overlap: int


def joint_between(limb: Content, carrier: Content) -> Joint | None:
    """Where a limb could turn on what carries it; None where they are not near each other.

    A circle is fitted to the outline of the limb's end, which lies within the carrier or in front of it. Where it is no arc of a
    circle the middle of what both cover is proposed, or of where they touch.
    """
    own = limb.picture[..., 3] >= HALF
    under = within(placed_mask(carrier.picture[..., 3] >= HALF, carrier.box, _around(limb.box)), _NEAR)
    inside = _around(limb.box)
    whole = placed_mask(own, limb.box, inside)
    shared = whole & under
    if not shared.any():
        return None
    rows, columns = np.nonzero(shared)
    corner = np.array((inside.left + 0.5, inside.top + 0.5))
    middle = Point(*(np.array((columns.mean(), rows.mean())) + corner))
    overlap = int((whole & placed_mask(carrier.picture[..., 3] >= HALF, carrier.box, inside)).sum())
    border = whole & within(~whole, 1) & shared
    y, x = np.nonzero(border)
    # The outline runs along the outer edges of the border's pixels, half a pixel outside of their middles.
    points = np.column_stack([x, y]).astype(float)
    opaque_rows, opaque_columns = np.nonzero(whole)
    fitted = _round_end(points, np.array((opaque_columns.mean(), opaque_rows.mean())), float(np.sqrt(own.sum())))
    if fitted is not None:
        centre = Point(*(np.array(fitted.centre) + corner))
        return Joint(Circle(centre, fitted.radius + 0.5, fitted.deviation), True, overlap)
    far = np.hypot(columns + corner[0] - middle.x, rows + corner[1] - middle.y)
    return Joint(Circle(middle, float(np.sqrt(2) * np.sqrt((far**2).mean()))), False, overlap)


def _around(box: Box) -> Box:
    """A box with a pixel more on each side, so that a border has an outside."""
    return Box(box.left - 1, box.top - 1, box.right + 1, box.bottom + 1)


def _round_end(points: NDArray[np.float64], middle: NDArray[np.float64], size: float) -> Circle | None:
    """The circle that the end of a limb follows, from its outline near the carrier; None where the end is not round.

    Sides of the limb that are straight run on from the end: what lies beyond the centre, towards the limb's middle, is left
    out, and the rest fitted again, until nothing changes.
    """
    kept = points
    circle = None
    for _ in range(_ROUNDS):
        if len(kept) < _ARC_POINTS:
            return None
        try:
            circle = fit_circle(kept)
        except ValueError:
            return None
        centre = np.array(circle.centre)
        along = middle - centre
        length = float(np.hypot(*along))
        if length < 1e-6:
            break  # the limb is a disc itself
        behind = points[(points - centre) @ (along / length) <= 0.5]
        if len(behind) == len(kept) and (behind == kept).all():
            break
        kept = behind
    if circle is None or circle.deviation > max(_ROUND * circle.radius, 0.75) or circle.radius > size:
        return None
    away = kept - np.array(circle.centre)
    sectors = np.unique(np.floor(np.degrees(np.arctan2(away[:, 1], away[:, 0])) / _SECTOR))
    return circle if len(sectors) * _SECTOR >= _LEAST_ARC else None


def _reach(opaque: NDArray[np.bool_], x: float, y: float, dx: float, dy: float) -> float:
    """How far the art goes from a place in a direction, in pixels."""
    height, width = opaque.shape
    far = np.arange(0, float(np.hypot(height, width)), 0.25)
    columns, rows = np.floor(x + far * dx).astype(int), np.floor(y + far * dy).astype(int)
    inside = (columns >= 0) & (columns < width) & (rows >= 0) & (rows < height)
    on = np.zeros(far.shape, np.bool_)
    on[inside] = opaque[rows[inside], columns[inside]]
    beyond = np.flatnonzero(~on)
    return float(far[beyond[0]] if beyond.size else far[-1])
