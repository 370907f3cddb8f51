"""Sides and series: which names say that parts belong together.

Endings and words for left and right mean a pair, both of which are seen. Numbers and letters at the end may mean alternates, one of
which is seen, or nothing at all: that is asked once, and remembered by `key` in `Decisions.meanings`.

Common practice, no published source: 'left' and 'right' in any letters, 'L' and 'R' apart from other letters, numbers and single
letters at the end after a separator.
"""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, TypeAlias

from natsort import natsorted

from yuplet.arrangement import names
from yuplet.arrangement.tree import Arrangement, Meaning
from yuplet.parts.part import Part

Kind: TypeAlias = Literal["sides", "numbers", "letters"]
_NUMBER = re.compile(r"(?<=[^\W\d])[ _.\-]*\(?0*(\d{1,4})\)?$")
_LETTER = re.compile(r"(?<=\w)[ _.\-]([A-Za-z])$")
_LEAST = 2
SIDE = "*"
"""What stands for left or right in a stem."""


@dataclass(frozen=True, slots=True)
class Series:
    """Parts whose names differ in one thing only. `key` tells it from all others and survives new members.

    `rows` are in order: left before right, by number, by letter. `meaning` is None until somebody has said; `lacks` says which
    side is missing.
    """

    kind: Kind
    key: str
    label: str
    rows: tuple[str, ...]
    meaning: Meaning | None
    lacks: str | None = None


def side_of(name: str, sides: Sequence[tuple[str, str]] = ()) -> tuple[str, Literal["left", "right"]] | None:
    """A name with its side taken out, and which that is; None where it says no side, or both.

    `sides` are endings of one's own, left ones before right ones.

    >>> side_of("arm_L"), side_of("collar")
    (('arm_*', 'left'), None)
    >>> side_of("bras g", [("g", "d")])
    ('bras *', 'left')
    """
    for left, right in sides:
        for ending, side in ((left, "left"), (right, "right")):
            if ending and name.casefold().endswith(ending.casefold()) and len(name) > len(ending):
                return name[: -len(ending)] + SIDE, "left" if side == "left" else "right"
    found = list(names.SIDES.finditer(name))
    said = {"left" if one[0].casefold() in ("left", "l") else "right" for one in found}
    if len(found) != 1:
        return None
    return name[: found[0].start()] + SIDE + name[found[0].end() :], "left" if said == {"left"} else "right"


def series(arrangement: Arrangement) -> list[Series]:
    """All pairs and series, in the order in which their first members lie. A part with frames or of a set of alternates is none."""
    decided, own_sides = arrangement.decisions.meanings, arrangement.decisions.sides
    sided: dict[str, dict[str, list[Part]]] = {}
    counted: dict[tuple[Kind, str], list[tuple[str, Part]]] = {}
    labels: dict[str, str] = {}
    named: set[str] = set()
    for around, part in arrangement.parts():
        path = (*(group.name for group in around), part.name)
        split = [side_of(name, own_sides) for name in path]
        said = {one[1] for one in split if one is not None}
        if len(said) == 1:
            stem = tuple(one[0] if one is not None else name for one, name in zip(split, path, strict=True))
            key = "sides:" + _key(stem)
            labels.setdefault(key, stem[-1] if SIDE in stem[-1] else " / ".join(stem[-2:]))
            sided.setdefault(key, {}).setdefault(said.pop(), []).append(part)
            if split[-1] is not None:
                named.add(key)
        if around and around[-1].alternate is not None:
            continue
        for kind, pattern in (("numbers", _NUMBER), ("letters", _LETTER)):
            found = pattern.search(part.name)
            if found is None or (kind == "letters" and split[-1] is not None):
                continue
            stem = (*path[:-1], part.name[: found.start()])
            key = f"{kind}:{_key(stem)}"
            labels.setdefault(key, stem[-1])
            counted.setdefault(("numbers" if kind == "numbers" else "letters", key), []).append((found[1], part))
            break
    result = []
    for key, by_side in sided.items():
        left, right = by_side.get("left", []), by_side.get("right", [])
        if len(left) > 1 or len(right) > 1:
            continue  # the same name twice: which belongs to which is not said
        if not (left and right) and key not in named:
            continue  # a lamp in the group of the left arm is not the left lamp
        lacks = "left" if not left else "right" if not right else None
        rows = tuple(part.id for part in (*left, *right))
        result.append(Series("sides", key, labels[key], rows, decided.get(key, "pair"), lacks))
    for (kind, key), members in counted.items():
        if len(members) >= _LEAST and len({number.casefold() for number, _ in members}) == len(members):
            ordered = natsorted(members, key=lambda one: one[0].casefold())
            rows = tuple(part.id for _, part in ordered)
            result.append(Series(kind, key, labels[key], rows, decided.get(key)))
    at = {part.id: index for index, (_, part) in enumerate(arrangement.parts())}
    return sorted(result, key=lambda one: min(at[row] for row in one.rows))


def mirror_pairs(arrangement: Arrangement) -> dict[str, str]:
    """The other one of each part of a complete pair."""
    found = {}
    for one in series(arrangement):
        if one.kind == "sides" and one.meaning == "pair" and len(one.rows) == 2:
            found.update({one.rows[0]: one.rows[1], one.rows[1]: one.rows[0]})
    return found


def _key(stem: Sequence[str]) -> str:
    return "/".join(names.key(name) for name in stem)
