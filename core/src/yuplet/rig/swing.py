"""What opens at a joint, and what juts out, when a part turns about its pivot."""

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from yuplet.derivation.content import Content, placed_mask
from yuplet.geometry import Box, Point
from yuplet.rig.round_ends import Circle
from yuplet.selecting.masks import HALF, Chosen, Mask

_CORNER = 1.5
"""How much farther than the joint's radius the corners of an end can reach: a square one's reach the root of 2."""
_FARTHEST = 6.0
"""How many times the joint's radius an end beyond the pivot is followed; what is longer is no end of a limb."""


@dataclass(frozen=True, slots=True)
class Swing:
    """How many pixels open and jut out at each angle, left and right of the limb as one looks along it from the pivot."""

    degrees: tuple[float, ...]
    opened: tuple[tuple[int, int], ...]
    jutting: tuple[tuple[int, int], ...]

    @property
    def worst(self) -> int:
        """The index of the angle at which most opens and juts out; of several, the one nearest to rest."""
        sums = [sum(one) + sum(other) for one, other in zip(self.opened, self.jutting, strict=True)]
        return max(range(len(sums)), key=lambda at: (sums[at], -abs(self.degrees[at])))

    @property
    def widest(self) -> int:
        """The index of the angle at which most opens; of several, the one nearest to rest."""
        return max(range(len(self.opened)), key=lambda at: (sum(self.opened[at]), -abs(self.degrees[at])))


@dataclass(frozen=True, slots=True)
class Gap:
    """What opens and what juts out at one angle, within a box of the canvas."""

    box: Box
    opened: Chosen
    jutting: Chosen


def swing(
    limb: Content, staying: Content, joint: Circle, degrees: Sequence[float], moving: Content | None = None
) -> Swing:
    """How many pixels open and jut out at a joint when a limb turns about its middle, for each angle.

    Parameters
    ----------
    limb, staying : Content
        What turns, and what stays, as they lie on the canvas. The limb runs from the joint to its own middle.
    joint : Circle
        A pixel of it opens when one of the two covered it completely at rest, and neither does by half then. What the end of the
        limb, on the pivot's other side, covers by half beyond the rest silhouette juts out, however far that end reaches.
    degrees : sequence of float
        Clockwise. Pixels are sampled linearly where the limb turns (OpenCV's `warpAffine`).
    moving : Content, optional
        All that turns, where the limb carries others along.
    """
    place = _Place(limb, staying, joint, moving)
    opened, jutting = [], []
    for angle in degrees:
        open_now, out_now = place.sides(angle)
        opened.append(open_now)
        jutting.append(out_now)
    return Swing(tuple(float(angle) for angle in degrees), tuple(opened), tuple(jutting))


def gap_at(limb: Content, staying: Content, joint: Circle, degrees: float, moving: Content | None = None) -> Gap:
    """Which pixels `swing` counts at one angle."""
    return _Place(limb, staying, joint, moving).at(degrees)


