"""The manifest keeps to its published schema (JSON Schema 2020-12, https://json-schema.org/draft/2020-12)."""

import copy
import json
from pathlib import Path
from typing import Any

from jsonschema import Draft202012Validator

from tests.packages import PackageTestCase

SCHEMA: dict[str, Any] = json.loads(
    (Path(__file__).resolve().parents[3] / "docs/formats/package.schema.json").read_text()
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
            "no parts": lambda m: m.update(parts=[]),
            "a group in the tree without its isolation": lambda m: m["tree"][1].pop("isolated"),
        }
        for what, change in changes.items():
            bad = copy.deepcopy(good)
            change(bad)
            with self.subTest(what):
                self.assertNotEqual(self.faults(bad), [])
