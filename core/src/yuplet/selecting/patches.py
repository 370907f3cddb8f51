"""The smallest pieces of a picture that are told apart: patches of one colour, lines, and limbs of both.

Pixels are joined as P. Felzenszwalb and D. Huttenlocher do ("Efficient Graph-Based Image Segmentation", IJCV 59(2), 2004): two sets
become one where they differ no more than within either. So what is flat is told from what is nearly of its colour, and what is
painted is not divided by its grain. Thin strokes are patches of their own, parted where they branch; what is of one colour is
parted at its necks. So things that only share a colour, or a line, are never one patch.
"""

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from yuplet.compiled import compiled
from yuplet.pixels.oklab import to_oklab
from yuplet.selecting.masks import Chosen, distance_to, hard_mask
from yuplet.selecting.regions import Labels, filled_out, pieces_of

ALONG = 0.144
"""OKLab distance up to which neighbours along the middle of a stroke are of one; those of thin ones are mixed with what is beside."""
_STRONG = 0.15
"""Difference within 3 x 3 pixels of an edge beside which JPEG is noisy."""
RIDGE = 0.05
"""How much darker, or lighter, than both its sides a stroke is."""
_DEEP = 12.0
"""Pixels from the middle of a stroke to its border, at the most."""
_STROKE = 7
"""Pixels up to which a stroke is thin enough to be found as a ridge."""
OWN = 1.0
"""How much pieces of one pixel may differ and still become one, in OKLab; larger ones by as much less as they are larger."""
NECK = 1.2
"""How much thicker than their neck two limbs are."""
LONG = 14
"""How many times the square of half its thickness the area of a stroke is at least."""
THIN = 0.16
"""Half the thickness of a stroke beside the root of its area, at the most."""
_MOST = 1500
"""Patches at the most."""


def noise_of(colours: NDArray[np.float32]) -> float:
    """How much neighbouring pixels differ where nothing is drawn, in OKLab: 0 for flat colours, about 0.006 for paint or JPEG.

    JPEG is noisy beside edges alone, so it is looked for there.
    """
    light = colours[..., 0]
    anywhere = float(np.percentile(np.abs(light - cv2.medianBlur(light, 3)), 60))
    contrast = _contrast(colours)
    strong = (contrast > _STRONG).astype(np.uint8)
    beside = (cv2.dilate(strong, np.ones((19, 19))) > 0) & (cv2.dilate(strong, np.ones((7, 7))) == 0)
    if beside.sum() < 100:
        return anywhere
    return max(anywhere, float(np.percentile(contrast[beside], 75)) / 3)


def patches(picture: NDArray[np.uint8], there: Chosen, smallest: int) -> tuple[Labels, NDArray[np.float32]]:
    """Divide a picture.

    Parameters
    ----------
    picture : (H, W, 4) uint8
        Straight RGBA.
    there : (H, W) bool
        The pixels that are divided.
    smallest : int
        Pixels that a patch has at least, but for islands.

    Returns
    -------
    (H, W) int32
        Labels from 1; 0 where nothing is there.
    (H, W, 3) float32
        OKLab of the picture, its noise taken away.
    """
    colours = filled_out(to_oklab(picture[..., :3]), there)
    noise = noise_of(colours)
    if noise > 0.0005:
        colours = np.ascontiguousarray(cv2.bilateralFilter(colours, 5, 6 * noise + 0.01, 2.0))
    ridges = _ridges(colours[..., 0], RIDGE + 2 * noise)
    labels = _joined(colours, there, ridges, OWN, ALONG)
    labels = _cleaned(labels, colours, smallest)
    labels = _with_branches(_with_limbs(_with_strokes(labels, smallest), smallest))
    labels = _cleaned(labels, colours, smallest)
    while labels.max() > _MOST:
        smallest *= 2
        labels = _cleaned(labels, colours, smallest)
    return labels, colours


