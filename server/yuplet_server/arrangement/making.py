"""Changing what parts hold: the core says what becomes of the pixels, layers that are made of others keep it."""

import tempfile
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path, PurePath
from typing import Any

import numpy as np
from django.core.files import File
from django.db import transaction

from yuplet.arrangement import stacks
from yuplet.arrangement.commands import JoinRows, ReplaceRows, title, touched
from yuplet.arrangement.taking import (
    check_behind,
    duplicated,
    in_front_of,
    new_part,
    part_to_change,
    parts_taken_out,
    still_part,
    with_layer,
    with_layers,
)
from yuplet.arrangement.tree import Arrangement as Tree
from yuplet.errors import CannotJoin, CannotTakeOut, NothingChosen, NothingThere, TooLarge
from yuplet.geometry import Box, Point, Size
from yuplet.illustration.layers import laid
from yuplet.illustration.made import Backdrop, Behind, Colour, Dyed, Fill, Merged, Pasted, Turn, Turned
from yuplet.illustration.records import from_record
from yuplet.parts.colouring import backdrop, dyed
from yuplet.parts.cutting import owners, without_added
from yuplet.parts.cutting import take_out as core_take_out
from yuplet.parts.extending import Twin, grow_under, paint_under, round_off
from yuplet.parts.making import Made, placed_mask, trimmed
from yuplet.parts.merging import merged
from yuplet.parts.part import Frame, Part, Piece, part_box, still
from yuplet.parts.retouching import touch_up, with_sources
from yuplet.parts.turning import turn_point, turned
from yuplet.pixels import kernels
from yuplet.pixels.compositing import compose
from yuplet.pixels.scratch import Scratch
from yuplet.reading.files import read_illustration
from yuplet.selecting.gestures import HARD, Brush, Edge, Gesture, select
from yuplet.selecting.marking import of_brush
from yuplet.selecting.masks import Chosen, Mask, combine
from yuplet.selecting.regions import islands, rearranged, without_crumbs
from yuplet_server.accounts.models import User
from yuplet_server.arrangement import queries
from yuplet_server.arrangement.actions import locked, refuse_if_changed, take_step
from yuplet_server.illustrations.actions import keep_made
from yuplet_server.illustrations.models import Illustration
from yuplet_server.illustrations.queries import content_of, mask_of
from yuplet_server.project.errors import NotNow


@dataclass(frozen=True, slots=True)
class Wish:
    """A part that is to be taken out: the name wished for, the gestures that choose its art, and its edge."""

    name: str
    gestures: tuple[Gesture, ...]
    edge: Edge = HARD


@dataclass(frozen=True, slots=True)
class Separated:
    """Every separate piece of a part, or every region that is proposed when it is divided into so many.

    Each becomes a part, named by the part's own name and a number, but for those that are `joined` or `left_out`, by their
    numbers as `queries.islands_of` tells them.
    """

    gap: float = 0.0
    smallest: int = 1
    regions: int | None = None
    joined: Sequence[Sequence[int]] = ()
    left_out: Sequence[int] = ()


