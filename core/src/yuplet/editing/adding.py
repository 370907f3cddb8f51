"""Parts that come of others or of nothing: mirror images, grounds, pictures."""

from dataclasses import KW_ONLY, field, replace
from typing import Annotated, Literal

from pydantic import Field, StrictBool, StrictStr
from pydantic.dataclasses import dataclass

from yuplet.arrangement.commands import Command
from yuplet.arrangement.commands.base import CONFIG, RowId, Touched
from yuplet.arrangement.taking import changed_parts, duplicated, new_part, part_to_change, still_part
from yuplet.arrangement.tree import Arrangement
from yuplet.derivation.colouring import backdrop
from yuplet.derivation.content import trimmed
from yuplet.derivation.layer_store import LayerStore
from yuplet.derivation.turning import turn_point, turned
from yuplet.editing.cutting import Colour
from yuplet.editing.edit import Edit, OfPart
from yuplet.errors import CannotTakeOut
from yuplet.geometry import Box, Point, Size
from yuplet.illustration.derived import Backdrop, Pasted, Turn, Turned
from yuplet.parts.part import Part, Role, part_box, still
from yuplet.pixels import Picture

Name = Annotated[str, Field(strict=True, max_length=255)]
Fraction = Annotated[float, Field(strict=True, ge=-1000, le=1000)]


@dataclass(frozen=True, slots=True, config=CONFIG)
class DuplicatePart(OfPart):
    """Make a part that is the same drawing as another one, mirrored left to right, if at all, then turned clockwise by quarters.

    It is turned about the middle of the canvas, the part's pivot, or its own middle.
    """

    row: RowId
    mirrored: StrictBool = False
    quarters: Annotated[int, Field(strict=True, ge=0, le=3)] = 0
    about: Literal["middle", "pivot", "itself"] = "itself"
    do: Literal["duplicate-part"] = field(default="duplicate-part", kw_only=True, repr=False)

    def prepared(self, before: Arrangement, layers: LayerStore) -> Command:
        turn = Turn(self.mirrored, self.quarters)
        part, read = part_to_change(before, self.row), layers.illustration
        box = part_box(part, read.boxes, read.canvas)
        if box is None:
            raise CannotTakeOut(f"'{part.name}' is empty, so there is nothing to duplicate.")
        if self.about == "pivot" and part.pivot is None:
            raise CannotTakeOut(f"'{part.name}' has no pivot. Round off its end, or mirror it about the middle.")
        middle = Point(read.canvas.width / 2, read.canvas.height / 2)
        x, y = {"middle": middle, "pivot": part.pivot or middle, "itself": box.centre}[self.about]
        centre = (x - part.offset[0], y - part.offset[1])
        made = {}
        if turn != Turn():
            for layer in sorted(part.layers):
                content = layers.content(layer)
                if content is not None:
                    made[layer] = layers.add(layer, turned(content, Turned(turn, centre)))
        pivot = part.pivot and turn_point(part.pivot, turn, (x, y))
        return duplicated(before, self.row, made, layers.fresh_row(), pivot, turn.mirrored)


@dataclass(frozen=True, slots=True, config=CONFIG)
class PutBackdrop(Edit):
    """Put a plain part as large as the canvas behind everything: one colour, or two, from the top row to the bottom one."""

    colours: Annotated[tuple[Colour, ...], Field(min_length=1, max_length=2)]
    do: Literal["put-backdrop"] = field(default="put-backdrop", kw_only=True, repr=False)

    @property
    def touched(self) -> Touched:
        return frozenset()

    def prepared(self, before: Arrangement, layers: LayerStore) -> Command:
        layer = layers.add(None, backdrop(layers.illustration.canvas, Backdrop(self.colours)))
        return new_part(before, Part(layer, "backdrop", still(layer)), None, 0, "Put a backdrop behind")


@dataclass(frozen=True, slots=True, config=CONFIG)
class PastePicture(Edit):
    """Make a part of a picture, in front of a row in whose middle it lies, or of everything.

    `picture` is what the picture is called that came with the command, `pivot` what the part turns about, as fractions of it.
    """

    picture: StrictStr
    name: Name
    row: RowId | None = None
    _: KW_ONLY
    pivot: tuple[Fraction, Fraction] | None = None
    role: Role = "picture"
    origin: Literal["file", "shelf"] = "file"
    do: Literal["paste-picture"] = field(default="paste-picture", kw_only=True, repr=False)

    @property
    def touched(self) -> Touched:
        return frozenset()

    @property
    def named(self) -> set[str]:
        return set()

    def prepared(self, before: Arrangement, layers: LayerStore) -> Command:
        picture, read = layers.handed_in(self.picture), layers.illustration
        group, index, around = None, len(before.rows), Box(0, 0, *read.canvas)
        if self.row is not None:
            group, index = before.place(self.row)
            _, beside = before.find(self.row)
            index += 1
            if isinstance(beside, Part):
                around = part_box(beside, read.boxes, read.canvas) or around
        box = _in_the_middle(picture, around)
        layer = _add(layers, picture, self.name, box)
        part = Part(layer, self.name, still(layer), role=self.role)
        if self.pivot is not None:
            x, y = self.pivot
            part = replace(part, pivot=Point(box.left + x * box.width, box.top + y * box.height))
        what = f"Add '{self.name}' as a part" if self.origin == "file" else f"Add '{self.name}' from the shelf"
        return new_part(before, part, group, index, what)


@dataclass(frozen=True, slots=True, config=CONFIG)
class SwapPicture(OfPart):
    """Let a part be another picture and keep all that was decided about it.

    A picture as large as the canvas lies on it as it is; any other one in the middle of where the part lay.
    """

    row: RowId
    picture: StrictStr
    name: Name
    do: Literal["swap-picture"] = field(default="swap-picture", kw_only=True, repr=False)

    def prepared(self, before: Arrangement, layers: LayerStore) -> Command:
        picture = layers.handed_in(self.picture)
        part, read = still_part(before, self.row), layers.illustration
        canvas = Box(0, 0, *read.canvas)
        is_whole = (picture.shape[1], picture.shape[0]) == read.canvas
        around = part_box(part, read.boxes, read.canvas) or canvas
        layer = _add(layers, picture, self.name, canvas if is_whole else _in_the_middle(picture, around))
        changed = replace(part, frames=still(layer), offset=(0, 0))
        return changed_parts(before, [changed], f"Swap picture of '{part.name}'")


def _in_the_middle(picture: Picture, around: Box) -> Box:
    height, width = picture.shape[:2]
    middle = around.centre
    return Box.at(round(middle.x - width / 2), round(middle.y - height / 2), Size(width, height))


def _add(layers: LayerStore, picture: Picture, name: str, box: Box) -> str:
    made = trimmed(picture, box, Pasted())
    if made is None:
        raise CannotTakeOut(f"'{name}' is empty, so there is nothing to make a part of.")
    return layers.add(None, made)
