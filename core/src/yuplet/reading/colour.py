"""Colours of other spaces as sRGB.

Source: ICC.1:2022 profiles, applied by LittleCMS through Pillow with the intent that the profile names. Colour only: alpha is
never touched.
"""

import functools
import io

import numpy as np
from PIL import Image, ImageCms

from yuplet.pixels import Picture

_SRGB = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB"))


def name_of(profile: bytes) -> str | None:
    """What a profile calls itself; None when it cannot be read."""
    try:
        return ImageCms.getProfileDescription(_opened(profile)).strip() or "a profile without a name"
    except (OSError, ImageCms.PyCMSError):
        return None


@functools.lru_cache(maxsize=64)
def is_srgb(profile: bytes) -> bool:
    """Whether a profile leaves colours as they are in sRGB, whatever its name says.

    Looked at are 17 x 17 x 17 colours; profiles that makers made of sRGB differ by a level or two.

    >>> is_srgb(ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes())
    True
    """
    steps = np.linspace(0, 255, 17).round().astype(np.uint8)
    colours = np.stack(np.meshgrid(steps, steps, steps), axis=-1).reshape(17, -1, 3)
    converted = image_to_srgb(Image.fromarray(colours), profile)
    return converted is not None and int(np.abs(np.array(converted).astype(int) - colours).max()) <= 2


def to_srgb(picture: Picture, profile: bytes) -> Picture | None:
    """An RGBA picture with its colours taken from a profile of RGB or grey to sRGB; None when the profile fits neither
    or is damaged."""
    try:
        opened = _opened(profile)
    except OSError:
        return None
    space = str(opened.profile.xcolor_space).strip()
    if space not in ("RGB", "GRAY"):
        return None
    bands = picture[..., :3] if space == "RGB" else picture[..., 0]
    converted = image_to_srgb(Image.fromarray(np.ascontiguousarray(bands)), profile)
    if converted is None:
        return None
    result = picture.copy()
    result[..., :3] = np.array(converted)
    return result


def image_to_srgb(image: Image.Image, profile: bytes) -> Image.Image | None:
    """An image of mode RGB, L or CMYK as RGB in sRGB; None when the profile does not fit the mode or is damaged."""
    try:
        source = _opened(profile)
        intent = ImageCms.Intent(ImageCms.getDefaultIntent(source))
        return ImageCms.profileToProfile(image, source, _SRGB, renderingIntent=intent, outputMode="RGB")
    except (OSError, ValueError, ImageCms.PyCMSError):
        return None


def _opened(profile: bytes) -> ImageCms.ImageCmsProfile:
    return ImageCms.ImageCmsProfile(io.BytesIO(profile))
