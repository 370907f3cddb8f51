"""What an artist does, as small values; `apply` makes a new arrangement or says what is in the way.

Each command can say what undoes it (`inverse`, asked before it is applied) and which fields of which rows it touches
(`touched`), so that one person's undo never takes away what somebody else did later.
"""

from collections import Counter
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Literal, TypeAlias

from natsort import natsort_keygen, ns

from yuplet.arrangement import names, stacks
from yuplet.arrangement.records import PutRow, from_record, to_record
from yuplet.arrangement.tree import Arrangement, Decisions, PartGroup, Row
from yuplet.errors import ArrangementError, CannotCarry, CannotMove, Locked, NameNotUsable, NoSuchRow
from yuplet.geometry import Point
from yuplet.parts.part import Anchor, Margins, Part, Role


@dataclass(frozen=True, slots=True)
class RenameRows:
    """Give rows new names, all in one step."""

    names: Mapping[str, str]


@dataclass(frozen=True, slots=True)
class ShowRows:
    """Show (true) or hide (false) rows; members of a group keep their own state."""

    shown: Mapping[str, bool]


@dataclass(frozen=True, slots=True)
class IncludeParts:
    """Include parts in the hand-over (true) or leave them out (false)."""

    included: Mapping[str, bool]


@dataclass(frozen=True, slots=True)
class LockParts:
    """Lock parts (true), so that they are neither picked nor changed, or unlock them (false)."""

    locked: Mapping[str, bool]


@dataclass(frozen=True, slots=True)
class ShowAlone:
    """Show one row alone, or everything as it was (None)."""

    row: str | None


@dataclass(frozen=True, slots=True)
class Place:
    """Where a row stands: in which group (None: outermost), and how many siblings lie behind it."""

    row: str
    group: str | None
    index: int


@dataclass(frozen=True, slots=True)
class MoveRows:
    """Put rows elsewhere in the draw order. All are taken out first, then put in one after the other."""

    places: tuple[Place, ...]


@dataclass(frozen=True, slots=True)
class PlaceParts:
    """Lay parts elsewhere: how far each lies from where its layers do, in canvas pixels."""

    offsets: Mapping[str, tuple[int, int]]


@dataclass(frozen=True, slots=True)
class SetPivots:
    """Say what parts turn about, in canvas pixels, or that nobody has said (None)."""

    pivots: Mapping[str, tuple[float, float] | None]


@dataclass(frozen=True, slots=True)
class SetJoints:
    """Say which part carries each (None: no other), and what they turn about, all in one step."""

    parents: Mapping[str, str | None] = field(default_factory=dict)
    pivots: Mapping[str, tuple[float, float] | None] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class SetDepths:
    """Say how far behind the picture plane parts stand, in canvas pixels."""

    depths: Mapping[str, float]


@dataclass(frozen=True, slots=True)
class SpreadDepths:
    """Let parts stand at even steps, the front-most `nearest`: one by one, or all of an outermost group at one depth."""

    rows: tuple[str, ...]
    step: float
    nearest: float = 0.0
    by_groups: bool = False


@dataclass(frozen=True, slots=True)
class SetRoles:
    """Say what parts are for."""

    roles: Mapping[str, Role]


@dataclass(frozen=True, slots=True)
class SetFits:
    """Say how pieces of an interface follow the screen: what is not stretched of them, and what they keep their distance to."""

    margins: Mapping[str, tuple[int, int, int, int] | None] = field(default_factory=dict)
    anchors: Mapping[str, tuple[float, float] | None] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class TimeFrames:
    """Say for how many milliseconds each frame of a part is seen (None: nobody has said)."""

    row: str
    milliseconds: tuple[int | None, ...]


@dataclass(frozen=True, slots=True)
class OrderRows:
    """Put the members of a group (None: the outermost rows) in order: by name or depth, or as they are `listed`.

    Names are sorted as people do, numbers in them by their value, the first at the back. What is not listed stays in front.
    """

    group: str | None
    by: Literal["name", "depth", "listed"]
    listed: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Decide:
    """Change what was decided for all rows; each is a field of `Decisions` as plain JSON values."""

    decisions: Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class ReadAsFrames:
    """Read a stack as moments of one part, the first at the back: the members of a group, or siblings."""

    rows: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class ReadAsParts:
    """Read the frames of a part as parts of their own, in a group."""

    row: str


