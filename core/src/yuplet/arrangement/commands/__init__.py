"""What an artist does with the rows, as small values; `apply` makes a new arrangement or says what is in the way."""

from yuplet.arrangement.commands.base import Command, find
from yuplet.arrangement.commands.codec import Codec, to_json
from yuplet.arrangement.commands.parts import (
    IncludeParts,
    LockParts,
    PlaceParts,
    SetDepths,
    SetFits,
    SetJoints,
    SetPivots,
    SetRoles,
    SpreadDepths,
)
from yuplet.arrangement.commands.replacing import ReplaceRows
from yuplet.arrangement.commands.rows import Decide, MoveRows, OrderRows, Place, RenameRows, ShowAlone, ShowRows
from yuplet.arrangement.commands.stacking import (
    EndAlternates,
    GroupRows,
    JoinRows,
    MakeAlternates,
    ReadAsFrames,
    ReadAsParts,
    RemoveRows,
    SplitParts,
    TimeFrames,
    UngroupRows,
)
from yuplet.arrangement.tree import Arrangement, require_few
from yuplet.errors import Locked
from yuplet.parts.part import Part

__all__ = [
    "CODEC", "COMMANDS", "Codec", "Command", "Decide", "EndAlternates", "GroupRows", "IncludeParts", "JoinRows", "LockParts",
    "MakeAlternates", "MoveRows", "OrderRows", "Place", "PlaceParts", "ReadAsFrames", "ReadAsParts", "RemoveRows", "RenameRows",
    "ReplaceRows", "SetDepths", "SetFits", "SetJoints", "SetPivots", "SetRoles", "ShowAlone", "ShowRows", "SplitParts",
    "SpreadDepths", "TimeFrames", "UngroupRows", "apply", "require_open", "to_json",
]  # fmt: skip

COMMANDS: tuple[type[Command], ...] = (
    RenameRows, ShowRows, IncludeParts, LockParts, ShowAlone, MoveRows, OrderRows, PlaceParts, SetPivots, SetJoints, SetDepths,
    SpreadDepths, SetRoles, SetFits, TimeFrames, Decide, ReadAsFrames, ReadAsParts, JoinRows, SplitParts, GroupRows, UngroupRows,
    RemoveRows, MakeAlternates, EndAlternates,
)  # fmt: skip
"""The commands that need no pixels, or few (JoinRows); `yuplet.editing.commands` has those about pixels, too."""
CODEC = Codec(COMMANDS)


def apply(arrangement: Arrangement, command: Command) -> Arrangement:
    """The arrangement after a command; the one given is not changed.

    Raises
    ------
    ArrangementError
        `NoSuchRow`, `Locked`, `NameNotUsable`, `CannotMove`, `CannotJoin`, `NotFrames` or `TooManyRows`: what the artist can mend.
    """
    require_open(arrangement, command)
    after = command.applied(arrangement)
    if after.rows is not arrangement.rows:
        require_few(after.count, arrangement)
    return after


def require_open(arrangement: Arrangement, command: Command) -> None:
    """Raise `NoSuchRow` or `Locked` where a command is about rows that are not there or locked parts."""
    there = arrangement.index()
    for row_id in command.named:
        _, row = find(there, row_id)
        # What is seen may always be changed: that is looking, not changing.
        if not command.only_looks and isinstance(row, Part) and row.locked:
            raise Locked(row.name)
