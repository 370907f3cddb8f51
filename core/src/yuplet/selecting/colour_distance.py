"""How different two colours look: CIEDE2000 between sRGB colours of 8 bits.

Sources: IEC 61966-2-1 (sRGB); CIE 15 (CIELAB, white D65 of 2 degrees); G. Sharma, W. Wu and E. N. Dalal, "The CIEDE2000
Color-Difference Formula: Implementation Notes, Supplementary Test Data, and Mathematical Observations", Color Research and
Application 30(1), 2005, whose notation is kept.
"""

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from yuplet.compiled import compiled
from yuplet.pixels import Picture
from yuplet.pixels.kernels import SHARED_PICTURE
from yuplet.pixels.srgb import to_linear

_WHITE = (0.95047, 1.0, 1.08883)
_LINEAR = to_linear(np.arange(256) / 255)
_KINK, _SLOPE = 216 / 24389, 24389 / 27
"""Where CIELAB begins to be a root, and how steep it is before."""
_UNKNOWN = -1.0


@compiled("float64(float64)")
def _f(t: float) -> float:
    return t ** (1 / 3) if t > _KINK else (_SLOPE * t + 16) / 116


@compiled("UniTuple(float64, 3)(uint8, uint8, uint8)")
def lab(red: int, green: int, blue: int) -> tuple[float, float, float]:
    """CIELAB of an sRGB colour."""
    r, g, b = _LINEAR[red], _LINEAR[green], _LINEAR[blue]
    x = _f((0.4124564 * r + 0.3575761 * g + 0.1804375 * b) / _WHITE[0])
    y = _f((0.2126729 * r + 0.7151522 * g + 0.0721750 * b) / _WHITE[1])
    z = _f((0.0193339 * r + 0.1191920 * g + 0.9503041 * b) / _WHITE[2])
    return 116 * y - 16, 500 * (x - y), 200 * (y - z)


@compiled("float64(float64, float64, float64, float64, float64, float64)")
def ciede2000(l1: float, a1: float, b1: float, l2: float, a2: float, b2: float) -> float:
    """The distance of two CIELAB colours with kL = kC = kH = 1; about 1 is just seen, 100 is black and white."""
    mean_chroma = (math.hypot(a1, b1) + math.hypot(a2, b2)) / 2
    g = 0.5 * (1 - math.sqrt(mean_chroma**7 / (mean_chroma**7 + 25.0**7)))
    a1p, a2p = (1 + g) * a1, (1 + g) * a2
    c1, c2 = math.hypot(a1p, b1), math.hypot(a2p, b2)
    h1 = math.degrees(math.atan2(b1, a1p)) % 360 if c1 > 0 else 0.0
    h2 = math.degrees(math.atan2(b2, a2p)) % 360 if c2 > 0 else 0.0
    difference = h2 - h1
    if c1 * c2 == 0:
        difference = 0.0
    elif difference > 180:
        difference -= 360
    elif difference < -180:
        difference += 360
    dl, dc = l2 - l1, c2 - c1
    dh = 2 * math.sqrt(c1 * c2) * math.sin(math.radians(difference) / 2)
    mean_l, mean_c = (l1 + l2) / 2, (c1 + c2) / 2
    mean_h = h1 + h2
    if c1 * c2 != 0:
        mean_h /= 2
        if abs(h1 - h2) > 180:
            mean_h += 180 if mean_h < 180 else -180
    t = (
        1
        - 0.17 * math.cos(math.radians(mean_h - 30))
        + 0.24 * math.cos(math.radians(2 * mean_h))
        + 0.32 * math.cos(math.radians(3 * mean_h + 6))
        - 0.20 * math.cos(math.radians(4 * mean_h - 63))
    )
    turn = 30 * math.exp(-(((mean_h - 275) / 25) ** 2))
    r_c = 2 * math.sqrt(mean_c**7 / (mean_c**7 + 25.0**7))
    s_l = 1 + 0.015 * (mean_l - 50) ** 2 / math.sqrt(20 + (mean_l - 50) ** 2)
    s_c = 1 + 0.045 * mean_c
    s_h = 1 + 0.015 * mean_c * t
    r_t = -math.sin(math.radians(2 * turn)) * r_c
    return math.sqrt((dl / s_l) ** 2 + (dc / s_c) ** 2 + (dh / s_h) ** 2 + r_t * (dc / s_c) * (dh / s_h))


@compiled(f"void({SHARED_PICTURE}, float64[:], float32[:, :], float32[:])")
def _distances(picture: Picture, to: NDArray[np.float64], out: NDArray[np.float32], known: NDArray[np.float32]) -> None:
    """A colour that was met before is looked up in `known`, which has a place for each of 2^24."""
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            red, green, blue = picture[y, x, 0], picture[y, x, 1], picture[y, x, 2]
            if picture[y, x, 3] == 0:
                out[y, x] = np.inf
                continue
            place = (np.int64(red) << 16) | (np.int64(green) << 8) | np.int64(blue)
            if known[place] == _UNKNOWN:
                found = lab(red, green, blue)
                known[place] = ciede2000(to[0], to[1], to[2], found[0], found[1], found[2])
            out[y, x] = known[place]


def distances(picture: Picture, colour: tuple[int, int, int]) -> NDArray[np.float32]:
    """How far the colour of each pixel is from a colour, (H, W); infinite where alpha is 0.

    >>> distances(np.array([[[255, 255, 255, 255], [9, 9, 9, 0]]], np.uint8), (0, 0, 0)).round(2).tolist()
    [[100.0, inf]]
    """
    out = np.empty(picture.shape[:2], np.float32)
    known = np.full(1 << 24, _UNKNOWN, np.float32)
    _distances(picture, np.array(lab(*colour)), out, known)
    return out


def lightness(picture: Picture) -> NDArray[np.float32]:
    """CIELAB's L* of each pixel, (H, W), 0 for black to 100 for white; alpha is not looked at."""
    y = _luminance(picture)
    return np.where(y > _KINK, 116 * np.cbrt(y) - 16, y * _SLOPE).astype(np.float32)


def darker_than(picture: Picture, least: float) -> NDArray[np.bool_]:
    """Where L* is below a value, (H, W): the same as asking `lightness`, without a root for each pixel."""
    y = ((least + 16) / 116) ** 3 if least > _KINK * _SLOPE else least / _SLOPE
    return _luminance(picture) < y


def _luminance(picture: Picture) -> NDArray[np.float32]:
    """CIE Y of each pixel, 0 to 1."""
    linear = cv2.LUT(np.ascontiguousarray(picture[..., :3]), _LINEAR.astype(np.float32))
    weights = np.array([[0.2126729, 0.7151522, 0.0721750]], np.float32)
    return cv2.transform(linear, weights).reshape(picture.shape[:2]).astype(np.float32, copy=False)
