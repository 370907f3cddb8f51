"""What lies behind something that was taken out: the colours of the surroundings, continued.

Sources: for flat art the colour of the nearest pixel, found by the distance transform (P. Felzenszwalb and D. Huttenlocher,
2012, as OpenCV has it), up to where borders go on (`continuing`); for painted art A. Telea, "An Image Inpainting Technique Based on the Fast Marching Method", Journal of
Graphics Tools 9(1), 2004, as OpenCV has it.
"""

import math
from typing import Literal, TypeAlias

import cv2
import numpy as np
from numpy.typing import NDArray

from yuplet.geometry import Box
from yuplet.pixels import Picture
from yuplet.pixels.continuing import DARK, SEEN, colours_at, continue_borders, nearest_of
from yuplet.pixels.trimming import Pixels

Continued: TypeAlias = Literal["flat", "painted"]

FRINGE = 2
"""Pixels beside a hole that are not continued: their colours are mixed with those of what was taken out."""
_LINE = 0.012
"""How thick a line can be, as a share of the geometric mean of the picture's sides."""
_THINNEST = 3
"""Pixels below which nothing is a sliver: pixel art is as thin as that."""
_EVEN, _FLAT = 32, 6
"""Levels by which one colour differs in itself, shaded a little, and those by which it differs from pixel to pixel."""
_MOSTLY = 0.6
_MEETING = 6
"""Area of a blob where lines meet, at the most, in squares of their thickness."""
_UPON = 0.2
"""Share of an area up to which what it goes all around is small."""
_RADIUS = 8
_AROUND = 24
"""Pixels around a hole that are looked at, at the least."""


def fill(
    picture: Picture,
    hole: NDArray[np.bool_],
    how: Continued | tuple[int, int, int],
    and_lines: bool = False,
    drawn: NDArray[np.bool_] | None = None,
) -> Picture:
    """Fill a hole with opaque colour.

    Parameters
    ----------
    picture : (H, W, 4) uint8
        Its opaque pixels outside of the hole are what can be continued.
    hole : (H, W) bool
    how : str or colour
        'flat': each pixel takes the colour of the nearest one; 'painted': colours and their slopes run on; or one colour.
    and_lines : bool
        Whether dark lines are continued as well.
    drawn : (H, W) bool, optional
        The pixels that may be continued, where there are any: what was filled in before is no art.

    Returns
    -------
    (H, W, 4) uint8
        The picture with alpha 255 in the hole. Where nothing can be continued, the hole stays empty.
    """
    result = picture.copy()
    if not hole.any():
        return result
    if not isinstance(how, str):
        result[hole] = (*how, 255)
        return result
    rows, columns = np.flatnonzero(hole.any(axis=1)), np.flatnonzero(hole.any(axis=0))
    height, width = hole.shape
    beyond = max(_AROUND, round(1.2 * SEEN * math.sqrt(hole.size)))
    around = Box(
        max(int(columns[0]) - beyond, 0),
        max(int(rows[0]) - beyond, 0),
        min(int(columns[-1]) + 1 + beyond, width),
        min(int(rows[-1]) + 1 + beyond, height),
    )
    inner = (slice(around.top, around.bottom), slice(around.left, around.right))
    thick = 0.0 if and_lines else _LINE * math.sqrt(hole.size)
    may = np.ones_like(hole) if drawn is None else drawn
    source = _sources(picture[inner], hole[inner], thick, may[inner])
    # From far away too, rather than from what is none.
    if not (source & may[inner]).any():
        inner = (slice(0, height), slice(0, width))
        source = _sources(picture, hole, thick, may)
        if not source.any():
            result[hole] = 0
            return result
    near, place = picture[inner], hole[inner]
    far, nearest = nearest_of(source)
    colours = colours_at(near, nearest)
    if how == "flat" and not and_lines:
        colours = continue_borders(
            colours, far, nearest, place, 2 * FRINGE + 2 + 2 * thick, math.sqrt(hole.size), 2 * thick
        )
    if how == "painted":
        # Inpainting needs colour all around: what is no source is given the nearest one first.
        rest = np.where(source[..., None], near[..., :3], colours)
        # The fringe is painted as well, or the slopes beyond it would end there.
        fringe = np.ones((2 * FRINGE + 1,) * 2, np.uint8)
        unknown = place | ((cv2.dilate(place.astype(np.uint8), fringe) > 0) & ~source)
        painted = cv2.inpaint(np.ascontiguousarray(rest), unknown.astype(np.uint8), _RADIUS, cv2.INPAINT_TELEA)
        # What is of one colour all around goes on exactly so; inpainting would round it a little.
        plain = _all_of_one_colour(place, colours)
        colours = np.where(plain[..., None], colours, painted).astype(np.uint8)
    view = result[inner]
    view[place, :3] = colours[place]
    view[place, 3] = 255
    return result


def bleed(picture: Pixels, reach: int) -> Pixels:
    """Give pixels with alpha 0 the colour of the nearest one that is seen, up to `reach` pixels away; alpha stays 0.

    Engines that filter textures mix the colours of neighbours without looking at their alpha (common practice, no published
    source). Beyond the reach colour is 0.

    >>> dot = np.zeros((1, 4, 4), np.uint8); dot[0, 0] = (9, 8, 7, 1)
    >>> bleed(dot, 2)[0].tolist()
    [[9, 8, 7, 1], [9, 8, 7, 0], [9, 8, 7, 0], [0, 0, 0, 0]]
    """
    seen = picture[..., 3] > 0
    result = picture.copy()
    result[~seen] = 0
    if not seen.any() or seen.all():
        return result
    distance, nearest = nearest_of(seen)
    near = ~seen & (distance <= reach)
    result[near, :3] = colours_at(picture, nearest)[near]
    return result