def _contrast(colours: NDArray[np.float32]) -> NDArray[np.float32]:
    """How much colours differ within 3 x 3 pixels."""
    around = np.ones((3, 3), np.uint8)
    squared = sum((cv2.dilate(one, around) - cv2.erode(one, around)) ** 2 for one in cv2.split(colours))
    return np.sqrt(np.asarray(squared, np.float32))


def _ridges(light: NDArray[np.float32], least: float) -> NDArray[np.int8]:
    """Where a thin stroke is darker (-1) or lighter (1) than what is on both sides of it: its middle."""
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (_STROKE + 2, _STROKE + 2))
    around = np.ones((3, 3), np.uint8)
    found = np.zeros(light.shape, np.int8)
    for sign, kind in ((1, cv2.MORPH_TOPHAT), (-1, cv2.MORPH_BLACKHAT)):
        height = cv2.morphologyEx(light, kind, disc)
        found[(height > least) & (height > 0.6 * cv2.dilate(height, around))] = sign
    return found


@compiled("int64(int32[:], int64)")
def root_of(parent: NDArray[np.int32], one: int) -> int:
    """The one that stands for all that are joined with it."""
    while parent[one] != one:
        parent[one] = parent[parent[one]]
        one = parent[one]
    return one


@compiled("int32[:, :](int32[:], boolean[:, :])")
def named(parent: NDArray[np.int32], there: Chosen) -> Labels:
    """Labels of what is joined, counted from 1 in the order of first pixels; 0 where nothing is there."""
    height, width = there.shape
    labels = np.zeros((height, width), np.int32)
    names = np.zeros(height * width, np.int32)
    count = 0
    for y in range(height):
        for x in range(width):
            if there[y, x]:
                root = root_of(parent, y * width + x)
                if names[root] == 0:
                    count += 1
                    names[root] = count
                labels[y, x] = names[root]
    return labels


