"""The pixels of a part exactly as they are written: at a scale, cut and padded as the recipe wants it."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from fractions import Fraction

import numpy as np

from yuplet.geometry import Box, Point
from yuplet.parts.part import Part, render_frame, render_frame_deep
from yuplet.pixels import DeepPicture, Picture, deepened, kernels
from yuplet.pixels.compositing import PictureNode, compose
from yuplet.pixels.filling import bleed
from yuplet.pixels.scaling import resampled
from yuplet.pixels.spill_file import PixelSource, VectorSource
from yuplet.pixels.trimming import Pixels
from yuplet.plan.planned import Plan, PlannedImage, PlannedPart, PlannedScale
from yuplet.plan.recipe import Images


@dataclass(frozen=True, slots=True)
class Sources:
    """Where pixels come from: those of the layers, and, where the source can be drawn anew, its drawing; and what tells the pixels of
    each layer from all others, where that is known.
    """

    pixels: PixelSource
    drawing: VectorSource | None = None
    digests: Mapping[str, str] = field(default_factory=dict)


def written_picture(plan: Plan, at: PlannedScale, planned: PlannedPart, frame: int, sources: Sources) -> Picture:
    """One frame of a part at one scale, as large as the `box` of its image, (H, W, 4) straight RGBA."""
    image = at.images[planned.part.id]
    inner = part_picture(plan, at, planned, frame, image.cut, sources)
    return finished(inner, image, planned.images)


def written_deep(plan: Plan, at: PlannedScale, planned: PlannedPart, frame: int, sources: Sources) -> DeepPicture:
    """The same with 16 bits a channel, uint16."""
    image = at.images[planned.part.id]
    inner = part_picture_deep(plan, at, planned, frame, image.cut, sources)
    return finished(inner, image, planned.images)


def part_picture(
    plan: Plan, at: PlannedScale, planned: PlannedPart, frame: int, area: Box, sources: Sources
) -> Picture:
    """What one frame of a part shows in an area of the scaled canvas, (H, W, 4) straight RGBA."""
    part, factor = planned.part, at.factor
    if factor == 1:
        keeps = planned.images.under == "keep"
        return render_frame(part, frame, area, plan.layer_boxes, sources.pixels, keeps)
    drawing, layers = sources.drawing, [piece.layer for piece in part.frames[frame].pieces]
    if drawing is not None and all(layer in plan.drawn_by for layer in layers):
        return _drawn_anew(part, frame, area, factor, plan.drawn_by, drawing)
    picture = render_frame(part, frame, planned.box, plan.layer_boxes, sources.pixels)
    return resampled(picture, Point(planned.box.left, planned.box.top), area, factor, plan.recipe.smooth)


def part_picture_deep(
    plan: Plan, at: PlannedScale, planned: PlannedPart, frame: int, area: Box, sources: Sources
) -> DeepPicture:
    """The same as `part_picture` with 16 bits a channel, uint16; what is drawn anew has 8."""
    part, factor = planned.part, at.factor
    if factor == 1:
        keeps = planned.images.under == "keep"
        return render_frame_deep(part, frame, area, plan.layer_boxes, sources.pixels, keeps)
    if sources.drawing is not None and all(piece.layer in plan.drawn_by for piece in part.frames[frame].pieces):
        return deepened(part_picture(plan, at, planned, frame, area, sources))
    picture = render_frame_deep(part, frame, planned.box, plan.layer_boxes, sources.pixels)
    return resampled(picture, Point(planned.box.left, planned.box.top), area, factor, plan.recipe.smooth)


def finished(inner: Pixels, image: PlannedImage, images: Images) -> Pixels:
    """A picture of the part's own box put into the box of its image, with the colour under alpha 0 that is wanted."""
    own, box = image.cut, image.box
    picture = inner
    if own != box:
        picture = np.zeros((box.height, box.width, 4), inner.dtype)
        down, right = own.top - box.top, own.left - box.left
        picture[down : down + own.height, right : right + own.width] = inner
    return bleed(picture, images.reach) if images.under == "bleed" else np.ascontiguousarray(picture)


def _drawn_anew(
    part: Part, frame: int, area: Box, factor: Fraction, drawn_by: Mapping[str, str], drawing: VectorSource
) -> Picture:
    at = Point(float(area.left - part.offset[0] * factor), float(area.top - part.offset[1] * factor))
    pieces = part.frames[frame].pieces
    pictures = {
        str(number): drawing.draw(drawn_by[piece.layer], factor, at, area.size) for number, piece in enumerate(pieces)
    }
    if len(pieces) == 1 and pieces[0].opacity == 1 and pieces[0].blend == "normal":
        picture = np.ascontiguousarray(pictures["0"])
        kernels.clear_hidden_colour(picture)
        return picture
    here = Box(0, 0, *area.size)
    leaves = [PictureNode(str(number), here, piece.opacity, piece.blend) for number, piece in enumerate(pieces)]
    return compose(leaves, area.size, InMemory(pictures), workers=1)


@dataclass(frozen=True, slots=True)
class InMemory:
    """A `PixelSource` of pictures that are there already."""

    pictures: Mapping[str, Picture]

    def rows(self, key: str, top: int, bottom: int) -> Picture:
        """Rows `top` to `bottom` (the first outside)."""
        return self.pictures[key][top:bottom]

    def deep_rows(self, key: str, top: int, bottom: int) -> DeepPicture | None:
        """Nothing: there are 8 bits a channel."""
        return None
