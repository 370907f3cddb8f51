"""The table of commands, walked: each is carried out, taken back, written as JSON, and refused where it must be.

The schema is held against its meta-schema by `jsonschema`, which knows nothing of how it was made.
"""

import json
import unittest
from dataclasses import replace
from pathlib import Path
from typing import Any

import jsonschema
import numpy as np
from command_samples import SAMPLES, started

import yuplet
from yuplet.arrangement.commands import Command, apply, to_json
from yuplet.arrangement.records import from_records, to_records
from yuplet.arrangement.tree import Arrangement, composite_tree
from yuplet.editing.commands import CODEC, COMMANDS
from yuplet.editing.edit import edited
from yuplet.editing.layers import MemoryLayers
from yuplet.errors import ArrangementError, Locked, YupletError
from yuplet.parts.part import Part, part_node
from yuplet.pixels.compositing import compose
from yuplet.pixels.spill_file import SpillFile

SCHEMA = Path(yuplet.__file__).parent / "schemas" / "command.schema.json"
NAME_NO_PART = {
    "show-alone",
    "order-rows",
    "decide",
    "put-backdrop",
    "paste-picture",
    "keep-rest",
    "show-rows",
    "lock-parts",
}


class TableTests(unittest.TestCase):
    def setUp(self) -> None:
        self.scratch = self.enterContext(SpillFile())

    def after(self, steps: tuple[Command, ...]) -> tuple[Arrangement, MemoryLayers]:
        now, layers = started(self.scratch)
        for step in steps:
            now, _ = edited(now, step, layers)
            layers.version += 1
        return now, layers

    def test_there_is_a_sample_of_every_command(self) -> None:
        self.assertEqual([type(command) for _, command in SAMPLES], list(COMMANDS))

    def test_each_does_something_and_is_taken_back(self) -> None:
        for steps, command in SAMPLES:
            with self.subTest(command.do):
                before, layers = self.after(steps)
                after, step = edited(before, command, layers)
                self.assertNotEqual(after, before)
                self.assertEqual(from_records(to_records(after), after.alone, after.decisions), after)
                self.assertRegex(step.title(before), "^[A-Z].")
                back = step.inverse(before)
                self.assertEqual(apply(after, back), before)
                self.assertEqual(apply(before, CODEC.from_log(json.loads(json.dumps(to_json(step))))), after)
                self.assertEqual(apply(after, CODEC.from_log(json.loads(json.dumps(to_json(back))))), before)
                known = {row for row, _ in (*step.touched, *back.touched)} | _groups(before)
                old, new = ({record.id: record for record in to_records(one)} for one in (before, after))
                for row in set(old) & set(new):
                    if replace(old[row], group=None) != replace(new[row], group=None):
                        self.assertIn(row, known, "it is known of whoever undoes it")

    def test_each_survives_json_and_keeps_to_the_schema(self) -> None:
        schema = CODEC.schema()
        jsonschema.Draft202012Validator.check_schema(schema)
        validator = jsonschema.Draft202012Validator(schema)
        for _, command in SAMPLES:
            with self.subTest(command.do):
                value = json.loads(json.dumps(to_json(command)))
                self.assertEqual(CODEC.from_json(value), command)
                validator.validate(value)
                for wrong in ({**value, "more": 1}, {name: one for name, one in value.items() if name != "do"}):
                    self.assertFalse(validator.is_valid(wrong))
                    with self.assertRaises(ArrangementError):
                        CODEC.from_json(wrong)
                for name in value:
                    without = {one: said for one, said in value.items() if one != name}
                    is_valid = validator.is_valid(without)
                    self.assertEqual(is_valid, _is_read(without), (name, without))

    def test_the_schema_that_is_published_is_that_of_the_code(self) -> None:
        self.assertEqual(json.loads(SCHEMA.read_text("utf-8"))["$defs"], CODEC.schema()["$defs"], "run `make api`")

    def test_rows_that_are_not_there_and_locked_parts_are_refused(self) -> None:
        for steps, command in SAMPLES:
            before, layers = self.after(steps)
            rows = command.named
            if not rows:
                self.assertIn(command.do, NAME_NO_PART | {"propose-joints"})
                continue
            with self.subTest(command.do):
                elsewhere = json.loads(json.dumps(to_json(command)).replace(f'"{min(rows)}"', '"nowhere"'))
                with self.assertRaisesRegex(YupletError, "nowhere"):
                    edited(before, CODEC.from_json(elsewhere), layers)
                locked = before.changed(lambda row: replace(row, locked=True) if isinstance(row, Part) else row)
                if command.only_looks or command.do in NAME_NO_PART:
                    edited(locked, command, layers)
                elif any(isinstance(before.find(row)[1], Part) for row in rows):
                    with self.assertRaises(Locked):
                        edited(locked, command, layers)

    def test_commands_about_pixels_are_not_applied_unprepared(self) -> None:
        before, _ = started(self.scratch)
        for _, command in SAMPLES:
            if command.needs_layers and command.do != "join-rows":
                with self.subTest(command.do), self.assertRaisesRegex(TypeError, "prepare it first"):
                    command.applied(before)

    def test_what_is_seen_stays_where_a_command_says_so(self) -> None:
        for steps, command in SAMPLES:
            if command.do not in ("take-out", "take-pieces", "grow-under", "round-off", "paint-under", "touch-up"):
                continue
            with self.subTest(command.do):
                before, layers = self.after(steps)
                was = _seen(before, layers)
                after, _ = edited(before, command, layers)
                np.testing.assert_array_equal(_seen(after, layers), was)


def _seen(arrangement: Arrangement, layers: MemoryLayers) -> Any:
    read = layers.illustration
    nodes = composite_tree(arrangement.settled(), lambda part: part_node(part, read.boxes, read.canvas))
    return compose(nodes, read.canvas, layers)


def _groups(arrangement: Arrangement) -> set[str]:
    return {group.id for around, _ in arrangement.walk() for group in around}


def _is_read(value: dict[str, Any]) -> bool:
    try:
        CODEC.from_json(value)
    except ArrangementError as error:
        # That one of two mappings names a row is beyond a schema.
        return "names no row" in str(error)
    return True
