"""Masks: how much of each pixel is chosen, (H, W) uint8, 255 for all of it.

Distances are Euclidean between the middles of pixels, exact to float32 (OpenCV's distance transform: P. Felzenszwalb and
D. Huttenlocher, "Distance Transforms of Sampled Functions", Theory of Computing 8, 2012).
"""

import math
from typing import Literal, TypeAlias

import cv2
import numpy as np
from numpy.typing import NDArray

Mask: TypeAlias = NDArray[np.uint8]
Chosen: TypeAlias = NDArray[np.bool_]
How: TypeAlias = Literal["instead", "add", "subtract", "intersect"]

_SHORT = 8
"""Pixels up to which looking around each pixel is faster than a distance transform."""
HALF = 128
"""A pixel of which at least this much is chosen belongs to the chosen ones."""


def combine(before: Mask, mask: Mask, how: How) -> Mask:
    """A mask changed by another one of the same shape.

    >>> combine(np.array([[9, 200]], np.uint8), np.array([[100, 255]], np.uint8), "subtract").tolist()
    [[9, 0]]
    """
    match how:
        case "instead":
            return mask
        case "add":
            return np.maximum(before, mask)
        case "subtract":
            return np.minimum(before, 255 - mask)
        case "intersect":
            return np.minimum(before, mask)


def distance_to(chosen: Chosen) -> NDArray[np.float32]:
    """How far each pixel is from the nearest chosen one, in pixels; 0 in the chosen ones, infinite when there are none."""
    if not chosen.any():
        return np.full(chosen.shape, np.inf, np.float32)
    return cv2.distanceTransform(hard_mask(~chosen), cv2.DIST_L2, cv2.DIST_MASK_PRECISE).astype(np.float32, copy=False)


def within(chosen: Chosen, distance: float) -> Chosen:
    """The pixels within a distance of chosen ones: what `distance_to` says, found faster where that is short."""
    reach = math.floor(distance)
    if reach > _SHORT:
        return distance_to(chosen) <= distance
    rows, columns = np.ogrid[-reach : reach + 1, -reach : reach + 1]
    disc = (np.hypot(rows, columns) <= distance).astype(np.uint8)
    # What lies beyond the picture is not chosen.
    found: Chosen = cv2.dilate(chosen.astype(np.uint8), disc, borderType=cv2.BORDER_CONSTANT, borderValue=0) > 0
    return found


def grown(chosen: Chosen, by: float) -> Chosen:
    """Chosen pixels and all within a distance of them; a negative distance takes away as far from what is not chosen.

    What lies beyond the border of the picture counts as chosen when pixels are taken away, so that the picture's own
    border does not draw in.
    """
    if by > 0:
        return within(chosen, by)
    if by < 0:
        return distance_to(~chosen) > -by
    return chosen


def smoothed(chosen: Chosen, radius: float) -> Chosen:
    """The outline without what is finer than a radius: a Gaussian of that standard deviation, cut at one half."""
    if radius <= 0:
        return chosen
    soft = cv2.GaussianBlur(chosen.astype(np.float32), (0, 0), radius, borderType=cv2.BORDER_REPLICATE)
    result: Chosen = soft >= 0.5
    return result


def softened(chosen: Chosen, width: float) -> Mask:
    """A mask whose edge rises from nothing to all within a width, in the middle of which the hard edge lay."""
    if width <= 0:
        return hard_mask(chosen)
    inside = np.minimum(distance_to(~chosen), 1e6)
    outside = np.minimum(distance_to(chosen), 1e6)
    beyond = np.where(chosen, inside - 0.5, 0.5 - outside)
    return np.round(np.clip(beyond / width + 0.5, 0, 1) * 255).astype(np.uint8)


def hard_mask(chosen: Chosen) -> Mask:
    """The mask with a hard edge that chooses these pixels and no others."""
    return np.multiply(chosen, np.uint8(255), dtype=np.uint8)


def chosen_of(mask: Mask) -> Chosen:
    """The pixels that a mask chooses when its edge is hard."""
    result: Chosen = mask >= HALF
    return result