@transaction.atomic
def take_out(
    illustration_id: int,
    user: User,
    version: int,
    row: str,
    wanted: Sequence[Wish] | Separated,
    behind: Behind,
    is_copy: bool = False,
) -> list[str]:
    """Take art out of a part: new parts directly in front of what is left of it, in one step. Answers their rows.

    Raises `ChangedMeanwhile` when somebody else changed the part after `version`, `SelectionError` when the art cannot be
    taken out, and `ArrangementError`.
    """
    arrangement = locked(illustration_id)
    illustration = Illustration.objects.select_related("current").get(pk=illustration_id)
    refuse_if_changed(arrangement, user, version, {(row, "frames"), (row, "offset")})
    before = queries.tree_of(arrangement)
    part = part_to_change(before, row)
    check_behind(before, row, behind is not None)
    if isinstance(wanted, Separated):
        if len(part.frames) > 1:
            raise CannotTakeOut(f"'{part.name}' has frames. Read them as parts first, and take all pieces of each.")
        cuts = [_all_pieces(illustration, part, wanted, behind)]
    else:
        cuts = [_chosen(illustration, part, index, wanted, behind) for index in range(len(part.frames))]
    count = max(len(cut.taken) for cut in cuts)
    wished = [f"{part.name} {number + 1}" for number in range(count)]
    if not isinstance(wanted, Separated):
        wished = [wish.name for wish in wanted]
    if not wished:
        raise CannotTakeOut("The selection holds no art of this part. Choose some of it.")
    taken: list[list[Frame]] = [[] for _ in wished]
    left: list[Frame] = []
    for frame, cut in zip(part.frames, cuts, strict=True):
        made = [one for one in cut.taken if one is not None]
        layer = _layer_of(illustration, cut.art) if made and cut.art else None
        if cut.left is not None and made and not is_copy:
            made.append(cut.left)
        ids = iter(keep_made(illustration.revision, [(layer, one) for one in made]))
        for frames, own in zip(taken, cut.taken or [None] * len(wished), strict=True):
            frames.append(Frame((Piece(next(ids)),) if own is not None else (), frame.milliseconds))
        rest = next(ids, None)
        left.append(frame if layer is None else Frame((Piece(rest),) if rest else (), frame.milliseconds))
    for number, (frames, name) in enumerate(zip(taken, wished, strict=True), 1):
        if not any(frame.pieces for frame in frames):
            which = "The selection" if len(wished) == 1 else f"Number {number} of the selections ('{name}')"
            raise CannotTakeOut(f"{which} holds no art of this part. Choose some of it.")
    is_all = not any(frame.pieces for frame in left)
    if is_all and len(wished) == 1 and not is_copy:
        raise CannotTakeOut("This is all of the part, so nothing would be left of it. Rename the part instead.")
    named = [(tuple(frames), name) for frames, name in zip(taken, wished, strict=True)]
    step = parts_taken_out(before, row, None if is_all else tuple(left), named, is_copy)
    take_step(arrangement, user, step)
    return [one.record.id for one in step.put if one.index is not None]


@dataclass(frozen=True, slots=True)
class _Cut:
    """What is taken of one frame (None: nothing of that part), and what is left of it; no art where nothing is chosen."""

    art: queries.Art | None
    taken: Sequence[Made | None]
    left: Made | None


def _all_pieces(illustration: Illustration, part: Part, wanted: Separated, behind: Behind) -> _Cut:
    art = queries.art_of(illustration, part.id)
    if wanted.regions is not None:
        owner = art.divide(art.picture).parts_at(wanted.regions)
    else:
        owner = without_crumbs(islands(art.picture, gap=wanted.gap, smallest=wanted.smallest))
    count = int(owner.max())
    owner = rearranged(owner, wanted.joined, wanted.left_out)
    if count < 2 or not owner.any():
        raise CannotTakeOut(
            f"'{part.name}' is one piece, or all of it is left out. Choose a smaller gap, or take art out of it by hand."
        )
    found = core_take_out(art.in_its_layer, owner, behind)
    return _Cut(art, found.taken, found.left)


def _chosen(illustration: Illustration, part: Part, index: int, wanted: Sequence[Wish], behind: Behind) -> _Cut:
    """What wishes choose of one frame. In a frame of many nothing may be chosen."""
    try:
        art = queries.art_of(illustration, part.id, index)
    except NotNow:
        if len(part.frames) == 1:
            raise
        return _Cut(None, [], None)
    masks: list[Mask] = []
    for wish in wanted:
        try:
            masks.append(select(art.picture, art.box, wish.gestures, wish.edge, art.divide))
        except (NothingThere, NothingChosen):
            if len(part.frames) == 1:
                raise
            masks.append(np.zeros(art.picture.shape[:2], np.uint8))
    owner = owners(art.picture, masks)
    there = [number for number in range(1, len(masks) + 1) if (owner == number).any()]
    if not there:
        return _Cut(None, [], None)
    anew = np.zeros(len(masks) + 1, np.int32)
    anew[there] = np.arange(1, len(there) + 1)
    found = core_take_out(art.in_its_layer, anew[owner], behind, masks[0] if len(masks) == 1 else None)
    own = iter(found.taken)
    return _Cut(art, [next(own) if number in there else None for number in range(1, len(masks) + 1)], found.left)


