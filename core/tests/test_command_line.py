"""The command line, run as people run it."""

import contextlib
import io
import json
import os
import subprocess
import sys
from pathlib import Path
from typing import Any

import jsonschema
import numpy as np
from PIL import Image

import signal_post
from tests.packages import FolderTestCase
from yuplet.__main__ import main
from yuplet.geometry import Box, Size
from yuplet.illustration.layers import Illustration, Layer
from yuplet.pixels.spill_file import SpillFile
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
        found, out, error = self.here(*arguments)
        self.assertEqual((found, error), (status, ""))
        return dict(json.loads(out))

    def here(self, *arguments: object) -> tuple[int, str, str]:
        """The same within this process, which need not start: status, standard output, standard error."""
        out, error = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(error):
            status = main([*map(str, arguments)])
        return status, out.getvalue(), error.getvalue()

    def refused_here(self, *arguments: object) -> str:
        status, out, error = self.here(*arguments)
        self.assertEqual((status, out), (2, ""))
        return error

    def refused(self, *arguments: object) -> str:
        """One sentence on standard error, status 2, nothing on standard output."""
        error = self.refused_here(*arguments)
        self.assertEqual(len(error.strip().splitlines()), 1, error)
        return error

    def test_recipes_are_listed_and_carried_out(self) -> None:
        status, out, _ = self.here("recipes")
        listed = json.loads(out)["recipes"]
        self.assertEqual((status, len(listed)), (0, 7))
        game = next(one for one in listed if one["name"] == "Sheets for a game")
        self.assertTrue(game["purpose"].startswith("All parts packed on as few sheets"))
        status, out, _ = self.here("handover", self.file, "--out", self.folder / "game", "--recipe", game["file"])
        report = json.loads(out)
        self.assertEqual((status, report["proof"]["ok"]), (0, True))
        self.assertIn("sheets/1.png", report["files"])
        status, out, _ = self.here("handover", self.file, "--out", self.folder / "game", "--recipe", game["file"])
        self.assertEqual(set(json.loads(out)["kept"]), set(report["files"]))

    def test_a_recipe_that_is_wrong_is_refused_with_its_place(self) -> None:
        recipe = self.folder / "recipe.json"
        recipe.write_text('{"format": "yuplet-recipe", "version": 1, "name": "x", "images": {"format": "bmp"}}')
        said = self.refused_here("handover", self.file, "--out", self.folder / "out", "--recipe", recipe)
        self.assertIn("'images.format'", said)
        recipe.write_text("nothing")
        said = self.refused_here("handover", self.file, "--out", self.folder / "out", "--recipe", recipe)
        self.assertIn("is not JSON", said)
        self.assertFalse((self.folder / "out").exists())

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
        with SpillFile() as scratch:
            scratch.put("a", np.full((2, 2, 4), 255, np.uint8))
            openraster.write(
                self.folder / "odd.ora",
                Illustration("odd", Size(2, 2), (Layer("a", "arm:left", Box(0, 0, 2, 2)),)),
                scratch,
            )
        report = self.json_of("handover", self.folder / "odd.ora", "--out", self.folder / "out")
        self.assertEqual([(item["path"], item["name"]) for item in report["renamed"]], [(["arm:left"], "arm-left")])
        self.assertIn("parts/arm-left.png", report["files"])

    def test_what_somebody_has_changed_is_overwritten_when_that_is_said(self) -> None:
        out = self.folder / "out"
        self.json_of("handover", self.file, "--out", out)
        (out / ".DS_Store").write_text("of a file manager")
        glow = out / "parts/glow.png"
        Image.new("RGBA", (5, 5)).save(glow)
        mine = glow.read_bytes()
        run = self.run_it("handover", self.file, "--out", out)
        self.assertEqual((run.returncode, run.stdout), (3, ""))
        self.assertIn("parts/glow.png\nTo go on, add --overwrite.", run.stderr)
        self.assertEqual(glow.read_bytes(), mine)
        report = self.json_of("handover", self.file, "--out", out, "--overwrite")
        self.assertEqual((report["overwritten"], report["left_alone"]), (["parts/glow.png"], [".DS_Store"]))
        self.assertIn("Somebody had changed 'parts/glow.png'", report["warnings"][0])
        self.assertTrue(self.json_of("prove", out)["ok"], "what a file manager leaves is no fault of a package")

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
        run = self.run_it("inspect", self.folder / "none.ora", "--json")
        self.assertEqual((run.returncode, run.stdout, len(run.stderr.strip().splitlines())), (2, "", 1), run.stderr)
        self.assertIn("cannot be opened", run.stderr)
        (self.folder / "broken.ora").write_bytes(self.file.read_bytes()[:200])
        self.assertIn(
            "damaged archive", self.refused("handover", self.folder / "broken.ora", "--out", self.folder / "x")
        )
        self.assertFalse((self.folder / "x").exists())
        self.assertIn("manifest.json", self.refused("prove", self.folder / "mine"))
        self.assertIn("cannot be written", self.refused("handover", self.file, "--out", "/proc/nowhere"))

    def test_an_arrangement_is_made_by_commands_and_handed_over(self) -> None:
        commands, arranged = self.folder / "c.json", self.folder / "a.json"
        given = [
            {"do": "set-joints", "parents": {"lamp": "arm"}, "pivots": {"lamp": [47.5, 18.25]}},
            {"do": "rename-rows", "names": {"glow": "halo"}},
            {"do": "decide", "decisions": {"required": ["halo"]}},
        ]
        commands.write_text(json.dumps(given))
        first = self.folder / "first.json"
        self.here("arrange", self.file, "--out", first)
        ids = {row["name"]: row["id"] for row in json.loads(first.read_text())["rows"]}
        commands.write_text(
            json.dumps(given)
            .replace('"lamp"', f'"{ids["lamp"]}"')
            .replace('"arm"', f'"{ids["arm"]}"')
            .replace('"glow"', f'"{ids["glow"]}"')
        )
        told = self.json_of("arrange", self.file, "--commands", commands, "--out", arranged)
        self.assertEqual(told["steps"], ["Set joints of 'lamp'", "Rename 'glow'", "Set required parts"])
        changed = {one["row"]: one["fields"] for one in told["changed"]}
        self.assertEqual(changed[ids["glow"]], {"name": ["glow", "halo"]})
        self.assertEqual(changed[ids["lamp"]]["parent"], [None, ids["arm"]])
        self.assertEqual((told["order"], told["decisions"]), (None, {"required": ["halo"]}))
        schema = json.loads((CORE.parents[1] / "core/src/yuplet/schemas/arrangement.schema.json").read_text())
        jsonschema.validate(json.loads(arranged.read_text()), schema, cls=jsonschema.Draft202012Validator)
        package = self.folder / "package"
        report = self.json_of("handover", self.file, "--out", package, "--arrangement", arranged)
        self.assertEqual(report["differing_pixels"], 0)
        manifest = json.loads((package / "manifest.json").read_text())
        parts = {part["name"]: part for part in manifest["parts"]}
        self.assertEqual(parts["lamp"]["parent"], ids["arm"])
        self.assertIn("halo", parts)
        self.assertEqual(self.here("arrange", self.file, "--arrangement", arranged, "--out", first)[0], 0)
        self.assertEqual(first.read_text(), arranged.read_text())

    def test_commands_and_arrangements_that_cannot_be(self) -> None:
        commands, out = self.folder / "c.json", self.folder / "a.json"
        commands.write_text('[{"do": "show-alone", "row": null}, {"do": "rename-rows", "names": {"nobody": "x"}}]')
        self.assertIn(
            "Command 2 of 2 cannot be applied.",
            self.refused_here("arrange", self.file, "--commands", commands, "--out", out),
        )
        self.assertFalse(out.exists())
        commands.write_text("{")
        self.assertIn("is not JSON", self.refused_here("arrange", self.file, "--commands", commands, "--out", out))
        self.here("arrange", self.file, "--out", out)
        value = json.loads(out.read_text())
        part = next(row for row in value["rows"] if row["kind"] == "part")
        part["frames"][0]["pieces"][0][0] = "elsewhere"
        out.write_text(json.dumps(value))
        said = self.refused_here("handover", self.file, "--out", self.folder / "p", "--arrangement", out)
        self.assertIn("of the layer 'elsewhere', which the file does not have", said)
        value["rows"].append(value["rows"][-1])
        out.write_text(json.dumps(value))
        self.assertIn(
            "is there twice", self.refused_here("handover", self.file, "--out", self.folder / "p", "--arrangement", out)
        )

    def test_a_package_is_moved_filmed_and_refreshed(self) -> None:
        package, motion = self.folder / "package", self.folder / "motion.json"
        self.json_of("handover", self.file, "--out", package)
        lamp = next(
            part["id"]
            for part in json.loads((package / "manifest.json").read_text())["parts"]
            if part["path"][-1] == "lamp"
        )
        keys = [{"at": 0.0, "value": 0.0, "easing": "ease-in-out"}, {"at": 1.0, "value": 90.0}]
        motion.write_text(
            json.dumps(
                {
                    "stage": {"rate": 10, "duration": 1.0},
                    "tracks": [
                        {"target": "gone", "property": "opacity", "keys": [{"at": 0, "value": 0.5}]},
                        {"target": lamp, "property": "rotate", "keys": keys},
                    ],
                }
            )
        )
        (screen,) = self.json_of("try", package, "--screen", "194x146")["screens"]
        self.assertEqual((screen["width"], len(screen["places"]), screen["findings"]), (194, 9, []))
        self.assertIn("'big' is no size of a screen", self.refused("try", package, "--screen", "big"))
        still, moved, film = (self.folder / name for name in ("still.png", "moved.png", "film.webp"))
        self.json_of("try", package, "--out", still)
        reference = np.array(Image.open(package / "reference.png").convert("RGBA"))
        np.testing.assert_array_equal(np.array(Image.open(still)), reference)
        said = self.json_of(
            "try", package, "--motion", motion, "--at", "0.5", "--out", moved, "--film", film, "--width", 194
        )
        told = {"pictures": 10, "notes": [], "replay": None, "lost": ["gone"], "runs_out": []}
        self.assertEqual(said["motion"], told)
        played = self.json_of("try", package, "--motion", motion, "--film", self.folder / "motion.svg")["motion"]
        self.assertTrue(played["replay"]["ok"])
        with Image.open(moved) as seen:
            self.assertEqual(seen.size, (194, 146))
        with Image.open(film) as opened:
            self.assertEqual((opened.n_frames, opened.size), (10, (194, 146)))  # type: ignore[attr-defined]
        self.assertEqual(self.json_of("refresh", package, package)["same"], 9)
        for arguments, words in (
            (("--film", self.folder / "film.mov"), "'film.mov' is no film. Give it one of the endings"),
            (("--motion", still), "Nothing was written"),
            (("--film", film, "--width", 90_000), "cannot be written"),
        ):
            self.assertIn(words, self.refused("try", package, *arguments))
        motion.write_text('{"tracks": [{"target": "a", "property": "rotate", "keys": []}]}')
        self.assertIn(
            "The motion cannot be read: tracks", self.refused("try", package, "--motion", motion, "--out", moved)
        )
        self.assertIn("cannot be read", self.refused("refresh", package, self.folder / "nowhere"))
