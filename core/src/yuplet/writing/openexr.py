"""The parts in one OpenEXR file: each a part of the file, its data window where it lies, its display window the canvas.

Source: the Academy Software Foundation, OpenEXR file layout and technical introduction, https://openexr.com/; written by its own library. Values are linear
light of the primaries of sRGB (ITU-R BT.709), colour multiplied by alpha (associated), as the technical introduction has it.
"""

import json
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import OpenEXR
from numpy.typing import NDArray

from yuplet.geometry import Box, Size
from yuplet.pixels import DeepPicture, Picture
from yuplet.pixels.srgb import to_linear
from yuplet.plan.planned import Plan, PlannedPart
from yuplet.writing.manifest import node

FORMAT = "yuplet-openexr"
VERSION = 1
ATTRIBUTE = "yuplet"
"""The attribute of the first part that says the rest: a text of JSON."""
BT_709 = (0.64, 0.33, 0.30, 0.60, 0.15, 0.06, 0.3127, 0.3290)
"""Red, green, blue and white as x and y (ITU-R BT.709-6, table 1)."""


def openexr(
    plan: Plan, picture: Callable[[PlannedPart], Picture], deep: Callable[[PlannedPart], DeepPicture | None]
) -> bytes:
    """All parts at rest, back to front, in half precision; those whose source has 16 bits a channel in single precision, so that they lose nothing."""
    at, names = plan.main, part_names(plan)
    parts = []
    for number, planned in enumerate(plan.parts):
        known = deep(planned)
        values = (
            linear_light(picture(planned), 255, np.float16) if known is None else linear_light(known, 65535, np.float32)
        )
        header: dict[str, Any] = {
            "name": names[planned.part.id],
            "type": OpenEXR.scanlineimage,
            "compression": OpenEXR.ZIP_COMPRESSION,
            "dataWindow": _window(at.images[planned.part.id].cut),
            "displayWindow": _window(Box.at(0, 0, Size(*at.canvas))),
            "chromaticities": BT_709,
        }
        if number == 0:
            header[ATTRIBUTE] = json.dumps(told(plan), ensure_ascii=False)
        parts.append(OpenEXR.Part(header, {"RGBA": values}))
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder, "parts.exr")
        with OpenEXR.File(parts) as file:
            file.write(str(path))
        return path.read_bytes()


def told(plan: Plan) -> dict[str, Any]:
    """What a receiver must know beside names and places: the tree, and of each part how it is laid, what it turns about and what carries it."""
    names, factor = part_names(plan), float(plan.main.factor)
    return {
        "format": FORMAT,
        "version": VERSION,
        "title": plan.title,
        "parts": [
            {
                "id": planned.part.id,
                "path": list(planned.path),
                "exr_part": names[planned.part.id],
                "order": planned.order,
                "shown": planned.shown,
                "opacity": planned.part.opacity,
                "blend": planned.part.blend,
                "pivot": planned.part.pivot and [planned.part.pivot.x * factor, planned.part.pivot.y * factor],
                "parent": plan.parents.get(planned.part.id),
                "depth": planned.part.depth * factor,
                "role": planned.part.role,
            }
            for planned in plan.parts
        ],
        "tree": [node(row) for row in plan.tree],
    }


def part_names(plan: Plan) -> dict[str, str]:
    """What each part is called in the file: its groups and itself with dots between, as layers are in OpenEXR; a number tells equal ones apart."""
    found: dict[str, str] = {}
    for planned in plan.parts:
        name = ".".join(planned.path)
        found[planned.part.id] = name if name not in found.values() else f"{name} {planned.order}"
    return found


def linear_light(picture: NDArray[np.unsignedinteger[Any]], most: int, kind: type) -> NDArray[Any]:
    """Straight sRGB of so many levels as linear light, colour multiplied by alpha, (H, W, 4)."""
    values = picture / most
    values[..., :3] = to_linear(values[..., :3]) * values[..., 3:]
    return np.ascontiguousarray(values.astype(kind))


def _window(box: Box) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
    # Both corners are inside.
    return np.array([box.left, box.top], np.int32), np.array([box.right - 1, box.bottom - 1], np.int32)