def _layer_of(illustration: Illustration, art: queries.Art) -> str:
    """The layer that a part is; one of several becomes a layer of its own."""
    if art.layer is not None:
        return art.layer
    assert art.merged is not None
    (layer,) = keep_made(illustration.revision, [(None, art.merged)])
    return layer


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
        width = _size(self.illustration).width
        across = (width - other.offset[0] - part.offset[0]) / 2
        made = turned(other.in_its_layer, Turned(Turn(True), (across, 0.0)))
        (layer,) = keep_made(self.illustration.revision, [(_layer_of(self.illustration, other), made)])
        content = made.content
        return layer, replace(content, box=content.box.moved(*part.offset))

    def with_made(self, art: queries.Art, made: Made, what: str) -> ReplaceRows:
        """The step that gives the part what was made of it, which lies where the part does."""
        own = made.moved(-art.offset[0], -art.offset[1])
        (layer,) = keep_made(self.illustration.revision, [(_layer_of(self.illustration, art), own)])
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
    covered = placed_mask(change.covered(), Box(0, 0, *_size(change.illustration)), art.box)
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
    arrangement = locked(illustration_id)
    illustration = Illustration.objects.select_related("current").get(pk=illustration_id)
    refuse_if_changed(arrangement, user, version, {(row, "frames"), (row, "offset")})
    before = queries.tree_of(arrangement)
    try:
        step = _CHANGES[what](Change(illustration, before, row), **numbers)
    except TypeError as error:
        raise CannotTakeOut(f"'{what}' is not complete: {error}.") from error
    take_step(arrangement, user, step)


@transaction.atomic
def join(illustration_id: int, user: User, version: int, rows: Sequence[str]) -> None:
    """Make one part of several rows, or of each of several groups, in one step.

    What lies under one opacity or mode within them is laid together first. Raises `ArrangementError` and `ChangedMeanwhile`.
    """
    arrangement = locked(illustration_id)
    illustration = Illustration.objects.select_related("current").get(pk=illustration_id)
    command = JoinRows(tuple(rows))
    refuse_if_changed(arrangement, user, version, touched(command))
    before = queries.tree_of(arrangement)
    tree = before.settled()
    inner = stacks.to_be_merged(tree, rows)
    if not inner:
        take_step(arrangement, user, command)
        return
    read = from_record(illustration.revision.record)
    for one in inner:
        pieces = stacks.pieces_below(tree.find(one.id)[1])
        contents = {
            piece.layer: found
            for piece in pieces
            if (found := content_of(illustration.revision, read, piece.layer)) is not None
        }
        made = merged(contents, Merged(tuple((piece.layer, piece.opacity, piece.blend) for piece in pieces)))
        if made is None:
            raise CannotJoin(f"Nothing of '{one.name}' is seen, so there is nothing to join. Hide it first.")
        (layer,) = keep_made(illustration.revision, [(None, made)])
        read = from_record(illustration.revision.record)
        tree = stacks.as_one_layer(tree, one, layer)
    _, put = stacks.joined(tree, rows)
    leaving, _ = stacks.without(before, rows)
    take_step(arrangement, user, ReplaceRows(leaving, put, title(command, before)))


ABOUT = ("middle", "pivot", "itself")
"""What a part is mirrored or turned about: the middle of the canvas, its pivot, or its own middle."""


