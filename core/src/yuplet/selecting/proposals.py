"""Parts that a flat picture seems to have: regions of colour, nested from fine to coarse.

Regions begin as pixels whose neighbours differ little (the minimum spanning forest of the pixel grid below a colour step, as in
P. Felzenszwalb and D. Huttenlocher, "Efficient Graph-Based Image Segmentation", IJCV 59(2), 2004). What is too small joins the
neighbour that is most like it; dark lines are given to the regions they bound. Then the two neighbours that belong together
most become one, again and again (region adjacency merging; L. Garrido, P. Salembier and D. Garcia, "Extensive operators in
partition lattices for image sequence analysis", Signal Processing 66(2), 1998, call the result a binary partition tree). The
measure of belonging together is ours. Colours are compared in OKLab (B. Ottosson, 2020). All of it is deterministic.
"""

import heapq
import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from yuplet.compiled import compiled
from yuplet.errors import NothingThere
from yuplet.pixels import Picture
from yuplet.pixels.oklab import to_oklab
from yuplet.selecting.colour_distance import lightness
from yuplet.selecting.masks import Chosen, distance_to
from yuplet.selecting.patches import (
    borders_of,
    counted_anew,
    give_away,
    means_of,
    named,
    parted,
    rims_of,
    root_of,
)
from yuplet.selecting.regions import Labels, nearest_label, pieces_of

EQUAL = 0.004
STEP = 0.02
"""OKLab distances up to which two neighbouring pixels are of one region: anywhere, and apart from edges. 0.02 is about just seen."""
EDGE = 0.05
"""Difference within 3 x 3 pixels from which a pixel is at an edge, where smoothing would lead from one colour to the next."""
DARK = 40.0
"""Mean L* below which a region, where it is thin, is a line."""
LINE = 1.7
"""How much thicker than the usual one a line may be and still be one."""
_LAST = 1e6
"""How much later than others the ground is merged with what stands on it."""
DARK_OKLAB = 0.45
"""The same in OKLab."""
MAX_REGIONS = 4_000
"""Regions that merging begins with, at the most."""


@dataclass(frozen=True, slots=True)
class Proposals:
    """Nested regions: `labels` (H, W) counts the finest from 1, 0 is what is empty.

    `parents[i]` is the region that region i becomes part of when it is merged (itself: never), for the finest and for those
    that come of merging, which are counted on in the order in which they are made.
    """

    labels: Labels
    count: int
    parents: tuple[int, ...]

    def at(self, regions: int) -> Labels:
        """The picture in at most so many regions, counted from 1 in the order of their first pixels; 0 is what is empty."""
        made = len(self.parents) - 1
        first = self.count + max(self.count - max(regions, 1), 0)
        top = np.arange(made + 1)
        # Later regions are made of earlier ones, so one way down is enough.
        for region in range(min(first, made), 0, -1):
            parent = self.parents[region]
            top[region] = top[parent] if parent <= first and parent != region else region
        found = top[self.labels]
        found[self.labels == 0] = 0
        return counted_anew(found)

    def parts_at(self, regions: int) -> Labels:
        """The same without the ground, which is what parts are taken out of."""
        labels = self.at(regions)
        ground = _ground(labels, int(labels.max()))
        if ground.all() or not ground.any():
            return labels
        return counted_anew(np.where(ground[labels], 0, labels))


