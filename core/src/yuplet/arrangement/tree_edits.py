"""Stacks read another way: siblings as frames of one part or as one part of several layers, and back.

Every function answers which rows leave and which come in their place.
"""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import TypeAlias

from yuplet.arrangement import names
from yuplet.arrangement.records import PutRow, to_record
from yuplet.arrangement.tree import Arrangement, PartGroup, Row
from yuplet.errors import CannotJoin, Locked, NotFrames
from yuplet.parts.part import Frame, Part, Piece

Replacement: TypeAlias = tuple[tuple[str, ...], tuple[PutRow, ...]]


def as_frames(arrangement: Arrangement, row_ids: Sequence[str]) -> Replacement:
    """Siblings, or the members of a group, as the frames of one part. Raises `NotFrames`."""
    if not row_ids:
        raise NotFrames("No rows were named. Choose a group, or the parts of one group.")
    found = [arrangement.find(row_id) for row_id in row_ids]
    around, row = found[0]
    taken: tuple[Row, ...]
    if len(found) == 1 and isinstance(row, PartGroup):
        members, taken, part_id, name = row.members, (row,), row.id, row.name
        state = row
    else:
        siblings = around[-1].members if around else arrangement.rows
        chosen = set(row_ids)
        members = tuple(sibling for sibling in siblings if sibling.id in chosen)
        if len(members) < len(chosen):
            raise NotFrames("The rows are in different groups. Choose the parts of one group.")
        taken, part_id, name = members, _free_id(arrangement, f"f{members[0].id}"), members[0].name
        state = PartGroup(part_id, name)
    if len(members) < 2:
        raise NotFrames(f"'{name}' is one picture only. A stack of frames has two or more.")
    frames = tuple(_frame(member) for member in members)
    part = Part(part_id, name, frames, shown=state.shown, included=True, opacity=state.opacity, blend=state.blend)
    inside, at = arrangement.place(taken[0].id)
    leaving = [inner.id for one in taken for inner in (one, *_below(one))]
    record = to_record(part, inside)
    return tuple(leaving), (PutRow(record, at),)


def as_parts(arrangement: Arrangement, row_id: str) -> Replacement:
    """The frames of a part as parts in a group. Raises `NotFrames`."""
    _, part = arrangement.find(row_id)
    if isinstance(part, PartGroup) or len(part.frames) < 2:
        raise NotFrames(f"'{part.name}' has no frames. Choose an animated part.")
    inside, at = arrangement.place(part.id)
    group = PartGroup(part.id, part.name, (), shown=part.shown, opacity=part.opacity, blend=part.blend)
    put = [PutRow(to_record(group, inside), at)]
    digits = len(str(len(part.frames)))
    used = {row.id for _, row in arrangement.walk()}
    for index, frame in enumerate(part.frames):
        wanted = frame.pieces[0].layer if len(frame.pieces) == 1 else f"{part.id}.{index + 1}"
        own_id = wanted if wanted not in used else _free_id(arrangement, f"{part.id}.{index + 1}")
        used.add(own_id)
        member = Part(
            own_id, f"{part.name} {index + 1:0{digits}}", (Frame(frame.pieces, frame.milliseconds),), shown=index == 0,
            included=part.included, offset=part.offset,
        )  # fmt: skip
        put.append(PutRow(to_record(member, part.id), index))
    return (part.id,), tuple(put)


def _frame(row: Row) -> Frame:
    """What is seen of a row, as one moment."""
    if isinstance(row, Part):
        if row.locked:
            raise Locked(row.name)
        if len(row.frames) > 1:
            raise NotFrames(f"'{row.name}' has frames of its own. Read them as parts first.")
        if row.offset != (0, 0):
            raise NotFrames(f"'{row.name}' was moved from where it was drawn. Put it back first.")
        if len(row.pieces) > 1 and (row.opacity < 1 or row.blend != "normal"):
            raise NotFrames(f"'{row.name}' has several layers under one opacity or mode. Merge them in the art first.")
        pieces = tuple(
            replace(
                piece, opacity=piece.opacity * row.opacity, blend=row.blend if len(row.pieces) == 1 else piece.blend
            )
            for piece in row.pieces
        )
        return Frame(pieces, row.frames[0].milliseconds)
    pieces_of: list[Piece] = []
    for member in row.members:
        if isinstance(member, PartGroup) and (member.opacity < 1 or member.blend != "normal" or member.isolated):
            raise NotFrames(f"The group '{member.name}' has an opacity or mode of its own. Merge it in the art first.")
        if member.shown:
            pieces_of += _frame(member).pieces
    if len(pieces_of) == 1 and pieces_of[0].blend == "normal":
        (only,) = pieces_of
        return Frame((replace(only, opacity=only.opacity * row.opacity, blend=row.blend),))
    is_apart = row.isolated and any(piece.blend != "normal" for piece in pieces_of)
    if row.opacity < 1 or row.blend != "normal" or is_apart:
        raise NotFrames(f"The group '{row.name}' has an opacity or mode of its own. Merge it in the art first.")
    return Frame(tuple(pieces_of))


