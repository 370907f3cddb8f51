"""What only the pixels of a part tell: its box where that of its layers says too much, and whether it is opaque."""

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass

from yuplet.arrangement.tree import Arrangement
from yuplet.geometry import Box, Size, box_around
from yuplet.illustration.layers import Illustration
from yuplet.parts.part import Part, part_box, render_frame
from yuplet.pixels.spill_file import PixelSource
from yuplet.pixels.trimming import content_box, cut, is_opaque
from yuplet.plan.recipe import OPAQUE, Images, Recipe


@dataclass(frozen=True, slots=True)
class Measured:
    """The box around all frames of a part on the canvas (None: it is empty), whether each pixel in it is opaque (None: not looked at), and
    what tells the picture of each frame from others (empty: not looked at).
    """

    box: Box | None
    opaque: bool | None = None
    frames: tuple[str, ...] = ()


def measured(
    illustration: Illustration, arrangement: Arrangement, recipe: Recipe, source: PixelSource
) -> dict[str, Measured]:
    """Look at the pixels of those included parts whose boxes or formats ask for it; by the part's id. Others are absent."""
    boxes, canvas = illustration.boxes, illustration.canvas
    found = {}
    for around, part in arrangement.parts():
        path = (*(group.name for group in around), part.name)
        images, _ = recipe.images_of(path, part)
        if part.included and wants_measuring(part, images, boxes, canvas):
            found[part.id] = measure(part, images.threshold, boxes, canvas, source)
    return found


def wants_measuring(part: Part, images: Images, layer_boxes: Mapping[str, Box], canvas: Size) -> bool:
    """Whether the boxes of its layers do not tell enough of a part: layers are trimmed, but what is cut off, faint or blended is not."""
    pieces = [piece for frame in part.frames for piece in frame.pieces]
    boxes = [layer_boxes[piece.layer].moved(*part.offset) for piece in pieces if piece.layer in layer_boxes]
    whole = Box(0, 0, *canvas)
    return bool(boxes) and (
        images.threshold > 0
        or images.format in OPAQUE
        or (len(part.frames) > 1 and (images.stored == "sheets" or images.moving != "all-files"))
        or any(piece.opacity < 1 or piece.blend != "normal" for piece in pieces)
        or (not part.beyond and any(box.meet(whole) != box for box in boxes))
    )


def measure(part: Part, threshold: int, layer_boxes: Mapping[str, Box], canvas: Size, source: PixelSource) -> Measured:
    """The box around what has alpha above a threshold, in all frames."""
    box = part_box(part, layer_boxes, canvas)
    if box is None:
        return Measured(None)
    found: list[Box] = []
    frames: list[str] = []
    opaque = True
    for index in range(len(part.frames)):
        picture = render_frame(part, index, box, layer_boxes, source)
        frames.append(hashlib.blake2b(picture.reshape(-1).data, digest_size=16).hexdigest())
        content = content_box(picture, threshold)
        if content is not None:
            found.append(content)
        opaque = opaque and content is not None and is_opaque(cut(picture, content))
    around = box_around(found)
    if around is None:
        return Measured(None)
    opaque = opaque and all(one == around for one in found)
    return Measured(around.moved(box.left, box.top), opaque, tuple(frames))
