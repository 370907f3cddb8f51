"""What is written beside the images of parts: each kind by its own module, all at the main scale of a plan."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from yuplet.geometry import Box
from yuplet.pixels import DeepPicture, Picture
from yuplet.pixels.spill_file import VectorSource
from yuplet.plan.planned import BesideKind, Plan, PlannedExtra, PlannedPart
from yuplet.writing import layered, model, overview, page, tables, vector
from yuplet.writing.pictures import Sources, part_picture, part_picture_deep

_MAKERS: Mapping[BesideKind, Callable[["Drawn", PlannedExtra], bytes]] = {
    "layers": lambda drawn, _: layered.layers(drawn.plan, drawn.picture),
    "model": lambda drawn, _: model.model(drawn.plan, drawn.picture),
    "page": lambda drawn, _: page.html(drawn.plan, drawn.picture),
    "openexr": lambda drawn, _: drawn.openexr(),
    "style": lambda drawn, _: page.css(drawn.plan),
    "scene": lambda drawn, _: vector.scene(drawn.plan, drawn.picture, drawn.sources.drawing),
    "vector": lambda drawn, one: drawn.vector_part(one),
    "symbols": lambda drawn, _: vector.symbols(drawn.plan, drawn.drawing),
    "places": lambda drawn, one: tables.places(drawn.plan, one),
    "overview": lambda drawn, one: overview.overview(drawn.plan, drawn.picture, one.file.rsplit(".", 1)[-1] == "pdf"),
}


@dataclass(frozen=True, slots=True)
class Drawn:
    """A plan with the pictures of its parts at rest, each in its own box without margin."""

    plan: Plan
    sources: Sources

    def picture(self, planned: PlannedPart) -> Picture:
        """The pixels of a part at rest at the main scale, in its `cut`."""
        at = self.plan.main
        return part_picture(self.plan, at, planned, 0, at.images[planned.part.id].cut, self.sources)

    def deep(self, planned: PlannedPart) -> DeepPicture | None:
        """The same with 16 bits a channel, where images have them, or where the source does: at scale 1, of a part that is one layer as it was read."""
        if self.plan.is_deep:
            at = self.plan.main
            return part_picture_deep(self.plan, at, planned, 0, at.images[planned.part.id].cut, self.sources)
        part, cut = planned.part, self.plan.main.images[planned.part.id].cut
        (first, *more) = part.frames[0].pieces
        box = self.plan.layer_boxes.get(first.layer)
        if self.plan.main.factor != 1 or more or first.opacity < 1 or box is None:
            return None
        own = cut.moved(-box.left - part.offset[0], -box.top - part.offset[1])
        if own.meet(Box.at(0, 0, box.size)) != own:
            return None
        rows = self.sources.pixels.deep_rows(first.layer, own.top, own.bottom)
        return None if rows is None else rows[:, own.left : own.right]

    def openexr(self) -> bytes:
        """All parts in one file of OpenEXR, whose library is loaded when it is wanted."""
        from yuplet.writing.openexr import openexr

        return openexr(self.plan, self.picture, self.deep)

    def vector_part(self, one: PlannedExtra) -> bytes:
        """A part as SVG."""
        planned = next(planned for planned in self.plan.parts if planned.part.id == one.part)
        return vector.part(self.plan, planned, self.drawing, self.plan.recipe.extras.vector == "canvas")

    @property
    def drawing(self) -> VectorSource:
        """What vector parts are taken from."""
        if self.sources.drawing is None:
            raise ValueError("vector parts were planned, and there is no drawing to take them from")
        return self.sources.drawing


def made(plan: Plan, one: PlannedExtra, sources: Sources) -> bytes:
    """The bytes of a file beside the images; combinations are pictures and made elsewhere."""
    return _MAKERS[one.kind](Drawn(plan, sources), one)
