"""A part is a description of what to take from the illustration; its pixels are computed when they are needed."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from yuplet.geometry import Box, Point, box_around
from yuplet.pixels import Picture, kernels
from yuplet.pixels.compositing import Leaf, compose
from yuplet.pixels.scratch import PixelSource
from yuplet.pixels.trimming import content_box, cut


@dataclass(frozen=True, slots=True)
class Part:
    """A named piece that will be handed over.

    `pieces` are the ids of the layers it is taken from, back to front. `shown` is whether it is seen, `included`
    whether it is handed over: neither depends on the other. `opacity` (0 to 1) and `blend` apply when the part is laid
    and are not in its pixels. `pivot` is in canvas pixels.
    """

    id: str
    name: str
    pieces: tuple[str, ...]
    shown: bool = True
    included: bool = True
    opacity: float = 1.0
    blend: str = "normal"
    locked: bool = False
    pivot: Point | None = None


def part_box(part: Part, layer_boxes: Mapping[str, Box]) -> Box | None:
    """The box of a part on the canvas, from the boxes of its layers (empty layers are absent); None when it is empty."""
    return box_around([layer_boxes[piece] for piece in part.pieces if piece in layer_boxes])


def render(part: Part, layer_boxes: Mapping[str, Box], source: PixelSource) -> tuple[Box, Picture] | None:
    """Compute the pixels of a part.

    Parameters
    ----------
    part : Part
        Its own opacity and blend mode are not applied.
    layer_boxes : mapping
        The box of each layer's content; a layer that is absent is empty.
    source : PixelSource
        The pixels of the layers.

    Returns
    -------
    (Box, (H, W, 4) uint8) or None
        The tight box on the canvas and the straight RGBA pixels in it; colour under alpha 0 is 0. None when the part
        has no visible pixel.
    """
    box = part_box(part, layer_boxes)
    if box is None:
        return None
    if len(part.pieces) == 1:
        picture = source.rows(part.pieces[0], 0, box.height)
    else:
        leaves = [
            Leaf(piece, layer_boxes[piece].moved(-box.left, -box.top)) for piece in part.pieces if piece in layer_boxes
        ]
        picture = compose(leaves, box.size, source, workers=1)
    tight = content_box(picture)
    if tight is None:
        return None
    picture = np.ascontiguousarray(cut(picture, tight))
    kernels.clear_hidden_colour(picture)
    return tight.moved(box.left, box.top), picture
