"""Commands about rows of both kinds: their names, what is seen of them, and their places."""

from collections.abc import Mapping
from dataclasses import field, replace
from typing import Annotated, Any, ClassVar, Literal

from natsort import natsort_keygen, ns
from pydantic import AfterValidator, Field, StrictBool, StrictInt, StrictStr
from pydantic.dataclasses import dataclass

from yuplet.arrangement.commands.base import CONFIG, Command, RowId, Touched, check_names, counted, find
from yuplet.arrangement.commands.replacing import ReplaceRows, bare
from yuplet.arrangement.records import PutRow, to_record
from yuplet.arrangement.tree import Arrangement, Decisions, PartGroup, Row
from yuplet.errors import ArrangementError, CannotMove
from yuplet.parts.part import Part


@dataclass(frozen=True, slots=True, config=CONFIG)
class RenameRows(Command):
    """Give rows new names, all in one step."""

    names: Mapping[RowId, StrictStr]
    do: Literal["rename-rows"] = field(default="rename-rows", kw_only=True, repr=False)

    @property
    def touched(self) -> Touched:
        return frozenset((row, "name") for row in self.names)

    def title(self, before: Arrangement) -> str:
        return f"Rename {counted(before, self.names)}"

    def applied(self, before: Arrangement) -> Arrangement:
        new = self.names
        result = before.changed(lambda row: replace(row, name=new[row.id]) if row.id in new else row)
        check_names(result, set(new))
        return result

    def inverse(self, before: Arrangement) -> Command:
        there = before.index()
        return RenameRows({row: find(there, row)[1].name for row in self.names})


@dataclass(frozen=True, slots=True, config=CONFIG)
class ShowRows(Command):
    """Show (true) or hide (false) rows; members of a group keep their own state.

    To show one of a set of alternates is to choose it, and one of them is always shown.
    """

    only_looks: ClassVar[bool] = True
    shown: Mapping[RowId, StrictBool]
    do: Literal["show-rows"] = field(default="show-rows", kw_only=True, repr=False)

    @property
    def touched(self) -> Touched:
        return frozenset((row, "shown") for row in self.shown)

    def title(self, before: Arrangement) -> str:
        on = set(self.shown.values())
        what = "Show" if on == {True} else "Hide" if on == {False} else "Show or hide"
        return f"{what} {counted(before, self.shown)}"

    def applied(self, before: Arrangement) -> Arrangement:
        chosen: dict[str, str] = {}
        there = before.index()
        for row_id, on in self.shown.items():
            around, row = there[row_id]
            if not around or around[-1].alternate is None:
                continue
            if on:
                chosen[around[-1].id] = row_id
            elif around[-1].shown_alternate == row_id and not any(
                self.shown.get(member.id) for member in around[-1].members
            ):
                raise ArrangementError(
                    f"'{row.name}' is the one that is shown of the alternates '{around[-1].name}'. Show another one instead."
                )
        in_sets = {row_id for row_id in self.shown for group in there[row_id][0][-1:] if group.alternate is not None}

        def each(row: Row) -> Row:
            if isinstance(row, PartGroup) and row.id in chosen:
                row = replace(row, alternate=chosen[row.id])
            return replace(row, shown=self.shown[row.id]) if row.id in self.shown and row.id not in in_sets else row

        return before.changed(each)

    def inverse(self, before: Arrangement) -> Command:
        there = before.index()
        sets = {group.id: group for row_id in self.shown for group in find(there, row_id)[0][-1:] if group.alternate}
        if not sets:
            return ShowRows({row_id: find(there, row_id)[1].shown for row_id in self.shown})
        rows = {row.id: row for row in (*sets.values(), *(find(there, row_id)[1] for row_id in self.shown))}
        put = tuple(PutRow(to_record(row, before.place(row.id)[0]), None) for row in rows.values())
        return ReplaceRows((), put, self.title(before))


@dataclass(frozen=True, slots=True, config=CONFIG)
class ShowAlone(Command):
    """Show one row alone, or everything as it was (None)."""

    only_looks: ClassVar[bool] = True
    row: RowId | None
    do: Literal["show-alone"] = field(default="show-alone", kw_only=True, repr=False)

    @property
    def touched(self) -> Touched:
        return frozenset({("", "alone")})

    @property
    def named(self) -> set[str]:
        return set() if self.row is None else {self.row}

    def title(self, before: Arrangement) -> str:
        return f"Show {counted(before, self.named)} alone" if self.row else "Show all again"

    def applied(self, before: Arrangement) -> Arrangement:
        return replace(before, alone=self.row)

    def inverse(self, before: Arrangement) -> Command:
        return ShowAlone(before.alone)


@dataclass(frozen=True, slots=True, config=CONFIG)
class Place:
    """Where a row stands: in which group (None: outermost), and how many siblings lie behind it."""

    row: RowId
    group: RowId | None
    index: StrictInt


