"""Rows in the place of others: what larger steps come to, and what undoes them."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any, Literal

from yuplet.arrangement.commands.base import ROW_FIELDS, Command, Touched, check_names
from yuplet.arrangement.records import PutRow, RowRecord, from_record, to_record
from yuplet.arrangement.tree import Arrangement, PartGroup, Row
from yuplet.errors import ArrangementError


@dataclass(frozen=True, slots=True)
class ReplaceRows(Command):
    """Take rows out and put others in: what undoes larger steps, and what a new revision of the art brings.

    All of `remove` are taken out first, then `put` goes in one after the other. `revision` is the number of the
    revision that the rows belong to, where the step changes it. Nobody can ask for it.
    """

    remove: tuple[str, ...]
    put: tuple[PutRow, ...]
    what: str
    revision: int | None = None
    do: Literal["replace-rows"] = "replace-rows"

    @property
    def touched(self) -> Touched:
        ids = {*self.remove, *(one.record.id for one in self.put)}
        return frozenset((row, field) for row in ids for field in ROW_FIELDS)

    @property
    def named(self) -> set[str]:
        return set()

    @property
    def added(self) -> list[str]:
        """The rows that are new, in the order in which they come."""
        return [one.record.id for one in self.put if one.index is not None and one.record.id not in self.remove]

    def title(self, before: Arrangement) -> str:
        return self.what

    def applied(self, before: Arrangement) -> Arrangement:
        leaving = set(self.remove)
        for row_id in self.remove:
            _, row = before.find(row_id)
            if isinstance(row, PartGroup) and {member.id for member in row.members} - leaving:
                raise ArrangementError(f"'{row.name}' cannot be taken out while it has members. Take them out first.")
        result = replace(before, rows=_without(before.rows, leaving))
        for one in self.put:
            if one.index is None:
                _, old = result.find(one.record.id)
                fresh = from_record(one.record, old.members if isinstance(old, PartGroup) else ())
                result = result.changed(lambda row, fresh=fresh: fresh if row.id == fresh.id else row)  # type: ignore[misc]
            else:
                if one.record.group is not None:
                    result.find(one.record.group)
                result = put_row(result, from_record(one.record), one.record.group, one.index)
        check_names(result, {one.record.id for one in self.put})
        return result

    def inverse(self, before: Arrangement) -> "ReplaceRows":
        added = [one.record.id for one in self.put if one.index is not None]
        again = {*self.remove, *(one.record.id for one in self.put if one.index is None)}
        put = []
        for around, row in before.walk():
            if row.id in again:
                siblings = around[-1].members if around else before.rows
                record = to_record(row, around[-1].id if around else None)
                put.append(PutRow(record, siblings.index(row) if row.id in self.remove else None))
        return ReplaceRows(tuple(added), tuple(put), self.what, self.revision)

    def as_json(self) -> dict[str, Any]:
        """Plain JSON values, for the log."""
        put = [{"record": one.record.as_json(), "index": one.index} for one in self.put]
        return {
            "do": self.do,
            "remove": list(self.remove),
            "put": put,
            "what": self.what,
            "revision": self.revision,
        }

    @classmethod
    def from_json(cls, value: Mapping[str, Any]) -> "ReplaceRows":
        """The inverse of `as_json`; raises `KeyError` or `TypeError` for anything else."""
        put = tuple(PutRow(RowRecord.from_json(one["record"]), one["index"]) for one in value["put"])
        return cls(tuple(value["remove"]), put, value["what"], value["revision"])


def _without(rows: tuple[Row, ...], leaving: set[str]) -> tuple[Row, ...]:
    return tuple(bare(row, leaving) for row in rows if row.id not in leaving)


def bare(row: Row, leaving: set[str]) -> Row:
    """A row without those of its members, and of theirs, that leave."""
    return replace(row, members=_without(row.members, leaving)) if isinstance(row, PartGroup) else row


def put_row(arrangement: Arrangement, row: Row, group: str | None, index: int) -> Arrangement:
    """The arrangement with a row in a group (None: outermost), in front of so many siblings."""

    def into(rows: tuple[Row, ...]) -> tuple[Row, ...]:
        at = min(max(index, 0), len(rows))
        return (*rows[:at], row, *rows[at:])

    if group is None:
        return replace(arrangement, rows=into(arrangement.rows))
    return arrangement.changed(
        lambda other: (
            replace(other, members=into(other.members)) if isinstance(other, PartGroup) and other.id == group else other
        )
    )