@dataclass(frozen=True, slots=True)
class JoinRows:
    """Make one part of several siblings; of groups alone, one part of each."""

    rows: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class SplitParts:
    """Make a part of each layer of parts that have several, in a group in the part's place."""

    rows: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class MakeAlternates:
    """Let siblings, or the members of a group, be alternates: exactly one of them is shown."""

    rows: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class EndAlternates:
    """Let a set of alternates be a plain group again."""

    row: str


@dataclass(frozen=True, slots=True)
class GroupRows:
    """Put siblings in a group of their own."""

    rows: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class UngroupRows:
    """Put the members of groups in the place of those."""

    rows: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class RemoveRows:
    """Take rows out, groups with all that is in them; the art they are of stays in the original."""

    rows: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class ReplaceRows:
    """Take rows out and put others in: what undoes larger steps, and what a new revision of the art brings.

    All of `remove` are taken out first, then `put` goes in one after the other. `revision` is the number of the
    revision that the rows belong to, where the step changes it.
    """

    remove: tuple[str, ...]
    put: tuple[PutRow, ...]
    what: str
    revision: int | None = None


Setting: TypeAlias = IncludeParts | LockParts | PlaceParts | SetPivots | SetJoints | SetDepths | SetRoles | SetFits
"""Commands that give parts new values, each attribute a mapping from rows."""
_Restacking: TypeAlias = (
    ReadAsFrames
    | ReadAsParts
    | JoinRows
    | SplitParts
    | GroupRows
    | UngroupRows
    | RemoveRows
    | MakeAlternates
    | EndAlternates
    | TimeFrames
)
"""Commands that put rows in the place of others."""
_Derived: TypeAlias = SpreadDepths | OrderRows
"""Commands that are others, once one knows the rows."""
Command: TypeAlias = (
    RenameRows | ShowRows | ShowAlone | MoveRows | Decide | ReplaceRows | Setting | _Restacking | _Derived
)

_DECIDED = {
    "required": "what must be there",
    "meanings": "what names mean",
    "sides": "which endings mean left and right",
    "distance": "where the camera stands",
    "travel": "how far the camera travels",
}
_FIELDS = (
    "name", "shown", "included", "locked", "place", "offset", "frames", "pivot", "parent", "depth", "role", "margins", "anchor",
)  # fmt: skip


def apply(arrangement: Arrangement, command: Command) -> Arrangement:
    """The arrangement after a command; the one given is not changed.

    Raises
    ------
    ArrangementError
        `NoSuchRow`, `Locked`, `NameNotUsable`, `CannotMove`, `CannotJoin` or `NotFrames`: what the artist can mend.
    """
    if isinstance(command, ReplaceRows):
        return _replaced(arrangement, command)
    there = arrangement.index()
    for row_id in _rows(command):
        found = _found(there, row_id)[1]
        # What is seen may always be changed: that is looking, not changing.
        if not isinstance(command, ShowRows | ShowAlone | LockParts) and isinstance(found, Part) and found.locked:
            raise Locked(found.name)
    if isinstance(command, Setting):
        return _set(arrangement, command)
    match command:
        case RenameRows(new):
            result = arrangement.changed(lambda row: replace(row, name=new[row.id]) if row.id in new else row)
            _check_names(result, set(new))
            return result
        case ShowRows(shown):
            return _shown(arrangement, shown)
        case ShowAlone(row):
            return replace(arrangement, alone=row)
        case MoveRows(places):
            result = _moved(arrangement, places)
            _check_names(result, {place.row for place in places})
            return result
        case Decide(decisions):
            return replace(arrangement, decisions=_decided(arrangement.decisions, decisions))
        case SpreadDepths() | OrderRows():
            return apply(arrangement, _meant(arrangement, command))
        case _:
            return _replaced(arrangement, _replacement(arrangement, command))