def propose(picture: Picture, smallest: int | None = None) -> Proposals:
    """Divide a picture into nested regions.

    Parameters
    ----------
    picture : (H, W, 4) uint8
        Straight RGBA; only pixels with alpha of at least a half are divided, the others belong to the nearest region.
    smallest : int, optional
        Pixels that a region has at least; by default one in 20 000 of the picture.

    Raises
    ------
    NothingThere
        When nothing of the picture is there.
    """
    there: Chosen = picture[..., 3] >= 128
    if not there.any():
        raise NothingThere("The part is empty, so there is nothing to divide.")
    smallest = max(int(there.sum()) // 20_000, 6) if smallest is None else smallest
    colours = to_oklab(picture[..., :3])
    labels = _grown_from_pixels(colours, there, _edges(colours))
    labels = _without_small(labels, colours, smallest)
    labels = _without_lines(labels, lightness(picture), there)
    labels = _without_small(labels, colours, smallest)
    while labels.max() > MAX_REGIONS:
        smallest *= 2
        labels = _without_small(labels, colours, smallest)
    labels[picture[..., 3] == 0] = 0
    labels = counted_anew(labels)
    count = int(labels.max())
    return Proposals(labels, count, _merged(labels, colours, count))


def _edges(colours: NDArray[np.float32]) -> Chosen:
    """The pixels around which colours differ much."""
    around = np.ones((3, 3), np.uint8)
    spread = sum((cv2.dilate(one, around) - cv2.erode(one, around)) ** 2 for one in cv2.split(colours))
    edges: Chosen = np.asarray(spread) > EDGE**2
    return edges


@compiled("int32[:, :](float32[:, :, :], boolean[:, :], boolean[:, :])")
def _grown_from_pixels(colours: NDArray[np.float32], there: Chosen, edges: Chosen) -> Labels:
    """The 4-connected regions of pixels that differ little from a neighbour in them."""
    height, width = there.shape
    parent = np.arange(height * width).astype(np.int32)
    for y in range(height):
        for x in range(width):
            if not there[y, x]:
                continue
            for dy, dx in ((0, 1), (1, 0)):
                v, u = y + dy, x + dx
                if v >= height or u >= width or not there[v, u]:
                    continue
                away = 0.0
                for channel in range(3):
                    difference = colours[y, x, channel] - colours[v, u, channel]
                    away += difference * difference
                limit = EQUAL if edges[y, x] or edges[v, u] else STEP
                if away <= limit * limit:
                    a, b = root_of(parent, y * width + x), root_of(parent, v * width + u)
                    if a != b:
                        parent[max(a, b)] = min(a, b)
    return named(parent, there)


def _without_lines(labels: Labels, light: NDArray[np.float32], there: Chosen) -> Labels:
    """Dark and thin things are lines: they go to regions that are none."""
    flat = labels.ravel()
    sizes = np.bincount(flat)
    dark: Chosen = (np.bincount(flat, light.ravel()) < DARK * sizes)[labels] & there
    # How far each pixel is from where its region ends; the middle of something is as far from that as nothing around it.
    inside = distance_to(rims_of(labels)) + 1
    ridge = dark & (inside > 1.5) & (inside >= cv2.dilate(inside, np.ones((3, 3), np.uint8)))
    if not ridge.any():
        return labels
    thin = max(2.0, LINE * float(np.median(inside[ridge])))
    # What is left of a dark region when it is drawn in and grown again is thicker than a line.
    cores = np.where(dark & (inside > thin), labels, 0).astype(np.int32)
    thick: Chosen = dark & (distance_to(cores > 0) <= thin + 1) & (nearest_label(cores) == labels)
    line = dark & ~thick
    rest = np.where(line, 0, labels)
    if not rest.any():
        return labels
    # A region of which the line cuts pieces off is counted anew.
    rest = parted(rest)
    strokes = pieces_of(line, 8)
    marks = _within_one(strokes, rest)
    rest[marks] = strokes[marks] + rest.max()
    found = nearest_label(_with_outlines(rest, line, round(2 * thin / LINE) + 1))
    found[~there] = 0
    return found


def _with_outlines(regions: Labels, line: Chosen, thick: int) -> Labels:
    """Lines up to so many pixels thick go to the smallest region beside them: it lies in front, and the line goes round it.

    The ground gets none that it shares with anything.
    """
    count = int(regions.max())
    sizes = np.bincount(regions.ravel(), minlength=count + 1)
    sizes[_ground(regions, count)] = regions.size
    order = np.argsort(-sizes[1:], kind="stable") + 1
    rank = np.zeros(count + 1, np.float32)
    rank[order] = np.arange(1, count + 1)
    reached = rank[regions]
    cross = cv2.getStructuringElement(cv2.MORPH_CROSS, (3, 3))
    for _ in range(thick):
        reached = np.where(line, np.maximum(reached, cv2.dilate(reached, cross)), reached)
    result: Labels = np.concatenate([[0], order])[reached.astype(np.int32)].astype(np.int32)
    return result


def _within_one(strokes: Labels, regions: Labels) -> Chosen:
    """The strokes that lie within one region: marks, and not borders."""
    reached = cv2.dilate(strokes.astype(np.float32), np.ones((5, 5), np.uint8)).astype(np.int32)
    beside = (strokes == 0) & (reached > 0) & (regions > 0)
    pairs = np.unique(reached[beside].astype(np.int64) * (int(regions.max()) + 1) + regions[beside])
    counts = np.bincount(pairs // (int(regions.max()) + 1), minlength=int(strokes.max()) + 1)
    single: Chosen = (counts == 1)[strokes] & (strokes > 0)
    return single


def _neighbours(labels: Labels, count: int) -> list[dict[int, int]]:
    """How long a border each region has with each other one; with 0 for what is empty."""
    pairs, lengths = np.unique(borders_of(labels) @ np.array([count + 1, 1]), return_counts=True)
    around: list[dict[int, int]] = [{} for _ in range(count + 1)]
    for pair, length in zip(pairs.tolist(), lengths.tolist(), strict=True):
        one, other = divmod(pair, count + 1)
        around[one][other] = around[other][one] = length
    return around


def _without_small(labels: Labels, colours: NDArray[np.float32], smallest: int) -> Labels:
    """Pixels of regions that are too small go to the neighbour whose colour is most like theirs, from outside inwards.

    So do those of light regions up to two pixels thick: smoothed edges.
    """
    count = int(labels.max())
    sizes, means = means_of(labels, colours)
    is_thick = np.bincount(labels[~rims_of(labels)], minlength=count + 1) > 0
    stays = (sizes >= smallest) & (is_thick | (means[:, 0] < DARK_OKLAB))
    kept = np.where(stays[labels], labels, 0).astype(np.int32)
    if not kept.any():
        return labels
    waiting = (labels > 0) & (kept == 0)
    while give_away(kept, waiting, colours, means):
        pass
    # What touches nothing large is an island of its own, however small.
    kept[waiting] = labels[waiting] + count
    return counted_anew(kept)


def _ground(labels: Labels, count: int) -> Chosen:
    """The regions that much of the picture's rim belongs to: what lies behind everything."""
    rim = np.concatenate([labels[0], labels[-1], labels[1:-1, 0], labels[1:-1, -1]])
    shares: NDArray[np.float64] = np.bincount(rim, minlength=count + 1) / rim.size
    result: Chosen = shares > 0.2
    result[0] = False
    return result


def _merged(labels: Labels, colours: NDArray[np.float32], count: int) -> tuple[int, ...]:
    """The parents of all regions of the tree of merging."""
    sizes, means = means_of(labels, colours)
    around = _neighbours(labels, count)
    total = 2 * count
    size = [*sizes.tolist(), *([0.0] * (total - len(sizes)))]
    mean = [*means.tolist(), *([[0.0] * 3] * (total - len(means)))]
    border = [float(sum(near.values())) for near in around] + [0.0] * (total - len(around))
    near: list[dict[int, int]] = [*around, *({} for _ in range(total - len(around)))]
    parents = list(range(total))
    is_ground = [bool(one) for one in _ground(labels, count)] + [False] * (total - count - 1)
    gone: set[int] = set()

    def cost(one: int, other: int) -> float:
        """Small for regions that are alike, small, or enclosed by each other."""
        away = math.dist(mean[one], mean[other])
        small = one if size[one] <= size[other] else other
        shared = near[one][other] / max(border[small], 1.0)
        last = _LAST if is_ground[one] != is_ground[other] else 1.0
        return last * (away + 0.02) * math.sqrt(min(size[one], size[other])) / (0.05 + shared)

    heap = [(cost(one, other), one, other) for one in range(1, count + 1) for other in near[one] if one < other]
    heapq.heapify(heap)
    made = count
    while heap:
        _, one, other = heapq.heappop(heap)
        if one in gone or other in gone:
            continue
        made += 1
        gone |= {one, other}
        parents[one] = parents[other] = made
        size[made] = size[one] + size[other]
        mean[made] = [
            (a * size[one] + b * size[other]) / size[made] for a, b in zip(mean[one], mean[other], strict=True)
        ]
        is_ground[made] = is_ground[one] or is_ground[other]
        border[made] = border[one] + border[other] - 2 * near[one][other]
        for old in (one, other):
            for third, length in near[old].items():
                if third in (one, other):
                    continue
                near[made][third] = near[made].get(third, 0) + length
        for third, length in near[made].items():
            near[third][made] = length
            if third != 0 and third not in gone:
                heapq.heappush(heap, (cost(made, third), made, third))
    return tuple(parents[: made + 1])
