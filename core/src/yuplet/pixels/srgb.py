"""The transfer function of sRGB: encoded values as linear light, and back. Source: IEC 61966-2-1:1999, and its amendment 1."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

Values = NDArray[np.floating[Any]]


def to_linear(encoded: Values) -> Values:
    """Encoded values, 0 to 1, as linear light.

    >>> to_linear(np.array([0.0, 0.04045, 0.5, 1.0])).round(6).tolist()
    [0.0, 0.003131, 0.214041, 1.0]
    """
    return np.where(encoded <= 0.04045, encoded / 12.92, ((np.maximum(encoded, 0.04045) + 0.055) / 1.055) ** 2.4)


def to_encoded(linear: Values) -> Values:
    """The inverse of `to_linear`."""
    return np.where(linear <= 0.0031308, linear * 12.92, 1.055 * np.maximum(linear, 0.0031308) ** (1 / 2.4) - 0.055)
