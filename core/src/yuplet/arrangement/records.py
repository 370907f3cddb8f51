"""An arrangement as flat rows, back to front, a group before its members: what a database keeps and the ledger shows."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from yuplet.arrangement.tree import Arrangement, PartGroup, Row
from yuplet.geometry import Point
from yuplet.parts.part import Part


@dataclass(frozen=True, slots=True)
class RowRecord:
    """One row with all of its fields; `group` is the id of the group around it, `isolated` is for groups only."""

    id: str
    kind: str
    group: str | None
    name: str
    pieces: tuple[str, ...]
    shown: bool
    included: bool
    opacity: float
    blend: str
    isolated: bool
    locked: bool
    pivot: tuple[float, float] | None


def to_records(arrangement: Arrangement) -> list[RowRecord]:
    """Every row of an arrangement, back to front."""
    result: list[RowRecord] = []
    for around, row in arrangement.walk():
        group = around[-1].id if around else None
        if isinstance(row, PartGroup):
            record = RowRecord(
                row.id, "group", group, row.name, (), row.shown, True, row.opacity, row.blend, row.isolated, False, None
            )
        else:
            pivot = None if row.pivot is None else (row.pivot.x, row.pivot.y)
            record = RowRecord(
                row.id, "part", group, row.name, row.pieces, row.shown, row.included,
                row.opacity, row.blend, False, row.locked, pivot,
            )  # fmt: skip
        result.append(record)
    return result


def from_records(records: Sequence[RowRecord], alone: str | None = None) -> Arrangement:
    """The inverse of `to_records`; siblings keep the order in which they come."""

    def below(group: str | None) -> tuple[Row, ...]:
        return tuple(_row(record, below) for record in by_group.get(group, ()))

    by_group: dict[str | None, list[RowRecord]] = {}
    for record in records:
        by_group.setdefault(record.group, []).append(record)
    return Arrangement(below(None), alone)


def _row(record: RowRecord, below: Callable[[str | None], tuple[Row, ...]]) -> Row:
    if record.kind == "group":
        return PartGroup(
            record.id, record.name, below(record.id), record.shown, record.opacity, record.blend, record.isolated
        )
    pivot = None if record.pivot is None else Point(*record.pivot)
    return Part(
        record.id, record.name, tuple(record.pieces), record.shown, record.included,
        record.opacity, record.blend, record.locked, pivot,
    )  # fmt: skip
