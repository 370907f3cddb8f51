"""A saved set of places with names, pivots and parents, without pictures, and how another figure is fitted to it."""

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any, Literal, TypeAlias

from yuplet.arrangement import names
from yuplet.arrangement.commands import SetJoints
from yuplet.arrangement.tree import Arrangement
from yuplet.errors import ArrangementNotUnderstood
from yuplet.geometry import Box, box_around
from yuplet.parts.part import Part

How: TypeAlias = Literal["name", "box"]
LEAST = 0.2
"""The share of the area that two boxes share, of what both cover, from which on they are at the same place."""


@dataclass(frozen=True, slots=True)
class TemplatePlace:
    """One place: the names of the groups around it and its own, its box as fractions of the figure, its pivot as fractions of that box
    (None: it has none), and the index of the place that carries it.
    """

    path: tuple[str, ...]
    box: tuple[float, float, float, float]
    pivot: tuple[float, float] | None
    parent: int | None


@dataclass(frozen=True, slots=True)
class Template:
    """All places of a figure, back to front."""

    places: tuple[TemplatePlace, ...]

    def as_json(self) -> list[dict[str, Any]]:
        """Plain JSON values."""
        return [asdict(place) for place in self.places]

    @classmethod
    def from_json(cls, value: Any) -> "Template":
        """The inverse of `as_json`; raises `ArrangementNotUnderstood` for anything else."""
        try:
            places = tuple(
                TemplatePlace(
                    tuple(str(name) for name in one["path"]),
                    (float(one["box"][0]), float(one["box"][1]), float(one["box"][2]), float(one["box"][3])),
                    None if one["pivot"] is None else (float(one["pivot"][0]), float(one["pivot"][1])),
                    None if one["parent"] is None else int(one["parent"]),
                )
                for one in value
            )
        except (KeyError, TypeError, ValueError, IndexError) as error:
            raise ArrangementNotUnderstood(f"The template lacks something, or says it wrongly: {error!r}.") from error
        if any(not place.path or not 0 <= (place.parent or 0) < len(places) for place in places):
            raise ArrangementNotUnderstood("A place of the template has no name, or a parent that is not there.")
        return cls(places)


@dataclass(frozen=True, slots=True)
class Fit:
    """Which part is at which place: (index of the place, id of the part, how they were found). The rest of either is left."""

    pairs: tuple[tuple[int, str, How], ...]
    places_left: tuple[int, ...]
    parts_left: tuple[str, ...]


def template_of(arrangement: Arrangement, boxes: Mapping[str, Box]) -> Template:
    """The places of all included parts that are not empty. `boxes` are those of parts on the canvas."""
    found = _parts(arrangement, boxes)
    figure = box_around([boxes[part.id] for _, part in found])
    if figure is None:
        return Template(())
    at = {part.id: index for index, (_, part) in enumerate(found)}
    parents = arrangement.parents()
    return Template(
        tuple(
            TemplatePlace(
                path,
                _within(boxes[part.id], figure),
                None
                if part.pivot is None
                else (
                    (part.pivot.x - boxes[part.id].left) / boxes[part.id].width,
                    (part.pivot.y - boxes[part.id].top) / boxes[part.id].height,
                ),
                at.get(parents.get(part.id, "")),
            )
            for path, part in found
        )
    )


def fit(template: Template, arrangement: Arrangement, boxes: Mapping[str, Box]) -> Fit:
    """Which parts of a figure are at the places of a template: by all names, then by their own names, then by where they lie.

    Names are compared without letter case. A name that two parts or places have says nothing.
    """
    parts = _parts(arrangement, boxes)
    pairs: dict[int, tuple[str, How]] = {}
    for length in (None, 1):
        places = _unique({index: place.path for index, place in enumerate(template.places)}, length)
        named = _unique({part.id: path for path, part in parts}, length)
        taken = {row for row, _ in pairs.values()}
        for key, index in places.items():
            if key in named and index not in pairs and named[key] not in taken:
                pairs[index] = (named[key], "name")
    figure = box_around([boxes[part.id] for _, part in parts])
    taken = {row for row, _ in pairs.values()}
    if figure is not None:
        near = sorted(
            (
                (_shared(place.box, _within(boxes[part.id], figure)), index, part.id)
                for index, place in enumerate(template.places)
                for _, part in parts
                if index not in pairs and part.id not in taken
            ),
            key=lambda one: (-one[0], one[1]),
        )
        for share, index, row in near:
            if share >= LEAST and index not in pairs and row not in taken:
                pairs[index] = (row, "box")
                taken.add(row)
    return Fit(
        tuple((index, *pairs[index]) for index in sorted(pairs)),
        tuple(index for index in range(len(template.places)) if index not in pairs),
        tuple(part.id for _, part in parts if part.id not in taken),
    )


def fitted_joints(template: Template, found: Fit, boxes: Mapping[str, Box]) -> SetJoints:
    """Pivots and parents of the parts that are at places of a template; a parent without a part hands its children on."""
    row_at = {index: row for index, row, _ in found.pairs}
    parents: dict[str, str | None] = {}
    pivots: dict[str, tuple[float, float] | None] = {}
    for index, row in row_at.items():
        place = template.places[index]
        if place.pivot is not None:
            box = boxes[row]
            pivots[row] = (box.left + place.pivot[0] * box.width, box.top + place.pivot[1] * box.height)
        above, seen = place.parent, {index}
        while above is not None and above not in row_at and above not in seen:
            seen.add(above)
            above = template.places[above].parent
        if above is not None and above in row_at and row_at[above] != row:
            parents[row] = row_at[above]
    return SetJoints(parents, pivots)


def _parts(arrangement: Arrangement, boxes: Mapping[str, Box]) -> list[tuple[tuple[str, ...], Part]]:
    return [
        ((*(group.name for group in around), part.name), part)
        for around, part in arrangement.parts()
        if part.included and part.id in boxes
    ]


def _unique(paths: Mapping[Any, tuple[str, ...]], length: int | None) -> dict[tuple[str, ...], Any]:
    found: dict[tuple[str, ...], list[Any]] = {}
    for key, path in paths.items():
        wanted = path if length is None else path[-length:]
        found.setdefault(tuple(names.key(name) for name in wanted), []).append(key)
    return {path: keys[0] for path, keys in found.items() if len(keys) == 1}


def _within(box: Box, figure: Box) -> tuple[float, float, float, float]:
    return (
        (box.left - figure.left) / figure.width,
        (box.top - figure.top) / figure.height,
        box.width / figure.width,
        box.height / figure.height,
    )


def _shared(one: tuple[float, float, float, float], other: tuple[float, float, float, float]) -> float:
    """The area that two boxes share, of what both cover."""
    across = min(one[0] + one[2], other[0] + other[2]) - max(one[0], other[0])
    down = min(one[1] + one[3], other[1] + other[3]) - max(one[1], other[1])
    if across <= 0 or down <= 0:
        return 0.0
    shared = across * down
    return shared / (one[2] * one[3] + other[2] * other[3] - shared)