class _Place:
    """The surroundings of a joint at rest, in which the limb is turned; pixels that cannot change are left out once."""

    def __init__(self, limb: Content, staying: Content, joint: Circle, moving: Content | None = None) -> None:
        self._joint = joint
        self._along = _direction(limb, joint.centre)
        reach = _reach(limb, joint, self._along)
        self._box = _square(joint.centre, reach)
        self._side = self._box.width
        self._middle = Point(joint.centre.x - self._box.left, joint.centre.y - self._box.top)
        # What turns about the joint's middle stays as far from it as it is: the rest of the limb never comes near.
        self._end = _within(limb, self._box)
        self._moving = self._end if moving is None else _within(moving, self._box)
        rows, columns = np.ogrid[: self._side, : self._side]
        far = np.hypot(columns + 0.5 - self._middle.x, rows + 0.5 - self._middle.y)
        stays, rests = self._turned(staying, 0.0), self._turned(self._moving, 0.0)
        watched = (far <= joint.radius) & ((stays == 255) | (rests == 255)) & (stays < HALF)
        outside = (far <= reach) & (stays < HALF) & (rests < HALF)
        self._watched, self._outside = np.flatnonzero(watched), np.flatnonzero(outside)
        self._watched_right = self._is_right(*self._from_pivot(self._watched))
        self._x, self._y = self._from_pivot(self._outside)
        self._outside_right = self._is_right(self._x, self._y)

    def _from_pivot(self, places: NDArray[np.intp]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        rows, columns = np.divmod(places, self._side)
        return columns + 0.5 - self._middle.x, rows + 0.5 - self._middle.y

    def _is_right(self, x: NDArray[np.float64], y: NDArray[np.float64]) -> NDArray[np.bool_]:
        """Whether places are right of the limb at rest, as one looks along it from the pivot."""
        result: NDArray[np.bool_] = self._along[0] * y - self._along[1] * x > 0
        return result

    def sides(self, degrees: float) -> tuple[tuple[int, int], tuple[int, int]]:
        """How many pixels open, and how many jut out, left and right of the limb at rest."""
        opened, jutting = self._changed(degrees)
        return _by_side(self._watched_right[opened]), _by_side(self._outside_right[jutting])

    def at(self, degrees: float) -> Gap:
        """Which pixels they are."""
        masks = []
        for places, chosen in zip((self._watched, self._outside), self._changed(degrees), strict=True):
            mask = np.zeros(self._side * self._side, np.bool_)
            mask[places[chosen]] = True
            masks.append(mask.reshape(self._side, self._side))
        return Gap(self._box, *masks)

    def _changed(self, degrees: float) -> tuple[Chosen, Chosen]:
        """Of the watched pixels those that open, of those outside the ones that jut out."""
        moving = self._turned(self._moving, degrees).ravel()
        end = moving if self._end is self._moving else self._turned(self._end, degrees).ravel()
        angle = math.radians(degrees)
        x, y = self._along
        along = (x * math.cos(angle) - y * math.sin(angle), x * math.sin(angle) + y * math.cos(angle))
        behind = self._x * along[0] + self._y * along[1] < 0
        return moving[self._watched] < HALF, behind & (end[self._outside] >= HALF)

    def _turned(self, content: Content | None, degrees: float) -> Mask:
        if content is None or content.box.is_empty:
            return np.zeros((self._side, self._side), np.uint8)
        return _alpha(content, degrees, self._joint.centre, self._middle, self._side)


def _by_side(right: Chosen) -> tuple[int, int]:
    count = int(right.sum())
    return len(right) - count, count


def silhouette(contents: Iterable[Content], box: Box) -> Content:
    """Several parts as one within a box of the canvas: their alpha laid together, without colour."""
    clear = np.ones((box.height, box.width))
    for content in contents:
        if not content.box.meet(box).is_empty:
            clear *= 1 - placed_mask(content.picture[..., 3], content.box, box) / 255
    picture = np.zeros((box.height, box.width, 4), np.uint8)
    picture[..., 3] = np.rint(255 * (1 - clear))
    return Content(box, picture)


def surroundings(limb: Content, joint: Circle) -> Box:
    """The box of the canvas in which the swing of a limb is looked at: what lies outside of it makes no difference."""
    return _square(joint.centre, _reach(limb, joint, _direction(limb, joint.centre)))


def _square(centre: Point, reach: float) -> Box:
    half = math.ceil(reach) + 2
    left, top = math.floor(centre.x) - half, math.floor(centre.y) - half
    return Box(left, top, left + 2 * half + 1, top + 2 * half + 1)


def _reach(limb: Content, joint: Circle, along: tuple[float, float]) -> float:
    """How far from the pivot the end of the limb reaches on the pivot's other side, at least as far as corners do."""
    rows, columns = np.ogrid[: limb.box.height, : limb.box.width]
    x = (columns + limb.box.left + 0.5 - joint.centre.x).astype(np.float32)
    y = (rows + limb.box.top + 0.5 - joint.centre.y).astype(np.float32)
    behind = (limb.picture[..., 3] >= HALF) & (x * np.float32(along[0]) + y * np.float32(along[1]) < 0)
    far = math.sqrt(float((x * x + y * y).max(initial=0, where=behind))) + 1
    return min(max(far, joint.radius * _CORNER), joint.radius * _FARTHEST)


def _within(content: Content, box: Box) -> Content | None:
    """What a layer holds in a box of the canvas."""
    near = content.box.meet(box)
    own = near.moved(-content.box.left, -content.box.top)
    return None if near.is_empty else Content(near, content.picture[own.top : own.bottom, own.left : own.right])


def _direction(limb: Content, pivot: Point) -> tuple[float, float]:
    """The way from the pivot to the middle of the limb, of length 1."""
    weights: NDArray[np.float64] = limb.picture[..., 3].astype(np.float64)
    total = weights.sum()
    if not total:
        return (0.0, 1.0)
    height, width = weights.shape
    x = limb.box.left + (weights.sum(axis=0) @ (np.arange(width) + 0.5)) / total - pivot.x
    y = limb.box.top + (weights.sum(axis=1) @ (np.arange(height) + 0.5)) / total - pivot.y
    length = math.hypot(x, y)
    return (x / length, y / length) if length > 1e-6 else (0.0, 1.0)


def _alpha(content: Content, degrees: float, pivot: Point, middle: Point, side: int) -> Mask:
    """The alpha of a layer, turned about a pivot, in a square in which that lies at `middle`."""
    # OpenCV counts from the middles of pixels.
    own = (pivot.x - content.box.left - 0.5, pivot.y - content.box.top - 0.5)
    matrix = cv2.getRotationMatrix2D(own, -degrees, 1.0)
    matrix[:, 2] += np.array((middle.x - 0.5 - own[0], middle.y - 0.5 - own[1]))
    alpha = np.ascontiguousarray(content.picture[..., 3])
    return cv2.warpAffine(alpha, matrix, (side, side), flags=cv2.INTER_LINEAR).astype(np.uint8, copy=False)
