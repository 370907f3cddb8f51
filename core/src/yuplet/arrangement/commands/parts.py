"""Commands that give parts new values, each attribute a mapping from rows."""

from abc import abstractmethod
from collections.abc import Callable, Mapping
from dataclasses import dataclass as plain_dataclass
from dataclasses import field, replace
from typing import Annotated, Any, ClassVar, Literal, TypeAlias

from pydantic import Field, StrictBool
from pydantic.dataclasses import dataclass

from yuplet.arrangement.commands.base import (
    CONFIG,
    Command,
    Pixels,
    RowId,
    Touched,
    WholePixels,
    counted,
    find,
    part_of,
)
from yuplet.arrangement.tree import Arrangement
from yuplet.errors import CannotCarry
from yuplet.geometry import Point
from yuplet.parts.part import Anchor, Margins, Role

Spot: TypeAlias = tuple[Pixels, Pixels]
"""A place of the canvas."""
Margin: TypeAlias = Annotated[int, Field(strict=True, ge=0, le=1_000_000)]
Share: TypeAlias = Annotated[float, Field(strict=True, ge=0, le=1)]


@plain_dataclass(frozen=True, slots=True)
class Value:
    """What a mapping of a command is about: the field of a part, and how a value is kept there."""

    field: str
    keep: Callable[[Any], Any] = lambda value: value


def _kept_as(kind: Callable[..., Any]) -> Callable[[Any], Any]:
    return lambda value: None if value is None else kind(*value)


class Setting(Command):
    """What all of these have in common."""

    __slots__ = ()
    values: ClassVar[Mapping[str, Value]]
    """What each of its mappings is about."""

    @property
    def touched(self) -> Touched:
        return frozenset((row, value.field) for name, value in self.values.items() for row in getattr(self, name))

    @abstractmethod
    def title(self, before: Arrangement) -> str: ...

    def applied(self, before: Arrangement) -> Arrangement:
        given: dict[str, dict[str, Any]] = {}
        for name, value in self.values.items():
            for row, one in getattr(self, name).items():
                given.setdefault(row, {})[value.field] = value.keep(one)
        return before.changed(lambda row: replace(part_of(row), **given[row.id]) if row.id in given else row)

    def inverse(self, before: Arrangement) -> Command:
        there = before.index()
        return type(self)(
            **{
                name: {row: _plain(getattr(part_of(find(there, row)[1]), value.field)) for row in getattr(self, name)}
                for name, value in self.values.items()
            }
        )


def _plain(value: Any) -> Any:
    return tuple(value) if isinstance(value, tuple) else value


@dataclass(frozen=True, slots=True, config=CONFIG)
class IncludeParts(Setting):
    """Include parts in the hand-over (true) or leave them out (false)."""

    values: ClassVar[Mapping[str, Value]] = {"included": Value("included")}
    included: Mapping[RowId, StrictBool]
    do: Literal["include-parts"] = field(default="include-parts", kw_only=True, repr=False)

    def title(self, before: Arrangement) -> str:
        return f"{'Include' if all(self.included.values()) else 'Leave out'} {counted(before, self.included)}"


@dataclass(frozen=True, slots=True, config=CONFIG)
class LockParts(Setting):
    """Lock parts (true), so that they are neither picked nor changed, or unlock them (false)."""

    only_looks: ClassVar[bool] = True
    values: ClassVar[Mapping[str, Value]] = {"locked": Value("locked")}
    locked: Mapping[RowId, StrictBool]
    do: Literal["lock-parts"] = field(default="lock-parts", kw_only=True, repr=False)

    def title(self, before: Arrangement) -> str:
        return f"{'Lock' if all(self.locked.values()) else 'Unlock'} {counted(before, self.locked)}"


@dataclass(frozen=True, slots=True, config=CONFIG)
class PlaceParts(Setting):
    """Lay parts elsewhere: how far each lies from where its layers do, in canvas pixels."""

    values: ClassVar[Mapping[str, Value]] = {"offsets": Value("offset")}
    offsets: Mapping[RowId, tuple[WholePixels, WholePixels]]
    do: Literal["place-parts"] = field(default="place-parts", kw_only=True, repr=False)

    def title(self, before: Arrangement) -> str:
        return f"Move {counted(before, self.offsets)}"


@dataclass(frozen=True, slots=True, config=CONFIG)
class SetPivots(Setting):
    """Say what parts turn about, in canvas pixels, or that nobody has said (None)."""

    values: ClassVar[Mapping[str, Value]] = {"pivots": Value("pivot", _kept_as(Point))}
    pivots: Mapping[RowId, Spot | None]
    do: Literal["set-pivots"] = field(default="set-pivots", kw_only=True, repr=False)

    def title(self, before: Arrangement) -> str:
        return f"{'Set' if any(self.pivots.values()) else 'Remove'} pivot of {counted(before, self.pivots)}"


