"""The manifest keeps to its published schema (JSON Schema 2020-12, https://json-schema.org/draft/2020-12), and its numbers are right."""

import copy
import json
import unittest
from pathlib import Path
from typing import Any

from jsonschema import Draft202012Validator

from tests.packages import PackageTestCase
from yuplet.geometry import Box, Point, Size
from yuplet.writing.manifest import _pivot

SCHEMA: dict[str, Any] = json.loads(
    (Path(__file__).resolve().parents[3] / "core/src/yuplet/schemas/package.schema.json").read_text()
)


class SchemaTests(PackageTestCase):
    def faults(self, manifest: Any) -> list[str]:
        return [error.message for error in Draft202012Validator(SCHEMA).iter_errors(manifest)]

    def test_the_schema_is_one(self) -> None:
        Draft202012Validator.check_schema(SCHEMA)

    def test_what_we_write_keeps_to_it(self) -> None:
        self.assertEqual(self.faults(self.manifest()), [])

    def test_it_refuses_what_it_should(self) -> None:
        good = self.manifest()
        changes = {
            "a place of half a pixel": lambda m: m["parts"][0]["box"].update(x=0.5),
            "an unknown mode": lambda m: m["parts"][0].update(blend="sparkle"),
            "a path that climbs": lambda m: m["parts"][0].update(file="parts/../../x.png"),
            "an absolute path": lambda m: m["reference"].update(file="/x.png"),
            "opacity above 1": lambda m: m["parts"][0].update(opacity=1.5),
            "a part without a check sum": lambda m: m["parts"][0].pop("sha256"),
            "something that is not described": lambda m: m.update(colour="blue"),
            "an unknown role": lambda m: m["parts"][0].update(role="hero"),
            "margins below 0": lambda m: m["parts"][0].update(margins={"left": -1, "top": 0, "right": 0, "bottom": 0}),
            "a depth without its size": lambda m: m["parts"][0]["depth"].pop("scale"),
            "fractions without an aspect": lambda m: m["parts"][0]["fractions"].pop("aspect"),
            "a camera within the picture": lambda m: m["camera"].update(distance=0),
            "a scale of nothing": lambda m: m.update(scale=0),
            "a ground that is no colour": lambda m: m["reference"].update(ground=[0, 0, 256]),
            "an unknown extent": lambda m: m["parts"][0].update(extent="roughly"),
            "no parts": lambda m: m.update(parts=[]),
            "a group in the tree without its isolation": lambda m: m["tree"][1].pop("isolated"),
        }
        for what, change in changes.items():
            bad = copy.deepcopy(good)
            change(bad)
            with self.subTest(what):
                self.assertNotEqual(self.faults(bad), [])


class PivotTests(unittest.TestCase):
    def test_a_pivot_in_three_frames(self) -> None:
        # Canvas 1920 x 1080, a box of 200 x 400 at (700, 300), the pivot at (800, 320).
        told = _pivot(Point(800, 320), Box.at(700, 300, Size(200, 400)))
        self.assertEqual(told, {"canvas": [800, 320], "box": [100, 20], "fraction": [0.5, 0.05]})

    def test_trimmed_again_it_stays_where_it_is_on_the_canvas(self) -> None:
        told = _pivot(Point(800, 320), Box.at(740, 310, Size(100, 200)))
        self.assertEqual(told, {"canvas": [800, 320], "box": [60, 10], "fraction": [0.6, 0.05]})
