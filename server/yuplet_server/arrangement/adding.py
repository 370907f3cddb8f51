"""Parts that come of others or of nothing: several as one, mirror images, grounds, pictures."""

import tempfile
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path, PurePath

from django.core.files import File
from django.db import transaction

from yuplet.arrangement import stacks
from yuplet.arrangement.commands import JoinRows, ReplaceRows, title, touched
from yuplet.arrangement.taking import changed_parts, duplicated, new_part, part_to_change, still_part
from yuplet.errors import CannotJoin, CannotTakeOut, TooLarge
from yuplet.geometry import Box, Point, Size
from yuplet.illustration.layers import laid
from yuplet.illustration.made import Backdrop, Colour, Pasted, Turn, Turned
from yuplet.illustration.records import from_record
from yuplet.parts.colouring import backdrop
from yuplet.parts.making import trimmed
from yuplet.parts.part import Part, Role, part_box, still
from yuplet.parts.turning import turn_point, turned
from yuplet.pixels import Picture, kernels
from yuplet.pixels.compositing import compose
from yuplet.pixels.scratch import Scratch
from yuplet.reading.files import read_illustration
from yuplet_server.accounts.models import User
from yuplet_server.arrangement import queries
from yuplet_server.arrangement.actions import Begun, begin, take_step
from yuplet_server.illustrations.actions import keep_made
from yuplet_server.illustrations.queries import content_of
from yuplet_server.jobs import apart


@transaction.atomic
def join(illustration_id: int, user: User, version: int, rows: Sequence[str]) -> None:
    """Make one part of several rows, or of each of several groups, in one step.

    What lies under one opacity or mode within them is laid together first. Raises `ArrangementError` and `ChangedMeanwhile`.
    """
    command = JoinRows(tuple(rows))
    begun = begin(illustration_id, user, version, touched(command))
    illustration, before = begun.illustration, begun.before
    tree = before.settled()
    inner = stacks.to_be_merged(tree, rows)
    if not inner:
        take_step(begun.arrangement, user, command)
        return
    read = from_record(illustration.revision.record)
    for one in inner:
        pieces = stacks.pieces_below(tree.find(one.id)[1])
        made = queries.laid_together(illustration, read, pieces)
        if made is None:
            raise CannotJoin(f"Nothing of '{one.name}' is seen, so there is nothing to join. Hide it first.")
        (layer,) = keep_made(illustration.revision, [(None, made)])
        read = from_record(illustration.revision.record)
        tree = stacks.as_one_layer(tree, one, layer)
    _, put = stacks.joined(tree, rows)
    leaving, _ = stacks.without(before, rows)
    take_step(begun.arrangement, user, ReplaceRows(leaving, put, title(command, before)))


ABOUT = ("middle", "pivot", "itself")
"""What a part is mirrored or turned about: the middle of the canvas, its pivot, or its own middle."""


@transaction.atomic
def duplicate(illustration_id: int, user: User, version: int, row: str, turn: Turn, about: str) -> str:
    """Make a part that is the same drawing as another one, mirrored or turned, in one step. Answers its row.

    Raises as `take_out` does.
    """
    begun = begin(illustration_id, user, version, {(row, "frames"), (row, "offset")})
    illustration, before = begun.illustration, begun.before
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
    fresh = f"d{begun.arrangement.version + 1}"
    take_step(begun.arrangement, user, duplicated(before, row, layers, fresh, pivot, turn.mirrored))
    return fresh


@transaction.atomic
def put_backdrop(illustration_id: int, user: User, version: int, colours: Sequence[Colour]) -> str:
    """Put a plain part as large as the canvas behind everything, in one step. Answers its row."""
    begun = begin(illustration_id, user, version)
    illustration, before = begun.illustration, begun.before
    made = backdrop(queries.canvas_of(illustration), Backdrop(tuple(colours)))
    (layer,) = keep_made(illustration.revision, [(None, made)])
    take_step(
        begun.arrangement,
        user,
        new_part(before, Part(layer, "backdrop", still(layer)), None, 0, "Put a backdrop behind"),
    )
    return layer


MAX_PICTURE = 64 << 20
"""Bytes of a picture that becomes a part: it is read while somebody waits."""


