"""What mends findings."""

import math
from abc import abstractmethod
from collections.abc import Callable
from dataclasses import field, replace
from typing import Annotated, Literal

from pydantic import Field, StrictInt
from pydantic.dataclasses import dataclass

from yuplet.arrangement.commands import Command
from yuplet.arrangement.commands.base import CONFIG, RowId, Touched
from yuplet.arrangement.taking import changed_parts, new_part, part_to_change, still_part
from yuplet.arrangement.tree import Arrangement
from yuplet.derivation.content import Content, Derived
from yuplet.derivation.cutting import cut_out, label_map, without
from yuplet.derivation.extending import extended
from yuplet.derivation.layer_store import LayerStore
from yuplet.derivation.merging import merged_pieces
from yuplet.derivation.overscan import widened
from yuplet.derivation.turning import turned
from yuplet.editing.art import art_of
from yuplet.editing.changing import RoundOff
from yuplet.editing.completing import opens, opens_after, turning_at
from yuplet.editing.edit import Edit, OfPart
from yuplet.editing.looking_over import SMALLEST, found_in
from yuplet.errors import CannotTakeOut
from yuplet.findings.doubles import turn_between
from yuplet.findings.findings import placed_as
from yuplet.findings.specks import crumbs, pinholes
from yuplet.framing.planes import covers
from yuplet.illustration.derived import Extension, Turned, Widened
from yuplet.parts.part import Frame, Part, Piece, still
from yuplet.rig.round_ends import limb_at
from yuplet.selecting.masks import hard_mask

LeastPixels = Annotated[int, Field(strict=True, ge=1, le=1_000_000)]
Reach = Literal["mirror", "repeat", "enlarge"]
Levels = Annotated[int, Field(strict=True, ge=0, le=64)]


class _Cleaning(OfPart):
    """What is done to the frames of a part (none named: to all of them), in those where there is something to do."""

    __slots__ = ()
    frames: tuple[int, ...]

    @abstractmethod
    def _cleaned(self, content: Content) -> Derived | None: ...

    def _step(self, before: Arrangement, layers: LayerStore, what: str) -> Command:
        part = part_to_change(before, self.row)
        new: list[Frame] = []
        changed = 0
        for index, frame in enumerate(part.frames):
            made = None
            if not self.frames or index in self.frames:
                layer, content = _as_one_layer(layers, frame)
                made = None if content is None else self._cleaned(content)
            if made is None:
                new.append(frame)
                continue
            changed += 1
            new.append(Frame((Piece(layers.add(layer() if layer else None, made)),), frame.milliseconds))
        if not changed:
            raise CannotTakeOut(
                "This finding no longer applies, or nothing else would be left. Nothing was changed. Check all parts again."
            )
        where = (
            f"'{part.name}'" if len(part.frames) == 1 else f"{changed} of {len(part.frames)} frames of '{part.name}'"
        )
        return changed_parts(before, [replace(part, frames=tuple(new))], f"{what} {where}")


def _as_one_layer(layers: LayerStore, frame: Frame) -> tuple[Callable[[], str] | None, Content | None]:
    """What names the layer that a frame is, and what it holds; of several pieces a layer is made."""
    pieces = frame.pieces
    if len(pieces) == 1 and pieces[0].opacity == 1:
        return lambda: pieces[0].layer, layers.content(pieces[0].layer)
    made = merged_pieces(layers, pieces)
    return (None, None) if made is None else (lambda: layers.add(None, made), made.content)


@dataclass(frozen=True, slots=True, config=CONFIG)
class SweepCrumbs(_Cleaning):
    """Take away pieces of less than `smallest` pixels that lie apart from the rest of a part."""

    row: RowId
    frames: tuple[StrictInt, ...] = ()
    smallest: LeastPixels = SMALLEST
    do: Literal["sweep-crumbs"] = field(default="sweep-crumbs", kw_only=True, repr=False)

    def prepared(self, before: Arrangement, layers: LayerStore) -> Command:
        return self._step(before, layers, "Sweep crumbs out of")

    def _cleaned(self, content: Content) -> Derived | None:
        swept = crumbs(content.picture, self.smallest)
        return without(content, swept) if swept.any() else None


@dataclass(frozen=True, slots=True, config=CONFIG)
class FillPinholes(_Cleaning):
    """Fill holes of less than `smallest` pixels in a part."""

    row: RowId
    frames: tuple[StrictInt, ...] = ()
    smallest: LeastPixels = SMALLEST
    do: Literal["fill-pinholes"] = field(default="fill-pinholes", kw_only=True, repr=False)

    def prepared(self, before: Arrangement, layers: LayerStore) -> Command:
        return self._step(before, layers, "Fill pinholes of")

    def _cleaned(self, content: Content) -> Derived | None:
        holes = pinholes(content.picture, self.smallest)
        if not holes.any():
            return None
        mask = hard_mask(holes)
        return extended(content, mask, Extension("", content.box, "flat"))


@dataclass(frozen=True, slots=True, config=CONFIG)
class KeepRest(Edit):
    """Make a part of what of a layer is in no part."""

    layer: RowId
    smallest: LeastPixels = SMALLEST
    do: Literal["keep-rest"] = field(default="keep-rest", kw_only=True, repr=False)

    @property
    def touched(self) -> Touched:
        return frozenset()

    def prepared(self, before: Arrangement, layers: LayerStore) -> Command:
        layer, read = self.layer, layers.illustration
        found = found_in(before, layers, self.smallest)
        finding = next((one for one in found if one.kind == "remainder" and one.layer == layer), None)
        content = layers.content(layer)
        if finding is None or finding.mask is None or content is None:
            raise CannotTakeOut("All of this layer is in parts (by now). Look again.")
        mask = hard_mask(finding.mask)
        made = layers.add(layer, cut_out(content, label_map(content.picture, [mask]), None).taken[0])
        name = next(one.name for one in read.leaves() if one.id == layer)
        part = Part(made, f"rest of {name}", still(made))
        group, index = None, len(before.rows)
        for around, other in before.parts():
            if any(layer in read.roots_of(one) for one in other.layers):
                # In front of the part behind all others of the same art: nothing of theirs is hidden.
                group, index = (around[-1].id if around else None), before.place(other.id)[1] + 1
                break
        return new_part(before, part, group, index, f"Make a part of the rest of '{name}'")


