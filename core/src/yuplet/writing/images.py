"""Pictures as files of each format that a recipe can ask for. PNG is our own (`writing.png`), the others are Pillow's.

Sources: WebP (RFC 9649), AVIF 1.1.0 (Alliance for Open Media), JPEG (ITU-T T.81), TIFF 6.0 (alpha as ExtraSamples 2: unassociated).
"""

import io
from dataclasses import replace
from typing import Any

import numpy as np
from PIL import Image

from yuplet.pixels import Picture
from yuplet.plan.recipe import OPAQUE, Images
from yuplet.writing import png

_FULL_COLOUR = 90
"""JPEG of this quality or better keeps colour at full resolution (common practice, no published source)."""


def encode(picture: Picture, images: Images, ppi: float | None = None) -> bytes:
    """Write a picture in the format that is wanted.

    Parameters
    ----------
    picture : (H, W, 4) uint8
        Straight RGBA. Formats without transparency get it laid over the ground.
    images : Images
        The format and what belongs to it.
    ppi : float, optional
        Pixels per inch to be stated, where the format can.
    """
    if images.format == "png":
        return png.encode(picture, images.effort, ppi)
    out = io.BytesIO()
    dots: dict[str, Any] = {} if ppi is None else {"dpi": (ppi, ppi)}
    if images.format in OPAQUE:
        subsampling = 0 if images.quality >= _FULL_COLOUR else 2
        flat = Image.fromarray(on_ground(picture, images.ground))
        flat.save(out, "JPEG", quality=images.quality, subsampling=subsampling, optimize=True, **dots)
        return out.getvalue()
    image = Image.fromarray(picture, "RGBA")
    if images.format == "webp":
        # Exact keeps the colour under alpha 0, which else is whatever compresses best.
        image.save(out, "WEBP", lossless=images.lossless, quality=images.quality, exact=True)
    elif images.format == "avif":
        image.save(out, "AVIF", quality=images.quality)
    else:
        image.save(out, "TIFF", compression="tiff_deflate", **dots)
    return out.getvalue()


def shown(images: Images) -> Images:
    """What a browser shows instead: TIFF becomes PNG, the pixels of which are the same."""
    return replace(images, format="png") if images.format == "tiff" else images


def on_ground(picture: Picture, ground: tuple[int, int, int]) -> Picture:
    """A picture laid over one colour, (H, W, 3).

    >>> half_red = np.array([[[255, 0, 0, 128]]], np.uint8)
    >>> on_ground(half_red, (255, 255, 255)).tolist()
    [[[255, 127, 127]]]
    """
    share = picture[..., 3:].astype(np.float32) / 255
    mixed = picture[..., :3] * share + np.asarray(ground, np.float32) * (1 - share)
    return np.floor(mixed + 0.5).astype(np.uint8)
