"""OKLab: lightness 0 to 1, and two axes of colour, in which equal steps look about equal.

Source: Björn Ottosson, "A perceptual color space for image processing", 2020, with the matrices that he gives for linear sRGB.
"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from yuplet.pixels.srgb import to_encoded, to_linear

_LINEAR = to_linear(np.arange(256) / 255)
_TO_LMS = np.array(
    [
        [0.4122214708, 0.5363325363, 0.0514459929],
        [0.2119034982, 0.6806995451, 0.1073969566],
        [0.0883024619, 0.2817188376, 0.6299787005],
    ]
)
_TO_LAB = np.array(
    [
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ]
)


def to_oklab(colours: NDArray[np.uint8]) -> NDArray[np.float32]:
    """sRGB values, (..., 3) of 0 to 255, as OKLab, (..., 3)."""
    linear = _LINEAR.astype(np.float32)[colours]
    result: NDArray[np.float32] = np.cbrt(linear @ _TO_LMS.T.astype(np.float32)) @ _TO_LAB.T.astype(np.float32)
    return result


def from_oklab(values: NDArray[np.floating[Any]]) -> NDArray[np.uint8]:
    """The inverse of `to_oklab`, cut off to what sRGB has and rounded.

    >>> from_oklab(to_oklab(np.array([[12, 200, 99]], np.uint8))).tolist()
    [[12, 200, 99]]
    """
    linear = np.clip(((values @ np.linalg.inv(_TO_LAB).T) ** 3) @ np.linalg.inv(_TO_LMS).T, 0, 1)
    result: NDArray[np.uint8] = np.round(to_encoded(linear) * 255).astype(np.uint8)
    return result
