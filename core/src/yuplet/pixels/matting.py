"""Exact soft edges: the alpha and colour of a part that gives back the picture when it is laid over what is behind it.

Source: the operator *over* (T. Porter and T. Duff, 1984), solved for the upper picture in 8 bits. Over an opaque ground the
result of alpha a and colour p on b is (p a + b (255 - a)) / 255.
"""

import numpy as np
from numpy.typing import NDArray

from yuplet.compiled import READ_ONLY, compiled
from yuplet.pixels import Picture
from yuplet.pixels.kernels import SHARED_PICTURE


@compiled("int64(int64, int64, int64)")
def solved(alpha: int, behind: int, result: int) -> int:
    """The colour value 0 to 255 that gives a result over a value behind it at an alpha from 1 to 255; -1: there is none.

    It is the one nearest to the exact solution, so that what it gives is off by half of a colour step times alpha at the most.
    When soft parts lie over soft parts, errors are then mixed in the same shares as the colours are: they stay below one half, and
    the composite, which is rounded once, is right however many there are.
    """
    exact = 255 * result - behind * (255 - alpha)
    colour = (2 * exact + alpha) // (2 * alpha)
    if colour == 256 and 2 * exact == 511 * alpha:
        colour = 255  # as near as 256, which is none
    return colour if 0 <= colour <= 255 else -1


@compiled(f"void({SHARED_PICTURE}, {SHARED_PICTURE}, {READ_ONLY.format('uint8', 2, 'A')}, uint8[:, :, :])")
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
