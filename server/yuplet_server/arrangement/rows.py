"""Rows of an arrangement, written: new ones whole, of all others the columns that changed, in one statement whatever their number."""

import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import fields
from types import MappingProxyType
from typing import Any, NamedTuple

from django.db import connection

from yuplet.arrangement.records import RowRecord, frames_to_json, to_record
from yuplet.arrangement.tree import Arrangement as Tree
from yuplet.arrangement.tree import Row as CoreRow
from yuplet_server.arrangement.models import Arrangement, Row

_AT_ONCE = 5_000
_DRAWN = frozenset({"kind", "frames", "offset"})
"""Fields that say what a row looks like; the others are what was decided about it."""


class Placed(NamedTuple):
    """A row, how many rows of the arrangement lie behind it, and what it was made `of`."""

    position: int
    record: RowRecord
    of: CoreRow | None = None


def placed(tree: Tree, before: Mapping[str, Placed] = MappingProxyType({})) -> dict[str, Placed]:
    """All rows of an arrangement by id, back to front; those that a step before left as they were are not looked at again."""
    found = {}
    for position, (around, row) in enumerate(tree.walk()):
        group, was = around[-1].id if around else None, before.get(row.id)
        is_same = was is not None and was.of is row and was.record.group == group
        found[row.id] = Placed(position, was.record if was is not None and is_same else to_record(row, group), row)
    return found


def add_rows(arrangement: Arrangement, rows: Sequence[Placed]) -> None:
    """Write rows that are new in the version of the arrangement."""
    version = arrangement.version
    Row.objects.bulk_create(
        (
            Row(arrangement=arrangement, changed=version, redrawn=version, **_columns(row, _FIELDS | {"position"}))
            for row in rows
        ),
        batch_size=_AT_ONCE,
    )


def change_rows(
    arrangement: Arrangement, before: Mapping[str, Placed], after: Mapping[str, Placed], is_other_art: bool
) -> dict[str, bool]:
    """Write what differs of the rows that are in both, and return those that changed, each with whether it looks different.

    With other art each looks different, whatever was decided.
    """
    version = arrangement.version
    if is_other_art:
        arrangement.rows.update(changed=version, redrawn=version)
    differing = {
        row: found for row, now in after.items() if row in before and (found := {*_differing(before[row], now)})
    }
    if differing:
        known = (
            arrangement.rows.all() if len(differing) * 2 > len(after) else arrangement.rows.filter(row__in=differing)
        )
        ids = dict(known.values_list("row", "pk"))
        _write({ids[row]: (after[row], found) for row, found in differing.items()}, version)
    if is_other_art:
        return {row: True for row in after if row in before}
    return {row: not found.isdisjoint(_DRAWN) for row, found in differing.items() if not found.isdisjoint(_FIELDS)}


_FIELDS = frozenset(field.name for field in fields(RowRecord))


def _differing(before: Placed, after: Placed) -> Iterator[str]:
    """The fields in which a row differs from what it was."""
    if before.position != after.position:
        yield "position"
    if before.record is not after.record:
        for field in _FIELDS:
            if getattr(before.record, field) != getattr(after.record, field):
                yield field


def _columns(row: Placed, wanted: frozenset[str]) -> dict[str, Any]:
    """What the columns of some fields hold."""
    record = row.record
    found = {name: getattr(record, name) for name in wanted - {"position", "id", "pivot", "offset", "frames"}}
    if "position" in wanted:
        found["position"] = row.position
    if "id" in wanted:
        found["row"] = record.id
    if "pivot" in wanted:
        found["pivot_x"], found["pivot_y"] = record.pivot or (None, None)
    if "offset" in wanted:
        found["offset_x"], found["offset_y"] = record.offset
    if "frames" in wanted:
        found["frames"] = frames_to_json(record.frames)
    return found


def _write(rows: Mapping[int, tuple[Placed, set[str]]], version: int) -> None:
    """Write some fields of rows by their keys, as one table that is sent as JSON (docs/decisions/rows-at-once.md)."""
    wanted = frozenset().union(*(fields for _, fields in rows.values()))
    values = {key: _columns(row, wanted) for key, (row, _) in rows.items()}
    names = {*next(iter(values.values()))}
    kept = [field for field in Row._meta.concrete_fields if field.name in names]
    table = [
        [
            key,
            not fields.isdisjoint(_FIELDS),
            not fields.isdisjoint(_DRAWN),
            *(field.get_db_prep_save(values[key][field.name], connection) for field in kept),
        ]
        for key, (_, fields) in rows.items()
    ]
    told = ["id bigint PATH '$[0]'", "changed bool PATH '$[1]'", "redrawn bool PATH '$[2]'"]
    sets = [f"kept.{name} = IF(told.{name}, %s, kept.{name})" for name in ("changed", "redrawn")]
    quote = connection.ops.quote_name
    for number, field in enumerate(kept, start=3):
        # What a column of JSON holds is text here, as it is sent.
        kind = str(field.db_type(connection)).replace("json", "longtext")
        told.append(f"c{number} {kind} PATH '$[{number}]'")
        sets.append(f"kept.{quote(str(field.column))} = told.c{number}")
    with connection.cursor() as cursor:
        cursor.execute(
            f"UPDATE {quote(Row._meta.db_table)} AS kept JOIN JSON_TABLE(%s, '$[*]' COLUMNS ({', '.join(told)})) AS told"
            f" ON kept.id = told.id SET {', '.join(sets)}",
            [json.dumps(table), version, version],
        )
