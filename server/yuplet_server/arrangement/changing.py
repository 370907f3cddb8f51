"""Parts changed in place: beneath their neighbours, at their edges, in their colour."""

import inspect
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from django.db import transaction

from yuplet.arrangement.commands import ReplaceRows
from yuplet.arrangement.taking import (
    check_behind,
    in_front_of,
    still_part,
    with_layer,
    with_layers,
)
from yuplet.arrangement.tree import Arrangement as Tree
from yuplet.errors import CannotTakeOut
from yuplet.geometry import Box, Point
from yuplet.illustration.made import Colour, Dyed, Fill, Turn, Turned
from yuplet.illustration.records import from_record
from yuplet.parts.colouring import dyed
from yuplet.parts.cutting import without_added
from yuplet.parts.extending import Twin, grow_under, paint_under, round_off
from yuplet.parts.making import Made, placed_mask
from yuplet.parts.part import Part
from yuplet.parts.retouching import touch_up, with_sources
from yuplet.parts.turning import turned
from yuplet.selecting.gestures import Brush
from yuplet.selecting.marking import of_brush
from yuplet.selecting.masks import Chosen, combine
from yuplet_server.accounts.models import User
from yuplet_server.arrangement import queries
from yuplet_server.arrangement.actions import begin, take_step
from yuplet_server.arrangement.making import layer_of
from yuplet_server.illustrations.actions import keep_made
from yuplet_server.illustrations.models import Illustration
from yuplet_server.illustrations.queries import content_of, mask_of


@dataclass(frozen=True, slots=True)
class Change:
    """A part whose pixels are to be changed, and what the change needs to know."""

    illustration: Illustration
    before: Tree
    row: str

    @property
    def part(self) -> Part:
        return still_part(self.before, self.row)

    @property
    def art(self) -> queries.Art:
        return queries.art_of(self.illustration, self.row)

    def covered(self) -> Chosen:
        """Where the part can go on unseen."""
        check_behind(self.before, self.row, True)
        return queries.covered_by(self.illustration, in_front_of(self.before, self.row))

    def twin(self, row: str | None) -> Twin | None:
        """Another part mirrored across the middle of the canvas, as it lies where this part does; it becomes a layer."""
        if row is None:
            return None
        other, part = queries.art_of(self.illustration, row), self.part
        _, named = self.before.find(row)
        if other.offset[1] != part.offset[1]:
            raise CannotTakeOut(
                f"'{named.name}' and '{part.name}' were moved apart. Put them back at one height first."
            )
        width = queries.canvas_of(self.illustration).width
        across = (width - other.offset[0] - part.offset[0]) / 2
        made = turned(other.in_its_layer, Turned(Turn(True), (across, 0.0)))
        (layer,) = keep_made(self.illustration.revision, [(layer_of(self.illustration, other), made)])
        content = made.content
        return layer, replace(content, box=content.box.moved(*part.offset))

    def with_made(self, art: queries.Art, made: Made, what: str) -> ReplaceRows:
        """The step that gives the part what was made of it, which lies where the part does."""
        own = made.moved(-art.offset[0], -art.offset[1])
        (layer,) = keep_made(self.illustration.revision, [(layer_of(self.illustration, art), own)])
        return with_layer(self.before, self.row, layer, what)


def _grow_under(change: Change, by: int, fill: Fill = "onward", twin: str | None = None) -> ReplaceRows:
    art = change.art
    made = grow_under(art.content, by, change.covered(), fill, change.twin(twin))
    return change.with_made(art, made, f"Grow '{change.part.name}' under its neighbours by {by} px")


def _round_off(
    change: Change, at: tuple[float, float], radius: float, fill: Fill = "onward", twin: str | None = None
) -> ReplaceRows:
    art = change.art
    made = round_off(art.content, Point(*at), radius, change.covered(), fill, change.twin(twin))
    step = change.with_made(art, made, f"Round off '{change.part.name}'")
    # It turns about the middle of its round end, unless somebody has said otherwise.
    (put,) = step.put
    pivot = put.record.pivot or (float(at[0]), float(at[1]))
    return replace(step, put=(replace(put, record=replace(put.record, pivot=pivot)),))