def add_picture(illustration_id: int, user: User, version: int, file: File[bytes], row: str | None) -> str:
    """Make a part of a picture, in front of a row in whose middle it lies, or of everything. Answers its row.

    Raises `ReadError` when it cannot be read, and `ArrangementError`.
    """
    # Read before the lock is held, where it can be stopped: others need not wait for it.
    name, picture = _read(file)
    with transaction.atomic():
        return paste(begin(illustration_id, user, version), user, picture, name, row, f"Add '{name}' as a part")


def swap_picture(illustration_id: int, user: User, version: int, file: File[bytes], row: str) -> str:
    """Let a part be another picture and keep all that was decided about it. Answers its row.

    A picture as large as the canvas lies on it as it is; any other one in the middle of where the part lay. Raises as
    `add_picture` does.
    """
    name, picture = _read(file)
    with transaction.atomic():
        return _swap(illustration_id, user, version, name, picture, row)


def _swap(illustration_id: int, user: User, version: int, name: str, picture: Picture, row: str) -> str:
    begun = begin(illustration_id, user, version, {(row, "frames"), (row, "offset")})
    part = still_part(begun.before, row)
    read = from_record(begun.illustration.revision.record)
    around = part_box(part, read.boxes, read.canvas) or Box(0, 0, *read.canvas)
    whole = (picture.shape[1], picture.shape[0]) == read.canvas
    layer = _keep(begun, picture, name, Box(0, 0, *read.canvas) if whole else _in_the_middle(picture, around))
    changed = replace(part, frames=still(layer), offset=(0, 0))
    take_step(begun.arrangement, user, changed_parts(begun.before, [changed], f"Swap the picture of '{part.name}'"))
    return row


def paste(
    begun: Begun,
    user: User,
    picture: Picture,
    name: str,
    row: str | None,
    what: str,
    pivot: tuple[float, float] | None = None,
    role: Role = "picture",
) -> str:
    """Put a picture in as a part, in front of a row in whose middle it lies, or of everything; `pivot` as fractions of it."""
    canvas = queries.canvas_of(begun.illustration)
    group, index, around = None, len(begun.before.rows), Box(0, 0, *canvas)
    if row is not None:
        group, index = begun.before.place(row)
        _, beside = begun.before.find(row)
        index += 1
        if isinstance(beside, Part):
            kept = from_record(begun.illustration.revision.record)
            around = part_box(beside, kept.boxes, canvas) or around
    box = _in_the_middle(picture, around)
    layer = _keep(begun, picture, name, box)
    part = Part(layer, name, still(layer), role=role)
    if pivot is not None:
        part = replace(part, pivot=Point(box.left + pivot[0] * box.width, box.top + pivot[1] * box.height))
    take_step(begun.arrangement, user, new_part(begun.before, part, group, index, what))
    return layer


def _read(file: File[bytes]) -> tuple[str, Picture]:
    """What a picture is called, and its pixels as it looks. Raises `ReadError`."""
    name = PurePath(file.name or "picture")
    if file.size > MAX_PICTURE:
        raise TooLarge(
            f"'{name}' has {file.size >> 20} MiB; a picture that becomes a part has up to {MAX_PICTURE >> 20}."
        )
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder, "picture")
        path.write_bytes(file.read())
        return name.stem, apart.ask("a picture", _looks_of, path, name.name)


def _looks_of(path: Path, file_name: str) -> Picture:
    """The pixels of a file as it looks. Raises `ReadError`."""
    with Scratch() as scratch:
        read, _ = read_illustration(path, scratch, file_name=file_name)
        picture = compose(laid(read.layers), read.canvas, scratch)
    kernels.clear_hidden_colour(picture)
    return picture


def _in_the_middle(picture: Picture, around: Box) -> Box:
    height, width = picture.shape[:2]
    middle = around.centre
    return Box.at(round(middle.x - width / 2), round(middle.y - height / 2), Size(width, height))


def _keep(begun: Begun, picture: Picture, name: str, box: Box) -> str:
    made = trimmed(picture, box, Pasted())
    if made is None:
        raise CannotTakeOut(f"'{name}' is empty, so there is nothing to make a part of.")
    (layer,) = keep_made(begun.illustration.revision, [(None, made)])
    return layer
