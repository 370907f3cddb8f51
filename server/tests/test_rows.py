"""Rows are written by a statement of our own: what comes back from the database is what was to be written, whatever it is."""

import random
from dataclasses import fields, replace

from django.db import connection
from django.test.utils import CaptureQueriesContext

from tests.cases import ServerTestCase
from yuplet.arrangement.records import RowRecord
from yuplet.parts.part import Anchor, Frame, Margins, Piece
from yuplet_server.arrangement.models import Arrangement
from yuplet_server.arrangement.queries import Known, known, record_of, records_of
from yuplet_server.arrangement.rows import Placed, change_rows

TEXTS = [
    "arm",
    "null",
    "true",
    "0",
    "'; DROP TABLE rows; --",
    'a"b\\c',
    "%s %(x)s",
    "Müller 手 🦊",
    "\u0001\t\n",
    "x" * 255,
    "'$[0]'",
    " ",
]
NUMBERS = [0.1 + 0.2, 1e-300, 1.7976931348623157e308, -2.5, 0.0, 123456789.123456789, 5e-324]
VALUES = {
    "name": TEXTS,
    "group": [None, "g1", "null"],
    "shown": [True, False],
    "included": [True, False],
    "locked": [True, False],
    "isolated": [True, False],
    "beyond": [True, False],
    "opacity": [0.1 + 0.2, 1.0, 1 / 3],
    "blend": ["normal", "multiply"],
    "alternate": [None, "r7"],
    "parent": [None, "r7", ""],
    "pivot": [None, (0.1 + 0.2, -1e-9), (1e12, 3.0)],
    "depth": NUMBERS,
    "role": ["picture", "guide"],
    "margins": [None, Margins(1, 2, 3, 4)],
    "anchor": [None, Anchor(0.0, 1 / 3)],
    "offset": [(0, 0), (-70_000, 2**31 - 1)],
    "loops": [0, 9],
    "frames": [(), (Frame((Piece("a'\\\"%s", 1 / 3, "normal"), Piece("手", 1.0, "screen")), None), Frame((), 40))],
}


class WritingTests(ServerTestCase):
    def held(self) -> dict[str, Placed]:
        rows = self.illustration.arrangement.rows.order_by("position")
        return {row.row: Placed(row.position, record_of(row)) for row in rows}

    def test_every_field_comes_back_as_it_was_written(self) -> None:
        self.assertEqual({*VALUES, "id", "kind"}, {field.name for field in fields(RowRecord)})
        arrangement = Arrangement.objects.get(pk=self.illustration.pk)
        chance = random.Random(7)
        for field, values in VALUES.items():
            for value in values:
                with self.subTest(field, value=value):
                    before = self.held()
                    after = {
                        row: one._replace(record=replace(one.record, **{field: value})) for row, one in before.items()
                    }
                    arrangement.version += 1
                    change_rows(arrangement, before, after, False)
                    self.assertEqual(self.held(), after)
                    drawn = {row.row for row in arrangement.rows.filter(redrawn=arrangement.version)}
                    changed = {row.row for row in arrangement.rows.filter(changed=arrangement.version)}
                    self.assertEqual(changed, {row for row in before if before[row] != after[row]})
                    self.assertEqual(drawn, changed if field in ("frames", "offset") else set())
        for turn in range(30):
            with self.subTest("many fields of some rows", turn=turn):
                before = self.held()
                after = dict(before)
                for row in chance.sample(list(before), 4):
                    wanted = {field: chance.choice(VALUES[field]) for field in chance.sample(list(VALUES), 6)}
                    after[row] = Placed(chance.randrange(1000), replace(before[row].record, **wanted))
                change_rows(arrangement, before, after, False)
                self.assertEqual(self.held(), after)

    def test_what_moved_is_written_and_not_told_and_what_stays_is_not_written(self) -> None:
        arrangement = Arrangement.objects.get(pk=self.illustration.pk)
        before = self.held()
        with CaptureQueriesContext(connection) as queries:
            change_rows(arrangement, before, before, False)
        self.assertEqual(len(queries), 0)
        arrangement.version += 1
        after = {row: one._replace(position=len(before) - one.position) for row, one in before.items()}
        change_rows(arrangement, before, after, False)
        self.assertEqual(
            {row: one.position for row, one in self.held().items()}, {row: one.position for row, one in after.items()}
        )
        self.assertFalse(arrangement.rows.filter(changed=arrangement.version).exists())

    def test_what_others_changed_is_added_to_what_was_known(self) -> None:
        chance = random.Random(3)
        seen: list[tuple[int, Known]] = []
        for turn in range(14):
            rows = [row["id"] for row in self.arrangement()["rows"]]
            parts = [row["id"] for row in self.arrangement()["rows"] if row["kind"] == "part"]
            self.now(
                self.ada,
                **chance.choice(
                    [
                        {"do": "rename-rows", "names": {chance.choice(rows): f"turn {turn}"}},
                        {"do": "set-depths", "depths": {part: float(turn) for part in parts}},
                        {"do": "move-rows", "places": [{"row": chance.choice(parts), "group": None, "index": 0}]},
                        {"do": "remove-rows", "rows": [chance.choice(parts)]},
                        {"do": "group-rows", "rows": [chance.choice(parts)]},
                    ]
                ),
            )
            if turn % 4 == 3:
                self.post(self.ada, "undo")
            arrangement = Arrangement.objects.get(pk=self.illustration.pk)
            whole = records_of(arrangement, None)
            for version, earlier in seen:
                with self.subTest(turn=turn, version=version):
                    self.assertEqual(records_of(arrangement, (version, earlier)), whole)
            seen.append((arrangement.version, known(arrangement)))

    def test_with_other_art_every_row_looks_different(self) -> None:
        arrangement = Arrangement.objects.get(pk=self.illustration.pk)
        arrangement.version += 1
        change_rows(arrangement, self.held(), self.held(), True)
        now = arrangement.version
        self.assertEqual(arrangement.rows.filter(changed=now, redrawn=now).count(), arrangement.rows.count())