def _sources(picture: Picture, hole: NDArray[np.bool_], thick: float, may: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Opaque pixels outside of the hole that `may` be continued: those apart from it by the fringe that are no dark lines, up to `thick` pixels thick, and no
    slivers of any colour, up to half as thick (0: lines count).

    Lines are drawn around things, and end where those do; slivers are what was left of a part when it was taken out. When there are no such
    pixels, more and more count.
    """
    opaque = (picture[..., 3] == 255) & ~hole
    if (opaque & may).any():
        opaque &= may
    grown = cv2.dilate(hole.astype(np.uint8), np.ones((2 * FRINGE + 1,) * 2, np.uint8)) > 0
    # What is made of a line and its smoothed edge is as dark as half of it.
    dark = (opaque & (picture[..., :3].max(axis=2) < DARK)).astype(np.uint8)
    if thick == 0:
        dark[:] = 0
    line = _lines(dark, thick)
    beside = cv2.dilate(line.astype(np.uint8), np.ones((2 * FRINGE + 1,) * 2, np.uint8)) > 0
    clear = opaque & ~grown & ~beside
    slivers = _slivers(picture, opaque, round(thick / 2)).astype(np.uint8)
    beside_slivers = cv2.dilate(slivers, np.ones((2 * FRINGE + 1,) * 2, np.uint8)) > 0
    around = clear & ~_in_front(hole)
    choices: list[NDArray[np.bool_]] = [around & ~beside_slivers, around, clear, opaque & ~grown]
    return next((one for one in choices if one.any()), opaque)


def _lines(dark: NDArray[np.uint8], thick: float) -> NDArray[np.bool_]:
    """The dark pixels that are of lines: those too thin for a disc, and small blobs beside them, where lines meet."""
    around = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * math.ceil(thick / 2) + 1,) * 2)
    opened = cv2.morphologyEx(dark, cv2.MORPH_OPEN, around).astype(np.uint8)
    line: NDArray[np.bool_] = (dark > 0) & (opened == 0)
    if not line.any() or not opened.any():
        return line
    count, labels, stats, _ = cv2.connectedComponentsWithStats(opened, connectivity=8)
    touched = np.zeros(count, bool)
    touched[labels[cv2.dilate(line.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0]] = True
    meeting = touched & (stats[:, cv2.CC_STAT_AREA] <= _MEETING * thick**2)
    meeting[0] = False
    line |= meeting[labels]
    return line


def _in_front(hole: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """What a hole goes all around and is small beside it: that lies upon what was taken out, as eyes do on a face, and not behind it."""
    outer, _ = cv2.findContours(hole.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    around = cv2.drawContours(np.zeros(hole.shape, np.uint8), outer, -1, 1, cv2.FILLED)
    found: NDArray[np.bool_] = (around > 0) & ~hole
    if not found.any():
        return found
    _, within, sizes, _ = cv2.connectedComponentsWithStats(found.astype(np.uint8), connectivity=8)
    _, wholes, of_all, _ = cv2.connectedComponentsWithStats(around, connectivity=8)
    area, whole = sizes[within, cv2.CC_STAT_AREA], of_all[wholes, cv2.CC_STAT_AREA]
    small: NDArray[np.bool_] = found & (area <= _UPON * whole)
    return small


def _slivers(picture: Picture, opaque: NDArray[np.bool_], thick: int) -> NDArray[np.bool_]:
    """Opaque pixels that no disc of about one colour and so many pixels across covers, and those that are mixed with what is beside them; none
    where most of the art is so, as painted art is.
    """
    found = np.zeros_like(opaque)
    if thick < _THINNEST:
        return found
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (thick | 1,) * 2).astype(np.uint8)
    covered = cv2.dilate(_even(picture, opaque, disc, _EVEN), disc) > 0
    flat = _even(picture, opaque, np.ones((3, 3), np.uint8), _FLAT) > 0
    for good in (covered, flat):
        if (good & opaque).sum() > _MOSTLY * opaque.sum():
            found |= opaque & ~good
    return found


def _even(picture: Picture, opaque: NDArray[np.bool_], around: NDArray[np.uint8], most: int) -> NDArray[np.uint8]:
    """1 where all around a pixel is opaque and differs by no more than so many levels."""
    even = cv2.erode(opaque.astype(np.uint8), around, borderValue=1) > 0
    for channel in range(3):
        own = np.ascontiguousarray(picture[..., channel])
        even &= cv2.subtract(cv2.dilate(own, around), cv2.erode(own, around)) <= most
    return even.astype(np.uint8)


def _all_of_one_colour(place: NDArray[np.bool_], colours: NDArray[np.uint8]) -> NDArray[np.bool_]:
    """The pieces of a place in which every pixel has the same colour."""
    count, labels = cv2.connectedComponents(place.astype(np.uint8), connectivity=8)
    packed = colours.astype(np.int32) @ np.array([1 << 16, 1 << 8, 1], np.int32)
    inside = labels[place].astype(np.intp)
    lowest, highest = np.full(count, np.iinfo(np.int32).max), np.full(count, -1)
    np.minimum.at(lowest, inside, packed[place])
    np.maximum.at(highest, inside, packed[place])
    same = lowest == highest
    found: NDArray[np.bool_] = same[labels]
    return found
