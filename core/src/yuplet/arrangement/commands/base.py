"""What every command is: one class with its effect, its inverse, what it touches, its title and its JSON form."""

from abc import ABC, abstractmethod
from collections import Counter
from collections.abc import Collection, Mapping
from typing import Annotated, ClassVar, TypeAlias

from pydantic import ConfigDict, Field, StrictStr

from yuplet.arrangement import names
from yuplet.arrangement.records import PutRow
from yuplet.arrangement.tree import Arrangement, PartGroup, Row
from yuplet.derivation.layer_store import LayerStore
from yuplet.errors import ArrangementError, NameNotUsable, NoSuchRow
from yuplet.parts.part import Part

CONFIG = ConfigDict(extra="forbid", allow_inf_nan=False)
"""How the values of a command are checked, wherever they come from."""

RowId: TypeAlias = StrictStr
Pixels: TypeAlias = Annotated[float, Field(strict=True, ge=-1e6, le=1e6)]
"""A number of pixels, or a coordinate on the canvas: nothing lies farther away than a million."""
WholePixels: TypeAlias = Annotated[int, Field(strict=True, ge=-1_000_000, le=1_000_000)]
Touched: TypeAlias = frozenset[tuple[str, str]]
"""(row, field) pairs; the row is empty for what holds for all rows."""

ROW_FIELDS = (
    "name", "shown", "included", "locked", "place", "offset", "frames", "pivot", "parent", "depth", "role", "margins", "anchor",
)  # fmt: skip
"""All that can be touched of a row."""


class Command(ABC):
    """What an artist does, as a small value.

    Each says which fields of which rows it touches, so that one person's undo never takes away what somebody else did later.
    """

    __slots__ = ()
    do: str
    """What it is called in JSON."""
    only_looks: ClassVar[bool] = False
    """Whether it changes what is seen while one works and nothing else: then it may be done to locked parts."""

    needs_layers: ClassVar[bool] = False
    """Whether it needs pixels, so that it must be `prepared`."""

    @property
    @abstractmethod
    def touched(self) -> Touched:
        """The (row, field) pairs that it changes."""

    @property
    def named(self) -> set[str]:
        """The rows that must be there for it."""
        return {row for row, _ in self.touched if row}

    @abstractmethod
    def title(self, before: Arrangement) -> str:
        """The name of the step, for the undo and redo buttons."""

    def prepared(self, before: Arrangement, layers: LayerStore) -> "Command":
        """The command that it comes to once its pixels are made: the layers that it needs are added to `layers`.

        Itself where it needs no pixels. Whatever takes long is done here, so that `applied` is quick.
        """
        return self

    @abstractmethod
    def applied(self, before: Arrangement) -> Arrangement:
        """The arrangement after it; that its rows are there and not locked is sure already."""

    @abstractmethod
    def inverse(self, before: Arrangement) -> "Command":
        """The command that undoes it."""


def find(there: Mapping[str, tuple[tuple[PartGroup, ...], Row]], row_id: str) -> tuple[tuple[PartGroup, ...], Row]:
    """A row of an index with the groups around it. Raises `NoSuchRow`."""
    if row_id not in there:
        raise NoSuchRow(row_id)
    return there[row_id]


def part_of(row: Row) -> Part:
    """A row that must be a part. Raises `ArrangementError`."""
    if isinstance(row, PartGroup):
        raise ArrangementError(f"'{row.name}' is a group. Choose its parts.")
    return row


def counted(before: Arrangement, rows: Collection[str]) -> str:
    """How a title names rows: by its name where it is one, by how many parts and groups they are where they are several."""
    if len(rows) == 1:
        return f"'{before.find(next(iter(rows)))[1].name}'"
    there = before.index()
    groups = sum(isinstance(find(there, row)[1], PartGroup) for row in rows)
    kinds = [(len(rows) - groups, "part"), (groups, "group")]
    return " and ".join(f"{number} {kind}{'s' if number > 1 else ''}" for number, kind in kinds if number)


def check_names(arrangement: Arrangement, changed: Collection[str]) -> None:
    """Refuse names that cannot be files' and names that a sibling of the same kind already has. Raises `NameNotUsable`."""
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


Replacement: TypeAlias = tuple[tuple[str, ...], tuple[PutRow, ...]]
"""Which rows leave, and which come in their place."""