@dataclass(frozen=True, slots=True, config=CONFIG)
class ShareDrawing(Edit):
    """Let parts that are the same drawing be one image: that of the first, mirrored or turned for the others."""

    rows: tuple[RowId, ...]
    tolerance: Levels = 0
    do: Literal["share-drawing"] = field(default="share-drawing", kw_only=True, repr=False)

    @property
    def touched(self) -> Touched:
        return frozenset((row, "frames") for row in self.rows)

    def prepared(self, before: Arrangement, layers: LayerStore) -> Command:
        parts = [part_to_change(before, row) for row in self.rows]
        if len(parts) < 2 or not all(part.is_one_layer and len(part.frames) == 1 for part in parts):
            raise CannotTakeOut("One image can be made of two or more parts without frames that are one layer each.")
        first, *others = parts
        source = layers.content(first.pieces[0].layer)
        changed = []
        for part in others:
            own = layers.content(part.pieces[0].layer)
            turn = None if own is None or source is None else turn_between(source.picture, own.picture, self.tolerance)
            if own is None or source is None or turn is None:
                raise CannotTakeOut(
                    f"'{part.name}' is no longer the same drawing as '{first.name}'. Nothing was changed. Check all parts again."
                )
            about, offset = placed_as(source.box, own.box.moved(*part.offset), turn)
            layer = first.pieces[0].layer
            if turn != (False, 0):
                layer = layers.add(layer, turned(source, Turned(turn, about)))
            changed.append(replace(part, frames=still(layer), offset=offset))
        return changed_parts(before, changed, f"Share one image between {len(parts)} parts")


@dataclass(frozen=True, slots=True, config=CONFIG)
class ReachBeyond(OfPart):
    """Let a part go on beyond the view, as far as the camera's way needs: mirrored on, repeated, or all of it enlarged."""

    row: RowId
    how: Reach = "mirror"
    do: Literal["reach-beyond"] = field(default="reach-beyond", kw_only=True, repr=False)

    def prepared(self, before: Arrangement, layers: LayerStore) -> Command:
        part, read = still_part(before, self.row), layers.illustration
        lacking = next((one for one in covers(before, before.boxes(read), read.canvas) if one.row == self.row), None)
        left, right = (math.ceil(side or 0) for side in (lacking.left, lacking.right)) if lacking else (0, 0)
        if not left and not right:
            raise CannotTakeOut(
                f"'{part.name}' already covers the camera travel, or does not reach an edge of the view. Nothing was changed."
            )
        if self.how == "enlarge":
            # As far to either side, so that its middle stays.
            left = right = max(left, right)
        art = art_of(before, layers, self.row)
        made = widened(art.in_its_layer, Widened(self.how, left, right))
        layer = layers.add(art.layer_in(layers), made)
        what = {"mirror": "Mirror", "repeat": "Repeat", "enlarge": "Enlarge"}[self.how]
        changed = replace(part, frames=still(layer), beyond=True)
        return changed_parts(before, [changed], f"{what} '{part.name}' beyond the view")


@dataclass(frozen=True, slots=True, config=CONFIG)
class RoundJoint(OfPart):
    """Of a part and its parent, round off the one that lies behind about the pivot, beneath the other."""

    row: RowId
    do: Literal["round-joint"] = field(default="round-joint", kw_only=True, repr=False)

    def prepared(self, before: Arrangement, layers: LayerStore) -> Command:
        part = part_to_change(before, self.row)
        parent = before.parents().get(self.row)
        if parent is None or part.pivot is None:
            raise CannotTakeOut(f"'{part.name}' has no parent or no pivot. Nothing was changed. Set the joint first.")
        order = [one.id for _, one in before.parts()]
        behind = min(self.row, parent, key=order.index)
        radius = limb_at(art_of(before, layers, self.row).content, part.pivot).radius
        at = (float(part.pivot.x), float(part.pivot.y))
        rounded = RoundOff(behind, at, max(1.0, float(radius)))
        now = opens(turning_at(before, layers, self.row)[1])
        then = opens_after(before, layers, self.row, rounded)
        if not now:
            raise CannotTakeOut(
                f"Nothing opens at the joint of '{part.name}' when it turns by 30°, so nothing was changed."
            )
        if then is not None and then >= now:
            raise CannotTakeOut(
                f"Rounded off, the joint of '{part.name}' would open by {then} px when it turns by 30°, and not by {now} px as now. Nothing"
                " was changed. Grow the part behind under the other, or set the pivot nearer to the middle of the joint."
            )
        return rounded.prepared(before, layers)


@dataclass(frozen=True, slots=True, config=CONFIG)
class LayAsNormal(OfPart):
    """Lay a part with the mode 'normal'."""

    row: RowId
    do: Literal["lay-as-normal"] = field(default="lay-as-normal", kw_only=True, repr=False)

    def prepared(self, before: Arrangement, layers: LayerStore) -> Command:
        part = part_to_change(before, self.row)
        return changed_parts(before, [replace(part, blend="normal")], f"Set blend mode of '{part.name}' to normal")
