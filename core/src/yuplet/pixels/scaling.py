"""Pictures at another scale: pixel (X, Y) of the result shows the canvas at ((X + 1/2) / f - 1/2, (Y + 1/2) / f - 1/2).

Sources: C. E. Duchon, "Lanczos Filtering in One and Two Dimensions", Journal of Applied Meteorology 18(8), 1979, as Pillow has it (three
lobes, widened when a picture gets smaller); colours are weighted by alpha: T. Porter and T. Duff, "Compositing Digital Images", 1984.
"""

import math
from fractions import Fraction

import numpy as np
from PIL import Image

from yuplet.geometry import Box, Point, Size
from yuplet.pixels.trimming import Pixels, cut

_LOBES = 3


def resampled(picture: Pixels, at: Point, area: Box, factor: Fraction, smooth: bool = True) -> Pixels:
    """An area of the scaled canvas, with one picture on it.

    Parameters
    ----------
    picture : (H, W, 4) uint8 or uint16
        Straight RGBA.
    at : Point
        Where its top left corner lies, in pixels of the canvas before scaling.
    area : Box
        What is wanted, in pixels of the scaled canvas; a part that the picture does not reach is transparent.
    factor : Fraction
        Above 0.
    smooth : bool
        Whether pixels are mixed (Lanczos); else each becomes a square, and the factor and the place must be whole.

    Returns
    -------
    (area.height, area.width, 4) of the same kind
        Where alpha is 0, colour is 0.

    Raises
    ------
    ValueError
        For a factor that is not whole where nothing may be mixed: a mistake of the caller.
    """
    if not smooth:
        return _enlarged(picture, at, area, factor)
    height, width = picture.shape[:2]
    reach = _LOBES * max(1.0, 1 / float(factor)) + 1
    # What the kernel reaches, in pixels of the picture: padded, for at an edge Pillow would stretch the kernel's rest.
    left, top, right, bottom = (float(side / factor) for side in area)
    box = (left - at.x, top - at.y, right - at.x, bottom - at.y)
    low = Box(*(math.floor(value - reach) for value in box[:2]), *(math.ceil(value + reach) for value in box[2:]))
    common = low.meet(Box(0, 0, width, height))
    result = np.zeros((area.height, area.width, 4), picture.dtype)
    if common.is_empty:
        return result
    inner, most = cut(picture, common), np.iinfo(picture.dtype).max
    share = inner[..., 3].astype(np.float32) / most
    wanted = (box[0] - low.left, box[1] - low.top, box[2] - low.left, box[3] - low.top)

    def one(values: np.ndarray) -> np.ndarray:
        padded = np.zeros((low.height, low.width), np.float32)
        padded[common.top - low.top : common.bottom - low.top, common.left - low.left : common.right - low.left] = (
            values
        )
        mixed = Image.fromarray(padded).resize(area.size, Image.Resampling.LANCZOS, wanted)
        return np.asarray(mixed, np.float32)

    alpha = np.clip(one(share), 0, 1)
    levels = np.floor(alpha * most + 0.5)
    result[..., 3] = levels
    seen = levels > 0
    for channel in range(3):
        colour = one(inner[..., channel] * share)[seen] / alpha[seen]
        result[..., channel][seen] = np.clip(np.floor(colour + 0.5), 0, most)
    return result


def _enlarged(picture: Pixels, at: Point, area: Box, factor: Fraction) -> Pixels:
    if factor.denominator != 1 or not (float(at.x).is_integer() and float(at.y).is_integer()):
        raise ValueError(f"pixels cannot be enlarged {factor} times without mixing them")
    times = factor.numerator
    height, width = picture.shape[:2]
    place = Box.at(int(at.x) * times, int(at.y) * times, Size(width * times, height * times))
    common = place.meet(area)
    result = np.zeros((area.height, area.width, 4), picture.dtype)
    if not common.is_empty:
        rows = (np.arange(common.top, common.bottom) - place.top) // times
        columns = (np.arange(common.left, common.right) - place.left) // times
        result[common.top - area.top : common.bottom - area.top, common.left - area.left : common.right - area.left] = (
            picture[rows][:, columns]
        )
    return result
