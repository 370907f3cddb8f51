"""Small colour work: layers in another colour, and plain grounds."""

import numpy as np

from yuplet.derivation.content import Content, Derived
from yuplet.geometry import Box, Size
from yuplet.illustration.derived import Backdrop, Dyed
from yuplet.pixels.oklab import from_oklab, to_oklab


def dyed(layer: Content, derivation: Dyed) -> Derived:
    """A layer in another colour: plain, or each pixel as much lighter or darker than it as it was than the layer's median.

    Alpha stays as it is. Lightness is that of OKLab; what leaves sRGB is cut off to it channel by channel.
    """
    picture = layer.picture.copy()
    there = picture[..., 3] > 0
    if derivation.shaded:
        lightness = to_oklab(picture[there, :3])[:, 0]
        wanted = to_oklab(np.array([derivation.colour], np.uint8))[0]
        values = np.repeat(wanted[None], lightness.size, axis=0)
        values[:, 0] += lightness - np.median(lightness)
        picture[there, :3] = from_oklab(values)
    else:
        picture[there, :3] = derivation.colour
    return Derived(layer.box, picture, derivation, None, layer.added)


def backdrop(canvas: Size, derivation: Backdrop) -> Derived:
    """The whole canvas in one colour, or from the first at the top row to the second at the bottom one, linear in OKLab."""
    first, last = derivation.colours[0], derivation.colours[-1]
    share = np.linspace(0, 1, canvas.height)[:, None] if canvas.height > 1 else np.zeros((1, 1))
    ends = to_oklab(np.array([first, last], np.uint8))
    rows = from_oklab(ends[0] * (1 - share) + ends[1] * share)
    picture = np.full((canvas.height, canvas.width, 4), 255, np.uint8)
    picture[..., :3] = rows[:, None]
    return Derived(Box(0, 0, canvas.width, canvas.height), picture, derivation)
