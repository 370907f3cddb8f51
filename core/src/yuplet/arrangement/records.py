"""An arrangement as flat rows, back to front, a group before its members: what a database keeps and the ledger shows."""

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any

from yuplet import documents
from yuplet.arrangement.tree import Arrangement, Decisions, PartGroup, Row, require_few
from yuplet.errors import ArrangementNotUnderstood, shown
from yuplet.geometry import Point
from yuplet.parts.part import Anchor, Frame, Margins, Part, Piece, Role

FORMAT = "yuplet-arrangement"
VERSION = 1
MAX_NESTING = 64
"""Groups within groups."""


@dataclass(frozen=True, slots=True, kw_only=True)
class RowRecord:
    """One row with all of its fields; `group` is the id of the group around it.

    `isolated` and `alternate` are for groups only; `included`, `locked` and all from `pivot` to `loops` and from `parent` on are for
    parts only.
    """

    id: str
    kind: str
    group: str | None
    name: str
    shown: bool
    opacity: float
    blend: str
    isolated: bool = False
    included: bool = True
    locked: bool = False
    pivot: tuple[float, float] | None = None
    frames: tuple[Frame, ...] = ()
    offset: tuple[int, int] = (0, 0)
    loops: int = 0
    alternate: str | None = None
    parent: str | None = None
    depth: float = 0.0
    role: Role = "picture"
    margins: Margins | None = None
    anchor: Anchor | None = None
    beyond: bool = False

    def as_json(self) -> dict[str, Any]:
        """Plain JSON values."""
        return {**asdict(self), "frames": frames_to_json(self.frames)}

    @classmethod
    def from_json(cls, value: Mapping[str, Any]) -> "RowRecord":
        """The inverse of `as_json`; raises `KeyError` or `TypeError` for anything else."""
        pivot = value["pivot"]
        x, y = value["offset"]
        margins, anchor = value.get("margins"), value.get("anchor")
        return cls(
            **{
                **value,
                "pivot": None if pivot is None else (float(pivot[0]), float(pivot[1])),
                "frames": frames_from_json(value["frames"]),
                "offset": (int(x), int(y)),
                "margins": None if margins is None else Margins(*(int(side) for side in margins)),
                "anchor": None if anchor is None else Anchor(*(float(at) for at in anchor)),
            }
        )


@dataclass(frozen=True, slots=True)
class PutRow:
    """A row with all of its fields. `index` is how many siblings lie behind it; None: where the row of that id stands."""

    record: RowRecord
    index: int | None


def frames_to_json(frames: Sequence[Frame]) -> list[dict[str, Any]]:
    """Frames as plain JSON values."""
    return [
        {
            "pieces": [[piece.layer, piece.opacity, piece.blend] for piece in frame.pieces],
            "milliseconds": frame.milliseconds,
        }
        for frame in frames
    ]


def frames_from_json(values: Sequence[Mapping[str, Any]]) -> tuple[Frame, ...]:
    """The inverse of `frames_to_json`."""
    return tuple(Frame(tuple(Piece(*piece) for piece in value["pieces"]), value["milliseconds"]) for value in values)


def to_record(row: Row, group: str | None) -> RowRecord:
    """One row and the group around it, without its members."""
    if isinstance(row, PartGroup):
        return RowRecord(
            id=row.id,
            kind="group",
            group=group,
            name=row.name,
            shown=row.shown,
            opacity=row.opacity,
            blend=row.blend,
            isolated=row.isolated,
            alternate=row.alternate,
        )
    pivot = None if row.pivot is None else (row.pivot.x, row.pivot.y)
    return RowRecord(
        id=row.id, kind="part", group=group, name=row.name, shown=row.shown, opacity=row.opacity, blend=row.blend, isolated=False,
        included=row.included, locked=row.locked, pivot=pivot, frames=row.frames, offset=row.offset, loops=row.loops, alternate=None,
        parent=row.parent, depth=row.depth, role=row.role, margins=row.margins, anchor=row.anchor, beyond=row.beyond,
    )  # fmt: skip


def from_record(record: RowRecord, members: tuple[Row, ...] = ()) -> Row:
    """The inverse of `to_record`."""
    if record.kind == "group":
        return PartGroup(
            record.id,
            record.name,
            members,
            shown=record.shown,
            opacity=record.opacity,
            blend=record.blend,
            isolated=record.isolated,
            alternate=record.alternate,
        )
    pivot = None if record.pivot is None else Point(*record.pivot)
    return Part(
        record.id, record.name, record.frames, shown=record.shown, included=record.included, opacity=record.opacity, blend=record.blend,
        locked=record.locked, pivot=pivot, offset=record.offset, loops=record.loops,
        parent=record.parent, depth=record.depth, role=record.role, margins=record.margins, anchor=record.anchor, beyond=record.beyond,
    )  # fmt: skip


