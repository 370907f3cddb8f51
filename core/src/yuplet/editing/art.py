"""What is selected from and changed: what a part holds, where the part lies on the canvas."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial

from yuplet.arrangement.taking import part_to_change, still_part
from yuplet.arrangement.tree import Arrangement
from yuplet.derivation.content import Content, Derived
from yuplet.derivation.layer_store import LayerStore
from yuplet.derivation.merging import merged_pieces
from yuplet.errors import NothingThere
from yuplet.geometry import Box
from yuplet.parts.part import Frame, Part
from yuplet.pixels import Picture
from yuplet.pixels.picture_cache import remembered
from yuplet.selecting.proposals import Proposals, propose


@dataclass(frozen=True, slots=True)
class Art:
    """The content of one frame of a part.

    `layer` is the layer that it is; None when it is of several, which `merged` are as one. `offset` is how far the part lies from
    where its layers do.
    """

    content: Content
    layer: str | None
    offset: tuple[int, int]
    merged: Derived | None = None

    @property
    def picture(self) -> Picture:
        """Its pixels."""
        return self.content.picture

    @property
    def box(self) -> Box:
        """Where it lies on the canvas."""
        return self.content.box

    @property
    def in_its_layer(self) -> Content:
        """The same where the layer lies, from which the part may have been moved."""
        return moved(self.content, (-self.offset[0], -self.offset[1]))

    def layer_in(self, layers: LayerStore) -> str:
        """The layer that it is; one of several becomes a layer of its own."""
        if self.layer is not None:
            return self.layer
        assert self.merged is not None
        return layers.add(None, self.merged)


def moved(content: Content, offset: tuple[int, int]) -> Content:
    """The same elsewhere on the canvas."""
    return replace(content, box=content.box.moved(*offset))


def art_of(arrangement: Arrangement, layers: LayerStore, row: str, frame: int | None = None) -> Art:
    """The art of a part: of one of its frames, or of one that has none.

    Raises `NoSuchRow`, `Locked`, `CannotTakeOut`, or `NothingThere` when it is empty.
    """
    part = still_part(arrangement, row) if frame is None else part_to_change(arrangement, row)
    art = art_of_frame(layers, part, part.frames[(frame or 0) % len(part.frames)])
    if art is None:
        raise NothingThere("This part is empty, so there is nothing to work with.")
    return art


def art_of_frame(layers: LayerStore, part: Part, frame: Frame) -> Art | None:
    """The same of a frame that may be empty."""
    pieces = frame.pieces
    if len(pieces) == 1 and pieces[0].opacity == 1 and pieces[0].blend == "normal":
        content = layers.content(pieces[0].layer)
        return None if content is None else Art(moved(content, part.offset), pieces[0].layer, part.offset)
    made = merged_pieces(layers, pieces)
    return None if made is None else Art(moved(made.content, part.offset), None, part.offset, made)


def divided(picture: Picture) -> Proposals:
    """Proposals for a picture, which are computed once."""
    return remembered("proposals", picture, partial(propose, picture))


Divide = Callable[[Picture], Proposals]
