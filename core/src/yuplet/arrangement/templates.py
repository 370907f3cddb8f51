"""A saved set of places with names, pivots and parents, without pictures, and how another figure is fitted to it."""

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any, Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray

from yuplet.arrangement import names
from yuplet.arrangement.commands import SetJoints
from yuplet.arrangement.tree import Arrangement
from yuplet.errors import ArrangementNotUnderstood
from yuplet.geometry import Box, box_around
from yuplet.parts.part import Part

How: TypeAlias = Literal["name", "box"]
Way: TypeAlias = tuple[float, float, float, float]
"""A scale and a shift across, and a scale and a shift down."""
LEAST = 0.2
"""The share of the area that two boxes share, of what both cover, from which on they are at the same place."""
_TRIED = 12
"""Places, and half as many parts, by which is tried how a template lies on a figure."""
_TELLING = 60
_ROUNDS = 5


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
    taken = {row for row, _ in pairs.values()}
    if parts and template.places:
        wanted, there = (
            _edges([place.box for place in template.places]),
            _edges([_plain(boxes[part.id]) for _, part in parts]),
        )
        at = {part.id: number for number, (_, part) in enumerate(parts)}
        shares = _shares(_laid(wanted, there, [(index, at[row]) for index, (row, _) in pairs.items()]), there)
        for index, number in zip(
            *np.unravel_index(np.argsort(-shares, axis=None, kind="stable"), shares.shape), strict=True
        ):
            row = parts[number][1].id
            if shares[index, number] >= LEAST and int(index) not in pairs and row not in taken:
                pairs[int(index)] = (row, "box")
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


def _plain(box: Box) -> tuple[float, float, float, float]:
    return (box.left, box.top, box.width, box.height)


def _edges(boxes: Sequence[tuple[float, float, float, float]]) -> NDArray[np.float64]:
    """Boxes as (N, 4): left, top, right, bottom."""
    found = np.array(boxes, float).reshape(-1, 4)
    found[:, 2:] += found[:, :2]
    return found


def _laid(
    wanted: NDArray[np.float64], there: NDArray[np.float64], known: Sequence[tuple[int, int]]
) -> NDArray[np.float64]:
    """The places of a template laid over a figure, wherever that is and whatever else it has: (N, 4) edges on its canvas.

    Each pair of a large place and a large part is one way to lay them, by a scale and a shift across and one down; so is the box around all. The way
    in which places meet parts best is refined by least squares over those that do (as M. A. Fischler and R. C. Bolles, "Random sample consensus",
    Communications of the ACM 24, 1981, choose a model).
    """
    around = np.array([[*found[:, :2].min(axis=0), *found[:, 2:].max(axis=0)] for found in (wanted, there)])
    pairs = [(around[:1], around[1:])]
    large, larger = _largest(wanted, _TRIED), _largest(there, 2 * _TRIED)
    pairs += [(wanted[[one]], there[[other]]) for one in large for other in larger]
    pairs += [(wanted[[one]], there[[other]]) for one, other in known[:_TRIED]]
    if len(known) > 1:
        pairs.append((wanted[[one for one, _ in known]], there[[other for _, other in known]]))
    # Small ones tell little about the whole, and there may be a thousand.
    telling, told = wanted[_largest(wanted, _TELLING)], there[_largest(there, 2 * _TELLING)]

    def met(way: Way) -> float:
        return _met(_moved(telling, way), told)

    best = max((_way(*pair) for pair in pairs), key=met)
    for _ in range(_ROUNDS):
        shares = _shares(_moved(telling, best), told)
        closest = shares.argmax(axis=1)
        meet = [
            one for one, other in enumerate(closest) if shares[one, other] >= LEAST and shares[:, other].argmax() == one
        ]
        refined = _way(telling[meet], told[closest[meet]]) if meet else best
        if met(refined) <= met(best):
            break
        best = refined
    return _moved(wanted, best)


def _largest(found: NDArray[np.float64], count: int) -> list[int]:
    areas = (found[:, 2] - found[:, 0]) * (found[:, 3] - found[:, 1])
    return [int(one) for one in np.argsort(-areas, kind="stable")[:count]]


def _way(one: NDArray[np.float64], other: NDArray[np.float64]) -> Way:
    """The scale and the shift across, and those down, by which edges come nearest to others."""
    found: list[float] = []
    for axis in (0, 1):
        before, after = one[:, axis::2].ravel(), other[:, axis::2].ravel()
        spread = ((before - before.mean()) ** 2).sum()
        scale = float(((before - before.mean()) * (after - after.mean())).sum() / spread) if spread > 0 else 0.0
        found += [scale, float(after.mean() - scale * before.mean())]
    return (found[0], found[1], found[2], found[3])


def _moved(boxes: NDArray[np.float64], way: Way) -> NDArray[np.float64]:
    across, right, down, below = way
    return boxes * (across, down, across, down) + (right, below, right, below)


def _met(laid: NDArray[np.float64], there: NDArray[np.float64]) -> float:
    """How well places meet parts: the shares of all pairs that are each other's best."""
    shares = _shares(laid, there)
    here, best = np.arange(len(laid)), shares.argmax(axis=1)
    mutual = np.where(shares[:, best].argmax(axis=0) == here, shares[here, best], 0.0)
    return float(mutual[mutual >= LEAST].sum())


def _shares(one: NDArray[np.float64], other: NDArray[np.float64]) -> NDArray[np.float64]:
    """The area that each two boxes share, of what both cover: (N, M)."""
    low = np.maximum(one[:, None, :2], other[None, :, :2])
    high = np.minimum(one[:, None, 2:], other[None, :, 2:])
    shared = np.prod(np.maximum(high - low, 0), axis=2)
    areas = [np.prod(np.maximum(found[:, 2:] - found[:, :2], 0), axis=1) for found in (one, other)]
    return np.asarray(shared / np.maximum(areas[0][:, None] + areas[1][None] - shared, 1e-12))
