"""What can move: the parts of a package with their pivots and carriers, and the sets of which one member is seen."""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any

Point = tuple[float, float]


@dataclass(frozen=True, slots=True, kw_only=True)
class RigPart:
    """A part by its id: its pivot on the canvas in pixels, y down (None: nobody has said), and the part that carries it along.

    `path` is its name with the groups around it, `role` what it is for. `middle` is the centre of its box, which it turns about where it has no pivot. `depth` is how far it stands behind the picture plane, in
    pixels. `box` is left, top, width and height.
    """

    id: str
    name: str
    pivot: Point | None
    middle: Point
    parent: str | None
    depth: float = 0.0
    box: tuple[int, int, int, int] = (0, 0, 0, 0)
    path: str = ""
    role: str = "picture"

    @property
    def about(self) -> Point:
        """What it turns about."""
        return self.pivot or self.middle


@dataclass(frozen=True, slots=True)
class RigSet:
    """The names of the members of a set, and the number of the one that is seen at rest."""

    members: tuple[str, ...]
    rest: int


@dataclass(frozen=True)
class Rig:
    """The parts, back to front, and the sets by their paths. The camera stands at a `distance` before the middle of the canvas (None: there is none)."""

    parts: tuple[RigPart, ...]
    sets: Mapping[str, RigSet]
    size: tuple[int, int] = (0, 0)
    distance: float | None = None

    @cached_property
    def by_id(self) -> Mapping[str, RigPart]:
        """Parts by their ids."""
        return {part.id: part for part in self.parts}

    @cached_property
    def carriers_first(self) -> tuple[RigPart, ...]:
        """All parts, each after the one that carries it; a circle, which only a package from outside can hold, is cut."""
        found: dict[str, RigPart] = {}
        for part in self.parts:
            chain: list[RigPart] = []
            at: RigPart | None = part
            while at is not None and at.id not in found and at not in chain:
                chain.append(at)
                at = self.by_id.get(at.parent or "")
            found |= {one.id: one for one in reversed(chain)}
        return tuple(found.values())

    def label(self, target: str) -> str:
        """What a part or a set is called in a sentence."""
        part = self.by_id.get(target)
        return part.name if part is not None else target.rpartition("/")[2]


def rig_of(trial: Mapping[str, Any]) -> Rig:
    """What can move of a package that was opened (`Trial` as JSON, also of versions that knew less)."""
    groups = trial.get("groups", ())
    parts = tuple(
        RigPart(
            id=one["id"],
            name=one["name"].rpartition(" / ")[2],
            pivot=None if one.get("pivot") is None else (one["pivot"][0], one["pivot"][1]),
            middle=(one["left"] + one["width"] / 2, one["top"] + one["height"] / 2),
            parent=one.get("parent"),
            depth=one.get("depth", 0.0),
            path=one["name"],
            role=one.get("role", "picture"),
            box=(one["left"], one["top"], one["width"], one["height"]),
        )
        for one in trial["parts"]
    )
    sets = {}
    for number, group in enumerate(groups):
        if group["is_set"]:
            own = [one for one in (*groups, *trial["parts"]) if one["group"] == number]
            members = tuple(one["name"].rpartition(" / ")[2] for one in own)
            rest = next((at for at, one in enumerate(own) if one["is_on"]), 0)
            if members:
                sets[group["path"]] = RigSet(members, rest)
    return Rig(parts, sets, (trial.get("width", 0), trial.get("height", 0)), trial.get("distance"))
