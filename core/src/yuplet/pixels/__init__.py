"""Arrays of pixels: (H, W, 4) uint8, red, green, blue, alpha, straight (not premultiplied), sRGB, row 0 on top."""

from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

Picture: TypeAlias = NDArray[np.uint8]
"""(H, W, 4) uint8: red, green, blue, alpha from 0 to 255, colour not multiplied by alpha, row 0 the top row."""
DeepPicture: TypeAlias = NDArray[np.uint16]
"""The same from 0 to 65535."""
AnyPicture: TypeAlias = Picture | DeepPicture
"""With 8 or 16 bits a channel."""


def deepened(picture: Picture) -> DeepPicture:
    """The same levels with 16 bits a channel."""
    return picture.astype(np.uint16) * np.uint16(257)


def has_8_bits(picture: DeepPicture) -> bool:
    """Whether 8 bits a channel say all of it."""
    return bool((picture % 257 == 0).all())


def rounded(picture: DeepPicture) -> Picture:
    """The nearest levels with 8 bits a channel; where alpha becomes 0, colour does too.

    >>> rounded(np.array([[[128, 129, 65535, 65406], [9000, 9000, 9000, 128]]], np.uint16))[0].tolist()
    [[0, 1, 255, 254], [0, 0, 0, 0]]
    """
    found = ((picture.astype(np.uint32) + 128) // 257).astype(np.uint8)
    found[found[..., 3] == 0] = 0
    return found
