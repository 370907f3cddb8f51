"""Art that is there twice: left over in the part that it was copied from, or the same drawing in several parts."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from yuplet.derivation.content import Content
from yuplet.derivation.turning import turn_picture
from yuplet.geometry import Box
from yuplet.illustration.derived import Turn
from yuplet.pixels import Picture
from yuplet.selecting.masks import Chosen

TURNS = tuple(Turn(mirrored, quarters) for mirrored in (False, True) for quarters in range(4))
LEAST = 0.9
"""The share of a part's pixels that another one has as well, from which on it is a leftover."""
_EVEN = 0.02
_BARE = 20
"""How much of its box a part may leave bare for all of it to be looked at."""


@dataclass(frozen=True, slots=True)
class Drawn:
    """What is seen of a part, or held by a layer, read when it is needed: many together may be larger than the memory.

    `box` is where it lies on the canvas, `rows` reads some of its rows, `added` which of its pixels nobody drew.
    """

    box: Box
    rows: Callable[[int, int], Picture]
    added: Callable[[], Chosen | None]

    @classmethod
    def of(cls, content: Content) -> "Drawn":
        """The same of what is in memory already."""
        return cls(content.box, lambda top, bottom: content.picture[top:bottom], lambda: content.added)

    def content(self) -> Content:
        """All of it."""
        return Content(self.box, self.rows(0, self.box.height), self.added())

    def within(self, box: Box) -> tuple[Picture, Chosen]:
        """Its pixels in a box of the canvas that it covers, and which of those somebody drew."""
        own = box.moved(-self.box.left, -self.box.top)
        picture = self.rows(own.top, own.bottom)[:, own.left : own.right]
        drawn = picture[..., 3] > 0
        added = self.added()
        return picture, drawn if added is None else drawn & ~added[own.top : own.bottom, own.left : own.right]


def leftovers(parts: Sequence[Drawn]) -> list[tuple[int, int]]:
    """Which parts (by index, back to front) are there in another one as well: (the part, the other).

    At least nine tenths of its pixels are the same there, in the same place, and were drawn: what was filled in behind a
    part does not count. Of two that are the same the one in front is named.
    """
    found = []
    totals = [int((part.rows(0, part.box.height)[..., 3] > 0).sum()) for part in parts]
    for at, part in enumerate(parts):
        for other_at, other in enumerate(parts):
            if at == other_at or totals[at] == 0 or _same(part, other) < LEAST * totals[at]:
                continue
            if at > other_at or _same(other, part) < LEAST * totals[other_at]:
                found.append((at, other_at))
                break
    return found


def _same(part: Drawn, other: Drawn) -> int:
    """How many pixels of a part are the same in another one and were drawn there."""
    common = part.box.meet(other.box)
    if common.is_empty or common.size.pixels < LEAST * part.box.size.pixels / _BARE:
        return 0
    mine, _ = part.within(common)
    theirs, drawn = other.within(common)
    return int(((mine == theirs).all(axis=2) & (mine[..., 3] > 0) & drawn).sum())


def same_drawings(parts: Sequence[Drawn], tolerance: int = 0) -> list[list[tuple[int, Turn]]]:
    """Groups of parts that are the same when they are mirrored or turned by quarters.

    Parameters
    ----------
    parts : sequence of Drawn
        Cut to their content.
    tolerance : int
        By how many levels of 255 they may differ anywhere; colour counts as much as it covers.

    Returns
    -------
    list of list of (int, Turn)
        Two or more in each: the index, and how the first of them is turned to be this one; the simplest turn of several.
    """
    groups: list[list[tuple[int, Turn]]] = []
    firsts: list[tuple[list[int], float, Drawn]] = []
    for at, part in enumerate(parts):
        picture = part.rows(0, part.box.height)
        sides, weight = sorted(part.box.size), float(picture[..., 3].mean())
        for number, (other_sides, other_weight, first) in enumerate(firsts):
            if sides != other_sides or abs(weight - other_weight) > max(_EVEN * weight, tolerance):
                continue
            turn = turn_between(first.rows(0, first.box.height), picture, tolerance)
            if turn is not None:
                groups[number].append((at, turn))
                break
        else:
            firsts.append((sides, weight, part))
            groups.append([(at, Turn())])
    return [group for group in groups if len(group) > 1]


def turn_between(first: Picture, picture: Picture, tolerance: int) -> Turn | None:
    """How a picture is turned to be another one within a tolerance; None when it cannot be."""
    for turn in TURNS:
        turned = turn_picture(first, turn)
        if turned.shape != picture.shape:
            continue
        if tolerance == 0:
            if np.array_equal(turned, picture):
                return turn
        elif np.abs(_covering(turned) - _covering(picture)).max() <= tolerance:
            return turn
    return None


def _covering(picture: Picture) -> NDArray[np.int32]:
    values = picture.astype(np.int32)
    values[..., :3] = values[..., :3] * values[..., 3:] // 255
    return values
