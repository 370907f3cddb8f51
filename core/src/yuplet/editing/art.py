"""What is selected from and changed: what a part holds, where the part lies on the canvas."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from yuplet.arrangement.taking import in_front_of, part_to_change, still_part
from yuplet.arrangement.tree import Arrangement
from yuplet.derivation.content import Content, Derived, placed_mask
from yuplet.derivation.layer_store import LayerStore
from yuplet.derivation.merging import merged_pieces
from yuplet.errors import NothingThere
from yuplet.geometry import Box
from yuplet.illustration.derived import Cut, Refilled
from yuplet.parts.part import Frame, Part
from yuplet.pixels import Picture
from yuplet.pixels.picture_cache import digest_of, recalled, remembered
from yuplet.selecting.choosing import Click
from yuplet.selecting.gestures import ByClicks
from yuplet.selecting.masks import Chosen
from yuplet.selecting.nested import Nested, nested
from yuplet.selecting.pick import picked
from yuplet.selecting.proposals import Proposals, propose
from yuplet.selecting.regions import check_there, nearest_label, with_slivers


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


def drawn_art(before: Arrangement, layers: LayerStore, row: str, art: Art) -> tuple[Art, Chosen | None]:
    """The art of a part without what was filled in when something was taken out of it and that parts in front hide, which nobody has
    drawn or sees; and where that is, (H, W) of the art, None for nowhere.

    What somebody let the part go on by beneath others is theirs, and stays.
    """
    added = art.content.added
    if added is None or art.layer is None or not _is_of_cuts(layers, art.layer):
        return art, None
    above = _above(before, layers, row, art.box)
    # Asked again at each place that somebody points at.
    key = ("drawn", art.box, digest_of(art.picture), tuple((one.box, digest_of(one.picture)) for one in above))
    content, hidden = recalled(key, partial(_drawn_below, art.content, above))
    return (art, None) if hidden is None else (replace(art, content=content), hidden)


def _drawn_below(content: Content, above: Sequence[Content]) -> tuple[Content, Chosen | None]:
    """What is drawn of what lies below others, and where the rest is."""
    added = content.all_added
    hidden: Chosen = added & _covered_by(above, content.box)
    if not hidden.any():
        return content, None
    picture = content.picture.copy()
    picture[hidden] = 0
    return Content(content.box, picture, added & ~hidden), hidden


def covered_in(before: Arrangement, layers: LayerStore, row: str, box: Box) -> Chosen:
    """Where within a box of the canvas an opaque part lies over another one."""
    return _covered_by(_above(before, layers, row, box), box)


def _above(before: Arrangement, layers: LayerStore, row: str, box: Box) -> list[Content]:
    """What lies over a part within a box of the canvas and may be opaque there."""
    result = []
    for part in in_front_of(before, row):
        for piece in part.pieces:
            content = layers.content(piece.layer) if piece.opacity == 1 and piece.blend == "normal" else None
            if content is None:
                continue
            there = moved(content, part.offset)
            if not there.box.meet(box).is_empty:
                result.append(there)
    return result


def _covered_by(above: Sequence[Content], box: Box) -> Chosen:
    covered = np.zeros((box.height, box.width), np.bool_)
    for one in above:
        covered |= placed_mask(one.picture[..., 3] == 255, one.box, box)
    return covered


def _is_of_cuts(layers: LayerStore, layer: str) -> bool:
    """Whether all that was added to a layer was filled in behind what was taken out."""
    made = {one.id: one for one in layers.illustration.made}
    at = made.get(layer)
    while at is not None:
        if not isinstance(at.derivation, Cut | Refilled):
            return False
        at = made.get(at.of or "")
    return True


def division_of(layers: LayerStore, art: Art) -> Proposals:
    """The nested regions of a part. What is left of a layer after taking art out is divided as the whole layer was: so what is proposed stays the same, less what
    was taken, and is known at once.
    """
    root = None if art.layer is None else _before_cuts(layers, art.layer)
    content = None if root in (None, art.layer) else layers.content(root or "")
    if content is None:
        return divided(art.picture)
    found = divided(content.picture)
    labels = placed_mask(found.labels, content.box, art.in_its_layer.box)
    labels[art.picture[..., 3] == 0] = 0
    # What was filled in and is seen through soft edges goes with the drawn pixel nearest to it, whose colour it continues.
    filled = art.content.all_added & (art.picture[..., 3] > 0)
    labels[filled] = 0
    if filled.any() and labels.any():
        labels[filled] = nearest_label(labels)[filled]
    return replace(found, labels=labels)


def clicked_in(layers: LayerStore, art: Art) -> ByClicks:
    """What clicks take of a part, for `select`. What is left of a layer is divided as the whole layer was, as in `division_of`."""

    def taken(picture: Picture, clicks: Sequence[Click], steps: int) -> Chosen:
        root = None if art.layer is None else _before_cuts(layers, art.layer)
        content = None if root in (None, art.layer) else layers.content(root or "")
        if content is None:
            return picked(picture, _nested(picture), clicks, steps)
        box = art.in_its_layer.box
        for one in clicks:
            check_there(picture, (one.x, one.y))
        across, down = box.left - content.box.left, box.top - content.box.top
        there = [Click(one.x + across, one.y + down, one.add) for one in clicks]
        left = placed_mask(picture[..., 3] > 0, box, content.box)
        gone = (content.picture[..., 3] > 0) & ~left
        found = picked(content.picture, _nested(content.picture), there, steps, gone)
        mask: Chosen = placed_mask(found, content.box, box) & (picture[..., 3] > 0)
        return with_slivers(mask, picture[..., 3] > 0, [(one.x, one.y) for one in clicks if not one.add])

    return taken


def _nested(picture: Picture) -> Nested:
    return remembered("nested", picture, partial(nested, picture))


def _before_cuts(layers: LayerStore, layer: str) -> str:
    """The layer that another one is the rest of."""
    made = {one.id: one for one in layers.illustration.made}
    at = layer
    while at in made:
        one = made[at]
        is_rest = isinstance(one.derivation, Refilled) or (
            isinstance(one.derivation, Cut) and one.derivation.keeps == "left"
        )
        if not is_rest or one.of is None:
            break
        at = one.of
    return at


def divided(picture: Picture) -> Proposals:
    """Proposals for a picture, which are computed once."""
    return remembered("proposals", picture, partial(propose, picture))


Divide = Callable[[Picture], Proposals]
