"""What an artist does, as small values; `apply` makes a new arrangement or says what is in the way.

Each command can say what undoes it (`inverse`, asked before it is applied) and which fields of which rows it touches
(`touched`), so that one person's undo never takes away what somebody else did later.
"""

from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass, replace
from typing import Any, TypeAlias

from yuplet.arrangement import names
from yuplet.arrangement.tree import Arrangement, PartGroup, Row
from yuplet.errors import ArrangementError, CannotMove, Locked, NameNotUsable
from yuplet.parts.part import Part


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


Command: TypeAlias = RenameRows | ShowRows | IncludeParts | LockParts | ShowAlone | MoveRows

COMMANDS: dict[str, type[Command]] = {
    "rename-rows": RenameRows,
    "show-rows": ShowRows,
    "include-parts": IncludeParts,
    "lock-parts": LockParts,
    "show-alone": ShowAlone,
    "move-rows": MoveRows,
}
_NAMES = {kind: name for name, kind in COMMANDS.items()}


def apply(arrangement: Arrangement, command: Command) -> Arrangement:
    """The arrangement after a command; the one given is not changed.

    Raises
    ------
    ArrangementError
        `NoSuchRow`, `Locked`, `NameNotUsable` or `CannotMove`: what the artist can mend.
    """
    for row_id in _rows(command):
        _, found = arrangement.find(row_id)
        # What is seen may always be changed: that is looking, not changing.
        if isinstance(command, RenameRows | IncludeParts | MoveRows) and isinstance(found, Part) and found.locked:
            raise Locked(found.name)
    match command:
        case RenameRows(new):
            result = arrangement.changed(lambda row: replace(row, name=new[row.id]) if row.id in new else row)
            _check_names(result, set(new))
            return result
        case ShowRows(shown):
            return arrangement.changed(lambda row: replace(row, shown=shown[row.id]) if row.id in shown else row)
        case IncludeParts(included):
            return arrangement.changed(
                lambda row: replace(_part(row), included=included[row.id]) if row.id in included else row
            )
        case LockParts(locked):
            return arrangement.changed(
                lambda row: replace(_part(row), locked=locked[row.id]) if row.id in locked else row
            )
        case ShowAlone(row):
            return replace(arrangement, alone=row)
        case MoveRows(places):
            result = _moved(arrangement, places)
            _check_names(result, {place.row for place in places})
            return result


def inverse(before: Arrangement, command: Command) -> Command:
    """The command that undoes another one, given the arrangement before it was applied."""
    match command:
        case RenameRows(new):
            return RenameRows({row_id: before.find(row_id)[1].name for row_id in new})
        case ShowRows(shown):
            return ShowRows({row_id: before.find(row_id)[1].shown for row_id in shown})
        case IncludeParts(included):
            return IncludeParts({part.id: part.included for part in _parts(before, included)})
        case LockParts(locked):
            return LockParts({part.id: part.locked for part in _parts(before, locked)})
        case ShowAlone():
            return ShowAlone(before.alone)
        case MoveRows(places):
            old = [_place(before, place.row) for place in places]
            return MoveRows(tuple(sorted(old, key=lambda place: place.index)))


def _parts(arrangement: Arrangement, ids: Iterable[str]) -> list[Part]:
    rows = [arrangement.find(row_id)[1] for row_id in ids]
    return [row for row in rows if isinstance(row, Part)]


def touched(command: Command) -> set[tuple[str, str]]:
    """The (row, field) pairs that a command changes."""
    match command:
        case RenameRows(new):
            return {(row, "name") for row in new}
        case ShowRows(shown):
            return {(row, "shown") for row in shown}
        case IncludeParts(included):
            return {(row, "included") for row in included}
        case LockParts(locked):
            return {(row, "locked") for row in locked}
        case ShowAlone():
            return {("", "alone")}
        case MoveRows(places):
            return {(place.row, "place") for place in places}


def title(command: Command, arrangement: Arrangement) -> str:
    """The name of a step, for the undo and redo buttons; the arrangement is the one before the step."""
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


def to_json(command: Command) -> dict[str, Any]:
    """A command as plain JSON values, its kind under 'do'."""
    return {"do": _NAMES[type(command)], **asdict(command)}


def from_json(value: Mapping[str, Any]) -> Command:
    """The inverse of `to_json`; raises `ArrangementError` for anything that is not a command."""
    rest = dict(value)
    kind = rest.pop("do", None)
    try:
        match kind:
            case "rename-rows":
                return RenameRows({str(row): _text(name) for row, name in dict(rest["names"]).items()})
            case "show-rows":
                return ShowRows({str(row): _flag(on) for row, on in dict(rest["shown"]).items()})
            case "include-parts":
                return IncludeParts({str(row): _flag(on) for row, on in dict(rest["included"]).items()})
            case "lock-parts":
                return LockParts({str(row): _flag(on) for row, on in dict(rest["locked"]).items()})
            case "show-alone":
                return ShowAlone(None if rest["row"] is None else _text(rest["row"]))
            case "move-rows":
                return MoveRows(
                    tuple(
                        Place(_text(p["row"]), p["group"] and _text(p["group"]), int(p["index"]))
                        for p in rest["places"]
                    )
                )
    except (KeyError, TypeError, ValueError) as error:
        raise ArrangementError(f"The step '{kind}' is not complete: {error}. Reload the page and try again.") from error
    raise ArrangementError(f"There is no step called '{kind}'. Known are: {', '.join(COMMANDS)}.")


def _text(value: object) -> str:
    if not isinstance(value, str):
        raise TypeError(f"{value!r} is not a text")
    return value


def _flag(value: object) -> bool:
    if not isinstance(value, bool):
        raise TypeError(f"{value!r} is neither true nor false")
    return value


def _rows(command: Command) -> set[str]:
    if isinstance(command, ShowAlone):
        return set() if command.row is None else {command.row}
    return {row for row, _ in touched(command)}


def _part(row: Row) -> Part:
    if isinstance(row, PartGroup):
        raise ArrangementError(f"'{row.name}' is a group. Choose its parts.")
    return row


def _check_names(arrangement: Arrangement, changed: set[str]) -> None:
    """Refuse names that cannot be files' and names that a sibling of the same kind already has."""
    for around, row in arrangement.walk():
        if row.id not in changed:
            continue
        siblings = around[-1].members if around else arrangement.rows
        taken = [other.name for other in siblings if other.id != row.id and type(other) is type(row)]
        otherwise = "group" if isinstance(row, PartGroup) else "part"
        reason = names.problem(row.name)
        if reason is None and names.key(row.name) in {names.key(other) for other in taken}:
            reason = f"is taken by another {otherwise} in the same group"
        if reason is not None:
            raise NameNotUsable(row.name, reason, names.proposal(row.name, taken, otherwise))


def _place(arrangement: Arrangement, row_id: str) -> Place:
    around, row = arrangement.find(row_id)
    siblings = around[-1].members if around else arrangement.rows
    return Place(row_id, around[-1].id if around else None, [other.id for other in siblings].index(row.id))


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