def joined(arrangement: Arrangement, row_ids: Sequence[str]) -> Replacement:
    """Siblings as one part of several layers; of groups alone, a part each. Raises `CannotJoin`."""
    rows = [arrangement.find(row_id)[1] for row_id in row_ids]
    if not rows:
        raise CannotJoin("No rows were named. Choose a group, or two or more rows of one group.")
    if all(isinstance(row, PartGroup) for row in rows):
        inside = {inner.id for row in rows for inner in _below(row)}
        if inside & set(row_ids):
            raise CannotJoin("One of the groups is in another one. Choose the outer one alone.")
        return _each_group_one(arrangement, [row for row in rows if isinstance(row, PartGroup)])
    around, first = arrangement.find(row_ids[0])
    siblings = around[-1].members if around else arrangement.rows
    members = [row for row in siblings if row.id in set(row_ids)]
    if len(members) < len(set(row_ids)):
        raise CannotJoin("The rows are in different groups. Choose rows of one group.")
    if len(members) < 2:
        raise CannotJoin(f"'{first.name}' is one part already. Choose two or more.")
    part = _one_part(_free_id(arrangement, f"j{members[0].id}"), members[-1].name, members)
    front = siblings.index(members[-1]) - len(members) + 1
    leaving = tuple(inner.id for row in members for inner in (row, *_below(row)))
    return leaving, (PutRow(to_record(part, around[-1].id if around else None), front),)


def to_be_merged(arrangement: Arrangement, row_ids: Sequence[str]) -> list[Row]:
    """What one part cannot hold as it is: several layers under one opacity or mode. Innermost first.

    Each must become one layer before rows can be joined. Groups that become a part each keep their own opacity and mode.
    """
    rows = [arrangement.find(row_id)[1] for row_id in row_ids]
    are_groups = all(isinstance(row, PartGroup) for row in rows)
    found: list[Row] = []

    def below(row: Row, is_outermost: bool) -> None:
        if not row.shown and not is_outermost:
            return
        has_state = row.opacity < 1 or row.blend != "normal"
        if isinstance(row, PartGroup):
            for member in row.members:
                below(member, False)
            has_state |= row.isolated and any(member.blend != "normal" for member in row.members)
            if has_state and not (is_outermost and are_groups) and any(member.shown for member in row.members):
                found.append(row)
        elif has_state and len(row.frames) == 1 and len(row.pieces) > 1:
            found.append(row)

    for row in rows:
        below(row, True)
    return found


def pieces_below(row: Row) -> tuple[Piece, ...]:
    """What is seen of a row as pieces, without its own opacity and mode. Raises `CannotJoin`."""
    plain = replace(row, opacity=1.0, blend="normal")
    return _one_part(
        row.id, row.name, [replace(plain, isolated=False) if isinstance(plain, PartGroup) else plain]
    ).pieces


def as_one_layer(arrangement: Arrangement, row: Row, layer: str) -> Arrangement:
    """The arrangement with a part of one layer in the place of a row, under the same opacity and mode."""
    part = Part(
        row.id,
        row.name,
        (Frame((Piece(layer),)),),
        shown=row.shown,
        included=True,
        opacity=row.opacity,
        blend=row.blend,
    )
    return arrangement.changed(lambda other: part if other.id == row.id else other)