@dataclass(frozen=True, slots=True, config=CONFIG)
class SetJoints(Setting):
    """Say which part carries each (None: no other), and what they turn about, all in one step."""

    values: ClassVar[Mapping[str, Value]] = {
        "parents": Value("parent"),
        "pivots": Value("pivot", _kept_as(Point)),
    }
    parents: Mapping[RowId, RowId | None] = field(default_factory=dict)
    pivots: Mapping[RowId, Spot | None] = field(default_factory=dict)
    do: Literal["set-joints"] = field(default="set-joints", kw_only=True, repr=False)

    def title(self, before: Arrangement) -> str:
        what = counted(before, self.named)
        carrier = next(iter(self.parents.values()), None)
        if len(self.parents) == 1 and not self.pivots:
            return (
                f"Set parent of {what} to '{before.find(carrier)[1].name}'" if carrier else f"Remove parent of {what}"
            )
        return f"Set joints of {what}"

    def applied(self, before: Arrangement) -> Arrangement:
        result = Setting.applied(self, before)
        there = result.index()
        for carrier in self.parents.values():
            if carrier is not None:
                part_of(find(there, carrier)[1])
        if circle := result.around_in_a_circle():
            chain = ", ".join(f"'{there[row][1].name}'" for row in (*circle, circle[0]))
            raise CannotCarry(f"These parents would form a loop: {chain}. Nothing was changed. Choose another parent.")
        return result


@dataclass(frozen=True, slots=True, config=CONFIG)
class SetDepths(Setting):
    """Say how far behind the picture plane parts stand, in canvas pixels."""

    values: ClassVar[Mapping[str, Value]] = {"depths": Value("depth")}
    depths: Mapping[RowId, Pixels]
    do: Literal["set-depths"] = field(default="set-depths", kw_only=True, repr=False)

    def title(self, before: Arrangement) -> str:
        return f"Set depth of {counted(before, self.depths)}"


@dataclass(frozen=True, slots=True, config=CONFIG)
class SpreadDepths(Command):
    """Let parts stand at even steps, the front-most `nearest`: one by one, or all of an outermost group at one depth."""

    rows: tuple[RowId, ...]
    step: Pixels
    nearest: Pixels = 0.0
    by_groups: StrictBool = False
    do: Literal["spread-depths"] = field(default="spread-depths", kw_only=True, repr=False)

    @property
    def touched(self) -> Touched:
        return frozenset((row, "depth") for row in self.rows)

    def title(self, before: Arrangement) -> str:
        return f"Set depth of {counted(before, self.named)}"

    def applied(self, before: Arrangement) -> Arrangement:
        return self.meant(before).applied(before)

    def inverse(self, before: Arrangement) -> Command:
        return self.meant(before).inverse(before)

    def meant(self, before: Arrangement) -> SetDepths:
        """The depths that it is, for the rows that are there."""
        wanted = set(self.rows)
        found = [(around, part) for around, part in before.parts() if part.id in wanted]
        depths: dict[str, float] = {}
        planes: dict[str, int] = {}
        for around, part in reversed(found):
            plane = around[0].id if self.by_groups and around else part.id
            at = planes.setdefault(plane, len(planes))
            depths[part.id] = self.nearest + at * self.step
        return SetDepths(depths)


@dataclass(frozen=True, slots=True, config=CONFIG)
class SetRoles(Setting):
    """Say what parts are for."""

    values: ClassVar[Mapping[str, Value]] = {"roles": Value("role")}
    roles: Mapping[RowId, Role]
    do: Literal["set-roles"] = field(default="set-roles", kw_only=True, repr=False)

    def title(self, before: Arrangement) -> str:
        role = next(iter(self.roles.values())).replace("-", " ")
        what = counted(before, self.roles)
        return f"Set roles of {what}" if len(set(self.roles.values())) > 1 else f"Set role of {what} to {role}"


@dataclass(frozen=True, slots=True, config=CONFIG)
class SetFits(Setting):
    """Say how pieces of an interface follow the screen: what is not stretched of them, and what they keep their distance to."""

    values: ClassVar[Mapping[str, Value]] = {
        "margins": Value("margins", _kept_as(Margins)),
        "anchors": Value("anchor", _kept_as(Anchor)),
    }
    margins: Mapping[RowId, tuple[Margin, Margin, Margin, Margin] | None] = field(default_factory=dict)
    anchors: Mapping[RowId, tuple[Share, Share] | None] = field(default_factory=dict)
    do: Literal["set-fits"] = field(default="set-fits", kw_only=True, repr=False)

    def title(self, before: Arrangement) -> str:
        return f"Set anchor and margins of {counted(before, self.named)}"
