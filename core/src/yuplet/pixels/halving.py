"""Reduced pictures for looking at: half the size, again and again. What is handed over never comes from them.

Sources: area averages of colours weighted by alpha (T. Porter and T. Duff, "Compositing Digital Images", 1984), as Pillow's `reduce` computes
them; L. Williams, "Pyramidal Parametrics", 1983, for keeping a picture at every half.
"""

from collections.abc import Iterator

import numpy as np
from PIL import Image

from yuplet.geometry import Size
from yuplet.pixels import Picture

SMALLEST = 64
"""Pixels: a picture whose longer side is no longer than this is halved no more."""


def halvings(size: Size) -> int:
    """Return how often a picture of this size is halved until its longer side has at most `SMALLEST` pixels."""
    longest, times = max(size), 0
    while longest > SMALLEST:
        longest, times = -(-longest // 2), times + 1
    return times


def halves(picture: Picture) -> Iterator[Picture]:
    """Yield a picture at 1/2, 1/4, 1/8 ... of its size, `halvings` times.

    Parameters
    ----------
    picture : (H, W, 4) uint8
        Straight RGBA.

    Yields
    ------
    (ceil(H / 2^k), ceil(W / 2^k), 4) uint8
        Straight RGBA. Pixel (X, Y) is the mean of the square of 2^k pixels a side whose corner is (2^k X, 2^k Y); beyond the picture there
        is nothing. Alpha, and colour times alpha, are within 1.5 levels of the exact mean of the picture; where alpha is 0, colour is 0.
    """
    height, width = picture.shape[:2]
    weighted = Image.fromarray(picture, "RGBA").convert("RGBa")
    for times in range(1, halvings(Size(width, height)) + 1):
        side = 1 << times
        # At an edge that is no multiple of the side Pillow would take the mean of what is there alone.
        padded = weighted.crop((0, 0, -(-width // side) * side, -(-height // side) * side))
        yield np.array(padded.reduce(side).convert("RGBA"))
