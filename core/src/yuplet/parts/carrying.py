"""Which part could carry which: proposals from how parts overlap and how large they are."""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from yuplet.geometry import Box, Size
from yuplet.selecting.masks import HALF, Mask

SIDE = 512
"""Pixels of the longer side of the canvas that overlaps are counted on."""
_BESIDE = 0.5
"""How much more a pair of the same group counts, as a share of an overlap."""
_SMALLER = 0.02
"""How much a carrier that is smaller counts, of two that overlap a part alike: the one that is nearest to it."""


@dataclass(frozen=True, slots=True)
class Shape:
    """What of a part its carrier is told from: its alpha on the small canvas (`small`), the ids of the groups around it, and
    whether others can hang on it: what is laid through a mode, a shadow, say, carries nothing.
    """

    box: Box
    alpha: Mask
    groups: tuple[str, ...]
    carries: bool


def small(alpha: Mask, box: Box, canvas: Size) -> tuple[Mask, Box]:
    """The alpha of a part at a box, and that box, on a canvas of at most `SIDE` pixels."""
    scale = min(1.0, SIDE / max(canvas))
    left, top = int(box.left * scale), int(box.top * scale)
    width = max(1, round(box.right * scale) - left)
    height = max(1, round(box.bottom * scale) - top)
    reduced = cv2.resize(alpha, (width, height), interpolation=cv2.INTER_AREA)
    return np.asarray(reduced, np.uint8).reshape(height, width), Box(left, top, left + width, top + height)


def proposed_carriers(shapes: Sequence[Shape]) -> list[int | None]:
    """For each part the one that could carry it, by index; None for those that carry themselves.

    Parts that overlap, or touch, are joined by the heaviest spanning forest (R. C. Prim, "Shortest connection networks and some
    generalizations", Bell System Technical Journal 36, 1957), grown from the largest part on. What two share counts as a share of
    the smaller one, and more within one group. What carries nothing hangs on what it overlaps most.
    """
    areas = [float((shape.alpha >= HALF).sum()) for shape in shapes]
    weights = _weights(shapes, areas)
    solid = [index for index, shape in enumerate(shapes) if shape.carries and areas[index] > 0]
    parent: list[int | None] = [None] * len(shapes)
    left = set(solid)
    while left:
        root = max(left, key=lambda index: (areas[index], -index))
        left.discard(root)
        best = {index: (weights[index, root], root) for index in left if weights[index, root] > 0}
        while best:
            index = max(best, key=lambda one: (best[one][0], areas[one], -one))
            parent[index] = best.pop(index)[1]
            left.discard(index)
            for other in left:
                if weights[other, index] > best.get(other, (0.0, 0))[0]:
                    best[other] = (weights[other, index], index)
    for index, shape in enumerate(shapes):
        if shape.carries or areas[index] == 0 or not solid:
            continue
        nearest = max(solid, key=lambda other: weights[index, other])
        parent[index] = nearest if weights[index, nearest] > 0 else None
    return parent


def _weights(shapes: Sequence[Shape], areas: Sequence[float]) -> NDArray[np.float64]:
    largest = max(areas, default=1.0) or 1.0
    weights = np.zeros((len(shapes), len(shapes)))
    grown = [_grown(shape) for shape in shapes]
    for one in range(len(shapes)):
        for other in range(one):
            if not areas[one] or not areas[other]:
                continue
            shared = _shared(grown[one], grown[other])
            if not shared:
                continue
            share = min(1.0, shared / min(areas[one], areas[other]))
            if shapes[one].groups and shapes[one].groups[-1:] == shapes[other].groups[-1:]:
                share += _BESIDE * min(1.0, 2 * share)
            share += _SMALLER * (1 - max(areas[one], areas[other]) / largest)
            weights[one, other] = weights[other, one] = share
    return weights


def _grown(shape: Shape) -> tuple[Mask, Box]:
    """A part with a pixel around it: what touches overlaps then."""
    box = shape.box
    around = Box(box.left - 1, box.top - 1, box.right + 1, box.bottom + 1)
    solid = np.pad(np.where(shape.alpha >= HALF, 255, 0).astype(np.uint8), 1)
    return np.asarray(cv2.dilate(solid, np.ones((3, 3), np.uint8)), np.uint8), around


def _shared(one: tuple[Mask, Box], other: tuple[Mask, Box]) -> int:
    common = one[1].meet(other[1])
    if common.is_empty:
        return 0
    cuts = []
    for mask, box in (one, other):
        inner = common.moved(-box.left, -box.top)
        cuts.append(mask[inner.top : inner.bottom, inner.left : inner.right])
    return int(((cuts[0] > 0) & (cuts[1] > 0)).sum())
