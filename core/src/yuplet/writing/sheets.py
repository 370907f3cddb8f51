"""Pictures together in one image: sheets with their tables, and animated images.

Sources: Portable Network Graphics (PNG) Specification, third edition, chapter 11.3 (animation); WebP, RFC 9649; GIF89a (CompuServe, 1990).
Animated images are Pillow's, which keeps every pixel of PNG and of lossless WebP.
"""

import io
import json
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image, PngImagePlugin

from yuplet.geometry import Size
from yuplet.pixels import AnyPicture, Picture
from yuplet.plan.planned import Plan, PlannedScale, PlannedSheet, Spot
from yuplet.plan.recipe import Images, Moving
from yuplet.writing import images

FORMAT = "yuplet-sheet"
VERSION = 1


def sheet_picture(size: Size, pictures: Sequence[tuple[Spot, AnyPicture]], repeat_edge: int) -> AnyPicture:
    """Pictures at their spots on a sheet of a size, with their edges repeated around each; between them nothing is seen."""
    whole = np.zeros((size.height, size.width, 4), pictures[0][1].dtype)
    for spot, picture in pictures:
        laid: NDArray[Any] = np.rot90(picture, -1) if spot.turned else picture
        if repeat_edge:
            laid = np.pad(laid, ((repeat_edge, repeat_edge), (repeat_edge, repeat_edge), (0, 0)), "edge")
        top, left = spot.y - repeat_edge, spot.x - repeat_edge
        whole[top : top + laid.shape[0], left : left + laid.shape[1]] = laid
    return whole


def animated(
    pictures: Sequence[Picture], milliseconds: Sequence[int], loops: int, moving: Moving, settings: Images
) -> bytes:
    """Pictures as one animated image, each seen for its milliseconds; played so many times, 0 for without end."""
    out = io.BytesIO()
    first, *rest = (Image.fromarray(np.ascontiguousarray(picture), "RGBA") for picture in pictures)
    said: dict[str, Any] = {"save_all": True, "append_images": rest, "duration": list(milliseconds), "loop": loops}
    if moving == "apng":
        background, source = PngImagePlugin.Disposal.OP_BACKGROUND, PngImagePlugin.Blend.OP_SOURCE
        first.save(out, "PNG", disposal=background, blend=source, **said)
    elif moving == "webp":
        first.save(out, "WEBP", lossless=settings.lossless, quality=settings.quality, exact=True, **said)
    else:
        # The file counts how often it is played again, and says nothing where it is played once.
        del said["loop"]
        again = {} if loops == 1 else {"loop": max(loops - 1, 0)}
        first.save(out, "GIF", disposal=2, optimize=False, **said, **again)
    return out.getvalue()


def encoded(sheet: PlannedSheet, pictures: Sequence[AnyPicture], repeat_edge: int, ppi: float | None) -> bytes:
    """The file of a sheet or of an animation."""
    if sheet.kind == "animation":
        # Animated images have 8 bits a channel, and so have these.
        plain = [np.asarray(picture, np.uint8) for picture in pictures]
        return animated(plain, sheet.milliseconds, sheet.loops, sheet.images.moving, sheet.images)
    spots = [member.frame.spot for member in sheet.members]
    laid = [(spot, picture) for spot, picture in zip(spots, pictures, strict=True) if spot is not None]
    return images.encode(sheet_picture(sheet.size, laid, repeat_edge), sheet.images, ppi)


def table(plan: Plan, at: PlannedScale, sheet: PlannedSheet) -> bytes:
    """Where everything lies on a sheet, and in which order it is played, as JSON (docs/formats/sheet.md)."""
    parts = {planned.part.id: planned for planned in plan.parts}
    number = {member.frame.id: index for index, member in enumerate(sheet.members)}
    shown = dict.fromkeys(member.part for member in sheet.members)
    value = {
        "format": FORMAT,
        "version": VERSION,
        "image": sheet.file,
        "width": sheet.size.width,
        "height": sheet.size.height,
        "kind": sheet.kind,
        "columns": sheet.columns or None,
        "spacing": plan.recipe.sheets.spacing,
        "repeat_edge": plan.recipe.sheets.repeat_edge,
        "pictures": [
            {
                "part": member.part,
                "name": "/".join(parts[member.part].path),
                "frame": member.index + 1,
                **within(at, member.part, member.frame.spot),
            }
            for member in sheet.members
        ],
        "play": [
            {
                "part": row,
                "name": "/".join(parts[row].path),
                "loops": parts[row].part.loops,
                "frames": [
                    {"picture": number[frame.id], "milliseconds": moment.milliseconds}
                    for frame, moment in zip(at.images[row].frames, parts[row].part.frames, strict=True)
                    if frame.id in number
                ],
            }
            for row in shown
        ],
    }
    return json.dumps(value, indent=1, ensure_ascii=False).encode()


def within(at: PlannedScale, part: str, spot: Spot | None) -> Mapping[str, Any]:
    """Where the picture of a part lies on a sheet: `width` and `height` are those of the picture before it is turned."""
    assert spot is not None
    size = at.images[part].box.size
    # The image of a part that is the same drawing as another may be turned when it is laid; on the sheet it is as it is.
    turn = at.images[part].turn
    if turn is not None and turn.quarters % 2:
        size = Size(size.height, size.width)
    return {"x": spot.x, "y": spot.y, "width": size.width, "height": size.height, "turned": spot.turned}
