"""Pictures as files of each format that a recipe can ask for. PNG is our own (`writing.png`), the others are Pillow's.

Sources: WebP (RFC 9649), AVIF 1.1.0 (Alliance for Open Media), JPEG (ITU-T T.81), TIFF 6.0 (alpha as ExtraSamples 2: unassociated).
"""

import io
from dataclasses import replace
from typing import Any

import deflate
import imagecodecs
import numpy as np
from PIL import Image

from yuplet.pixels import AnyPicture, DeepPicture, Picture, has_8_bits
from yuplet.plan.recipe import OPAQUE, Images
from yuplet.writing import png

_DEFLATE, _DIFFERENCES = 8, 2
"""Of TIFF: compression, and the predictor of horizontal differences."""
_FULL_COLOUR = 90
"""JPEG of this quality or better keeps colour at full resolution (common practice, no published source)."""


def encode(picture: AnyPicture, images: Images, ppi: float | None = None) -> bytes:
    """Write a picture in the format that is wanted; one of 16 bits a channel, of which 8 say all, with 8.

    Parameters
    ----------
    picture : (H, W, 4) uint8, or uint16 where the format has it
        Straight RGBA. Formats without transparency get it laid over the ground.
    images : Images
        The format and what belongs to it.
    ppi : float, optional
        Pixels per inch to be stated, where the format can.
    """
    if picture.dtype == np.uint16:
        deep = np.asarray(picture, np.uint16)
        if not has_8_bits(deep):
            return _deep(deep, images, ppi)
        picture = (deep // 257).astype(np.uint8)
    picture = np.asarray(picture, np.uint8)
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


def crc32(picture: AnyPicture) -> int:
    """The check sum of RGBA values; those of 16 bits are two bytes each, the higher first, as in PNG."""
    wanted = picture.astype(">u2") if picture.dtype == np.uint16 else picture
    return int(deflate.crc32(np.ascontiguousarray(wanted)))


def _deep(picture: DeepPicture, images: Images, ppi: float | None) -> bytes:
    if images.format == "png":
        return png.encode_deep(picture, images.effort, ppi)
    return bytes(
        imagecodecs.tiff_encode(
            picture,
            photometric="rgb",
            extrasample="unassalpha",
            compression=_DEFLATE,
            predictor=_DIFFERENCES,
            resolution=None if ppi is None else (ppi, ppi),
            resolutionunit="inch",
        )
    )


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
