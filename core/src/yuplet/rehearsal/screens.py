"""A package of an interface on screens of other sizes: where each piece comes to lie, and what is wrong there.

The rules are those of docs/formats/manifest.md. The least size of a press target is that of W3C WCAG 2.2, success criterion 2.5.5 (44 by 44 CSS pixels),
a pixel of the screen taken as one of those.
"""

import re
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from itertools import combinations
from typing import Any, Literal

from yuplet.errors import PackageError, shown

LEAST_TARGET = 44.0
SMALLEST, LARGEST = 16, 16_384
"""Pixels of a side of a screen."""
MOST_SCREENS = 12
MOST_FINDINGS = 500
"""Of one screen."""
Kind = Literal["outside", "small-target", "overlap", "squeezed"]
_EXTENT = re.compile(r"([0-9]{1,6})x([0-9]{1,6})")
_FARTHEST = 1e6
MOST_TARGETS = 500
"""Press targets that are compared with each other."""
_LEAST = 0.5
"""Pixels that are nothing yet."""
_BESIDE = frozenset({"reference", "guide"})
"""Roles of what is not laid on a screen."""

Margins = tuple[float, float, float, float]
"""Left, top, right, bottom."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Piece:
    """A part as a package has it: its box in pixels of the canvas (left, top, width, height), the part that carries it, the place of the screen that it keeps
    its distance to, and the margins within which it may be stretched. `members` are the sets it is in, with the member of each; it `can_be_seen` where nothing
    around it is off but for members of sets that are not their turn."""

    id: str
    name: str
    role: str
    box: tuple[int, int, int, int]
    parent: str | None
    anchor: tuple[float, float] | None
    margins: Margins | None
    can_be_seen: bool
    members: Mapping[str, int]


@dataclass(frozen=True, slots=True, kw_only=True)
class PlacedPiece:
    """Where a piece lies on a screen, in its pixels. With `margins` it is stretched between these, which are as large as on the canvas, grown with the screen."""

    id: str
    left: float
    top: float
    width: float
    height: float
    margins: Margins | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Finding:
    """What is wrong with a piece on a screen, and by how many pixels: how far it is `outside`, how small a target is, how much two overlap (each way the smaller),
    or how much its margins are larger than the place between them."""

    kind: Kind
    part: str
    other: str | None
    pixels: float


@dataclass(frozen=True, slots=True, kw_only=True)
class OnScreen:
    """A package on one screen."""

    width: int
    height: int
    places: tuple[PlacedPiece, ...]
    findings: tuple[Finding, ...]

    def as_json(self) -> dict[str, Any]:
        """Plain JSON values."""
        return asdict(self)


def screen_from_text(text: str) -> tuple[int, int]:
    """A size such as "1920x1080"; raises `PackageError` for anything else."""
    found = _EXTENT.fullmatch(text)
    if found is None:
        raise PackageError(f"'{shown(text)}' is no size of a screen. Give width and height in pixels, as 1920x1080.")
    return int(found[1]), int(found[2])


def pieces_of(trial: Mapping[str, Any]) -> tuple[Piece, ...]:
    """The pieces of a package that was opened (`Trial` as JSON, also of versions that knew less), back to front."""
    members = _members_of(trial)
    found = []
    for one in trial["parts"]:
        anchor, margins = _usable(one.get("anchor")), _usable(one.get("margins"))
        own, can_be_seen = _around(trial, one, members)
        found.append(
            Piece(
                id=one["id"],
                name=one["name"],
                role=one.get("role", "picture"),
                box=(one["left"], one["top"], one["width"], one["height"]),
                parent=one.get("parent"),
                anchor=None if anchor is None else (anchor[0], anchor[1]),
                margins=None if margins is None else (margins[0], margins[1], margins[2], margins[3]),
                can_be_seen=can_be_seen,
                members=own,
            )
        )
    return tuple(found)


def _usable(numbers: Sequence[float] | None) -> Sequence[float] | None:
    """What a package says, where it can be computed with."""
    return numbers if numbers is not None and all(abs(one) <= _FARTHEST for one in numbers) else None


def on_screens(
    pieces: Sequence[Piece], canvas: tuple[int, int], screens: Sequence[tuple[int, int]]
) -> tuple[OnScreen, ...]:
    """Where everything lies on each screen (width, height), and what is wrong there.

    Raises `PackageError` for a screen that is too small or too large, and for too many.
    """
    if len(screens) > MOST_SCREENS:
        raise PackageError(f"{len(screens)} screens are more than {MOST_SCREENS}. Look at fewer at once.")
    for screen in screens:
        if not all(SMALLEST <= side <= LARGEST for side in screen):
            raise PackageError(
                f"A screen of {screen[0]:,} x {screen[1]:,} px cannot be looked at. A side has {SMALLEST} to {LARGEST:,} px."
            )
    return tuple(_on_screen(pieces, canvas, screen) for screen in screens)


def _on_screen(pieces: Sequence[Piece], canvas: tuple[int, int], screen: tuple[int, int]) -> OnScreen:
    places = placed(pieces, canvas, screen)
    rest = placed(pieces, canvas, canvas)
    found: list[Finding] = []
    for piece in pieces:
        if not piece.can_be_seen or piece.role in _BESIDE:
            continue
        place = places[piece.id]
        outside = _outside(place, screen)
        # What reaches over the edge as it was drawn is meant to.
        if outside > _LEAST and _outside(rest[piece.id], canvas) <= _LEAST:
            found.append(Finding(kind="outside", part=piece.id, other=None, pixels=round(outside, 1)))
        least = min(place.width, place.height)
        if piece.role == "press-target" and least < LEAST_TARGET - _LEAST:
            found.append(Finding(kind="small-target", part=piece.id, other=None, pixels=round(least, 1)))
        if place.margins is not None:
            left, top, right, bottom = place.margins
            lacking = max(left + right - place.width, top + bottom - place.height)
            if lacking > _LEAST:
                found.append(Finding(kind="squeezed", part=piece.id, other=None, pixels=round(lacking, 1)))
    found += _overlaps(pieces, places)
    return OnScreen(
        width=screen[0],
        height=screen[1],
        places=tuple(places[piece.id] for piece in pieces),
        findings=tuple(found[:MOST_FINDINGS]),
    )


def placed(pieces: Sequence[Piece], canvas: tuple[int, int], screen: tuple[int, int]) -> dict[str, PlacedPiece]:
    """Where each piece lies on a screen, by its id."""
    known = {piece.id: piece for piece in pieces}
    grown = screen[0] / canvas[0]
    found: dict[str, PlacedPiece] = {}

    def place(piece: Piece, parent: PlacedPiece | None) -> PlacedPiece:
        left, top, width, height = piece.box
        wide, high = width * grown, height * grown
        margins = None
        carrier = known.get(piece.parent or "")
        if piece.anchor is not None:
            x = piece.anchor[0] * (screen[0] - canvas[0] * grown) + left * grown
            y = piece.anchor[1] * (screen[1] - canvas[1] * grown) + top * grown
        elif parent is not None and carrier is not None and carrier.box[2] > 0 and carrier.box[3] > 0:
            x = parent.left + (left - carrier.box[0]) / carrier.box[2] * parent.width
            y = parent.top + (top - carrier.box[1]) / carrier.box[3] * parent.height
        else:
            x, y = left * screen[0] / canvas[0], top * screen[1] / canvas[1]
            if piece.margins is not None:
                high = height * screen[1] / canvas[1]
                margins = tuple(side * grown for side in piece.margins)
        return PlacedPiece(id=piece.id, left=x, top=y, width=wide, height=high, margins=margins)  # type: ignore[arg-type]

    for piece in pieces:
        # Carriers first, however many there are; a circle of them, which only a package from outside can hold, is cut.
        chain: dict[str, Piece] = {}
        at: Piece | None = piece
        while at is not None and at.id not in found and at.id not in chain:
            chain[at.id] = at
            at = known.get(at.parent or "")
        for one in reversed(chain.values()):
            found[one.id] = place(one, found.get(one.parent or ""))
    return found


def _outside(place: PlacedPiece, screen: tuple[int, int]) -> float:
    """By how many pixels it ends outside."""
    return max(-place.left, -place.top, place.left + place.width - screen[0], place.top + place.height - screen[1])


def _overlaps(pieces: Sequence[Piece], places: Mapping[str, PlacedPiece]) -> list[Finding]:
    """Targets that lie on each other. What one carries, and what is never seen at the same time, is no other target."""
    known = {piece.id: piece for piece in pieces}
    targets = [piece for piece in pieces if piece.can_be_seen and piece.role == "press-target"]
    carried = {piece.id: _carriers(piece, known) for piece in targets[:MOST_TARGETS]}
    found: list[Finding] = []
    for one, other in combinations(targets[:MOST_TARGETS], 2):
        a, b = places[one.id], places[other.id]
        across = min(a.left + a.width, b.left + b.width) - max(a.left, b.left)
        down = min(a.top + a.height, b.top + b.height) - max(a.top, b.top)
        if min(across, down) <= _LEAST or one.id in carried[other.id] or other.id in carried[one.id]:
            continue
        if any(other.members.get(path, member) != member for path, member in one.members.items()):
            continue
        found.append(Finding(kind="overlap", part=one.id, other=other.id, pixels=round(min(across, down), 1)))
        if len(found) >= MOST_FINDINGS:
            break
    return found


def _carriers(piece: Piece, known: Mapping[str, Piece]) -> set[str]:
    found: set[str] = set()
    at: Piece | None = piece
    while at is not None and at.parent is not None and at.parent not in found:
        found.add(at.parent)
        at = known.get(at.parent)
    return found


def _members_of(trial: Mapping[str, Any]) -> dict[int, dict[tuple[str, Any], int]]:
    """Of each group that is a set the number of each member: groups first, then parts."""
    groups = trial.get("groups", ())
    found = {}
    for at, group in enumerate(groups):
        if group["is_set"]:
            inner = [("group", number) for number, one in enumerate(groups) if one["group"] == at]
            own = [("part", one["id"]) for one in trial["parts"] if one.get("group") == at]
            found[at] = {which: member for member, which in enumerate([*inner, *own])}
    return found


def _around(
    trial: Mapping[str, Any], part: Mapping[str, Any], members: Mapping[int, Mapping[tuple[str, Any], int]]
) -> tuple[dict[str, int], bool]:
    """By their paths the sets that a part is in, with the member of each, and whether it can be seen."""
    groups, found = trial.get("groups", ()), dict[str, int]()
    key: tuple[str, Any] = ("part", part["id"])
    is_on, at = bool(part.get("is_on", part["shown"])), part.get("group")
    can_be_seen = True
    while at is not None:
        if at in members:
            found[groups[at]["path"]] = members[at][key]
        elif not is_on:
            can_be_seen = False
        key, is_on, at = ("group", at), bool(groups[at]["is_on"]), groups[at]["group"]
    return found, can_be_seen and is_on
