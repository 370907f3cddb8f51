"""Parts changed in place: beneath their neighbours, at their edges, in their colour."""

from dataclasses import field, replace
from typing import Annotated, Literal, TypeAlias

import numpy as np
from pydantic import Field, StrictBool
from pydantic.dataclasses import dataclass

from yuplet.arrangement.commands import Command, ReplaceRows
from yuplet.arrangement.commands.base import CONFIG, RowId
from yuplet.arrangement.taking import check_behind, still_part, with_layer, with_layers
from yuplet.arrangement.tree import Arrangement
from yuplet.derivation.colouring import dyed
from yuplet.derivation.content import Derived
from yuplet.derivation.cutting import without_added
from yuplet.derivation.extending import MirrorSource, grow_under, paint_under, round_off
from yuplet.derivation.layer_store import LayerStore
from yuplet.derivation.retouching import touch_up, with_sources
from yuplet.derivation.turning import turned
from yuplet.editing.art import Art, art_of, covered_in
from yuplet.editing.cutting import Colour
from yuplet.editing.edit import OfPart
from yuplet.errors import CannotTakeOut
from yuplet.geometry import Box, Point
from yuplet.illustration.derived import Dyed, Turn, Turned
from yuplet.selecting.gestures import Number, Strokes
from yuplet.selecting.marking import of_brush
from yuplet.selecting.masks import Chosen, combine

Fill: TypeAlias = Literal["onward", "flat", "painted"] | Colour
"""How a part goes on: its colours and lines, its colours, colours and their slopes, or one colour."""


class _Changing(OfPart):
    """What all of these have in common: the part becomes another layer, under a title."""

    __slots__ = ()

    def _step(self, before: Arrangement, layers: LayerStore, art: Art, made: Derived, what: str) -> ReplaceRows:
        """The step that gives the part what was made of it, which lies where the part does."""
        own = made.moved(-art.offset[0], -art.offset[1])
        return with_layer(before, self.row, layers.add(art.layer_in(layers), own), what)


class _Extending(_Changing):
    """What goes on beneath others."""

    __slots__ = ()
    fill: Fill
    mirror_source: str | None

    def _covered(self, before: Arrangement, layers: LayerStore) -> Chosen:
        """Where the part can go on unseen."""
        check_behind(before, self.row, True)
        return covered_in(before, layers, self.row, Box(0, 0, *layers.illustration.canvas))

    def _mirror_source(self, before: Arrangement, layers: LayerStore) -> MirrorSource | None:
        """Another part mirrored across the middle of the canvas, as it lies where this part does; it becomes a layer."""
        if self.mirror_source is None:
            return None
        other, part = art_of(before, layers, self.mirror_source), still_part(before, self.row)
        _, named = before.find(self.mirror_source)
        if other.offset[1] != part.offset[1]:
            raise CannotTakeOut(
                f"'{named.name}' and '{part.name}' were moved apart. Put them back at one height first."
            )
        across = (layers.illustration.canvas.width - other.offset[0] - part.offset[0]) / 2
        made = turned(other.in_its_layer, Turned(Turn(True), (across, 0.0)))
        layer = layers.add(other.layer_in(layers), made)
        content = made.content
        return layer, replace(content, box=content.box.moved(*part.offset))


@dataclass(frozen=True, slots=True, config=CONFIG)
class GrowUnder(_Extending):
    """Let a part go on beneath opaque parts that lie over it, by up to so many pixels.

    With `mirror_source` pixels come from that part, mirrored across the middle of the canvas, where it has any.
    """

    row: RowId
    by: Annotated[int, Field(strict=True, ge=1, le=500)]
    fill: Fill = "onward"
    mirror_source: RowId | None = None
    do: Literal["grow-under"] = field(default="grow-under", kw_only=True, repr=False)

    def prepared(self, before: Arrangement, layers: LayerStore) -> Command:
        part, art = still_part(before, self.row), art_of(before, layers, self.row)
        made = grow_under(
            art.content, self.by, self._covered(before, layers), self.fill, self._mirror_source(before, layers)
        )
        return self._step(before, layers, art, made, f"Grow '{part.name}' under its neighbours by {self.by} px")