def inverse(before: Arrangement, command: Command) -> Command:
    """The command that undoes another one, given the arrangement before it was applied."""
    there = before.index()
    if isinstance(command, Setting):
        return type(command)(
            **{
                name: {row: getattr(_part(_found(there, row)[1]), setting.field) for row in getattr(command, name)}
                for name, setting in _SETTINGS[type(command)].items()
            }
        )
    match command:
        case RenameRows(new):
            return RenameRows({row_id: _found(there, row_id)[1].name for row_id in new})
        case ShowRows(shown):
            sets = {group.id: group for row_id in shown for group in _found(there, row_id)[0][-1:] if group.alternate}
            if not sets:
                return ShowRows({row_id: _found(there, row_id)[1].shown for row_id in shown})
            rows = [*sets.values(), *(_found(there, row_id)[1] for row_id in shown)]
            places = {row.id: before.place(row.id)[0] for row in rows}
            put = tuple(PutRow(to_record(row, places[row.id]), None) for row in {row.id: row for row in rows}.values())
            return ReplaceRows((), put, title(command, before))
        case ShowAlone():
            return ShowAlone(before.alone)
        case MoveRows(places):
            old = [Place(place.row, *before.place(place.row)) for place in places]
            return MoveRows(tuple(sorted(old, key=lambda place: place.index)))
        case Decide(decisions):
            kept = before.decisions.as_json()
            return Decide({name: kept[name] for name in decisions if name in kept})
        case SpreadDepths() | OrderRows():
            return inverse(before, _meant(before, command))
        case ReplaceRows(what=what):
            return _inverse_replacement(before, command, what)
        case _:
            return _inverse_replacement(before, _replacement(before, command), title(command, before))


def touched(command: Command) -> set[tuple[str, str]]:
    """The (row, field) pairs that a command changes."""
    if isinstance(command, Setting):
        settings = _SETTINGS[type(command)].items()
        return {(row, setting.field) for name, setting in settings for row in getattr(command, name)}
    match command:
        case RenameRows(new):
            return {(row, "name") for row in new}
        case ShowRows(shown):
            return {(row, "shown") for row in shown}
        case ShowAlone():
            return {("", "alone")}
        case MoveRows(places):
            return {(place.row, "place") for place in places}
        case Decide(decisions):
            return {("", name) for name in decisions}
        case SpreadDepths(rows):
            return {(row, "depth") for row in rows}
        case OrderRows(group):
            return {("", "order")} if group is None else {(group, "order")}
        case TimeFrames(row):
            return {(row, "frames")}
        case (
            ReadAsFrames(rows)
            | JoinRows(rows)
            | SplitParts(rows)
            | GroupRows(rows)
            | UngroupRows(rows)
            | RemoveRows(rows)
            | MakeAlternates(rows)
        ):
            return {(row, field) for row in rows for field in _FIELDS}
        case ReadAsParts(row) | EndAlternates(row):
            return {(row, field) for field in _FIELDS}
        case ReplaceRows(remove, put):
            ids = {*remove, *(one.record.id for one in put)}
            return {(row, field) for row in ids for field in _FIELDS}


