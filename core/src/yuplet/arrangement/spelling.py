"""Commands as plain JSON values, as the interface, the log and the command line have them (docs/formats/arrangement.md)."""

from collections.abc import Callable, Mapping
from dataclasses import asdict
from typing import Any, get_args

from yuplet.arrangement.commands import (
    Command,
    Decide,
    EndAlternates,
    GroupRows,
    IncludeParts,
    JoinRows,
    LockParts,
    MakeAlternates,
    MoveRows,
    OrderRows,
    Place,
    PlaceParts,
    ReadAsFrames,
    ReadAsParts,
    RemoveRows,
    RenameRows,
    ReplaceRows,
    SetDepths,
    SetFits,
    SetJoints,
    SetPivots,
    SetRoles,
    Setting,
    ShowAlone,
    ShowRows,
    SplitParts,
    SpreadDepths,
    TimeFrames,
    UngroupRows,
)
from yuplet.arrangement.records import PutRow, RowRecord
from yuplet.arrangement.tree import Decisions
from yuplet.errors import ArrangementError
from yuplet.parts.part import Role

COMMANDS: dict[str, type[Command]] = {
    "rename-rows": RenameRows,
    "show-rows": ShowRows,
    "include-parts": IncludeParts,
    "lock-parts": LockParts,
    "show-alone": ShowAlone,
    "move-rows": MoveRows,
    "order-rows": OrderRows,
    "place-parts": PlaceParts,
    "set-pivots": SetPivots,
    "set-joints": SetJoints,
    "set-depths": SetDepths,
    "spread-depths": SpreadDepths,
    "set-roles": SetRoles,
    "set-fits": SetFits,
    "time-frames": TimeFrames,
    "decide": Decide,
    "read-as-frames": ReadAsFrames,
    "read-as-parts": ReadAsParts,
    "join-rows": JoinRows,
    "split-parts": SplitParts,
    "group-rows": GroupRows,
    "ungroup-rows": UngroupRows,
    "remove-rows": RemoveRows,
    "make-alternates": MakeAlternates,
    "end-alternates": EndAlternates,
}
"""What an artist can ask for."""
_FARTHEST = 1e6
"""Pixels from the canvas' corner in which a pivot can be."""
_LONGEST = 3_600_000
"""Milliseconds that a frame can be seen."""
_NAMES = {**{kind: name for name, kind in COMMANDS.items()}, ReplaceRows: "replace-rows"}


def to_json(command: Command) -> dict[str, Any]:
    """A command as plain JSON values, its kind under 'do'."""
    if isinstance(command, ReplaceRows):
        put = [{"record": one.record.as_json(), "index": one.index} for one in command.put]
        rest = {"remove": list(command.remove), "put": put, "what": command.what, "revision": command.revision}
        return {"do": "replace-rows", **rest}
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
            case "show-alone":
                return ShowAlone(None if rest["row"] is None else _text(rest["row"]))
            case "move-rows":
                return MoveRows(
                    tuple(
                        Place(_text(p["row"]), p["group"] and _text(p["group"]), int(p["index"]))
                        for p in rest["places"]
                    )
                )
            case "order-rows":
                listed = tuple(_text(row) for row in rest.get("listed", ()))
                return OrderRows(_text_or_none(rest["group"]), _one_of(rest["by"], "name", "depth", "listed"), listed)
            case "spread-depths":
                rows = tuple(_text(row) for row in rest["rows"])
                step, nearest = _number(rest["step"]), _number(rest.get("nearest", 0))
                return SpreadDepths(rows, step, nearest, _flag(rest.get("by_groups", False)))
            case "time-frames":
                return TimeFrames(_text(rest["row"]), tuple(_duration(one) for one in rest["milliseconds"]))
            case "decide":
                return Decide(_decisions(dict(rest["decisions"])))
            case "read-as-frames":
                return ReadAsFrames(tuple(_text(row) for row in rest["rows"]))
            case "read-as-parts":
                return ReadAsParts(_text(rest["row"]))
            case "join-rows":
                return JoinRows(tuple(_text(row) for row in rest["rows"]))
            case "split-parts":
                return SplitParts(tuple(_text(row) for row in rest["rows"]))
            case "group-rows":
                return GroupRows(tuple(_text(row) for row in rest["rows"]))
            case "ungroup-rows":
                return UngroupRows(tuple(_text(row) for row in rest["rows"]))
            case "remove-rows":
                return RemoveRows(tuple(_text(row) for row in rest["rows"]))
            case "make-alternates":
                return MakeAlternates(tuple(_text(row) for row in rest["rows"]))
            case "end-alternates":
                return EndAlternates(_text(rest["row"]))
            case "replace-rows":
                put = tuple(PutRow(RowRecord.from_json(one["record"]), one["index"]) for one in rest["put"])
                return ReplaceRows(tuple(rest["remove"]), put, rest["what"], rest["revision"])
        for setting, mappings in _SETTINGS.items():
            if kind != _NAMES[setting]:
                continue
            given = {
                name: {str(row): read(value) for row, value in dict(rest[name]).items()}
                for name, read in mappings.items()
                if name in rest
            }
            if not any(given.values()):
                raise ValueError(f"it names no row under {' or '.join(mappings)}")
            return setting(**given)
    except (KeyError, TypeError, ValueError, OverflowError, AttributeError) as error:
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


