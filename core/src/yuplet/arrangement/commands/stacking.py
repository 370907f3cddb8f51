"""Commands that put rows in the place of others: stacks read the other way, joined, split, grouped, removed."""

from abc import abstractmethod
from dataclasses import field
from typing import Annotated, ClassVar, Literal

from pydantic import Field
from pydantic.dataclasses import dataclass

from yuplet.arrangement import tree_edits
from yuplet.arrangement.commands.base import CONFIG, ROW_FIELDS, Command, Replacement, RowId, Touched, counted
from yuplet.arrangement.commands.replacing import ReplaceRows
from yuplet.arrangement.tree import Arrangement
from yuplet.derivation.layer_store import LayerStore
from yuplet.derivation.merging import merged_pieces
from yuplet.errors import CannotJoin

Rows = tuple[RowId, ...]
Milliseconds = Annotated[int, Field(strict=True, ge=1, le=3_600_000)]


class Restacking(Command):
    """What all of these have in common."""

    __slots__ = ()

    @abstractmethod
    def replacement(self, before: Arrangement) -> Replacement:
        """Which rows leave, and which come in their place. Raises `ArrangementError`."""

    def meant(self, before: Arrangement) -> ReplaceRows:
        """The rows that it is, for those that are there."""
        return ReplaceRows(*self.replacement(before), self.title(before))

    def applied(self, before: Arrangement) -> Arrangement:
        return self.meant(before).applied(before)

    def inverse(self, before: Arrangement) -> Command:
        return self.meant(before).inverse(before)


class OfRows(Restacking):
    """Those about several rows."""

    __slots__ = ()
    rows: Rows
    name: ClassVar[str]
    """Its title, with '{}' for the rows."""

    @property
    def touched(self) -> Touched:
        return frozenset((row, field) for row in self.rows for field in ROW_FIELDS)

    def title(self, before: Arrangement) -> str:
        return self.name.format(counted(before, self.named))


class OfOneRow(Restacking):
    """Those about one row."""

    __slots__ = ()
    row: RowId
    name: ClassVar[str]

    @property
    def touched(self) -> Touched:
        return frozenset((self.row, field) for field in ROW_FIELDS)

    def title(self, before: Arrangement) -> str:
        return self.name.format(counted(before, self.named))


@dataclass(frozen=True, slots=True, config=CONFIG)
class TimeFrames(OfOneRow):
    """Say for how many milliseconds each frame of a part is seen (None: nobody has said)."""

    name: ClassVar[str] = "Set frame durations of {}"
    row: RowId
    milliseconds: tuple[Milliseconds | None, ...]
    do: Literal["time-frames"] = field(default="time-frames", kw_only=True, repr=False)

    @property
    def touched(self) -> Touched:
        return frozenset({(self.row, "frames")})

    def replacement(self, before: Arrangement) -> Replacement:
        return tree_edits.timed(before, self.row, self.milliseconds)


@dataclass(frozen=True, slots=True, config=CONFIG)
class ReadAsFrames(OfRows):
    """Read a stack as moments of one part, the first at the back: the members of a group, or siblings."""

    name: ClassVar[str] = "Combine {} as frames"
    rows: Rows
    do: Literal["read-as-frames"] = field(default="read-as-frames", kw_only=True, repr=False)

    def replacement(self, before: Arrangement) -> Replacement:
        remove, put = tree_edits.as_frames(before, self.rows)
        return remove, tree_edits.carrying_on(before, remove, put)


@dataclass(frozen=True, slots=True, config=CONFIG)
class ReadAsParts(OfOneRow):
    """Read the frames of a part as parts of their own, in a group."""

    name: ClassVar[str] = "Split frames of {} into parts"
    row: RowId
    do: Literal["read-as-parts"] = field(default="read-as-parts", kw_only=True, repr=False)

    def replacement(self, before: Arrangement) -> Replacement:
        return tree_edits.as_parts(before, self.row)