def title(command: Command, arrangement: Arrangement) -> str:
    """The name of a step, for the undo and redo buttons; the arrangement is the one before the step."""
    if isinstance(command, ReplaceRows):
        return command.what
    ids = sorted(_rows(command))
    one = f"'{arrangement.find(ids[0])[1].name}'" if len(ids) == 1 else f"{len(ids)} rows"
    match command:
        case RenameRows():
            return f"Rename {one}"
        case ShowRows(shown):
            return f"{'Show' if all(shown.values()) else 'Hide' if not any(shown.values()) else 'Show or hide'} {one}"
        case IncludeParts(included):
            return f"{'Include' if all(included.values()) else 'Leave out'} {one}"
        case LockParts(locked):
            return f"{'Lock' if all(locked.values()) else 'Unlock'} {one}"
        case ShowAlone(row):
            return f"Show {one} alone" if row else "Show everything again"
        case MoveRows():
            return f"Move {one}"
        case PlaceParts():
            return f"Place {one}"
        case SetPivots(pivots):
            return f"{'Set' if any(pivots.values()) else 'Remove'} the pivot of {one}"
        case SetJoints(parents, pivots):
            carrier = next(iter(parents.values()), None)
            if len(parents) == 1 and not pivots:
                carried = f"'{arrangement.find(carrier)[1].name}' carry {one}" if carrier else f"nothing carry {one}"
                return f"Let {carried}"
            return f"Set the joints of {one}"
        case SetDepths() | SpreadDepths():
            return f"Set the depth of {one}"
        case OrderRows(group, by):
            what = f"'{arrangement.find(group)[1].name}'" if group else "all rows"
            return f"Order {what} by {'the layers' if by == 'listed' else by}"
        case SetRoles(roles):
            role = next(iter(roles.values()), "picture").replace("-", " ")
            return f"Let {one} be {'of other roles' if len(set(roles.values())) > 1 else f'a {role}'}"
        case SetFits():
            return f"Set how {one} follows the screen"
        case TimeFrames():
            return f"Time the frames of {one}"
        case Decide(decisions):
            return f"Decide {', '.join(_DECIDED.get(name, name) for name in decisions)}"
        case ReadAsFrames():
            return f"Read {one} as frames"
        case ReadAsParts():
            return f"Read the frames of {one} as parts"
        case JoinRows():
            return f"Make one part of {one}"
        case SplitParts():
            return f"Split {one} into layers"
        case GroupRows():
            return f"Group {one}"
        case UngroupRows():
            return f"Ungroup {one}"
        case RemoveRows():
            return f"Remove {one}"
        case MakeAlternates():
            return f"Make alternates of {one}"
        case EndAlternates():
            return f"Let {one} be no alternates any more"


def _decided(decisions: Decisions, changed: Mapping[str, Any]) -> Decisions:
    return Decisions.from_json({**decisions.as_json(), **changed})


@dataclass(frozen=True, slots=True)
class _Set:
    """What a mapping of a command is about: the field of a part, and how a value is kept there."""

    field: str
    keep: Callable[[Any], Any] = lambda value: value


def _kept_as(kind: Callable[..., Any]) -> Callable[[Any], Any]:
    return lambda value: None if value is None else kind(*value)


_SETTINGS: dict[type[Setting], dict[str, _Set]] = {
    IncludeParts: {"included": _Set("included")},
    LockParts: {"locked": _Set("locked")},
    PlaceParts: {"offsets": _Set("offset")},
    SetPivots: {"pivots": _Set("pivot", _kept_as(Point))},
    SetJoints: {"parents": _Set("parent"), "pivots": _Set("pivot", _kept_as(Point))},
    SetDepths: {"depths": _Set("depth")},
    SetRoles: {"roles": _Set("role")},
    SetFits: {"margins": _Set("margins", _kept_as(Margins)), "anchors": _Set("anchor", _kept_as(Anchor))},
}


def _set(arrangement: Arrangement, command: Setting) -> Arrangement:
    given: dict[str, dict[str, Any]] = {}
    for name, setting in _SETTINGS[type(command)].items():
        for row, value in getattr(command, name).items():
            given.setdefault(row, {})[setting.field] = setting.keep(value)
    result = arrangement.changed(lambda row: replace(_part(row), **given[row.id]) if row.id in given else row)
    if isinstance(command, SetJoints):
        there = result.index()
        for carrier in command.parents.values():
            if carrier is not None:
                _part(_found(there, carrier)[1])
        if circle := result.around_in_a_circle():
            chain = " carries ".join(f"'{result.find(row)[1].name}'" for row in (*circle, circle[0]))
            raise CannotCarry(f"Parts would carry each other in a circle: {chain}. Choose another one.")
    return result


def _meant(arrangement: Arrangement, command: _Derived) -> SetDepths | MoveRows:
    """The command that another one is, for the rows that are there."""
    if isinstance(command, SpreadDepths):
        wanted = set(command.rows)
        found = [(around, part) for around, part in arrangement.parts() if part.id in wanted]
        depths: dict[str, float] = {}
        planes: dict[str, int] = {}
        for around, part in reversed(found):
            plane = around[0].id if command.by_groups and around else part.id
            at = planes.setdefault(plane, len(planes))
            depths[part.id] = command.nearest + at * command.step
        return SetDepths(depths)
    rows = arrangement.rows
    if command.group is not None:
        _, group = arrangement.find(command.group)
        if not isinstance(group, PartGroup):
            raise CannotMove(f"'{group.name}' is a part. Choose a group.")
        rows = group.members
    if command.by == "name":
        natural = natsort_keygen(alg=ns.IGNORECASE | ns.COMPATIBILITYNORMALIZE)
        ordered = sorted(rows, key=lambda row: natural(row.name))
    elif command.by == "depth":
        ordered = sorted(rows, key=_depth, reverse=True)
    else:
        place = {row: index for index, row in enumerate(command.listed)}
        ordered = sorted(rows, key=lambda row: place.get(row.id, len(place)))
    return MoveRows(tuple(Place(row.id, command.group, index) for index, row in enumerate(ordered)))