@dataclass(frozen=True, slots=True, config=CONFIG)
class MoveRows(Command):
    """Put rows elsewhere in the draw order. All are taken out first, then put in one after the other."""

    places: tuple[Place, ...]
    do: Literal["move-rows"] = field(default="move-rows", kw_only=True, repr=False)

    @property
    def touched(self) -> Touched:
        return frozenset((place.row, "place") for place in self.places)

    def title(self, before: Arrangement) -> str:
        return f"Reorder {counted(before, self.named)}"

    def applied(self, before: Arrangement) -> Arrangement:
        moving = self.named
        if len(moving) < len(self.places):
            raise CannotMove("A row was to be moved to two places at once. Move it to one.")
        there = before.index()
        for place in self.places:
            if place.group is not None and not isinstance(group := find(there, place.group)[1], PartGroup):
                raise CannotMove(f"'{group.name}' is a part and cannot hold others. Choose a group.")
        taken_out = {row: bare(there[row][1], moving) for row in moving}
        staying = tuple(bare(row, moving) for row in before.rows if row.id not in moving)
        # The members of every group as they will be; a row may go into a group that moves as well.
        members: dict[str | None, list[Row]] = {None: list(staying)}
        waiting = [*staying, *taken_out.values()]
        while waiting:
            row = waiting.pop()
            if isinstance(row, PartGroup):
                members[row.id] = list(row.members)
                waiting += row.members
        for place in self.places:
            siblings = members[place.group]
            siblings.insert(min(max(place.index, 0), len(siblings)), taken_out[place.row])
        put: set[str] = set()

        def filled(row: Row) -> Row:
            put.add(row.id)
            return replace(row, members=tuple(map(filled, members[row.id]))) if isinstance(row, PartGroup) else row

        result = replace(before, rows=tuple(map(filled, members[None])))
        lost = next((place.row for place in self.places if place.row not in put), None)
        if lost is not None:
            raise CannotMove(
                f"The group '{taken_out[lost].name}' cannot be moved into itself. Choose a place outside of it."
            )
        check_names(result, moving)
        return result

    def inverse(self, before: Arrangement) -> Command:
        found = {
            row.id: (around[-1].id if around else None, index)
            for around, rows in _families(before)
            for index, row in enumerate(rows)
        }
        old = [Place(place.row, *found[place.row]) for place in self.places]
        return MoveRows(tuple(sorted(old, key=lambda place: place.index)))


def _families(before: Arrangement) -> list[tuple[tuple[PartGroup, ...], tuple[Row, ...]]]:
    """The members of every group, each with the groups around them."""
    groups = [((*around, row), row.members) for around, row in before.walk() if isinstance(row, PartGroup)]
    return [((), before.rows), *groups]


@dataclass(frozen=True, slots=True, config=CONFIG)
class OrderRows(Command):
    """Put the members of a group (None: the outermost rows) in order: by name or depth, or as they are `listed`.

    Names are sorted as people do, numbers in them by their value, the first at the back. What is not listed stays in front.
    """

    group: RowId | None
    by: Literal["name", "depth", "listed"]
    listed: tuple[RowId, ...] = ()
    do: Literal["order-rows"] = field(default="order-rows", kw_only=True, repr=False)

    @property
    def touched(self) -> Touched:
        return frozenset({(self.group or "", "order")})

    def title(self, before: Arrangement) -> str:
        what = f"'{before.find(self.group)[1].name}'" if self.group else "all parts"
        return f"Sort {what} by {'the layers' if self.by == 'listed' else self.by}"

    def applied(self, before: Arrangement) -> Arrangement:
        return self.meant(before).applied(before)

    def inverse(self, before: Arrangement) -> Command:
        return self.meant(before).inverse(before)

    def meant(self, before: Arrangement) -> MoveRows:
        """The moves that it is, for the rows that are there."""
        rows = before.rows
        if self.group is not None:
            _, group = before.find(self.group)
            if not isinstance(group, PartGroup):
                raise CannotMove(f"'{group.name}' is a part. Choose a group.")
            rows = group.members
        if self.by == "name":
            natural = natsort_keygen(alg=ns.IGNORECASE | ns.COMPATIBILITYNORMALIZE)
            ordered = sorted(rows, key=lambda row: natural(row.name))
        elif self.by == "depth":
            ordered = sorted(rows, key=_depth, reverse=True)
        else:
            place = {row: index for index, row in enumerate(self.listed)}
            ordered = sorted(rows, key=lambda row: place.get(row.id, len(place)))
        return MoveRows(tuple(Place(row.id, self.group, index) for index, row in enumerate(ordered)))


def _depth(row: Row) -> float:
    """How far away the nearest of a row stands."""
    if isinstance(row, Part):
        return row.depth
    return min((_depth(member) for member in row.members), default=0.0)


_DECIDED = {
    "required": "required parts",
    "meanings": "meaning of names",
    "sides": "endings for left and right",
    "distance": "camera distance",
    "travel": "camera travel",
}


def _decidable(value: Mapping[str, Any]) -> Mapping[str, Any]:
    """The same, once it is sure that it can be decided."""
    try:
        kept = Decisions.from_json(value).as_json()
    except (KeyError, TypeError, AttributeError) as error:
        raise ValueError(str(error)) from error
    if unknown := set(value) - set(kept):
        raise ValueError(f"nothing is called {', '.join(sorted(unknown))}")
    return {name: kept[name] for name in value}


@dataclass(frozen=True, slots=True, config=CONFIG)
class Decide(Command):
    """Change what was decided for all rows; each is a field of `Decisions` as plain JSON values."""

    decisions: Annotated[Mapping[StrictStr, Any], AfterValidator(_decidable), Field(min_length=1)]
    do: Literal["decide"] = field(default="decide", kw_only=True, repr=False)

    @property
    def touched(self) -> Touched:
        return frozenset(("", name) for name in self.decisions)

    def title(self, before: Arrangement) -> str:
        return f"Set {', '.join(_DECIDED[name] for name in self.decisions)}"

    def applied(self, before: Arrangement) -> Arrangement:
        decided = Decisions.from_json({**before.decisions.as_json(), **self.decisions})
        return replace(before, decisions=decided)

    def inverse(self, before: Arrangement) -> Command:
        kept = before.decisions.as_json()
        return Decide({name: kept[name] for name in self.decisions})
