"""Small colour work: layers in another colour, and plain grounds.

OKLab: Björn Ottosson, "A perceptual color space for image processing", 2020; the matrices are those
that he gives for linear sRGB.
"""

import numpy as np
from numpy.typing import NDArray

from yuplet.geometry import Box, Size
from yuplet.illustration.made import Backdrop, Dyed
from yuplet.parts.making import Content, Made

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


def dyed(layer: Content, recipe: Dyed) -> Made:
    """A layer in another colour: plain, or each pixel as much lighter or darker than it as it was than the layer's median.

    Alpha stays as it is. Lightness is that of OKLab; what leaves sRGB is cut off to it channel by channel.
    """
    picture = layer.picture.copy()
    there = picture[..., 3] > 0
    if recipe.shaded:
        lightness = oklab(picture[there, :3])[:, 0]
        wanted = oklab(np.array([recipe.colour], np.uint8))[0]
        values = np.repeat(wanted[None], lightness.size, axis=0)
        values[:, 0] += lightness - np.median(lightness)
        picture[there, :3] = from_oklab(values)
    else:
        picture[there, :3] = recipe.colour
    return Made(layer.box, picture, recipe, None, layer.added)


def backdrop(canvas: Size, recipe: Backdrop) -> Made:
    """The whole canvas in one colour, or from the first at the top row to the second at the bottom one, linear in OKLab."""
    first, last = recipe.colours[0], recipe.colours[-1]
    share = np.linspace(0, 1, canvas.height)[:, None] if canvas.height > 1 else np.zeros((1, 1))
    ends = oklab(np.array([first, last], np.uint8))
    rows = from_oklab(ends[0] * (1 - share) + ends[1] * share)
    picture = np.full((canvas.height, canvas.width, 4), 255, np.uint8)
    picture[..., :3] = rows[:, None]
    return Made(Box(0, 0, canvas.width, canvas.height), picture, recipe)


def oklab(colours: NDArray[np.uint8]) -> NDArray[np.float64]:
    """sRGB values, (N, 3) of 0 to 255, as OKLab: lightness 0 to 1, a, b."""
    share = colours / 255
    linear = np.where(share <= 0.04045, share / 12.92, ((share + 0.055) / 1.055) ** 2.4)
    result: NDArray[np.float64] = np.cbrt(linear @ _TO_LMS.T) @ _TO_LAB.T
    return result


def from_oklab(values: NDArray[np.float64]) -> NDArray[np.uint8]:
    """The inverse of `oklab`, cut off to what sRGB has and rounded.

    >>> from_oklab(oklab(np.array([[12, 200, 99]], np.uint8))).tolist()
    [[12, 200, 99]]
    """
    linear = np.clip(((values @ np.linalg.inv(_TO_LAB).T) ** 3) @ np.linalg.inv(_TO_LMS).T, 0, 1)
    share = np.where(linear <= 0.0031308, linear * 12.92, 1.055 * linear ** (1 / 2.4) - 0.055)
    return np.round(share * 255).astype(np.uint8)
