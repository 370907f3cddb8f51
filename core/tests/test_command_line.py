"""The command line, run as people run it."""

import json
import os
import subprocess
import sys
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

import signal_post
from tests.packages import FolderTestCase
from yuplet.geometry import Box, Size
from yuplet.illustration.layers import Illustration, Layer
from yuplet.pixels.scratch import Scratch
from yuplet.writing import openraster

CORE = Path(__file__).resolve().parents[1] / "src"


class CommandLineTests(FolderTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.file = self.folder / "signal post.ora"
        signal_post.write(self.file)

    def run_it(self, *arguments: object) -> "subprocess.CompletedProcess[str]":
        environment = {**os.environ, "PYTHONPATH": str(CORE)}
        command = [sys.executable, "-m", "yuplet", *map(str, arguments)]
        return subprocess.run(command, env=environment, capture_output=True, text=True, check=False)

    def json_of(self, *arguments: object, status: int = 0) -> dict[str, Any]:
        run = self.run_it(*arguments)
        self.assertEqual((run.returncode, run.stderr), (status, ""))
        return dict(json.loads(run.stdout))

    def refused(self, *arguments: object) -> str:
        """One sentence on standard error, status 2, nothing on standard output."""
        run = self.run_it(*arguments)
        self.assertEqual((run.returncode, run.stdout), (2, ""))
        self.assertEqual(len(run.stderr.strip().splitlines()), 1, run.stderr)
        self.assertNotIn("Traceback", run.stderr)
        return run.stderr

    def test_inspect(self) -> None:
        found = self.json_of("inspect", self.file, "--json")
        self.assertEqual((found["canvas"]["width"], found["canvas"]["height"]), (97, 73))
        self.assertEqual(
            found["layers"][5],
            {"path": ["post", "mast"], "name": "mast", "kind": "raster", "visible": True, "opacity": 1.0,
             "blend": "normal", "box": [44, 14, 7, 56]},
        )  # fmt: skip
        group = found["layers"][1]
        self.assertEqual((group["kind"], group["opacity"], group["blend"]), ("group", 0.9, "multiply"))
        self.assertIsNone(found["layers"][-1]["box"])
        self.assertIn("arm lowered  (raster, 6 x 38 at 39, 20, hidden)", self.run_it("inspect", self.file).stdout)

    def test_a_flat_picture_is_one_layer_named_by_its_file(self) -> None:
        Image.new("RGBA", (8, 6), (1, 2, 3, 255)).save(self.folder / "tin inspector.png")
        found = self.json_of("inspect", self.folder / "tin inspector.png", "--json")
        self.assertEqual([layer["path"] for layer in found["layers"]], [["tin inspector"]])
        self.assertEqual(found["layers"][0]["box"], [0, 0, 8, 6])

    def test_hand_over_and_prove(self) -> None:
        out = self.folder / "out"
        report = self.json_of("handover", self.file, "--out", out, "--workers", 1)
        self.assertEqual((report["parts"], report["differing_pixels"], report["obsolete"]), (9, 0, []))
        self.assertEqual(report["bytes"], sum(path.stat().st_size for path in out.rglob("*") if path.is_file()))
        self.assertTrue(self.json_of("prove", out)["ok"])
        (out / "parts/glow.png").unlink()
        proof = self.json_of("prove", out, status=1)
        self.assertEqual((proof["ok"], proof["missing"]), (False, ["parts/glow.png"]))

    def test_names_that_cannot_be_used_are_listed(self) -> None:
        with Scratch() as scratch:
            scratch.put("a", np.full((2, 2, 4), 255, np.uint8))
            openraster.write(
                self.folder / "odd.ora",
                Illustration("odd", Size(2, 2), (Layer("a", "arm:left", Box(0, 0, 2, 2)),)),
                scratch,
            )
        report = self.json_of("handover", self.folder / "odd.ora", "--out", self.folder / "out")
        self.assertEqual([(item["path"], item["name"]) for item in report["renamed"]], [(["arm:left"], "arm-left")])
        self.assertIn("parts/arm-left.png", report["files"])

    def test_a_second_time_is_an_update(self) -> None:
        out = self.folder / "out"
        self.json_of("handover", self.file, "--out", out)
        Image.new("RGBA", (97, 73), (1, 2, 3, 255)).save(self.folder / "flat.png")
        report = self.json_of("handover", self.folder / "flat.png", "--out", out)
        self.assertEqual(len(report["obsolete"]), 9)
        self.assertTrue((out / "parts/glow.png").exists())
        self.json_of("handover", self.folder / "flat.png", "--out", out, "--remove-obsolete")
        self.assertEqual(sorted(path.name for path in (out / "parts").iterdir()), ["flat.png"])

    def test_errors_are_one_sentence(self) -> None:
        (self.folder / "mine").mkdir()
        (self.folder / "mine/diary.txt").write_text("dear diary")
        self.assertIn("diary.txt", self.refused("handover", self.file, "--out", self.folder / "mine"))
        self.assertEqual([path.name for path in (self.folder / "mine").iterdir()], ["diary.txt"])
        self.assertIn("cannot be opened", self.refused("inspect", self.folder / "none.ora", "--json"))
        (self.folder / "broken.ora").write_bytes(self.file.read_bytes()[:200])
        self.assertIn(
            "damaged archive", self.refused("handover", self.folder / "broken.ora", "--out", self.folder / "x")
        )
        self.assertFalse((self.folder / "x").exists())
        self.assertIn("manifest.json", self.refused("prove", self.folder / "mine"))
        self.assertIn("cannot be written", self.refused("handover", self.file, "--out", "/proc/nowhere"))