def _each_group_one(arrangement: Arrangement, groups: list[PartGroup]) -> Replacement:
    leaving: list[str] = []
    put: list[PutRow] = []
    for group in groups:
        part = _one_part(group.id, group.name, list(group.members))
        part = replace(part, shown=group.shown, opacity=group.opacity, blend=group.blend)
        inside, at = arrangement.place(group.id)
        leaving += [inner.id for inner in (group, *_below(group))]
        put.append(PutRow(to_record(part, inside), at))
    # Siblings in the order in which they lie, so that each finds its place.
    put.sort(key=lambda one: one.index or 0)
    return tuple(leaving), tuple(put)


def _one_part(part_id: str, name: str, members: list[Row]) -> Part:
    """What is shown of rows as one part. Raises `CannotJoin` where they hold what one part cannot."""
    try:
        pieces = tuple(piece for row in members if row.shown for piece in _frame(row).pieces)
    except NotFrames as error:
        raise CannotJoin(str(error)) from error
    if not pieces:
        raise CannotJoin(f"Nothing of '{name}' is shown, so there would be nothing in the part. Show it first.")
    return Part(part_id, name, (Frame(pieces),))


def split(arrangement: Arrangement, row_ids: Sequence[str]) -> Replacement:
    """A part for each layer of parts that have several, in groups. Raises `CannotJoin`."""
    leaving: list[str] = []
    put: list[PutRow] = []
    for row_id in row_ids:
        _, part = arrangement.find(row_id)
        if isinstance(part, PartGroup) or len(part.frames) > 1 or len(part.pieces) < 2:
            raise CannotJoin(
                f"'{part.name}' has one layer, or is a group or an animation. Choose a part of several layers."
            )
        inside, at = arrangement.place(part.id)
        leaving.append(part.id)
        group = PartGroup(part.id, part.name, (), shown=part.shown, opacity=part.opacity, blend=part.blend)
        put.append(PutRow(to_record(group, inside), at))
        used = {row.id for _, row in arrangement.walk()}
        for index, piece in enumerate(part.pieces):
            own = piece.layer if piece.layer not in used else _free_id(arrangement, f"{part.id}.{index + 1}")
            used.add(own)
            frames = (Frame((Piece(piece.layer),)),)
            member = Part(
                own,
                f"{part.name} {index + 1}",
                frames,
                shown=True,
                included=part.included,
                opacity=piece.opacity,
                blend=piece.blend,
                offset=part.offset,
            )
            put.append(PutRow(to_record(member, part.id), index))
    return tuple(leaving), tuple(put)


def as_alternates(arrangement: Arrangement, row_ids: Sequence[str]) -> Replacement:
    """Siblings in a group of their own, or the members of one group, as alternates; the front-most that is shown stays so.

    What turns about nothing yet gets the pivot of the first that has one, so that all turn about the same. Raises
    `CannotJoin`.
    """
    rows = [arrangement.find(row_id)[1] for row_id in row_ids]
    if not rows:
        raise CannotJoin("No rows were named. Choose a group, or two or more rows of one group.")
    leaving: tuple[str, ...] = ()
    put: list[PutRow] = []
    if len(rows) == 1 and isinstance(rows[0], PartGroup):
        group = rows[0]
        members = group.members
        inside, _ = arrangement.place(group.id)
    else:
        around, _ = arrangement.find(row_ids[0])
        siblings = around[-1].members if around else arrangement.rows
        members = tuple(row for row in siblings if row.id in set(row_ids))
        if len(members) < len(set(row_ids)):
            raise CannotJoin("The rows are in different groups. Choose rows of one group.")
        taken = [row.name for row in siblings if isinstance(row, PartGroup) and row not in members]
        # Alternates whose members are groups are looks.
        wished = "looks" if all(isinstance(row, PartGroup) for row in members) else members[0].name
        group = PartGroup(_free_id(arrangement, f"a{members[0].id}"), names.usable(wished, taken, "group"), members)
        inside = around[-1].id if around else None
        leaving = tuple(inner.id for row in members for inner in (row, *_below(row)))
    if len(members) < 2:
        raise CannotJoin(f"'{group.name}' has one member only. Alternates are two or more.")
    if any(isinstance(row, Part) and row.locked for row in members):
        raise Locked(next(row.name for row in members if isinstance(row, Part) and row.locked))
    shown = next((row.id for row in reversed(members) if row.shown), members[-1].id)
    pivot = next((row.pivot for row in members if isinstance(row, Part) and row.pivot is not None), None)
    at = siblings.index(members[0]) if leaving else None
    put.append(PutRow(to_record(replace(group, alternate=shown), inside), at))
    turning = [replace(row, pivot=row.pivot or pivot) if isinstance(row, Part) else row for row in members]
    put += _put_in(turning, group.id, 0) if leaving else [PutRow(to_record(row, group.id), None) for row in turning]
    return leaving, tuple(put)