@dataclass(frozen=True, slots=True, config=CONFIG)
class RoundOff(_Extending):
    """Let a part end round beneath opaque parts that lie over it: a disc of a radius at a place of the canvas.

    It turns about the middle of its round end, unless somebody has said otherwise.
    """

    row: RowId
    at: tuple[Number, Number]
    radius: Annotated[float, Field(strict=True, ge=1, le=2000)]
    fill: Fill = "onward"
    mirror_source: RowId | None = None
    do: Literal["round-off"] = field(default="round-off", kw_only=True, repr=False)

    def prepared(self, before: Arrangement, layers: LayerStore) -> Command:
        part, art = still_part(before, self.row), art_of(before, layers, self.row)
        covered, mirror_source = self._covered(before, layers), self._mirror_source(before, layers)
        made = round_off(art.content, Point(*self.at), self.radius, covered, self.fill, mirror_source)
        step = self._step(before, layers, art, made, f"Round off '{part.name}'")
        (put,) = step.put
        pivot = put.record.pivot or (float(self.at[0]), float(self.at[1]))
        return replace(step, put=(replace(put, record=replace(put.record, pivot=pivot)),))


@dataclass(frozen=True, slots=True, config=CONFIG)
class PaintUnder(_Extending):
    """Let a part go on beneath opaque parts that lie over it, where strokes of a brush say."""

    row: RowId
    strokes: Strokes
    fill: Fill = "onward"
    mirror_source: RowId | None = None
    do: Literal["paint-under"] = field(default="paint-under", kw_only=True, repr=False)

    def prepared(self, before: Arrangement, layers: LayerStore) -> Command:
        part, art = still_part(before, self.row), art_of(before, layers, self.row)
        covered = self._covered(before, layers)
        height, width = covered.shape
        mask = np.zeros((height, width), np.uint8)
        for stroke in self.strokes:
            painted = of_brush(stroke.points, stroke.size, stroke.hardness, width, height)
            mask = combine(mask, painted, stroke.how)
        mirror_source = self._mirror_source(before, layers)
        made = paint_under(art.content, mask, Box(0, 0, width, height), covered, self.fill, mirror_source)
        return self._step(before, layers, art, made, f"Fill '{part.name}' under its neighbours")


@dataclass(frozen=True, slots=True, config=CONFIG)
class RemoveAdded(_Changing):
    """Take away what was filled in of a part."""

    row: RowId
    do: Literal["remove-added"] = field(default="remove-added", kw_only=True, repr=False)

    def prepared(self, before: Arrangement, layers: LayerStore) -> Command:
        part, art = still_part(before, self.row), art_of(before, layers, self.row)
        check_behind(before, self.row, True)
        covered = covered_in(before, layers, self.row, art.box)
        made = without_added(art.content, covered)
        if made is None:
            raise CannotTakeOut("All of this part was filled in, so nothing would be left of it. Leave it out instead.")
        return self._step(before, layers, art, made, f"Remove added pixels of '{part.name}'")


@dataclass(frozen=True, slots=True, config=CONFIG)
class TouchUp(OfPart):
    """Change the edge at which a part was taken out, by strokes of a brush: what one side gains the other loses."""

    row: RowId
    strokes: Strokes
    do: Literal["touch-up"] = field(default="touch-up", kw_only=True, repr=False)

    def prepared(self, before: Arrangement, layers: LayerStore) -> Command:
        part, read = still_part(before, self.row), layers.illustration
        if not part.is_one_layer:
            raise CannotTakeOut(
                "This part is of several layers, so there is no edge to touch up. Touch up each of them."
            )
        x, y = part.offset
        strokes = [replace(one, points=tuple((u - x, v - y) for u, v in one.points)) for one in self.strokes]
        used = {layer for _, other in before.parts() for layer in other.layers}
        found = touch_up(read.made, part.pieces[0].layer, strokes, layers.content, layers.mask, used, read.canvas)
        ids: dict[str, str] = {}
        for one in found:
            if one.made is None:
                raise CannotTakeOut("Nothing would be left of a part. Undo taking it out instead.")
            of = ids.get(one.of, one.of) if one.of is not None else None
            ids[one.instead_of] = layers.add(of, with_sources(one.made, ids))
        return with_layers(before, ids, f"Touch up edge of '{part.name}'")


@dataclass(frozen=True, slots=True, config=CONFIG)
class Dye(_Changing):
    """Give a part another colour, its alpha as it is; with `shaded` lighter and darker places stay so."""

    row: RowId
    colour: Colour
    shaded: StrictBool
    do: Literal["dye"] = field(default="dye", kw_only=True, repr=False)

    def prepared(self, before: Arrangement, layers: LayerStore) -> Command:
        part, art = still_part(before, self.row), art_of(before, layers, self.row)
        made = dyed(art.content, Dyed(self.colour, self.shaded))
        how = "Recolour" if self.shaded else "Fill"
        return self._step(before, layers, art, made, f"{how} '{part.name}'")