@compiled("int32[:, :](float32[:, :, :], boolean[:, :], int8[:, :], float64, float64)")
def _joined(colours: NDArray[np.float32], there: Chosen, ridges: NDArray[np.int8], own: float, alike: float) -> Labels:
    """Regions that differ more from each other than within: two that touch become one where they differ no more than within either, and
    `own` / its size; along the middle of strokes up to `alike`.
    """
    height, width = there.shape
    steps = 1024
    counts = np.zeros(steps + 1, np.int64)
    weights = np.full((4, height, width), steps, np.int16)
    for y in range(height):
        for x in range(width):
            if not there[y, x]:
                continue
            for d in range(4):
                v, u = y + (0, 1, 1, 1)[d], x + (1, 0, 1, -1)[d]
                if v >= height or u >= width or u < 0 or not there[v, u]:
                    continue
                along = ridges[y, x] != 0 and ridges[y, x] == ridges[v, u]
                if d > 1 and not along:
                    continue
                away = 0.0
                for channel in range(3):
                    difference = colours[y, x, channel] - colours[v, u, channel]
                    away += difference * difference
                away = np.sqrt(away)
                if along and away <= alike:
                    away *= 0.05
                step = min(int(away * 2048), steps - 1)
                weights[d, y, x] = step
                counts[step] += 1
    starts = np.zeros(steps + 1, np.int64)
    for step in range(steps):
        starts[step + 1] = starts[step] + counts[step]
    order = np.empty(starts[steps], np.int64)
    at = starts.copy()
    for d in range(4):
        for y in range(height):
            for x in range(width):
                step = weights[d, y, x]
                if step < steps:
                    order[at[step]] = (y * width + x) * 4 + d
                    at[step] += 1
    parent = np.arange(height * width).astype(np.int32)
    size = np.ones(height * width, np.int32)
    within = np.zeros(height * width, np.float32)
    for edge in order:
        d, place = edge % 4, edge // 4
        other = place + (1, width, width + 1, width - 1)[d]
        a, b = root_of(parent, place), root_of(parent, other)
        if a == b:
            continue
        weight = weights[d, place // width, place % width] / 2048
        if weight <= within[a] + own / size[a] and weight <= within[b] + own / size[b]:
            low, high = min(a, b), max(a, b)
            parent[high] = low
            size[low] += size[high]
            within[low] = max(max(within[low], within[high]), weight)
    return named(parent, there)


def counted_anew(labels: NDArray[np.integer[Any]]) -> Labels:
    """The same, counted from 1 without gaps in the order of their first pixels; 0 stays 0."""
    result = np.array(labels, np.int32, order="C")
    _count_anew(result.ravel(), np.zeros(int(labels.max(initial=0)) + 1, np.int32))
    return result


@compiled("void(int32[::1], int32[::1])")
def _count_anew(labels: NDArray[np.int32], names: NDArray[np.int32]) -> None:
    count = 0
    for place in range(labels.size):
        label = labels[place]
        if label == 0:
            continue
        if names[label] == 0:
            count += 1
            names[label] = count
        labels[place] = names[label]


def means_of(labels: Labels, colours: NDArray[np.float32]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """How many pixels each label has, and their mean colour."""
    flat = labels.ravel()
    count = int(labels.max())
    sizes = np.bincount(flat, minlength=count + 1).astype(np.float64)
    sums = [np.bincount(flat, colours[..., channel].ravel(), count + 1) for channel in range(3)]
    return sizes, np.stack(sums, axis=1) / np.maximum(sizes, 1)[:, None]


def _cleaned(labels: Labels, colours: NDArray[np.float32], smallest: int) -> Labels:
    """Pixels of what is too small, or only a smoothed edge, go to the neighbour whose colour is most like theirs."""
    sizes, means = means_of(labels, colours)
    stays = (sizes >= smallest) & ~_is_edge(labels, sizes, means)
    kept = np.where(stays[labels], labels, 0).astype(np.int32)
    if not kept.any():
        return counted_anew(labels)
    waiting = (labels > 0) & (kept == 0)
    while give_away(kept, waiting, colours, means):
        pass
    # What touches nothing large is an island of its own, however small.
    kept[waiting] = labels[waiting] + len(sizes)
    return counted_anew(kept)


def _is_edge(labels: Labels, sizes: NDArray[np.float64], means: NDArray[np.float64]) -> Chosen:
    """Labels that are the smoothed edge between two others: nowhere thick, and of a colour between theirs."""
    count = len(sizes) - 1
    inside = np.bincount(labels[~rims_of(labels)], minlength=count + 1)
    thin = (inside < 0.08 * sizes) & (sizes > 0)
    thin[0] = False
    result = np.zeros(count + 1, bool)
    pairs, lengths = np.unique(borders_of(labels) @ np.array([count + 1, 1]), return_counts=True)
    one, other = pairs // (count + 1), pairs % (count + 1)
    own = np.concatenate([one, other])
    beside = np.concatenate([other, one])
    length = np.concatenate([lengths, lengths])
    keep = thin[own] & (beside > 0)
    own, beside, length = own[keep], beside[keep], length[keep]
    order = np.lexsort((-length, own))
    own, beside = own[order], beside[order]
    if not own.size:
        return result
    starts = np.flatnonzero(np.r_[True, own[1:] != own[:-1]])
    ends = np.r_[starts[1:], own.size]
    for start, end in zip(starts.tolist(), ends.tolist(), strict=True):
        around = means[beside[start : min(end, start + 4)]]
        result[own[start]] = any(
            _is_between(means[own[start]], around[one], around[other])
            for one in range(len(around))
            for other in range(one + 1, len(around))
        )
    return result


def _is_between(mid: NDArray[np.float64], a: NDArray[np.float64], b: NDArray[np.float64]) -> bool:
    """Whether a colour is a mixture of two others."""
    along = b - a
    far = float(along @ along)
    at = float((mid - a) @ along) / max(far, 1e-12)
    off = mid - a - at * along
    return 0.06 < at < 0.94 and far > 0.001 and float(off @ off) ** 0.5 < 0.25 * far**0.5 + 0.01


def rims_of(labels: Labels) -> Chosen:
    """The pixels beside which another label begins; the border of the picture is none."""
    rims = np.zeros(labels.shape, bool)
    for one, other in ((np.s_[1:], np.s_[:-1]), (np.s_[:, 1:], np.s_[:, :-1])):
        differ = labels[one] != labels[other]
        rims[one] |= differ
        rims[other] |= differ
    return rims


@compiled("int64[:, :](int32[:, :])")
def borders_of(labels: Labels) -> NDArray[np.int64]:
    """Each pair of pixels side by side that are of two labels: the smaller and the larger label."""
    height, width = labels.shape
    count = 0
    for y in range(height):
        for x in range(width):
            if x + 1 < width and labels[y, x] != labels[y, x + 1]:
                count += 1
            if y + 1 < height and labels[y, x] != labels[y + 1, x]:
                count += 1
    found = np.empty((count, 2), np.int64)
    count = 0
    for y in range(height):
        for x in range(width):
            for dy, dx in ((0, 1), (1, 0)):
                v, u = y + dy, x + dx
                if v < height and u < width and labels[y, x] != labels[v, u]:
                    found[count, 0] = min(labels[y, x], labels[v, u])
                    found[count, 1] = max(labels[y, x], labels[v, u])
                    count += 1
    return found


@compiled("int64(int32[:, :], boolean[:, :], float32[:, :, :], float64[:, :])")
def give_away(kept: Labels, waiting: Chosen, colours: NDArray[np.float32], means: NDArray[np.float64]) -> int:
    """Label each waiting pixel that is beside a labelled one; answers how many there were."""
    height, width = kept.shape
    before = kept.copy()
    given = 0
    for y in range(height):
        for x in range(width):
            if not waiting[y, x]:
                continue
            best, least = 0, np.inf
            for dy, dx in ((-1, 0), (0, -1), (0, 1), (1, 0)):
                v, u = y + dy, x + dx
                if v < 0 or u < 0 or v >= height or u >= width or before[v, u] == 0 or waiting[v, u]:
                    continue
                label = before[v, u]
                away = 0.0
                for channel in range(3):
                    away += abs(colours[y, x, channel] - means[label, channel])
                if away < least:
                    best, least = label, away
            if best:
                kept[y, x] = best
                given += 1
    for y in range(height):
        for x in range(width):
            if kept[y, x] != 0:
                waiting[y, x] = False
    return given


def _with_strokes(labels: Labels, smallest: int) -> Labels:
    """Part what is thin and long from the thick shape that it hangs on: an outline from the black hair it leads to."""
    depth = distance_to(rims_of(labels)) + 1
    depth[~np.isfinite(depth)] = max(labels.shape)
    deepest = np.zeros(int(labels.max()) + 1, np.float32)
    np.maximum.at(deepest, labels.ravel(), depth.ravel())
    reach = np.clip(0.15 * deepest + 1.5, 2.5, 12).astype(np.float32)
    reach[deepest < 2 * reach] = 0
    reach[0] = 0
    near = (depth > reach[labels]) & (reach[labels] > 0)
    _reach_out(labels, reach + np.float32(0.5), near)
    rest = (reach[labels] > 0) & ~near
    pieces = parted(np.where(rest, labels, 0).astype(np.int32))
    sizes = np.bincount(pieces.ravel())
    thick = np.zeros(sizes.size, np.float32)
    np.maximum.at(thick, pieces.ravel(), depth.ravel())
    long = (sizes >= LONG * thick * thick) & (sizes >= smallest)
    long[0] = False
    return counted_anew(np.where(long[pieces], pieces + labels.max(), labels))


@compiled("void(int32[:, ::1], float32[::1], boolean[:, ::1])")
def _reach_out(labels: Labels, reach: NDArray[np.float32], near: NDArray[np.bool_]) -> None:
    """Mark what is within a label's reach of its marked pixels, on the way within that label."""
    height, width = labels.shape
    source = np.empty(height * width, np.int64)
    queue = np.empty(height * width, np.int64)
    top = 0
    for place in range(height * width):
        if near[place // width, place % width]:
            source[place] = place
            queue[top] = place
            top += 1
    at = 0
    while at < top:
        place = queue[at]
        at += 1
        y, x = place // width, place % width
        label = labels[y, x]
        row, column = source[place] // width, source[place] % width
        for dy, dx in ((0, 1), (1, 0), (0, -1), (-1, 0)):
            v, u = y + dy, x + dx
            if not (0 <= v < height and 0 <= u < width) or near[v, u] or labels[v, u] != label:
                continue
            if (v - row) ** 2 + (u - column) ** 2 <= reach[label] ** 2:
                near[v, u] = True
                source[v * width + u] = source[place]
                queue[top] = v * width + u
                top += 1


def _with_limbs(labels: Labels, smallest: int) -> Labels:
    """Part each patch at its necks: pieces that hang together only by something much less thick than both."""
    depth = np.minimum(distance_to(rims_of(labels)) + 1, max(labels.shape))
    order = np.argsort((depth * -4).astype(np.int16), axis=None, kind="stable")
    order = order[labels.ravel()[order] > 0]
    basins = np.zeros(labels.size, np.int32)
    _flood(labels.ravel(), depth.ravel(), order, labels.shape[1], NECK, smallest / 4, basins)
    return counted_anew(basins.reshape(labels.shape))


@compiled("void(int32[:], float32[:], int64[:], int64, float64, float64, int32[:])")
def _flood(
    labels: NDArray[np.int32],
    depth: NDArray[np.float32],
    order: NDArray[np.int64],
    width: int,
    neck: float,
    least: float,
    out: NDArray[np.int32],
) -> None:
    """Flood each label from where it is deepest: basins that meet become one, unless both are deeper than where they meet by a
    factor, and large enough.
    """
    parent = np.zeros(order.size + 1, np.int32)
    peak = np.zeros(order.size + 1, np.float32)
    size = np.zeros(order.size + 1, np.int64)
    count = 0
    found = np.zeros(8, np.int32)
    for place in order:
        x = place % width
        near = 0
        for d in range(8):
            dy = (0, 1, 0, -1, 1, 1, -1, -1)[d]
            dx = (1, 0, -1, 0, 1, -1, 1, -1)[d]
            other = place + dy * width + dx
            if not (0 <= x + dx < width and 0 <= other < labels.size):
                continue
            if out[other] == 0 or labels[other] != labels[place]:
                continue
            if d >= 4 and near:
                # Across a corner only where nothing is beside: strokes one pixel thick hang together so.
                continue
            root = root_of(parent, out[other])
            known = False
            for k in range(near):
                known = known or found[k] == root
            if not known:
                found[near] = root
                near += 1
        if near == 0:
            count += 1
            parent[count], peak[count], size[count] = count, depth[place], 1
            out[place] = count
            continue
        best = found[0]
        for k in range(1, near):
            if peak[found[k]] > peak[best]:
                best = found[k]
        for k in range(near):
            other = found[k]
            if other == best:
                continue
            limit = neck * depth[place]
            if peak[other] < limit or peak[best] < limit or size[other] < least or size[best] < least:
                parent[other] = best
                size[best] += size[other]
        out[place] = best
        size[best] += 1
    for place in order:
        out[place] = root_of(parent, out[place])


def _with_branches(labels: Labels) -> Labels:
    """Part strokes where they branch."""
    depth = distance_to(rims_of(labels)) + 1
    depth[labels == 0] = 0
    deepest = np.zeros(int(labels.max()) + 1, np.float32)
    np.maximum.at(deepest, labels.ravel(), depth.ravel())
    sizes = np.bincount(labels.ravel())
    stroke = deepest < np.minimum(THIN * np.sqrt(sizes), _DEEP)
    stroke[0] = False
    # Strokes of two labels side by side have a gap between them while their middles are looked for.
    where = stroke[labels] & ~_beside_another(labels)
    middle = cv2.ximgproc.thinning(hard_mask(where)) > 0
    joints = middle & (_ways(middle) >= 3)
    if not joints.any():
        return labels
    # What lies within a stroke's thickness of a joint is part of the joint.
    reach = cv2.dilate(np.where(joints, depth, 0).astype(np.float32), np.ones((3, 3), np.uint8))
    for _ in range(int(float(depth[joints].max())) + 1):
        reach = np.maximum(reach, cv2.dilate(reach, np.ones((3, 3), np.uint8)) - 1)
    arms = pieces_of(middle & (reach <= 0), 8)
    lengths = np.bincount(arms.ravel())
    thick = np.zeros(lengths.size, np.float32)
    np.maximum.at(thick, arms.ravel(), depth.ravel())
    long = lengths >= 1.5 * thick + 2
    long[0] = False
    arms = np.where(long[arms], arms, 0).astype(np.int32)
    bare = np.bincount(labels.ravel(), (arms > 0).ravel(), minlength=len(sizes)) == 0
    arms = np.where(bare[labels] & (labels > 0), labels + lengths.size, arms).astype(np.int32)
    flat = arms.ravel().copy()
    _spread(labels.ravel(), labels.shape[1], flat)
    return counted_anew(flat.reshape(labels.shape))


def _ways(middle: Chosen) -> NDArray[np.int32]:
    """How many ways lead from each pixel: changes from outside to inside on the way round it."""
    framed = np.pad(middle, 1)
    height, width = middle.shape
    round_it = ((0, 0), (0, 1), (0, 2), (1, 2), (2, 2), (2, 1), (2, 0), (1, 0))
    ring = [framed[y : y + height, x : x + width] for y, x in round_it]
    found = np.zeros(middle.shape, np.int32)
    for index, one in enumerate(ring):
        found += ring[index - 1] < one
    return found


def _beside_another(labels: Labels) -> Chosen:
    """The pixels whose right or lower neighbour is of another label, neither of them empty."""
    result = np.zeros(labels.shape, bool)
    for one, other in ((np.s_[:-1], np.s_[1:]), (np.s_[:, :-1], np.s_[:, 1:])):
        result[one] |= (labels[one] != labels[other]) & (labels[one] > 0) & (labels[other] > 0)
    return result


@compiled("void(int32[:], int64, int32[:])")
def _spread(labels: NDArray[np.int32], width: int, out: NDArray[np.int32]) -> None:
    """Give every pixel of a label the nearest one that is marked, on the way within that label; where none is, the label."""
    queue = np.empty(labels.size, np.int64)
    top = 0
    for place in range(labels.size):
        if out[place] != 0:
            queue[top] = place
            top += 1
    at = 0
    while at < top:
        place = queue[at]
        at += 1
        x = place % width
        for d in range(4):
            dx = (1, -1, 0, 0)[d]
            other = place + (1, -1, width, -width)[d]
            if 0 <= x + dx < width and 0 <= other < labels.size and out[other] == 0 and labels[other] == labels[place]:
                out[other] = out[place]
                queue[top] = other
                top += 1


def parted(labels: Labels) -> Labels:
    """The 4-connected pieces of each label, counted anew."""
    same = np.zeros(labels.shape, np.int32)
    _part(labels, same)
    return same


@compiled("void(int32[:, :], int32[:, :])")
def _part(labels: Labels, out: Labels) -> None:
    height, width = labels.shape
    stack = np.empty(height * width, np.int64)
    count = 0
    for y in range(height):
        for x in range(width):
            if labels[y, x] == 0 or out[y, x] != 0:
                continue
            count += 1
            out[y, x] = count
            stack[0], size = y * width + x, 1
            while size:
                size -= 1
                v, u = stack[size] // width, stack[size] % width
                for dv, du in ((0, 1), (1, 0), (0, -1), (-1, 0)):
                    a, b = v + dv, u + du
                    if 0 <= a < height and 0 <= b < width and out[a, b] == 0 and labels[a, b] == labels[y, x]:
                        out[a, b] = count
                        stack[size] = a * width + b
                        size += 1