def grouped(arrangement: Arrangement, row_ids: Sequence[str]) -> Replacement:
    """Siblings in a group of their own, where the front-most of them lay. Raises `CannotJoin`."""
    if not row_ids:
        raise CannotJoin("No rows were named. Choose rows of one group.")
    around, _ = arrangement.find(row_ids[0])
    siblings = around[-1].members if around else arrangement.rows
    members = tuple(row for row in siblings if row.id in set(row_ids))
    if len(members) < len(set(row_ids)):
        raise CannotJoin("The rows are in different groups. Choose rows of one group.")
    taken = [row.name for row in siblings if isinstance(row, PartGroup) and row not in members]
    group = PartGroup(_free_id(arrangement, f"g{members[0].id}"), names.usable("group", taken, "group"))
    at = siblings.index(members[-1]) - len(members) + 1
    leaving = tuple(inner.id for row in members for inner in (row, *_below(row)))
    return leaving, (PutRow(to_record(group, around[-1].id if around else None), at), *_put_in(members, group.id, 0))


def ungrouped(arrangement: Arrangement, row_ids: Sequence[str]) -> Replacement:
    """The members of groups in the place of those. Raises `CannotJoin` where the picture would change."""
    for row_id in row_ids:
        arrangement.find(row_id)
    leaving: list[str] = []
    put: list[PutRow] = []
    more: dict[str | None, int] = {}
    in_order = [row.id for _, row in arrangement.walk() if row.id in set(row_ids)]
    for row_id in in_order:
        around, group = arrangement.find(row_id)
        if not isinstance(group, PartGroup):
            raise CannotJoin(f"'{group.name}' is no group.")
        if {row.id for row in around} & set(row_ids):
            raise CannotJoin("One of the groups is in another one. Choose one of them.")
        if group.opacity < 1 or group.blend != "normal" or group.isolated or group.alternate is not None:
            raise CannotJoin(
                f"The group '{group.name}' has an opacity or mode of its own, or holds alternates: without it the picture would"
                " be another one."
            )
        siblings = [row for row in (around[-1].members if around else arrangement.rows) if row.id not in set(row_ids)]
        used: dict[type[Row], list[str]] = {
            kind: [row.name for row in siblings if isinstance(row, kind)] for kind in (Part, PartGroup)
        }
        fresh = []
        for member in group.members:
            if isinstance(member, Part) and member.locked:
                raise Locked(member.name)
            name = names.usable(member.name, used[type(member)])
            used[type(member)].append(name)
            fresh.append(replace(member, name=name, shown=member.shown and group.shown))
        leaving += [inner.id for inner in (group, *_below(group))]
        inside, at = arrangement.place(row_id)
        # Groups that went before gave way to their members.
        put += _put_in(tuple(fresh), inside, at + more.get(inside, 0))
        more[inside] = more.get(inside, 0) + len(fresh) - 1
    return tuple(leaving), tuple(put)


def _put_in(rows: Sequence[Row], group: str | None, first: int) -> list[PutRow]:
    """Rows with all that is in them, put in behind each other from a place of a group on."""
    found = []
    for index, row in enumerate(rows, first):
        found.append(PutRow(to_record(row, group), index))
        found += [PutRow(to_record(inner, owner), number) for inner, owner, number in _inside(row)]
    return found


def no_alternates(arrangement: Arrangement, row_id: str) -> Replacement:
    """A set of alternates as a plain group, what was seen of it still seen. Raises `CannotJoin`."""
    _, group = arrangement.find(row_id)
    if not isinstance(group, PartGroup) or group.alternate is None:
        raise CannotJoin(f"'{group.name}' is no set of alternates.")
    inside, _ = arrangement.place(row_id)
    put = [PutRow(to_record(replace(group, alternate=None), inside), None)]
    for member in group.members:
        shown = member.id == group.shown_alternate
        put.append(PutRow(to_record(replace(member, shown=shown), group.id), None))
    return (), tuple(put)