def to_records(arrangement: Arrangement) -> list[RowRecord]:
    """Every row of an arrangement, back to front."""
    return [to_record(row, around[-1].id if around else None) for around, row in arrangement.walk()]


def from_records(
    records: Sequence[RowRecord], alone: str | None = None, decisions: Decisions | None = None
) -> Arrangement:
    """The inverse of `to_records`; siblings keep the order in which they come."""

    def below(group: str | None) -> tuple[Row, ...]:
        return tuple(
            from_record(record, below(record.id) if record.kind == "group" else ())
            for record in by_group.get(group, ())
        )

    by_group: dict[str | None, list[RowRecord]] = {}
    for record in records:
        by_group.setdefault(record.group, []).append(record)
    return Arrangement(below(None), alone, decisions or Decisions())


def to_json(arrangement: Arrangement) -> dict[str, Any]:
    """An arrangement as a document (docs/formats/arrangement.md)."""
    return {
        "format": FORMAT,
        "version": VERSION,
        "alone": arrangement.alone,
        "decisions": arrangement.decisions.as_json(),
        "rows": [record.as_json() for record in to_records(arrangement)],
    }


def from_json(value: Any) -> Arrangement:
    """The inverse of `to_json`; raises `ArrangementNotUnderstood` for anything else, and `TooManyRows`."""
    if isinstance(value, list):  # as hand-overs kept it before there were decisions
        value = {"format": FORMAT, "version": VERSION, "alone": None, "decisions": {}, "rows": value}
    rows = value.get("rows") if isinstance(value, dict) else None
    if isinstance(rows, list):
        require_few(len(rows))
    require_arrangement(value)
    try:
        records = [RowRecord.from_json(one) for one in value["rows"]]
        arrangement = from_records(records, value["alone"], Decisions.from_json(value["decisions"]))
    except (KeyError, TypeError, ValueError, AttributeError) as error:
        raise ArrangementNotUnderstood(f"The arrangement lacks something, or says it wrongly: {error}.") from error
    _check_groups(records)
    if len(list(arrangement.walk())) != len({record.id for record in records}):
        raise ArrangementNotUnderstood("A row of the arrangement is there twice, or in a group that is not there.")
    if arrangement.around_in_a_circle():
        raise ArrangementNotUnderstood("The parents of the arrangement form a loop.")
    return arrangement


def require_arrangement(value: Any) -> None:
    """Raise `ArrangementNotUnderstood` where a document does not keep to the schema."""
    try:
        documents.require(value, "arrangement")
    except ValueError as error:
        raise ArrangementNotUnderstood(f"The arrangement lacks something, or says it wrongly: {error}.") from error


def _check_groups(records: Sequence[RowRecord]) -> None:
    """That groups are groups, and nested no deeper than their readers go."""
    around = {record.id: record.group for record in records}
    groups = {record.id for record in records if record.kind == "group"}
    for record in records:
        if record.group is not None and record.group not in groups:
            raise ArrangementNotUnderstood(
                f"'{record.name}' is in the group '{shown(record.group)}', which is not there."
            )
        depth, at = 0, record.group
        while at is not None and depth <= MAX_NESTING:
            depth, at = depth + 1, around.get(at)
        if depth > MAX_NESTING:
            raise ArrangementNotUnderstood(
                f"'{record.name}' is in more than {MAX_NESTING} groups, or in a circle of them."
            )


def differences(before: Arrangement, after: Arrangement) -> dict[str, Any]:
    """What differs between two arrangements as plain JSON values: rows added and removed, fields that changed, the order, decisions."""
    old, new = ({record.id: record.as_json() for record in to_records(one)} for one in (before, after))
    changed = []
    for row, record in new.items():
        fields = {
            name: [old[row][name], value] for name, value in record.items() if row in old and old[row][name] != value
        }
        if fields:
            changed.append({"row": row, "name": record["name"], "fields": fields})
    said = after.decisions.as_json()
    return {
        "added": [{"row": row, "name": record["name"]} for row, record in new.items() if row not in old],
        "removed": [{"row": row, "name": record["name"]} for row, record in old.items() if row not in new],
        "changed": changed,
        "order": list(new) if [row for row in new if row in old] != [row for row in old if row in new] else None,
        "decisions": {name: value for name, value in said.items() if before.decisions.as_json()[name] != value},
    }
