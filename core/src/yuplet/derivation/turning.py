"""Layers mirrored and turned by quarters, and how equal drawings are found.

Nothing is computed anew in a mirror image or a quarter turn: every pixel stays as it is.
"""

from typing import TypeVar

import numpy as np

from yuplet.derivation.content import Content, Derived
from yuplet.geometry import Box, Point
from yuplet.illustration.derived import Turn, Turned
from yuplet.pixels import DeepPicture, Picture
from yuplet.selecting.masks import Chosen

Pixels = TypeVar("Pixels", Picture, Chosen, DeepPicture)


def turned(layer: Content, derivation: Turned) -> Derived:
    """A layer mirrored and turned about a point."""
    picture = turn_picture(layer.picture, derivation.turn)
    added = None if layer.added is None else turn_picture(layer.added, derivation.turn)
    return Derived(turn_box(layer.box, derivation.turn, derivation.about), picture, derivation, None, added)


def turn_box(box: Box, turn: Turn, about: tuple[float, float]) -> Box:
    """Where a box lies after a turn about a point; the point is moved by up to half a pixel so that pixels meet pixels.

    >>> turn_box(Box(1, 2, 4, 8), Turn(True, 0), (10, 0))
    Box(left=16, top=2, right=19, bottom=8)
    >>> turn_box(Box(1, 2, 4, 8), Turn(False, 1), (0, 0))
    Box(left=-8, top=1, right=-2, bottom=4)
    """
    corners = [turn_point(Point(x, y), turn, about) for x, y in ((box.left, box.top), (box.right, box.bottom))]
    (x, u), (y, v) = (sorted(int(corner[axis]) for corner in corners) for axis in (0, 1))
    return Box(x, y, u, v)


def turn_point(point: Point, turn: Turn, about: tuple[float, float]) -> Point:
    """Where a point lies after the same turn."""
    x, y = point
    across, down, both, apart = round(2 * about[0]), round(2 * about[1]), round(sum(about)), round(about[1] - about[0])
    if turn.mirrored:
        x = across - x
    match turn.quarters:
        case 1:
            return Point(both - y, x + apart)
        case 2:
            return Point(across - x, down - y)
        case 3:
            return Point(y - apart, both - x)
    return Point(x, y)


def turn_picture(picture: Pixels, turn: Turn) -> Pixels:
    """A picture, (H, W, ...), mirrored left to right and then turned clockwise.

    >>> turn_picture(np.array([[1, 2], [3, 4]], np.uint8), Turn(True, 1)).tolist()
    [[4, 2], [3, 1]]
    """
    mirrored = picture[:, ::-1] if turn.mirrored else picture
    return np.ascontiguousarray(np.rot90(mirrored, -turn.quarters))
