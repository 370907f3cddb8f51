"""What becomes of the rows when art is taken out of a part: new parts directly in front of what is left of it."""

from collections.abc import Mapping, Sequence
from dataclasses import replace

from yuplet.arrangement import names
from yuplet.arrangement.commands import ReplaceRows
from yuplet.arrangement.naming.sides import mirror_pairs
from yuplet.arrangement.records import PutRow, to_record
from yuplet.arrangement.tree import Arrangement, PartGroup
from yuplet.errors import CannotTakeOut, Locked
from yuplet.geometry import Point
from yuplet.parts.part import Frame, Part, still


def part_to_change(arrangement: Arrangement, row_id: str) -> Part:
    """The part whose pixels are to be changed. Raises `NoSuchRow`, `Locked` or `CannotTakeOut`."""
    _, part = arrangement.find(row_id)
    if isinstance(part, PartGroup):
        raise CannotTakeOut(f"'{part.name}' is a group. Choose the part that the art is in.")
    if part.locked:
        raise Locked(part.name)
    return part


def still_part(arrangement: Arrangement, row_id: str) -> Part:
    """The same, if the part has no frames."""
    part = part_to_change(arrangement, row_id)
    if len(part.frames) > 1:
        raise CannotTakeOut(f"'{part.name}' has frames. Read them as parts first, and take out of each.")
    return part


def check_behind(arrangement: Arrangement, row_id: str, is_filled: bool) -> None:
    """Refuse to fill behind what is laid half-transparent or with a mode: the filling would be seen through it."""
    _, part = arrangement.find(row_id)
    if is_filled and (part.opacity < 1 or part.blend != "normal"):
        raise CannotTakeOut(
            f"'{part.name}' is not fully opaque with blend mode normal, so a fill behind would be visible. Set Fill behind to Nothing."
        )


def in_front_of(arrangement: Arrangement, row_id: str) -> list[Part]:
    """The parts in front of one that hide what is behind them: shown, included, laid as normal at full opacity, as are their groups."""
    found: list[Part] = []
    is_behind = True
    for around, row in arrangement.settled().walk():
        if row.id == row_id:
            is_behind = False
            continue
        plain = all(one.shown and one.opacity == 1 and one.blend == "normal" for one in (*around, row))
        if not is_behind and isinstance(row, Part) and plain and row.included:
            found.append(row)
    return found


def with_layer(arrangement: Arrangement, row_id: str, layer: str, what: str) -> ReplaceRows:
    """The step that lets a part of one layer be another layer."""
    _, part = arrangement.find(row_id)
    assert isinstance(part, Part)
    return changed_parts(arrangement, [replace(part, frames=still(layer))], what)


def changed_parts(arrangement: Arrangement, parts: Sequence[Part], what: str) -> ReplaceRows:
    """The step that puts parts in the place of those with the same ids."""
    put = []
    for part in parts:
        around, _ = arrangement.find(part.id)
        put.append(PutRow(to_record(part, around[-1].id if around else None), None))
    return ReplaceRows((), tuple(put), what)


def duplicated(
    arrangement: Arrangement, row_id: str, layers: Mapping[str, str], fresh: str, pivot: Point | None, is_mirrored: bool
) -> ReplaceRows:
    """The step that puts a part of other layers, like a mirror image, in front of the one that it is made of. A mirror image is carried
    by the twin of what carries the part, if that has one.

    `layers` is the layer that takes the place of each; `fresh` the id of the new part.
    """
    part = part_to_change(arrangement, row_id)
    frames = _of_layers(part, layers)
    name = names.other_side(part.name) if is_mirrored else part.name
    parent = (
        mirror_pairs(arrangement).get(part.parent, part.parent)
        if is_mirrored and part.parent is not None
        else part.parent
    )
    group, index = arrangement.place(row_id)
    what = f"{'Mirror' if is_mirrored else 'Duplicate'} '{part.name}'"
    return new_part(
        arrangement,
        replace(part, id=fresh, name=name, frames=frames, pivot=pivot, parent=parent),
        group,
        index + 1,
        what,
    )


def new_part(arrangement: Arrangement, part: Part, group: str | None, index: int, what: str) -> ReplaceRows:
    """The step that puts a new part in front of so many siblings; a name that cannot be is made fit."""
    siblings = arrangement.rows
    if group is not None:
        _, found = arrangement.find(group)
        assert isinstance(found, PartGroup)
        siblings = found.members
    name = names.usable(part.name, [row.name for row in siblings if isinstance(row, Part)], "part")
    return ReplaceRows((), (PutRow(to_record(replace(part, name=name), group), index),), what)


def with_layers(arrangement: Arrangement, layers: Mapping[str, str], what: str) -> ReplaceRows:
    """The step that puts other layers in the place of some, in every part that is of them. Raises `Locked`."""
    changed = []
    for _, part in arrangement.parts():
        if part.layers & set(layers):
            if part.locked:
                raise Locked(part.name)
            changed.append(replace(part, frames=_of_layers(part, layers)))
    return changed_parts(arrangement, changed, what)


def _of_layers(part: Part, layers: Mapping[str, str]) -> tuple[Frame, ...]:
    return tuple(
        replace(
            frame, pieces=tuple(replace(piece, layer=layers.get(piece.layer, piece.layer)) for piece in frame.pieces)
        )
        for frame in part.frames
    )


def parts_taken_out(
    arrangement: Arrangement,
    row_id: str,
    left: tuple[Frame, ...] | None,
    taken: Sequence[tuple[tuple[Frame, ...], str]],
    is_copy: bool = False,
) -> ReplaceRows:
    """The step that puts new parts in front of a part and lets that have what is left.

    Parameters
    ----------
    arrangement : Arrangement
    row_id : str
        The part that art is taken from.
    left : tuple of Frame, or None
        What is left of it; None when that is nothing, and then the part goes.
    taken : sequence of (tuple of Frame, str)
        The frames of each new part, back to front, and the name that is wished for; a name that cannot be is made fit.
    is_copy : bool
        Whether the art stays in the part as well.
    """
    around, part = arrangement.find(row_id)
    assert isinstance(part, Part)
    group = around[-1].id if around else None
    siblings = around[-1].members if around else arrangement.rows
    used = [row.name for row in siblings if isinstance(row, Part) and (left is not None or is_copy or row.id != row_id)]
    _, index = arrangement.place(row_id)
    put = []
    goes = left is None and not is_copy
    if not is_copy and left is not None:
        put.append(PutRow(to_record(replace(part, frames=left), group), None))
    for offset, (frames, wished) in enumerate(taken):
        name = names.usable(wished, used, "part")
        used.append(name)
        # What is taken out of a ground that is left out is wanted all the same.
        own = next(piece.layer for frame in frames for piece in frame.pieces)
        fresh = replace(part, id=own, name=name, frames=frames, pivot=None, included=True, margins=None)
        put.append(PutRow(to_record(fresh, group), index + offset + (0 if goes else 1)))
    what = f"'{taken[0][1]}'" if len(taken) == 1 else f"{len(taken)} parts"
    title = f"{'Copy' if is_copy else 'Take'} {what} out of '{part.name}'"
    return ReplaceRows((row_id,) if goes else (), tuple(put), title)
