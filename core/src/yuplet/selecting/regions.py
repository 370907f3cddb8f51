"""Regions of a picture: of one colour, inside of lines, islands, shapes that were drawn."""

import math
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from io import BytesIO
from typing import Any, Literal, TypeAlias

import cv2
import numpy as np
import resvg
from numpy.typing import NDArray
from PIL import Image
from resvg import usvg

from yuplet.errors import NothingThere, SelectionError
from yuplet.pixels import Picture
from yuplet.selecting.colour_distance import darker_than, distances
from yuplet.selecting.masks import Chosen, Mask, distance_to, within

Line: TypeAlias = Literal["part", "shared", "apart"]
Labels: TypeAlias = NDArray[np.int32]

_SLIVER = 0.005
_TOUCH, _ALONG = 0.1, 0.25
"""The share of a sliver that is beside something thick at the most, and that lies along what is chosen at least."""
SEEN = 10
"""Alpha from which a pixel counts as there: less is a fringe."""


def of_colour(picture: Picture, at: tuple[int, int], distance: float, connected: bool) -> Chosen:
    """The pixels whose colour is within a CIEDE2000 distance of that at (x, y); connected ones are 4-connected to it.

    Raises NothingThere where the picture is empty at that place.
    """
    x, y = at
    check_there(picture, at)
    red, green, blue, _ = (int(value) for value in picture[y, x])
    near: Chosen = distances(picture, (red, green, blue)) <= distance
    if not connected:
        return near
    labels = pieces_of(near, 4)
    result: Chosen = labels == labels[y, x]
    return result


def inside_lines(picture: Picture, at: tuple[int, int], gap: float, darkness: float, line: Line) -> Chosen:
    """The region around (x, y) that line art bounds.

    Parameters
    ----------
    picture : (H, W, 4) uint8
    at : (int, int)
        A pixel of the region.
    gap : float
        Openings in the lines up to this many pixels wide are taken for closed.
    darkness : float
        Pixels whose L* is below this are line; what is not there bounds as well.
    line : str
        'part': the line around the region belongs to it; 'shared': the half of it that is nearer to the region than to any
        other; 'apart': none of it.

    Raises
    ------
    NothingThere
        When the picture is empty at that place, or a line runs there.
    """
    x, y = at
    check_there(picture, at)
    there: Chosen = picture[..., 3] >= 128
    is_line = there & darker_than(picture, darkness)
    open_: Chosen = there & ~is_line
    if not open_[y, x]:
        raise NothingThere("A line runs here. Click on the colour inside of it, or call fewer pixels a line.")
    # Closed as if the lines were thicker by half of the gap; what that takes away is given back to the nearest region.
    free = ~within(~open_, gap / 2) if gap > 0 else open_
    if not free.any():
        free = open_
    labels = pieces_of(free, 4)
    nearest = nearest_label(labels)
    nearest[~there] = 0
    own = nearest[y, x]
    region: Chosen = open_ & (nearest == own)
    if line == "apart":
        return region
    shared: Chosen = region | (is_line & (nearest == own))
    if line == "shared":
        return shared
    # A line is as thick as twice the way from its border to its middle.
    rows, columns = np.flatnonzero(shared.any(axis=1)), np.flatnonzero(shared.any(axis=0))
    inner = np.s_[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]
    halves = distance_to(region[inner])[is_line[inner] & shared[inner]]
    thickness = 2 * float(np.percentile(halves, 95)) + 1 if halves.size else 0.0
    margin = math.ceil(thickness) + 1
    around = np.s_[
        max(int(rows[0]) - margin, 0) : int(rows[-1]) + 1 + margin,
        max(int(columns[0]) - margin, 0) : int(columns[-1]) + 1 + margin,
    ]
    whole = shared.copy()
    whole[around] |= is_line[around] & within(region[around], thickness)
    return whole