def carrying_on(arrangement: Arrangement, remove: Sequence[str], put: Sequence[PutRow]) -> tuple[PutRow, ...]:
    """The same, with what is known of the parts that leave kept by the one part that comes in their place.

    It turns about what the front-most of them turned about, is carried by what carried that one, and carries what they carried.
    Of several that come, each has what its own members had.
    """
    leaving = set(remove)
    heirs: dict[str, str] = {}
    for one in put:
        ids = {piece.layer for frame in one.record.frames for piece in frame.pieces}
        for _, part in arrangement.parts():
            if part.id in leaving and part.layers & ids:
                heirs[part.id] = one.record.id
    parts, parents = {part.id: part for _, part in arrangement.parts()}, arrangement.parents()
    result = []
    for one in put:
        owned = [parts[row] for row, heir in heirs.items() if heir == one.record.id]
        ids = {part.id for part in owned}
        carriers = [
            heirs.get(part.parent, part.parent)
            for part in owned
            if part.parent in parts and not ids & {part.parent, *carriers_of(parents, part.parent)}
        ]
        pivots = [(part.pivot.x, part.pivot.y) for part in owned if part.pivot is not None]
        result.append(
            replace(
                one,
                record=replace(
                    one.record,
                    parent=carriers[-1] if carriers else one.record.parent,
                    pivot=pivots[-1] if pivots else one.record.pivot,
                ),
            )
        )
    for around, part in arrangement.parts():
        if part.id not in leaving and part.parent in heirs:
            group = around[-1].id if around else None
            kept = replace(part, parent=heirs[part.parent])
            result.append(PutRow(to_record(kept, group), None))
    return tuple(result)


def carriers_of(parents: Mapping[str, str], row_id: str) -> list[str]:
    """What carries a part, what carries that, and so on."""
    found: list[str] = []
    at = parents.get(row_id)
    while at is not None and at not in found:
        found.append(at)
        at = parents.get(at)
    return found


def timed(arrangement: Arrangement, row_id: str, milliseconds: Sequence[int | None]) -> Replacement:
    """A part whose frames are seen for other times. Raises `NotFrames`."""
    _, part = arrangement.find(row_id)
    if isinstance(part, PartGroup) or len(part.frames) < 2:
        raise NotFrames(f"'{part.name}' has no frames. Choose an animated part.")
    if len(milliseconds) != len(part.frames):
        raise NotFrames(f"'{part.name}' has {len(part.frames)} frames, and {len(milliseconds)} times were given.")
    frames = tuple(replace(frame, milliseconds=one) for frame, one in zip(part.frames, milliseconds, strict=True))
    inside, _ = arrangement.place(row_id)
    return (), (PutRow(to_record(replace(part, frames=frames), inside), None),)


def _inside(row: Row) -> list[tuple[Row, str, int]]:
    """All that is in a row, each with the group around it and how many siblings lie behind it."""
    if not isinstance(row, PartGroup):
        return []
    return [one for index, member in enumerate(row.members) for one in ((member, row.id, index), *_inside(member))]


def without(arrangement: Arrangement, row_ids: Sequence[str]) -> Replacement:
    """Nothing in the place of rows and of all that is in them. Raises `Locked` where one of those parts is locked."""
    leaving = dict.fromkeys(
        inner.id for row_id in row_ids for row in (arrangement.find(row_id)[1],) for inner in (row, *_below(row))
    )
    for _, part in arrangement.parts():
        if part.id in leaving and part.locked:
            raise Locked(part.name)
    return tuple(leaving), ()


def _below(row: Row) -> list[Row]:
    if not isinstance(row, PartGroup):
        return []
    return [inner for member in row.members for inner in (member, *_below(member))]


def _free_id(arrangement: Arrangement, wanted: str) -> str:
    used = {row.id for _, row in arrangement.walk()}
    candidate, number = wanted, 2
    while candidate in used:
        candidate, number = f"{wanted}.{number}", number + 1
    return candidate
