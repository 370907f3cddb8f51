"""Exact soft edges: the alpha and colour of a part that gives back the picture when it is laid over what is behind it.

Source: the operator *over* (T. Porter and T. Duff, 1984), solved for the upper picture in 8 bits. Over an opaque ground the
result of alpha a and colour p on b is (p a + b (255 - a)) / 255, rounded as `kernels.to_8_bits` does.
"""

from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from yuplet.pixels import Picture

_OPTIONS: dict[str, Any] = {"cache": True, "nogil": True, "error_model": "numpy"}


@njit("int64(int64, int64, int64)", **_OPTIONS)
def solved(alpha: int, behind: int, result: int) -> int:
    """The colour value 0 to 255 that gives a result over a value behind it at an alpha from 1 to 255; -1: there is none.

    Of several the middle one. Rounding: p a + b (255 - a) lies within 127 of 255 times the result (255 is odd, so that
    there are no halves).
    """
    low = 255 * result - 127 - behind * (255 - alpha)
    high = low + 254
    first = -((-low) // alpha)
    last = high // alpha
    first, last = max(first, 0), min(last, 255)
    return (first + last) // 2 if first <= last else -1


@njit("void(uint8[:, :, :], uint8[:, :, :], uint8[:, :], uint8[:, :, :])", **_OPTIONS)
def _unmix(picture: Picture, behind: Picture, mask: NDArray[np.uint8], out: Picture) -> None:
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            wished = np.int64(mask[y, x])
            if wished == 0:
                continue
            if wished == 255 or picture[y, x, 3] < 255 or behind[y, x, 3] < 255:
                # Nothing shines through, or it is not opaque and cannot: the pixel goes to the one that has more of it.
                if wished >= 128:
                    for channel in range(4):
                        out[y, x, channel] = picture[y, x, channel]
                continue
            for alpha in range(wished, 256):
                red = solved(alpha, behind[y, x, 0], picture[y, x, 0])
                if red < 0:
                    continue
                green = solved(alpha, behind[y, x, 1], picture[y, x, 1])
                if green < 0:
                    continue
                blue = solved(alpha, behind[y, x, 2], picture[y, x, 2])
                if blue < 0:
                    continue
                out[y, x, 0], out[y, x, 1], out[y, x, 2], out[y, x, 3] = red, green, blue, alpha
                break


def unmix(picture: Picture, behind: Picture, mask: NDArray[np.uint8]) -> Picture:
    """The part that a mask takes from a picture, so that part over `behind` is the picture again, to the bit.

    Parameters
    ----------
    picture : (H, W, 4) uint8
        The picture before.
    behind : (H, W, 4) uint8
        What is left of it and was filled; opaque wherever the mask is above 0 and the picture is opaque.
    mask : (H, W) uint8
        The alpha that is wished for.

    Returns
    -------
    (H, W, 4) uint8
        Alpha is as wished, or the smallest above that for which there are 8-bit colours. Where the picture or what is behind
        is not opaque the edge is hard, at one half.

    >>> picture, behind = np.full((1, 1, 4), 255, np.uint8), np.array([[[0, 0, 0, 255]]], np.uint8)
    >>> unmix(picture, behind, np.array([[40]], np.uint8)).tolist()
    [[[255, 255, 255, 255]]]
    """
    out = np.zeros_like(picture)
    _unmix(picture, behind, mask, out)
    return out
