"""Finding the content of a picture."""

from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from yuplet.geometry import Box
from yuplet.pixels import AnyPicture, DeepPicture, Picture, kernels

Pixels = TypeVar("Pixels", Picture, DeepPicture)


def content_box(picture: AnyPicture, threshold: int = 0) -> Box | None:
    """The smallest box around all pixels with alpha above a threshold; None when there is none.

    Costs about one read of the alpha channel: rows are scanned from both ends, columns within what remains.

    >>> picture = np.zeros((4, 5, 4), np.uint8); picture[1, 2, 3] = 1
    >>> content_box(picture)
    Box(left=2, top=1, right=3, bottom=2)
    """
    alpha = picture[..., 3] if threshold == 0 else picture[..., 3] > threshold
    rows: NDArray[np.bool_] = np.any(alpha, axis=1)
    if not rows.any():
        return None
    top = int(rows.argmax())
    bottom = len(rows) - int(rows[::-1].argmax())
    columns: NDArray[np.bool_] = np.any(alpha[top:bottom], axis=0)
    left = int(columns.argmax())
    right = len(columns) - int(columns[::-1].argmax())
    return Box(left, top, right, bottom)


def label_boxes(labels: NDArray[np.int32], count: int) -> list[Box]:
    """The smallest box around the pixels of each label from 1 to `count`; an empty box at 0, 0 for one that is not there.

    >>> label_boxes(np.array([[0, 2, 2], [1, 0, 2]], np.int32), 2)
    [Box(left=0, top=1, right=1, bottom=2), Box(left=1, top=0, right=3, bottom=2)]
    """
    height, width = labels.shape
    found = np.empty((count + 1, 4), np.int64)
    found[:] = (width, height, 0, 0)
    kernels.widen(labels, found)
    return [Box(*map(int, one)) if one[2] else Box(0, 0, 0, 0) for one in found[1:]]


def cut(picture: Pixels, box: Box) -> Pixels:
    """A view of a box of a picture, in the picture's own pixels; the box must lie inside."""
    height, width = picture.shape[:2]
    if box.meet(Box(0, 0, width, height)) != box:
        raise ValueError(f"{box} is not inside a picture of {width} x {height} px")
    return picture[box.top : box.bottom, box.left : box.right]


def is_opaque(picture: Picture) -> bool:
    """Whether every pixel has full alpha."""
    return bool(np.all(picture[..., 3] == 255))