def with_slivers(mask: Chosen, there: Chosen, outside: Collection[tuple[int, int]] = ()) -> Chosen:
    """A mask and the slivers along it that would be left over between it and where nothing is: they hang together with nothing thick that is
    not chosen, and nobody could want them.

    `there` is where something is; what holds one of the pixels (x, y) `outside` stays out. A sliver is up to half a percent of the picture's side
    thick, 2 px at least, and lies along the mask.
    """
    if not mask.any():
        return mask
    thick = max(round(_SLIVER * math.sqrt(there.size)), 2)
    rows, columns = np.flatnonzero(mask.any(axis=1)), np.flatnonzero(mask.any(axis=0))
    # What runs away from the mask is too long to lie along it before it leaves this area.
    margin = 2 * math.ceil(thick / _ALONG)
    top, left = max(int(rows[0]) - margin, 0), max(int(columns[0]) - margin, 0)
    area = np.s_[top : int(rows[-1]) + margin + 1, left : int(columns[-1]) + margin + 1]
    own = mask[area]
    others = there[area] & ~own
    cores = distance_to(~others) > thick / 2
    slivers = others & (distance_to(cores) > thick / 2 + 0.5)
    if not slivers.any():
        return mask
    # What is beside something thick belongs to that.
    labels = pieces_of(slivers, 8)
    sizes = np.bincount(labels.ravel())
    beside = np.bincount(labels[within(others & ~slivers, 1)], minlength=len(sizes))
    along = np.bincount(labels[within(own, thick)], minlength=len(sizes))
    chosen = (beside <= _TOUCH * sizes) & (along >= _ALONG * sizes)
    chosen[0] = False
    for x, y in outside:
        if 0 <= y - top < own.shape[0] and 0 <= x - left < own.shape[1]:
            chosen[labels[y - top, x - left]] = False
    result = mask.copy()
    result[area] |= chosen[labels]
    return result


def nearest_label(labels: Labels) -> Labels:
    """Give each pixel of label 0 the label of the nearest labelled one."""
    if not labels.any():
        return labels.copy()
    source = np.where(labels > 0, 0, 255).astype(np.uint8)
    _, indices = cv2.distanceTransformWithLabels(source, cv2.DIST_L2, cv2.DIST_MASK_5, labelType=cv2.DIST_LABEL_PIXEL)
    table = np.zeros(int(indices.max()) + 1, np.int32)
    there = labels > 0
    table[indices[there]] = labels[there]
    result: Labels = table[indices]
    return result


def filled_out(colours: NDArray[Any], there: Chosen) -> NDArray[Any]:
    """Colours, (H, W, 3), with those of the nearest pixel that is there where nothing is: so emptiness has no edge of its own."""
    if there.all() or not there.any():
        return np.ascontiguousarray(colours)
    numbers = np.where(there, np.arange(1, there.size + 1, dtype=np.int32).reshape(there.shape), 0)
    nearest = nearest_label(numbers.astype(np.int32, copy=False))
    return np.ascontiguousarray(colours.reshape(-1, 3)[nearest - 1])


@dataclass(frozen=True, slots=True)
class Islands:
    """Separate pieces of a picture: `labels` counts them from 1, from the top left; 0 is what is empty.

    `sizes` is how many pixels each has, the first for the emptiness; `crumbs` the labels of those that are too small.
    """

    labels: Labels
    sizes: tuple[int, ...]
    crumbs: tuple[int, ...]


def islands(picture: Picture, threshold: int = 1, gap: float = 0, smallest: int = 1) -> Islands:
    """The 8-connected regions of pixels with at least an alpha; pieces up to `gap` pixels apart count as one.

    Those of fewer than `smallest` pixels are crumbs.
    """
    there: Chosen = picture[..., 3] >= threshold
    joined = there if gap <= 0 else distance_to(there) <= gap / 2
    labels = pieces_of(joined, 8)
    labels[~there] = 0
    sizes = np.bincount(labels.ravel())
    crumbs = tuple(int(label) for label in range(1, len(sizes)) if sizes[label] < smallest)
    return Islands(labels, tuple(int(size) for size in sizes), crumbs)


