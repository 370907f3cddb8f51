"""What opens at a joint when a part turns about its pivot."""

import math
from collections.abc import Sequence

import cv2
import numpy as np

from yuplet.geometry import Point
from yuplet.parts.joints import Circle
from yuplet.parts.making import Content
from yuplet.selecting.masks import HALF, Chosen, Mask


def opened(limb: Content, neighbour: Content, joint: Circle, degrees: Sequence[float]) -> list[int]:
    """How many pixels open within a joint when a limb turns about its middle, for each angle.

    Parameters
    ----------
    limb, neighbour : Content
        The part that turns, and the one that stays, as they lie on the canvas.
    joint : Circle
        A pixel of it opens when one of the two covered it completely at rest, and neither does by half then.
    degrees : sequence of float
        Clockwise.

    Returns
    -------
    list of int
        Pixels are sampled linearly where the limb turns (OpenCV's `warpAffine`).
    """
    reach = math.ceil(joint.radius) + 2
    left, top = math.floor(joint.centre.x) - reach, math.floor(joint.centre.y) - reach
    side = 2 * reach + 1
    middle = Point(joint.centre.x - left, joint.centre.y - top)
    rows, columns = np.mgrid[:side, :side] + 0.5
    disc: Chosen = np.hypot(columns - middle.x, rows - middle.y) <= joint.radius
    stays, rests = (_alpha(one, 0.0, joint.centre, middle, side) for one in (neighbour, limb))
    watched = disc & ((stays == 255) | (rests == 255)) & (stays < HALF)
    return [int((watched & (_alpha(limb, angle, joint.centre, middle, side) < HALF)).sum()) for angle in degrees]


def _alpha(content: Content, degrees: float, pivot: Point, middle: Point, side: int) -> Mask:
    """The alpha of a layer, turned about a pivot, in a square in which that lies at `middle`."""
    # OpenCV counts from the middles of pixels.
    own = (pivot.x - content.box.left - 0.5, pivot.y - content.box.top - 0.5)
    matrix = cv2.getRotationMatrix2D(own, -degrees, 1.0)
    matrix[:, 2] += np.array((middle.x - 0.5 - own[0], middle.y - 0.5 - own[1]))
    alpha = np.ascontiguousarray(content.picture[..., 3])
    return cv2.warpAffine(alpha, matrix, (side, side), flags=cv2.INTER_LINEAR).astype(np.uint8, copy=False)
