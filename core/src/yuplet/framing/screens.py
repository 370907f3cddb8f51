"""What a piece of an interface says for screens of other sizes: its fractions, and what of it may be stretched."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from yuplet.geometry import Box
from yuplet.parts.part import Margins
from yuplet.pixels import Picture


@dataclass(frozen=True, slots=True)
class Fractions:
    """A box as fractions of what it lies on: x and width of its width, y and height of its height, all from the top left."""

    x: float
    y: float
    width: float
    height: float


def fractions(box: Box, within: Box) -> Fractions:
    """A box as fractions of another one, both on the same canvas.

    >>> fractions(Box(720, 405, 870, 453), Box(0, 0, 960, 540))
    Fractions(x=0.75, y=0.75, width=0.15625, height=0.08888888888888889)
    """
    return Fractions(
        (box.left - within.left) / within.width,
        (box.top - within.top) / within.height,
        box.width / within.width,
        box.height / within.height,
    )


def stretchable(picture: Picture) -> Margins | None:
    """The margins of a piece that can be stretched: what lies between them is alike in every column, and in every row.

    The longest runs of equal columns and of equal rows are taken. A way in which there is no run of three or more is not to be
    stretched: then its margins meet in the middle. None where that is so in both.

    Parameters
    ----------
    picture : (H, W, 4) uint8
    """
    height, width = picture.shape[:2]
    across = _longest_run(picture.transpose(1, 0, 2).reshape(width, -1))
    down = _longest_run(picture.reshape(height, -1))
    if across is None and down is None:
        return None
    left, right = across or (width // 2, width // 2)
    top, bottom = down or (height // 2, height // 2)
    return Margins(left, top, width - right, height - bottom)


_LEAST_RUN = 3


def _longest_run(lines: NDArray[np.uint8]) -> tuple[int, int] | None:
    """From where to where lines are equal, the longest such run; of several, the one nearest to the middle."""
    same = (lines[1:] == lines[:-1]).all(axis=1)
    changes = np.flatnonzero(np.diff(np.concatenate([[False], same, [False]]).astype(np.int8)))
    runs = [(int(start), int(end) + 1) for start, end in changes.reshape(-1, 2)]
    long = [run for run in runs if run[1] - run[0] >= _LEAST_RUN]
    middle = len(lines) / 2
    return max(long, key=lambda run: (run[1] - run[0], -abs((run[0] + run[1]) / 2 - middle)), default=None)
