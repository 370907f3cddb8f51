"""A file of OpenEXR as a compositing program sees it: each part of it at its data window, and what its attribute says of how they are laid.

Source: the Academy Software Foundation, OpenEXR file layout, https://openexr.com/; decoded by its own library. The transfer function of sRGB is that of
IEC 61966-2-1.
"""

from pathlib import Path
from typing import Any

import numpy as np
import OpenEXR
from numpy.typing import NDArray
from PIL import Image

from yuplet import documents
from yuplet.rehearsal.images import kept, kept_words, require_few
from yuplet.rehearsal.package import tree_of
from yuplet.rehearsal.picture import Placed, Scene

MAX_PIXELS = 120_000_000
"""Of all parts together: the library decodes them at once."""
_FORMAT = "yuplet-openexr"


def scene_of_openexr(
    path: Path, scratch: Path, allowed: tuple[float, float], size: tuple[int, int], scale: float, bits: int
) -> Scene:
    """The parts of a file, with so many bits a channel; raises ValueError, KeyError or what the library raises for one that cannot be read."""
    with OpenEXR.File(str(path), header_only=True) as file:
        windows = [_box(part.header["dataWindow"]) for part in file.parts]
    require_few(len(windows))
    if sum(width * height for _, _, width, height in windows) > MAX_PIXELS:
        raise ValueError(f"its parts have more than {MAX_PIXELS // 10**6} million pixels")
    with OpenEXR.File(str(path)) as file:
        said = documents.parsed(file.parts[0].header["yuplet"].encode())
        if said["format"] != _FORMAT:
            raise ValueError("its attribute is not of a format that is known")
        by_name = {str(part.header["name"]): part for part in file.parts}
        placed: dict[str, Placed] = {}
        for number, one in enumerate(said["parts"]):
            require_few(number)
            part = by_name[one["exr_part"]]
            left, top, width, height = _box(part.header["dataWindow"])
            if _box(part.header["displayWindow"]) != (0, 0, *size):
                raise ValueError("the display window of a part is not the canvas")
            pixels = _straight(part.channels["RGBA"].pixels)
            if pixels.shape[:2] != (height, width):
                raise ValueError("a part is not as large as its data window")
            raw = scratch / f"part {number}.raw"
            if bits == 16:
                image = kept_words(np.floor(pixels * 65535 + 0.5).astype(np.uint16), raw)
            else:
                image = kept(Image.fromarray(np.floor(pixels * 255 + 0.5).astype(np.uint8), "RGBA"), raw)
            placed[str(one["id"])] = Placed(
                label=" / ".join(one["path"]),
                image=image,
                left=left,
                top=top,
                opacity=float(one["opacity"]),
                blend=str(one["blend"]),
                area=(left, top, left + width, top + height),
            )
    return Scene(
        way="openexr",
        scale=scale,
        width=size[0],
        height=size[1],
        tree=tree_of(said["tree"]),
        placed=placed,
        ground=None,
        largest=allowed[0],
        mean=allowed[1],
        bits=bits,
    )


def _box(window: Any) -> tuple[int, int, int, int]:
    """Left, top, width and height; both corners of a window are inside."""
    (left, top), (right, bottom) = ((int(value) for value in corner) for corner in window)
    return left, top, right - left + 1, bottom - top + 1


def _straight(associated: NDArray[Any]) -> NDArray[np.float64]:
    """Linear light, colour multiplied by alpha, as straight sRGB from 0 to 1."""
    values = associated.astype(np.float64)
    alpha = values[..., 3:]
    light = np.divide(values[..., :3], alpha, out=np.zeros_like(values[..., :3]), where=alpha > 0)
    encoded = np.where(light <= 0.0031308, light * 12.92, 1.055 * np.maximum(light, 0.0031308) ** (1 / 2.4) - 0.055)
    whole: NDArray[np.float64] = np.concatenate([np.clip(encoded, 0, 1), np.clip(alpha, 0, 1)], axis=2)
    return whole