def _depth(row: Row) -> float:
    """How far away the nearest of a row stands."""
    if isinstance(row, Part):
        return row.depth
    return min((_depth(member) for member in row.members), default=0.0)


def _found(there: Mapping[str, tuple[tuple[PartGroup, ...], Row]], row_id: str) -> tuple[tuple[PartGroup, ...], Row]:
    if row_id not in there:
        raise NoSuchRow(row_id)
    return there[row_id]


def _rows(command: Command) -> set[str]:
    if isinstance(command, ShowAlone):
        return set() if command.row is None else {command.row}
    return {row for row, _ in touched(command) if row}


def _part(row: Row) -> Part:
    if isinstance(row, PartGroup):
        raise ArrangementError(f"'{row.name}' is a group. Choose its parts.")
    return row


def _check_names(arrangement: Arrangement, changed: set[str]) -> None:
    """Refuse names that cannot be files' and names that a sibling of the same kind already has."""
    counts: dict[tuple[str | None, type], Counter[str]] = {}
    for around, row in arrangement.walk():
        if row.id not in changed:
            continue
        siblings = around[-1].members if around else arrangement.rows
        otherwise = "group" if isinstance(row, PartGroup) else "part"
        within = (around[-1].id if around else None, type(row))
        if within not in counts:
            counts[within] = Counter(names.key(other.name) for other in siblings if type(other) is type(row))
        reason = names.problem(row.name)
        if reason is None and counts[within][names.key(row.name)] > 1:
            reason = f"is taken by another {otherwise} in the same group"
        if reason is not None:
            taken = [other.name for other in siblings if other.id != row.id and type(other) is type(row)]
            raise NameNotUsable(row.name, reason, names.proposal(row.name, taken, otherwise))


def _shown(arrangement: Arrangement, shown: Mapping[str, bool]) -> Arrangement:
    """Rows shown or hidden; to show one of a set of alternates is to choose it, and one of them is always shown."""
    chosen: dict[str, str] = {}
    there = arrangement.index()
    for row_id, on in shown.items():
        around, row = there[row_id]
        if not around or around[-1].alternate is None:
            continue
        if on:
            chosen[around[-1].id] = row_id
        elif around[-1].shown_alternate == row_id and not any(shown.get(member.id) for member in around[-1].members):
            raise ArrangementError(
                f"'{row.name}' is the one that is shown of the alternates '{around[-1].name}'. Show another one instead."
            )

    def each(row: Row) -> Row:
        if isinstance(row, PartGroup) and row.id in chosen:
            row = replace(row, alternate=chosen[row.id])
        return replace(row, shown=shown[row.id]) if row.id in shown and row.id not in in_sets else row

    in_sets = {row_id for row_id in shown for group in there[row_id][0][-1:] if group.alternate is not None}
    return arrangement.changed(each)


def _moved(arrangement: Arrangement, places: tuple[Place, ...]) -> Arrangement:
    if len({place.row for place in places}) < len(places):
        raise CannotMove("A row was to be moved to two places at once. Move it to one.")
    moving = {place.row for place in places}

    def without(rows: tuple[Row, ...]) -> tuple[Row, ...]:
        return tuple(bare(row) for row in rows if row.id not in moving)

    def bare(row: Row) -> Row:
        return replace(row, members=without(row.members)) if isinstance(row, PartGroup) else row

    taken_out = {place.row: bare(arrangement.find(place.row)[1]) for place in places}
    for place in places:
        if place.group is not None and not isinstance(group := arrangement.find(place.group)[1], PartGroup):
            raise CannotMove(f"'{group.name}' is a part and cannot hold others. Choose a group.")
    result = replace(arrangement, rows=without(arrangement.rows))
    waiting = list(places)
    while waiting:
        # A row may go into a group that moves as well: that one is put in first.
        there = {row.id for _, row in result.walk()}
        ready = next((place for place in waiting if place.group is None or place.group in there), None)
        if ready is None:
            name = taken_out[waiting[0].row].name
            raise CannotMove(f"The group '{name}' cannot be moved into itself. Choose a place outside of it.")
        waiting.remove(ready)
        result = _put(result, taken_out[ready.row], ready)
    return result