def _pair(value: object) -> tuple[int, int]:
    if not isinstance(value, list | tuple) or len(value) != 2 or not all(type(one) is int for one in value):
        raise TypeError(f"{value!r} is not a pair of whole numbers")
    return value[0], value[1]


def _place(value: object) -> tuple[float, float] | None:
    if value is None:
        return None
    if not isinstance(value, list | tuple) or len(value) != 2:
        raise TypeError(f"{value!r} is not a place")
    x, y = value
    for one in (x, y):
        if isinstance(one, bool) or not isinstance(one, int | float) or not abs(one) <= _FARTHEST:
            raise TypeError(f"{value!r} is not a place")
    return float(x), float(y)


def _text_or_none(value: object) -> str | None:
    return None if value is None else _text(value)


def _number(value: object) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not abs(value) <= _FARTHEST:
        raise TypeError(f"{value!r} is not a number of pixels")
    return float(value)


def _one_of(value: object, *allowed: Any) -> Any:
    if value not in allowed:
        raise ValueError(f"{value!r} is none of {', '.join(allowed)}")
    return value


def _role(value: object) -> Role:
    role: Role = _one_of(value, *get_args(Role))
    return role


def _margins(value: object) -> tuple[int, int, int, int] | None:
    if value is None:
        return None
    if not isinstance(value, list | tuple) or len(value) != 4:
        raise TypeError(f"{value!r} are not four margins")
    if not all(type(one) is int and 0 <= one <= _FARTHEST for one in value):
        raise TypeError(f"{value!r} are not margins in whole pixels")
    return value[0], value[1], value[2], value[3]


def _anchor(value: object) -> tuple[float, float] | None:
    place = _place(value)
    if place is not None and not all(0 <= one <= 1 for one in place):
        raise ValueError(f"{value!r} is not on the screen, which is from 0 to 1")
    return place


def _duration(value: object) -> int | None:
    if value is None:
        return None
    if type(value) is not int or not 1 <= value <= _LONGEST:
        raise TypeError(f"{value!r} is not a number of milliseconds from 1 to {_LONGEST}")
    return value


def _decisions(value: dict[str, Any]) -> dict[str, Any]:
    """The same, once it is sure that it can be decided."""
    kept = Decisions.from_json(value).as_json()
    if unknown := set(value) - set(kept):
        raise ValueError(f"nothing is called {', '.join(sorted(unknown))}")
    return {name: kept[name] for name in value}


_SETTINGS: dict[type[Setting], dict[str, Callable[[object], Any]]] = {
    IncludeParts: {"included": _flag},
    LockParts: {"locked": _flag},
    PlaceParts: {"offsets": _pair},
    SetPivots: {"pivots": _place},
    SetJoints: {"parents": _text_or_none, "pivots": _place},
    SetDepths: {"depths": _number},
    SetRoles: {"roles": _role},
    SetFits: {"margins": _margins, "anchors": _anchor},
}
"""How the values of each mapping are read."""