@dataclass(frozen=True, slots=True, config=CONFIG)
class JoinRows(OfRows):
    """Make one part of several siblings; of groups alone, one part of each.

    What lies under one opacity or mode within them is laid together first.
    """

    name: ClassVar[str] = "Make one part of {}"
    needs_layers: ClassVar[bool] = True
    rows: Rows
    do: Literal["join-rows"] = field(default="join-rows", kw_only=True, repr=False)

    def replacement(self, before: Arrangement) -> Replacement:
        remove, put = tree_edits.joined(before.settled(), self.rows)
        return remove, tree_edits.carrying_on(before, remove, put)

    def prepared(self, before: Arrangement, layers: LayerStore) -> Command:
        tree = before.settled()
        inner = tree_edits.to_be_merged(tree, self.rows)
        if not inner:
            return self
        for row in inner:
            made = merged_pieces(layers, tree_edits.pieces_below(tree.find(row.id)[1]))
            if made is None:
                raise CannotJoin(f"Nothing of '{row.name}' is seen, so there is nothing to join. Hide it first.")
            tree = tree_edits.as_one_layer(tree, row, layers.add(None, made))
        _, put = tree_edits.joined(tree, self.rows)
        leaving, _ = tree_edits.without(before, self.rows)
        return ReplaceRows(leaving, tree_edits.carrying_on(before, leaving, put), self.title(before))


@dataclass(frozen=True, slots=True, config=CONFIG)
class SplitParts(OfRows):
    """Make a part of each layer of parts that have several, in a group in the part's place."""

    name: ClassVar[str] = "Split {} into layers"
    rows: Rows
    do: Literal["split-parts"] = field(default="split-parts", kw_only=True, repr=False)

    def replacement(self, before: Arrangement) -> Replacement:
        return tree_edits.split(before, self.rows)


@dataclass(frozen=True, slots=True, config=CONFIG)
class MakeAlternates(OfRows):
    """Let siblings, or the members of a group, be alternates: exactly one of them is shown."""

    name: ClassVar[str] = "Make alternates of {}"
    rows: Rows
    do: Literal["make-alternates"] = field(default="make-alternates", kw_only=True, repr=False)

    def replacement(self, before: Arrangement) -> Replacement:
        return tree_edits.as_alternates(before, self.rows)


@dataclass(frozen=True, slots=True, config=CONFIG)
class EndAlternates(OfOneRow):
    """Let a set of alternates be a plain group again."""

    name: ClassVar[str] = "End alternates {}"
    row: RowId
    do: Literal["end-alternates"] = field(default="end-alternates", kw_only=True, repr=False)

    def replacement(self, before: Arrangement) -> Replacement:
        return tree_edits.no_alternates(before, self.row)


@dataclass(frozen=True, slots=True, config=CONFIG)
class GroupRows(OfRows):
    """Put siblings in a group of their own."""

    name: ClassVar[str] = "Group {}"
    rows: Rows
    do: Literal["group-rows"] = field(default="group-rows", kw_only=True, repr=False)

    def replacement(self, before: Arrangement) -> Replacement:
        return tree_edits.grouped(before, self.rows)


@dataclass(frozen=True, slots=True, config=CONFIG)
class UngroupRows(OfRows):
    """Put the members of groups in the place of those."""

    name: ClassVar[str] = "Ungroup {}"
    rows: Rows
    do: Literal["ungroup-rows"] = field(default="ungroup-rows", kw_only=True, repr=False)

    def replacement(self, before: Arrangement) -> Replacement:
        return tree_edits.ungrouped(before, self.rows)


@dataclass(frozen=True, slots=True, config=CONFIG)
class RemoveRows(OfRows):
    """Take rows out, groups with all that is in them; the art they are of stays in the original."""

    name: ClassVar[str] = "Remove {}"
    rows: Rows
    do: Literal["remove-rows"] = field(default="remove-rows", kw_only=True, repr=False)

    def replacement(self, before: Arrangement) -> Replacement:
        return tree_edits.without(before, self.rows)
