"""Parts that go on beyond the view: what stays, what is known to be added, and that it is handed over and proved."""

import json
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import jsonschema
import numpy as np

from yuplet.arrangement.tree import arrangement_of
from yuplet.derivation.content import Content
from yuplet.derivation.overscan import widened
from yuplet.derivation.rebuilding import rebuilt
from yuplet.geometry import Box, Size
from yuplet.handover import hand_over
from yuplet.illustration.derived import DerivedLayer, Widened
from yuplet.illustration.layers import Illustration, Layer
from yuplet.parts.part import Part, still
from yuplet.pixels.spill_file import SpillFile
from yuplet.reading import package as packages
from yuplet.writing.pictures import Sources

CANVAS = Size(40, 20)


def ramp() -> Content:
    picture = np.zeros((10, 40, 4), np.uint8)
    picture[..., 0], picture[..., 3] = np.arange(40) * 5, 255
    picture[0, :, 3] = 128
    return Content(Box(0, 8, 40, 18), picture)


class WideningTests(unittest.TestCase):
    def test_mirrored_on_and_repeated(self) -> None:
        layer = ramp()
        for how, first, last in (("mirror", 25, 180), ("repeat", 170, 15)):
            with self.subTest(how):
                made = widened(layer, Widened(how, 6, 4))  # type: ignore[arg-type]
                self.assertEqual(made.box, Box(-6, 8, 44, 18))
                np.testing.assert_array_equal(made.picture[:, 6:46], layer.picture)
                self.assertEqual((made.picture[5, 0, 0], made.picture[5, -1, 0]), (first, last))
                assert made.added is not None
                self.assertEqual(int(made.added.sum()), 10 * 10)
                self.assertFalse(made.added[:, 6:46].any())
        # More than there is of it goes back and forth.
        self.assertEqual(widened(layer, Widened("mirror", 100, 0)).box.width, 140)

    def test_enlarged_it_keeps_its_middle_and_its_aspect(self) -> None:
        made = widened(ramp(), Widened("enlarge", 10, 10))
        self.assertEqual(made.box, Box(-10, 6, 50, 21))
        self.assertEqual(made.picture.shape, (15, 60, 4))
        self.assertAlmostEqual(int(made.picture[8, 30, 0]), 100, delta=6)
        self.assertTrue((made.picture[4:12, ..., 3] == 255).all())
        clear = Content(Box(0, 0, 4, 4), np.zeros((4, 4, 4), np.uint8))
        self.assertFalse(widened(clear, Widened("enlarge", 2, 2)).picture.any())

    def test_it_is_made_again_from_art_that_is_drawn_larger(self) -> None:
        made = rebuilt(DerivedLayer("m", "l", Widened("repeat", 3, 5), None), {"l": ramp()}, None, CANVAS, factor=2)
        assert made is not None
        self.assertEqual((made.box.left, made.box.right), (-6, 50))

    def test_it_is_handed_over_with_what_lies_beyond_and_comes_in_again(self) -> None:
        made = widened(ramp(), Widened("mirror", 6, 4))
        layers = (Layer("sky", "sky", Box(0, 0, 40, 20)), Layer("marsh", "marsh", Box(0, 8, 40, 18)))
        read = Illustration("scene", CANVAS, layers, made=(DerivedLayer("m1", "marsh", made.derivation, made.box),))
        tree, _ = arrangement_of(read)
        tree = tree.changed(
            lambda row: (
                replace(row, frames=still("m1"), beyond=True) if isinstance(row, Part) and row.id == "marsh" else row
            )
        )
        with tempfile.TemporaryDirectory() as folder, SpillFile() as scratch:
            scratch.put("sky", np.full((20, 40, 4), 200, np.uint8))
            scratch.put("marsh", ramp().picture)
            scratch.put("m1", made.picture)
            out = Path(folder) / "package"
            report = hand_over(read, tree, Sources(scratch), out, "", lambda *_: None)
            self.assertTrue(report.proof.ok, report.proof.as_json())
            value = json.loads((out / "manifest.json").read_text())
            schema = json.loads((Path(__file__).parents[3] / "core/src/yuplet/schemas/package.schema.json").read_text())
            jsonschema.validate(value, schema, cls=jsonschema.Draft202012Validator)
            marsh = next(part for part in value["parts"] if part["name"] == "marsh")
            self.assertEqual((marsh["box"], marsh["beyond"]), ({"x": -6, "y": 8, "width": 50, "height": 10}, True))
            # Said of a part that is not meant to, it is a fault.
            marsh["beyond"] = False
            (out / "manifest.json").write_text(json.dumps(value))
            from yuplet.rehearsal.proof import prove

            faults = prove(out, lambda *_: None).faults
            self.assertIn("'marsh': its box is empty or begins outside of the canvas.", faults)
            self.assertEqual(packages._whole(-6, -100), -6)
