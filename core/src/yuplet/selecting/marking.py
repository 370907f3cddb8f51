"""What an artist draws by hand on the picture: strokes of a brush, and marks inside and outside of something.

Source of the border between marks: the watershed of the colour differences (F. Meyer, "Color image segmentation", ICIP 1992),
as OpenCV has it.
"""

from collections.abc import Sequence
from typing import TypeAlias

import cv2
import numpy as np
from numpy.typing import NDArray

from yuplet.errors import SelectionError
from yuplet.geometry import Box
from yuplet.pixels import Picture
from yuplet.selecting.masks import Chosen, Mask, distance_to
from yuplet.selecting.regions import SEEN, Labels, filled_out

Stroke: TypeAlias = Sequence[tuple[float, float]]

_AROUND = ((0, 1), (1, 0), (1, 2), (2, 1), (0, 0), (0, 2), (2, 0), (2, 2))
_ALIKE = 24
"""Levels of red, green and blue together by which colours differ that are hardly told apart."""
_SHIFT = 4
"""Bits of a pixel's fraction that OpenCV is told."""


def of_brush(stroke: Stroke, size: float, hardness: float, width: int, height: int) -> Mask:
    """What a round brush covers of a picture.

    Parameters
    ----------
    stroke : sequence of (x, y)
        Where its middle went, in pixels; one place makes a dot.
    size : float
        Its diameter in pixels.
    hardness : float
        The share of the way from its middle to its border, 0 to 1, within which it covers completely; from there on it fades to
        nothing. The border of a hard one is one pixel soft.
    width, height : int
        Of the picture.

    Returns
    -------
    (height, width) uint8
    """
    result = np.zeros((height, width), np.uint8)
    radius = size / 2
    margin = int(np.ceil(radius)) + 2
    places = np.asarray(stroke, np.float64).reshape(-1, 2) - 0.5
    if places.size == 0:
        return result
    low, high = np.floor(places.min(axis=0)).astype(int) - margin, np.ceil(places.max(axis=0)).astype(int) + margin + 1
    area = Box(int(low[0]), int(low[1]), int(high[0]), int(high[1]))
    common = area.meet(Box(-margin, -margin, width + margin, height + margin))
    if common.meet(Box(0, 0, width, height)).is_empty:
        return result
    line = np.zeros((common.height, common.width), np.uint8)
    moved = np.round((places - (common.left, common.top)) * (1 << _SHIFT)).astype(np.int32)
    if len(moved) == 1:
        moved = np.repeat(moved, 2, axis=0)
    cv2.polylines(line, [moved.reshape(-1, 1, 2)], False, 255, 1, cv2.LINE_8, _SHIFT)
    away = distance_to(line > 0)
    fading = max(radius * (1 - hardness), 1.0)
    covered = np.round(np.clip((radius - away) / fading + (0.5 if hardness == 1 else 0), 0, 1) * 255).astype(np.uint8)
    inside = common.meet(Box(0, 0, width, height))
    own = inside.moved(-common.left, -common.top)
    result[inside.top : inside.bottom, inside.left : inside.right] = covered[own.top : own.bottom, own.left : own.right]
    return result


def between_marks(picture: Picture, inside: Sequence[Stroke], outside: Sequence[Stroke], size: float) -> Chosen:
    """What marks inside of something have of a picture when marks outside of it have the rest.

    The border runs where colours differ most on the way between marks. Marks are strokes of a brush of a size; where both lie, the
    outer one counts.

    Raises
    ------
    SelectionError
        When one of the two has no mark on the picture.
    """
    height, width = picture.shape[:2]
    marks = np.zeros((height, width), np.int32)
    for label, strokes in ((1, inside), (2, outside)):
        for stroke in strokes:
            marks[of_brush(stroke, size, 1.0, width, height) >= 128] = label
        if not (marks == label).any():
            where, how = ("inside of", "draw over it") if label == 1 else ("outside of", "hold Alt and draw beside it")
            raise SelectionError(f"There is no mark {where} what you mean. Now {how}.")
    there = picture[..., 3] >= SEEN
    # Emptiness neither attracts nor repels: it has the colour of what is next to it.
    colours = filled_out(picture[..., :3], there)
    drawn = marks > 0
    cv2.watershed(colours, marks)
    # OpenCV leaves a border of one pixel, around the picture as well, and is not exact beside it.
    beside = cv2.dilate((marks < 0).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    marks[beside & ~drawn] = 0
    _share_out(marks, colours)
    found: Chosen = (marks == 1) & there
    return found


def _share_out(marks: Labels, colours: NDArray[np.uint8]) -> None:
    """Let each pixel without a mark have that of the neighbour most like it: first where one is hardly told from it."""
    values = np.pad(colours.astype(np.int32), ((1, 1), (1, 1), (0, 0)))
    for most in (_ALIKE, _ALIKE, _ALIKE, *[np.iinfo(np.int32).max] * 3):
        rows, columns = np.nonzero(marks <= 0)
        framed = np.pad(marks, 1)
        own = values[rows + 1, columns + 1]
        best = np.full(rows.size, most)
        mark = np.zeros(rows.size, np.int32)
        for down, right in _AROUND:
            label = framed[rows + down, columns + right]
            away = np.abs(values[rows + down, columns + right] - own).sum(axis=1)
            nearer = (label > 0) & (away < best)
            best[nearer], mark[nearer] = away[nearer], label[nearer]
        marks[rows, columns] = mark
