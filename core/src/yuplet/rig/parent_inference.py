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
_SIZE = 1.5
"""How many steps the largest part may lie beside the centre of a tree and be its root all the same."""
_LARGER = 0.02
"""How much a carrier that is larger counts, of two that overlap a part alike."""
_ON, _LARGE, _INSIDE = 0.5, 0.3, 0.99
"""A part lies on another one before which it hides something: with half of itself at least, a third as large at least, and not as paint on it, all within."""
_NEAR_AS_LARGE = 0.7
_BEHIND = 0.3
"""How much still counts what a part shares with one that lies behind another that it lies on: eyes and ears with the hair behind the face."""
_MUCH_SMALLER = 0.5


@dataclass(frozen=True, slots=True)
class Shape:
    """What of a part its carrier is told from: its alpha on the small canvas (`small`), the ids of the groups around it, and
    whether others can hang on it: what is laid through a mode, a shadow, say, or is not seen at rest, carries nothing.
    """

    box: Box
    alpha: Mask
    groups: tuple[str, ...]
    carries: bool
    is_seen: bool = True


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
    generalizations", Bell System Technical Journal 36, 1957), and each tree hangs on a large part about its centre: the farthest
    other one is few steps away, and the largest part may be one and a half steps beside the centre. What lies behind a part, and not only
    as its ground, counts less for all that lies on that: hair behind a face carries no eyes. What carries nothing hangs on what it overlaps most; what is not seen
    takes the place of that one where it is of the same group, and is carried by the same part.
    """
    areas = [float((shape.alpha >= HALF).sum()) for shape in shapes]
    weights = _weights(shapes, areas)
    solid = [index for index, shape in enumerate(shapes) if shape.carries and areas[index] > 0]
    parent: list[int | None] = [None] * len(shapes)
    for tree in _forest(solid, weights):
        largest = max(areas[index] for index in tree)
        root = min(tree, key=lambda index: (max(_steps(tree, index).values()) - _SIZE * areas[index] / largest, index))
        waiting = [root]
        while waiting:
            at = waiting.pop()
            for other in tree[at]:
                if other != parent[at]:
                    parent[other] = at
                    waiting.append(other)
    _pass_over_small(solid, shapes, areas, weights, parent)
    for index, shape in enumerate(shapes):
        if shape.carries or areas[index] == 0 or not solid:
            continue
        nearest = max(solid, key=lambda other: (weights[index, other], areas[other]))
        if weights[index, nearest] > 0:
            is_beside = bool(shape.groups) and shape.groups == shapes[nearest].groups
            takes_its_place = not shape.is_seen and is_beside and parent[nearest] is not None
            parent[index] = parent[nearest] if takes_its_place else nearest
    return parent


def _pass_over_small(
    solid: Sequence[int],
    shapes: Sequence[Shape],
    areas: Sequence[float],
    weights: NDArray[np.float64],
    parent: list[int | None],
) -> None:
    """Hang what hangs on a much smaller part of another group on what carries that, where it meets it: an ear not on the whiskers before it."""
    for index in solid:
        small_one = parent[index]
        above = None if small_one is None else parent[small_one]
        if small_one is None or above is None:
            continue
        is_of_one = bool(shapes[small_one].groups) and shapes[small_one].groups == shapes[index].groups
        if areas[small_one] < _MUCH_SMALLER * areas[index] and not is_of_one and weights[index, above] > 0:
            parent[index] = above


def _forest(members: Sequence[int], weights: NDArray[np.float64]) -> list[dict[int, list[int]]]:
    """The heaviest spanning trees: for each of their members those that it is joined with."""
    trees = []
    left = set(members)
    while left:
        start = min(left)
        left.discard(start)
        tree: dict[int, list[int]] = {start: []}
        best = {index: (weights[index, start], start) for index in left if weights[index, start] > 0}
        while best:
            index = max(best, key=lambda one: (best[one][0], -one))
            other = best.pop(index)[1]
            tree[index] = [other]
            tree[other].append(index)
            left.discard(index)
            for one in left:
                if weights[one, index] > best.get(one, (0.0, 0))[0]:
                    best[one] = (weights[one, index], index)
        trees.append(tree)
    return trees


def _steps(tree: dict[int, list[int]], start: int) -> dict[int, int]:
    """How many steps each member of a tree is away from one."""
    steps = {start: 0}
    waiting = [start]
    while waiting:
        at = waiting.pop()
        for other in tree[at]:
            if other not in steps:
                steps[other] = steps[at] + 1
                waiting.append(other)
    return steps


def _weights(shapes: Sequence[Shape], areas: Sequence[float]) -> NDArray[np.float64]:
    """How well each two parts hold together, 0 where they do not meet.

    Within a group, and where there are none, what they share counts as a share of the smaller one. Between groups it counts as a
    share of the largest of the smaller one's group: an arm hangs on the body by the upper arm, though the hand lies before it.
    """
    largest = max(areas, default=1.0) or 1.0
    of_group: dict[tuple[str, ...], float] = {}
    for shape, area in zip(shapes, areas, strict=True):
        if shape.groups and shape.carries:
            of_group[shape.groups] = max(of_group.get(shape.groups, 0.0), area)
    weights = np.zeros((len(shapes), len(shapes)))
    common = _common(shapes, areas)
    for one in range(len(shapes)):
        for other in range(one):
            shared = common[one, other]
            if not shared:
                continue
            smaller = min(one, other, key=lambda at: areas[at])
            is_beside = shapes[one].groups == shapes[other].groups
            whole = areas[smaller] if is_beside else max(areas[smaller], of_group.get(shapes[smaller].groups, 0.0))
            share = min(1.0, shared / whole)
            if is_beside and shapes[one].groups:
                share += _BESIDE * min(1.0, 2 * share)
            share += _LARGER * max(areas[one], areas[other]) / largest
            weights[one, other] = weights[other, one] = share
    return weights


def _common(shapes: Sequence[Shape], areas: Sequence[float]) -> NDArray[np.float64]:
    """How many pixels each part shares with each one behind it, edges that touch among them; less of what lies behind another that it lies on."""
    grown = [_grown(shape) for shape in shapes]
    common = np.zeros((len(shapes), len(shapes)))
    for one in range(len(shapes)):
        for other in range(one):
            if areas[one] and areas[other]:
                common[one, other] = _shared(grown[one], grown[other])
    counted = common.copy()
    for behind in range(len(shapes)):
        before = [
            index
            for index in range(behind + 1, len(shapes))
            if shapes[index].carries
            and areas[index] >= _LARGE * areas[behind]
            and _ON * areas[index] < common[index, behind] < _INSIDE * (grown[index][0] > 0).sum()
        ]
        for index in before:
            for one in range(index + 1, len(shapes)):
                if common[one, index] and areas[index] > _NEAR_AS_LARGE * areas[one]:
                    counted[one, behind] = _BEHIND * common[one, behind]
    return counted


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
