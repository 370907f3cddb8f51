"""Arrays of pixels: (H, W, 4) uint8, red, green, blue, alpha, straight (not premultiplied), sRGB, row 0 on top."""

from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

Picture: TypeAlias = NDArray[np.uint8]
DeepPicture: TypeAlias = NDArray[np.uint16]
"""(H, W, 4) uint8: red, green, blue, alpha from 0 to 255, colour not multiplied by alpha, row 0 the top row."""
