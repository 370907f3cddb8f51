"""Layers mirrored and turned by quarters, and how equal drawings are found.

Nothing is computed anew in a mirror image or a quarter turn: every pixel stays as it is.
"""

from typing import TypeVar

import numpy as np

from yuplet.geometry import Box
from yuplet.illustration.made import Turn, Turned
from yuplet.parts.making import Content, Made
from yuplet.pixels import Picture
from yuplet.selecting.masks import Chosen

Pixels = TypeVar("Pixels", Picture, Chosen)


def turned(layer: Content, recipe: Turned) -> Made:
    """A layer mirrored and turned about a point."""
    picture = turn_picture(layer.picture, recipe.turn)
    added = None if layer.added is None else turn_picture(layer.added, recipe.turn)
    return Made(turn_box(layer.box, recipe.turn, recipe.about), picture, recipe, None, added)


def turn_box(box: Box, turn: Turn, about: tuple[float, float]) -> Box:
    """Where a box lies after a turn about a point; the point is moved by up to half a pixel so that pixels meet pixels.

    >>> turn_box(Box(1, 2, 4, 8), Turn(True, 0), (10, 0))
    Box(left=16, top=2, right=19, bottom=8)
    >>> turn_box(Box(1, 2, 4, 8), Turn(False, 1), (0, 0))
    Box(left=-8, top=1, right=-2, bottom=4)
    """
    x, y = about
    if turn.mirrored:
        twice = round(2 * x)
        box = Box(twice - box.right, box.top, twice - box.left, box.bottom)
    match turn.quarters:
        case 1:
            sum_, rest = round(x + y), round(y - x)
            return Box(sum_ - box.bottom, box.left + rest, sum_ - box.top, box.right + rest)
        case 2:
            twice, double = round(2 * x), round(2 * y)
            return Box(twice - box.right, double - box.bottom, twice - box.left, double - box.top)
        case 3:
            sum_, rest = round(x + y), round(y - x)
            return Box(box.top - rest, sum_ - box.right, box.bottom - rest, sum_ - box.left)
    return box


def turn_picture(picture: Pixels, turn: Turn) -> Pixels:
    """A picture, (H, W, ...), mirrored left to right and then turned clockwise.

    >>> turn_picture(np.array([[1, 2], [3, 4]], np.uint8), Turn(True, 1)).tolist()
    [[4, 2], [3, 1]]
    """
    mirrored = picture[:, ::-1] if turn.mirrored else picture
    return np.ascontiguousarray(np.rot90(mirrored, -turn.quarters))