def _paint_under(
    change: Change, strokes: Sequence[Brush], fill: Fill = "onward", twin: str | None = None
) -> ReplaceRows:
    art, covered = change.art, change.covered()
    height, width = covered.shape
    mask = np.zeros((height, width), np.uint8)
    for stroke in strokes:
        painted = of_brush(stroke.points, stroke.size, stroke.hardness, width, height)
        mask = combine(mask, painted, stroke.how)
    made = paint_under(art.content, mask, Box(0, 0, width, height), covered, fill, change.twin(twin))
    return change.with_made(art, made, f"Paint '{change.part.name}' on under its neighbours")


def _remove_added(change: Change) -> ReplaceRows:
    art = change.art
    covered = placed_mask(change.covered(), Box(0, 0, *queries.canvas_of(change.illustration)), art.box)
    made = without_added(art.content, covered)
    if made is None:
        raise CannotTakeOut("All of this part was filled in, so nothing would be left of it. Leave it out instead.")
    return change.with_made(art, made, f"Remove what was added to '{change.part.name}'")


def _touch_up(change: Change, strokes: Sequence[Brush]) -> ReplaceRows:
    part, revision = change.part, change.illustration.revision
    if not part.is_one_layer:
        raise CannotTakeOut("This part is of several layers, so there is no edge to touch up. Touch up each of them.")
    read = from_record(revision.record)
    x, y = part.offset
    moved = [replace(one, points=tuple((u - x, v - y) for u, v in one.points)) for one in strokes]
    used = {layer for _, other in change.before.parts() for layer in other.layers}
    found = touch_up(
        read.made,
        part.pieces[0].layer,
        moved,
        lambda layer: content_of(revision, read, layer),
        mask_of,
        used,
        read.canvas,
    )
    ids: dict[str, str] = {}
    for one in found:
        if one.made is None:
            raise CannotTakeOut("Nothing would be left of a part. Undo taking it out instead.")
        of = ids.get(one.of, one.of) if one.of is not None else None
        (ids[one.instead_of],) = keep_made(revision, [(of, with_sources(one.made, ids))])
    return with_layers(change.before, ids, f"Touch up the edge of '{part.name}'")


def _dye(change: Change, colour: Colour, shaded: bool) -> ReplaceRows:
    art = change.art
    made = dyed(art.content, Dyed(colour, shaded))
    how = "Recolour" if shaded else "Fill"
    return change.with_made(art, made, f"{how} '{change.part.name}'")


_CHANGES: dict[str, Callable[..., ReplaceRows]] = {
    "grow-under": _grow_under,
    "round-off": _round_off,
    "paint-under": _paint_under,
    "remove-added": _remove_added,
    "touch-up": _touch_up,
    "dye": _dye,
}
CHANGES = tuple(_CHANGES)
"""What can be done with the pixels of a part."""


@transaction.atomic
def change(illustration_id: int, user: User, version: int, row: str, what: str, **numbers: Any) -> None:
    """Change the pixels of a part, in one step; what is seen at rest stays as it is but for another colour.

    `what` is one of `CHANGES`, `numbers` what that needs. Raises as `take_out` does.
    """
    begun = begin(illustration_id, user, version, {(row, "frames"), (row, "offset")})
    take_step(begun.arrangement, user, step_of(begun.illustration, begun.before, row, what, **numbers))


def step_of(illustration: Illustration, before: Tree, row: str, what: str, **numbers: Any) -> ReplaceRows:
    """The step that changes the pixels of a part. Raises as `change` does."""
    made = _CHANGES[what]
    try:
        asked = inspect.signature(made).bind(Change(illustration, before, row), **numbers)
    except TypeError as error:
        raise CannotTakeOut(f"'{what}' is not complete: {error}.") from error
    return made(*asked.args, **asked.kwargs)