@transaction.atomic
def duplicate(illustration_id: int, user: User, version: int, row: str, turn: Turn, about: str) -> str:
    """Make a part that is the same drawing as another one, mirrored or turned, in one step. Answers its row.

    Raises as `take_out` does.
    """
    arrangement = locked(illustration_id)
    illustration = Illustration.objects.select_related("current").get(pk=illustration_id)
    refuse_if_changed(arrangement, user, version, {(row, "frames"), (row, "offset")})
    before = queries.tree_of(arrangement)
    part = part_to_change(before, row)
    read = from_record(illustration.revision.record)
    box = part_box(part, read.boxes, read.canvas)
    if box is None:
        raise CannotTakeOut(f"'{part.name}' is empty, so there is nothing to duplicate.")
    if about == "pivot" and part.pivot is None:
        raise CannotTakeOut(f"'{part.name}' has no pivot. Round off its end, or mirror it about the middle.")
    middle = Point(read.canvas.width / 2, read.canvas.height / 2)
    x, y = {"middle": middle, "pivot": part.pivot or middle, "itself": box.centre}[about]
    centre = (x - part.offset[0], y - part.offset[1])
    layers = {}
    if turn != Turn():
        for layer in sorted(part.layers):
            content = content_of(illustration.revision, read, layer)
            if content is not None:
                made = turned(content, Turned(turn, centre))
                (layers[layer],) = keep_made(illustration.revision, [(layer, made)])
    pivot = part.pivot and turn_point(part.pivot, turn, (x, y))
    fresh = f"d{arrangement.version + 1}"
    take_step(arrangement, user, duplicated(before, row, layers, fresh, pivot, turn.mirrored))
    return fresh


@transaction.atomic
def put_backdrop(illustration_id: int, user: User, version: int, colours: Sequence[Colour]) -> str:
    """Put a plain part as large as the canvas behind everything, in one step. Answers its row."""
    arrangement = locked(illustration_id)
    illustration = Illustration.objects.select_related("current").get(pk=illustration_id)
    before = queries.tree_of(arrangement)
    made = backdrop(_size(illustration), Backdrop(tuple(colours)))
    (layer,) = keep_made(illustration.revision, [(None, made)])
    take_step(
        arrangement, user, new_part(before, Part(layer, "backdrop", still(layer)), None, 0, "Put a backdrop behind")
    )
    return layer


MAX_PICTURE = 64 << 20
"""Bytes of a picture that becomes a part: it is read while somebody waits."""


@transaction.atomic
def add_picture(illustration_id: int, user: User, version: int, file: File[bytes], row: str | None) -> str:
    """Make a part of a picture, in front of a row in whose middle it lies, or of everything. Answers its row.

    Raises `ReadError` when it cannot be read, and `ArrangementError`.
    """
    name = PurePath(file.name or "picture")
    if file.size > MAX_PICTURE:
        raise TooLarge(
            f"'{name}' has {file.size >> 20} MiB; a picture that becomes a part has up to {MAX_PICTURE >> 20}."
        )
    arrangement = locked(illustration_id)
    illustration = Illustration.objects.select_related("current").get(pk=illustration_id)
    before = queries.tree_of(arrangement)
    canvas = _size(illustration)
    with tempfile.TemporaryDirectory() as folder, Scratch() as scratch:
        path = Path(folder, "picture")
        path.write_bytes(file.read())
        read, _ = read_illustration(path, scratch, file_name=name.name)
        picture = compose(laid(read.layers), read.canvas, scratch)
    kernels.clear_hidden_colour(picture)
    group, index, around = None, len(before.rows), Box(0, 0, *canvas)
    if row is not None:
        group, index = before.place(row)
        _, beside = before.find(row)
        index += 1
        if isinstance(beside, Part):
            kept = from_record(illustration.revision.record)
            around = part_box(beside, kept.boxes, canvas) or around
    height, width = picture.shape[:2]
    middle = around.centre
    box = Box.at(round(middle.x - width / 2), round(middle.y - height / 2), Size(width, height))
    made = trimmed(picture, box, Pasted())
    if made is None:
        raise CannotTakeOut(f"'{name}' is empty, so there is nothing to make a part of.")
    (layer,) = keep_made(illustration.revision, [(None, made)])
    part = Part(layer, name.stem, still(layer))
    take_step(arrangement, user, new_part(before, part, group, index, f"Add '{name.stem}' as a part"))
    return layer


def _size(illustration: Illustration) -> Size:
    return from_record(illustration.revision.record).canvas