def _put(arrangement: Arrangement, row: Row, place: Place) -> Arrangement:
    def into(rows: tuple[Row, ...]) -> tuple[Row, ...]:
        index = min(max(place.index, 0), len(rows))
        return (*rows[:index], row, *rows[index:])

    if place.group is None:
        return replace(arrangement, rows=into(arrangement.rows))
    return arrangement.changed(
        lambda other: (
            replace(other, members=into(other.members))
            if isinstance(other, PartGroup) and other.id == place.group
            else other
        )
    )


def _replaced(arrangement: Arrangement, command: ReplaceRows) -> Arrangement:
    leaving = set(command.remove)
    for row_id in command.remove:
        _, row = arrangement.find(row_id)
        if isinstance(row, PartGroup) and {member.id for member in row.members} - leaving:
            raise ArrangementError(f"'{row.name}' cannot be taken out while it has members. Take them out first.")

    def without(rows: tuple[Row, ...]) -> tuple[Row, ...]:
        kept = (row for row in rows if row.id not in leaving)
        return tuple(replace(row, members=without(row.members)) if isinstance(row, PartGroup) else row for row in kept)

    result = replace(arrangement, rows=without(arrangement.rows))
    for one in command.put:
        if one.index is None:
            _, old = result.find(one.record.id)
            fresh = from_record(one.record, old.members if isinstance(old, PartGroup) else ())
            result = result.changed(lambda row, fresh=fresh: fresh if row.id == fresh.id else row)  # type: ignore[misc]
        else:
            if one.record.group is not None:
                result.find(one.record.group)
            place = Place(one.record.id, one.record.group, one.index)
            result = _put(result, from_record(one.record), place)
    _check_names(result, {one.record.id for one in command.put})
    return result


def _inverse_replacement(before: Arrangement, command: ReplaceRows, what: str) -> ReplaceRows:
    added = [one.record.id for one in command.put if one.index is not None]
    again = {*command.remove, *(one.record.id for one in command.put if one.index is None)}
    put = []
    for around, row in before.walk():
        if row.id in again:
            siblings = around[-1].members if around else before.rows
            record = to_record(row, around[-1].id if around else None)
            put.append(PutRow(record, siblings.index(row) if row.id in command.remove else None))
    return ReplaceRows(tuple(added), tuple(put), what, command.revision)


def _replacement(arrangement: Arrangement, command: _Restacking) -> ReplaceRows:
    """What rows take the place of others when a stack is read the other way, joined, split or removed."""
    match command:
        case ReadAsFrames(rows):
            remove, put = stacks.as_frames(arrangement, rows)
        case ReadAsParts(row):
            remove, put = stacks.as_parts(arrangement, row)
        case JoinRows(rows):
            remove, put = stacks.joined(arrangement.settled(), rows)
        case SplitParts(rows):
            remove, put = stacks.split(arrangement, rows)
        case GroupRows(rows):
            remove, put = stacks.grouped(arrangement, rows)
        case UngroupRows(rows):
            remove, put = stacks.ungrouped(arrangement, rows)
        case RemoveRows(rows):
            remove, put = stacks.without(arrangement, rows)
        case MakeAlternates(rows):
            remove, put = stacks.as_alternates(arrangement, rows)
        case EndAlternates(row):
            remove, put = stacks.no_alternates(arrangement, row)
        case TimeFrames(row, milliseconds):
            remove, put = stacks.timed(arrangement, row, milliseconds)
    if isinstance(command, JoinRows | ReadAsFrames):
        put = stacks.carrying_on(arrangement, remove, put)
    return ReplaceRows(remove, put, title(command, arrangement))