def without_crumbs(found: Islands) -> Labels:
    """The islands that are large enough, counted from 1; each crumb belongs to the nearest of them.

    When all are crumbs they are left as they are.
    """
    if len(found.crumbs) == len(found.sizes) - 1:
        return found.labels
    kept = np.zeros(len(found.sizes), np.int32)
    large = [label for label in range(1, len(found.sizes)) if label not in set(found.crumbs)]
    kept[large] = np.arange(1, len(large) + 1)
    labels = nearest_label(kept[found.labels])
    labels[found.labels == 0] = 0
    return labels


def rearranged(labels: Labels, joined: Sequence[Sequence[int]], left_out: Collection[int]) -> Labels:
    """Pieces after somebody looked at them: some are one, some are none; counted from 1 anew, in the same order.

    Of pieces that are joined the one with the least number gives its place. Raises SelectionError for numbers that no piece has.

    >>> rearranged(np.array([[1, 2, 3, 4]], np.int32), [[2, 4]], [1]).tolist()
    [[0, 1, 2, 1]]
    """
    count = int(labels.max())
    named = {number for group in joined for number in group} | set(left_out)
    if not all(1 <= number <= count for number in named):
        raise SelectionError(f"There are {count} pieces by now. Look at them again.")
    first = np.arange(count + 1)
    for group in joined:
        # Groups may share members: all that hang together are one.
        together = {int(first[number]) for number in group}
        first[np.isin(first, list(together))] = min(together, default=0)
    first[list(set(left_out))] = 0
    kept = sorted(set(first.tolist()) - {0})
    anew = np.zeros(count + 1, np.int32)
    anew[kept] = np.arange(1, len(kept) + 1)
    result: Labels = anew[first][labels]
    return result


def of_shape(points: Sequence[tuple[float, float]], width: int, height: int, rule: str = "nonzero") -> Mask:
    """What a closed outline covers, in pixels of a picture; its edges are smooth.

    `rule` is 'nonzero' or 'evenodd' as SVG 2 has it (section 13.3.2). Drawn by resvg. Raises SelectionError for fewer than
    three points or ones that are no numbers.
    """
    if len(points) < 3 or not all(math.isfinite(one) for point in points for one in point):
        raise SelectionError("The outline has fewer than three points. Draw around something.")
    path = " ".join(f"{'L' if index else 'M'}{x:.3f} {y:.3f}" for index, (x, y) in enumerate(points))
    text = (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width}" height="{height}">'
        f'<path d="{path}Z" fill-rule="{rule}"/></svg>'
    )
    tree = usvg.Tree.from_str(text, usvg.Options.default())
    data = bytes(resvg.render(tree, (1.0, 0.0, 0.0, 0.0, 1.0, 0.0)))
    return np.array(Image.open(BytesIO(data)).convert("RGBA"))[..., 3]


def pieces_of(chosen: Chosen, connectivity: Literal[4, 8]) -> Labels:
    """The connected regions of chosen pixels, counted from 1."""
    _, labels = cv2.connectedComponents(chosen.astype(np.uint8), connectivity=connectivity)
    return labels.astype(np.int32, copy=False)


def labelled(labels: Labels, at: tuple[int, int]) -> Chosen:
    """The pixels that have the label of the one at (x, y). Raises NothingThere where that is 0."""
    x, y = at
    if not (0 <= x < labels.shape[1] and 0 <= y < labels.shape[0]) or labels[y, x] == 0:
        raise NothingThere("The part is empty here. Click on its art.")
    result: Chosen = labels == labels[y, x]
    return result


def check_there(picture: Picture, at: tuple[int, int]) -> None:
    """Raise NothingThere where a picture is empty at (x, y)."""
    x, y = at
    if not (0 <= x < picture.shape[1] and 0 <= y < picture.shape[0]) or picture[y, x, 3] < SEEN:
        raise NothingThere("The part is empty here. Click on its art.")
