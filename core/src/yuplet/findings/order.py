"""What there is to look at in names, sides, looks, joints and depths: found from the rows and their boxes alone."""

from collections.abc import Mapping

from yuplet.arrangement import names
from yuplet.arrangement.naming.sides import series
from yuplet.arrangement.sets.looks import LookTable, look_tables
from yuplet.arrangement.sets.required import required
from yuplet.arrangement.tree import Arrangement
from yuplet.findings.finding import Finding
from yuplet.framing.planes import contradictions, covers
from yuplet.geometry import Box, Point, Size
from yuplet.parts.part import Part

_MOST = 4
_APART = 1.0
"""Pixels by which pivots of the same part may differ between looks."""


def look_over_order(arrangement: Arrangement, boxes: Mapping[str, Box], canvas: Size) -> list[Finding]:
    """Everything there is to find without a pixel.

    Parameters
    ----------
    arrangement
    boxes : mapping
        The box of each part on the canvas; those that are empty, or lie outside of it, are absent.
    canvas : Size
    """
    parts = {part.id: part for _, part in arrangement.parts()}
    empty = frozenset(parts) - set(boxes)
    found = [
        Finding(
            "required",
            (),
            f"Required part '{one.name}' {'is missing' if one.reason is None else one.reason}.",
        )
        for one in required(arrangement, empty)
        if one.row is None
    ]
    for part in parts.values():
        if part.included and part.id in empty:
            found.append(Finding("empty", (part.id,), f"'{part.name}' is empty or off the canvas."))
        if not part.included and not part.shown and part.id not in empty:
            said = f"'{part.name}' is hidden and left out."
            found.append(Finding("hidden", (part.id,), said, box=boxes[part.id]))
    found += _names(arrangement)
    found += _sides(arrangement, boxes)
    for table in look_tables(arrangement):
        found += _looks(table, boxes)
    found += _pivots(arrangement, boxes)
    for front, behind in contradictions(arrangement, boxes):
        said = (
            f"'{parts[front].name}' is in front of '{parts[behind].name}' but deeper:"
            f" {parts[front].depth:g} px against {parts[behind].depth:g} px."
        )
        found.append(Finding("depth", (front, behind), said, box=boxes[front].meet(boxes[behind])))
    if arrangement.decisions.travel:
        found += _covers(arrangement, boxes, canvas)
    return found


def _names(arrangement: Arrangement) -> list[Finding]:
    found = []
    for _, row in arrangement.walk():
        letters, like = names.said_of_letters(row.name), names.look_alikes(row.name)
        if letters is not None:
            better = "".join(like.get(letter, letter) for letter in row.name)
            said = f"'{row.name}' mixes alphabets: {letters}."
            found.append(Finding("name", (row.id,), said, proposal=better))
        elif names.is_default(row.name):
            found.append(Finding("name", (row.id,), f"'{row.name}' still has a default name."))
    return found


def _sides(arrangement: Arrangement, boxes: Mapping[str, Box]) -> list[Finding]:
    parts = {part.id: part for _, part in arrangement.parts()}
    found = []
    for one in series(arrangement):
        first = parts[one.rows[0]]
        if one.meaning is None:
            said = f"{_listed([parts[row] for row in one.rows])} differ only in a {'number' if one.kind == 'numbers' else 'letter'}."
            found.append(Finding("series", one.rows, said))
        elif one.kind == "sides" and one.meaning == "pair" and one.lacks is not None:
            said = f"'{first.name}' has no twin on the {one.lacks}."
            found.append(Finding("pair", one.rows, said, box=boxes.get(first.id)))
        elif one.meaning == "pair" and len({parts[row].included for row in one.rows}) == 2:
            said = f"One part of the pair {_listed([parts[row] for row in one.rows])} is left out."
            found.append(Finding("pair", one.rows, said, box=boxes.get(first.id)))
    return found


def _looks(table: LookTable, boxes: Mapping[str, Box]) -> list[Finding]:
    found = []
    for line in table.lines:
        there = [part for part in line.parts if part is not None]
        name = " / ".join(line.path)
        if not line.is_complete:
            lacking = [look.name for look, part in zip(table.looks, line.parts, strict=True) if part is None]
            said = f"'{name}' is missing in {', '.join(lacking)}."
            found.append(Finding("look", tuple(part.id for part in there), said, box=boxes.get(there[0].id)))
            continue
        pivots = [part.pivot for part in there]
        if any(_apart(pivots[0], pivot) for pivot in pivots[1:]):
            said = f"The pivot of '{name}' differs between looks."
            found.append(Finding("look", tuple(part.id for part in there), said, box=boxes.get(there[0].id)))
        sizes = {boxes[part.id].size for part in there if part.id in boxes}
        if len(sizes) > 1:
            told = ", ".join(f"{size.width} × {size.height} px" for size in sorted(sizes))
            said = f"The size of '{name}' differs between looks: {told}."
            found.append(Finding("look", tuple(part.id for part in there), said, box=boxes.get(there[0].id)))
    return found


def _apart(one: Point | None, other: Point | None) -> bool:
    if one is None or other is None:
        return one is not other
    return abs(one.x - other.x) > _APART or abs(one.y - other.y) > _APART


def _pivots(arrangement: Arrangement, boxes: Mapping[str, Box]) -> list[Finding]:
    """Parts that are carried, or carry others that are, and turn about nothing."""
    parents = arrangement.parents()
    lacking = [
        part for _, part in arrangement.parts() if part.id in parents and part.pivot is None and part.id in boxes
    ]
    return [
        Finding("pivot", (part.id,), f"'{part.name}' has a parent but no pivot.", box=boxes[part.id])
        for part in lacking
    ]


def _covers(arrangement: Arrangement, boxes: Mapping[str, Box], canvas: Size) -> list[Finding]:
    parts = {part.id: part for _, part in arrangement.parts()}
    found = []
    for one in covers(arrangement, boxes, canvas):
        lacks = [
            f"{pixels:,.1f} px missing {side}"
            for side, pixels in (("on the left", one.left), ("on the right", one.right))
            if pixels is not None and pixels > 0
        ]
        if lacks:
            said = f"'{parts[one.row].name}' is too narrow for the camera travel: {', '.join(lacks)}."
            found.append(Finding("cover", (one.row,), said, box=boxes[one.row]))
    return found


def _listed(parts: list[Part]) -> str:
    shown = ", ".join(f"'{part.name}'" for part in parts[:_MOST])
    others = len(parts) - _MOST
    return shown + (f" and {others} other{'s' if others > 1 else ''}" if others > 0 else "")
