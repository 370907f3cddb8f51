"""Round ends of limbs: the circle that an outline follows, and how wide a limb is at what it turns about.

Circle fit: W. Gander, G. H. Golub, R. Strebel, "Least-squares fitting of circles and ellipses", BIT 34, 1994: the geometric
distance is minimised by the method of Gauss and Newton, from the algebraic solution on.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from yuplet.errors import CannotTakeOut
from yuplet.geometry import Point
from yuplet.parts.making import Content

_STEPS = 100
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
