"""The command line in a pipeline: many files, standard input, signals, a reader that goes, a file that is saved again and again."""

import contextlib
import fcntl
import io
import json
import os
import pty
import signal
import struct
import subprocess
import sys
import termios
import time
import zipfile
from pathlib import Path
from typing import Any
from unittest import mock

import jsonschema
import numpy as np
from PIL import Image

import signal_post
from tests.packages import FolderTestCase
from yuplet import documents
from yuplet.__main__ import main

ROOT = Path(__file__).resolve().parents[2]
CORE = ROOT / "core" / "src"
DEMO = ROOT / "demo" / "lever-frame.svg"
LARGE = 1400


def _image(path: Path) -> Image.Image:
    with Image.open(path) as opened:
        return opened.convert("RGBA")


class PipelineTests(FolderTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.file = self.folder / "post.ora"
        signal_post.write(self.file)

    def started(self, *arguments: object, **options: Any) -> "subprocess.Popen[str]":
        environment = {**os.environ, "PYTHONPATH": str(CORE)}
        command = [sys.executable, "-m", "yuplet", *map(str, arguments)]
        options = {"stdout": subprocess.PIPE, "stderr": subprocess.PIPE, "text": True, **options}
        # Whoever runs the tests in the background lets them not hear of Ctrl C.
        hears = lambda: signal.signal(signal.SIGINT, signal.SIG_DFL)  # noqa: E731
        return subprocess.Popen(command, env=environment, cwd=self.folder, preexec_fn=hears, **options)  # noqa: PLW1509

    def run_it(self, *arguments: object, stdin: bytes | None = None) -> tuple[int, str, str]:
        """In this process, which need not start; in the folder."""
        out, error = io.StringIO(), io.StringIO()
        given = sys.stdin if stdin is None else io.TextIOWrapper(io.BytesIO(stdin))
        with (
            contextlib.chdir(self.folder),
            contextlib.redirect_stdout(out),
            contextlib.redirect_stderr(error),
            mock.patch.object(sys, "stdin", given),
        ):
            status = main([*map(str, arguments)])
        return status, out.getvalue(), error.getvalue()

    def pictures(self) -> None:
        for number, colour in enumerate(("red", "green", "blue"), 1):
            Image.new("RGBA", (8, 6 + number), colour).save(self.folder / f"prop {number}.png")

    def test_several_files_and_patterns_each_into_a_folder_of_its_name(self) -> None:
        self.pictures()
        (self.folder / "prop 4.png").write_bytes(b"\x89PNG broken")
        process = self.started("handover", "prop *.png", "post.ora", "--out", "out", "--jobs", 2, "--workers", 1)
        out, error = process.communicate(timeout=120)
        status = process.returncode
        told = json.loads(out)["files"]
        self.assertEqual([one["file"] for one in told], [*(f"prop {n}.png" for n in (1, 2, 3, 4)), "post.ora"])
        self.assertEqual([one.get("differing_pixels") for one in told], [0, 0, 0, None, 0])
        self.assertEqual(status, 2, "the worst of all")
        self.assertEqual(error.strip(), told[3]["error"])
        self.assertIn("prop 4.png", told[3]["error"])
        self.assertEqual(
            {path.name for path in (self.folder / "out").iterdir()},
            {"prop 1", "prop 2", "prop 3", "post", "project.json"},
        )
        self.assertTrue((self.folder / "out/post/manifest.json").exists())
        again = json.loads(self.run_it("handover", "prop [12].png", "--out", "out")[1])["files"]
        self.assertTrue(all(set(one["kept"]) == set(one["files"]) for one in again), "what has not changed stays")
        # The index tells all that is there, whenever it was handed over.
        index = json.loads((self.folder / "out/project.json").read_text())
        jsonschema.validate(index, documents.schema("index"), cls=jsonschema.Draft202012Validator)
        self.assertEqual([one["folder"] for one in index["packages"]], ["post", "prop 1", "prop 2", "prop 3"])
        files = [path for path in (self.folder / "out").rglob("*") if path.is_file() and path.name != "project.json"]
        counts = {"packages": 4, "parts": 12, "files": len(files), "bytes": sum(path.stat().st_size for path in files)}
        self.assertEqual(index["counts"], counts)
        # All of it is proved in one go, and a fault in one is found.
        status, out, _ = self.run_it("prove", "out")
        self.assertEqual((status, len(json.loads(out)["packages"])), (0, 4))
        (self.folder / "out/prop 2/parts/prop 2.png").unlink()
        status, out, _ = self.run_it("prove", "out")
        found = json.loads(out)
        self.assertEqual((status, [one["folder"] for one in found["packages"] if not one["ok"]]), (1, ["prop 2"]))
        for change in ("../elsewhere", "gone"):
            index["packages"][0]["folder"] = change
            (self.folder / "out/project.json").write_text(json.dumps(index))
            status, out, _ = self.run_it("prove", "out")
            found = json.loads(out)
            self.assertEqual((status, found["ok"]), (1, False))
            self.assertEqual(len(found["faults"]) + sum("error" in one for one in found["packages"]), 1)
        (self.folder / "out/project.json").write_text('{"format": "of others"}')
        status, _, error = self.run_it("handover", "prop 1.png", "--out", "out", "--each")
        self.assertEqual(status, 2)
        self.assertIn("'project.json', which is not part of a package", error)

    def shared(self, **layout: object) -> None:
        """A recipe beside, by which sheets are shared."""
        recipe = {"format": "yuplet-recipe", "version": 1, "name": "Props", "scales": [{"factor": 1}, {"factor": 2}]}
        (self.folder / "props.json").write_text(json.dumps({**recipe, "sheets": {"shared": True, **layout}}))

    def test_files_that_are_handed_over_together_share_sheets(self) -> None:
        self.pictures()
        chance = np.random.default_rng(4)
        for number in (4, 5):
            noise = chance.integers(0, 256, (30 + number, 41, 4), np.uint8)
            Image.fromarray(noise, "RGBA").save(self.folder / f"prop {number}.png")
        # What is the same picture as another, and what is too long for a sheet.
        Image.new("RGBA", (8, 7), "red").save(self.folder / "prop 6.png")
        Image.new("RGBA", (99, 2), "red").save(self.folder / "prop 7.png")
        self.shared(longest=98, repeat_edge=1, spacing=2, turn=True)
        status, out, error = self.run_it("handover", "prop *.png", "post.ora", "--out", "out", "--recipe", "props.json")
        self.assertEqual((status, error), (0, ""))
        index = json.loads((self.folder / "out/project.json").read_text())
        jsonschema.validate(index, documents.schema("index"), cls=jsonschema.Draft202012Validator)
        self.assertEqual(json.loads(out)["sheets"], [sheet["file"] for sheet in index["sheets"]])
        # Somebody who has nothing but the index cuts them out again.
        seen: dict[str, float] = {}
        for sheet in index["sheets"]:
            whole = _image(self.folder / "out" / sheet["file"])
            self.assertEqual(whole.size, (sheet["width"], sheet["height"]))
            self.assertLessEqual(max(whole.size), 98)
            for one in sheet["pictures"]:
                across, down = (one["height"], one["width"]) if one["turned"] else (one["width"], one["height"])
                cut = whole.crop((one["x"], one["y"], one["x"] + across, one["y"] + down))
                cut = cut.transpose(Image.Transpose.ROTATE_90) if one["turned"] else cut
                edge = whole.crop((one["x"] - 1, one["y"], one["x"], one["y"] + down)).tobytes()
                self.assertEqual(edge, whole.crop((one["x"], one["y"], one["x"] + 1, one["y"] + down)).tobytes())
                for of in one["of"]:
                    path = self.folder / "out" / of["folder"] / of["file"]
                    self.assertEqual(cut.tobytes(), _image(path).tobytes(), of)
                    seen[f"{of['folder']}/{of['file']}"] = sheet["scale"]
        self.assertEqual(seen["prop 1/parts/prop 1.png"], 1)
        self.assertEqual(seen["prop 1/parts-2x/prop 1.png"], 2)
        self.assertNotIn("prop 7/parts/prop 7.png", seen)
        there = [path for path in (self.folder / "out").rglob("parts*/**/*.png") if max(_image(path).size) <= 96]
        self.assertEqual(seen.keys(), {path.relative_to(self.folder / "out").as_posix() for path in there})
        red = [one["of"] for sheet in index["sheets"] for one in sheet["pictures"] if len(one["of"]) > 1]
        self.assertIn([{"folder": name, "file": f"parts/{name}.png"} for name in ("prop 1", "prop 6")], red)

    def test_shared_sheets_stay_as_they_are_and_hold_who_was_there(self) -> None:
        self.pictures()
        self.shared()
        self.run_it("handover", "prop *.png", "--out", "out", "--recipe", "props.json")
        before = (self.folder / "out/sheets/1.png").stat().st_ino
        self.run_it("handover", "prop 1.png", "--out", "out", "--recipe", "props.json", "--each")
        self.assertEqual((self.folder / "out/sheets/1.png").stat().st_ino, before)
        Image.new("RGBA", (8, 7), "black").save(self.folder / "prop 1.png")
        self.run_it("handover", "prop 1.png", "--out", "out", "--recipe", "props.json", "--each")
        self.assertNotEqual((self.folder / "out/sheets/1.png").stat().st_ino, before)
        index = json.loads((self.folder / "out/project.json").read_text())
        on = [of["folder"] for one in index["sheets"][0]["pictures"] for of in one["of"]]
        self.assertEqual(sorted(on), ["prop 1", "prop 2", "prop 3"])
        # Planted faults: another picture, a picture elsewhere, one on another, a sheet that is gone.
        self.assertEqual(self.run_it("prove", "out")[0], 0)
        text = (self.folder / "out/project.json").read_text()
        for change, said in (
            (lambda one: one.update(x=0, y=0), "Pictures on 'sheets/1.png' lie over each other. On"),
            (lambda one: one.update(x=0, y=0), "is another picture"),
            (lambda one: one.update(x=30000), "cannot be compared (it lies outside of its sheet)"),
            (lambda one: one["of"][0].update(folder="..", file="prop 1.png"), "is of no package of the index"),
            (lambda one: one["of"][0].update(file="../../prop 1.png"), "cannot be compared"),
            (lambda one: one.update(width=7), "cannot be compared (it is not 7 x"),
        ):
            value = json.loads(text)
            change(value["sheets"][0]["pictures"][1])
            (self.folder / "out/project.json").write_text(json.dumps(value))
            status, out, _ = self.run_it("prove", "out")
            self.assertEqual(status, 1)
            self.assertIn(said, " ".join(json.loads(out)["faults"]))
        (self.folder / "out/project.json").write_text(text)
        # One that shares no more leaves nothing of it behind.
        self.run_it("handover", "prop *.png", "--out", "out")
        self.assertFalse((self.folder / "out/sheets/1.png").exists())
        (self.folder / "out/sheets").mkdir(exist_ok=True)
        (self.folder / "out/sheets/mine.png").write_bytes(b"of somebody else")
        status, _, error = self.run_it("handover", "prop *.png", "--out", "out", "--recipe", "props.json")
        self.assertEqual(status, 2)
        self.assertIn("sheets/mine.png", error)

    def test_one_file_is_the_package_unless_it_is_asked_for_each(self) -> None:
        status, out, _ = self.run_it("handover", "post.ora", "--out", "out", "--each", "--quiet")
        self.assertEqual((status, out), (0, ""))
        self.assertTrue((self.folder / "out/post/manifest.json").exists())

    def test_names_that_are_no_folders_and_patterns_as_shells_take_them(self) -> None:
        for name in ("project.json.png", "lamp .png", "aux.png"):
            Image.new("RGBA", (4, 4), "red").save(self.folder / name)
        status, out, error = self.run_it("handover", "**j*n.png", "lamp .png", "aux.png", "--out", "out")
        self.assertEqual((status, error), (0, ""))
        self.assertEqual(json.loads(out)["counts"]["packages"], 3, "the index names all of them")
        self.assertTrue((self.folder / "out/project.json").is_file())
        self.assertTrue(json.loads(self.run_it("prove", "out")[1])["ok"])

    def test_a_process_that_is_gone_is_said(self) -> None:
        Image.frombytes("RGB", (LARGE, LARGE), os.urandom(LARGE * LARGE * 3)).save(
            self.folder / "noise.png", compress_level=0
        )
        process = self.started("handover", "noise.png", "post.ora", "--out", "out", "--jobs", 2)
        until = time.monotonic() + 60
        while not list(self.folder.glob("out/.noise*")) and time.monotonic() < until:
            time.sleep(0.01)
        children = Path(f"/proc/{process.pid}/task/{process.pid}/children").read_text().split()
        for child in children:
            if b"spawn_main" in Path(f"/proc/{child}/cmdline").read_bytes():
                os.kill(int(child), signal.SIGKILL)
        _, error = process.communicate(timeout=60)
        self.assertEqual(process.returncode, 2, error)
        self.assertIn("ended before its time", error)

    def test_how_far_it_is_is_shown_on_a_terminal(self) -> None:
        ours, theirs = pty.openpty()
        fcntl.ioctl(theirs, termios.TIOCSWINSZ, struct.pack("HHHH", 30, 90, 0, 0))
        process = self.started("handover", "post.ora", "--out", "out", stderr=theirs)
        process.communicate(timeout=60)
        os.close(theirs)
        shown = os.read(ours, 1 << 16).decode()
        os.close(ours)
        self.assertIn("\rread", shown)
        self.assertIn("\rwrite", shown)
        self.assertTrue(shown.endswith("\r"), "and is taken away in the end")

    def test_each_file_by_the_arrangement_and_the_recipe_beside_it(self) -> None:
        self.pictures()
        commands = self.folder / "c.json"
        commands.write_text('[{"do": "rename-rows", "names": {"l1": "tub"}}]')
        self.run_it("arrange", "prop 2.png", "--commands", commands, "--out", "prop 2.arrangement.json")
        said = {"format": "yuplet-recipe", "version": 1, "name": "boxes", "images": {"margin": 3}}
        (self.folder / "prop 3.recipe.json").write_text(json.dumps(said))
        status, out, error = self.run_it(
            "handover", "prop [123].png", "--beside", "--recipe", "Pixel art", "--out", "out"
        )
        self.assertEqual((status, error), (0, ""))
        recipes = {
            one["folder"]: one["recipe"]
            for one in json.loads((self.folder / "out/project.json").read_text())["packages"]
        }
        self.assertEqual(recipes, {"prop 1": "Pixel art", "prop 2": "Pixel art", "prop 3": "boxes"})
        files = {Path(one["out"]).name: one["files"] for one in json.loads(out)["files"]}
        self.assertTrue(any(file.endswith("tub.png") for file in files["prop 2"]), files["prop 2"])
        with Image.open(self.folder / "out/prop 3/parts/prop 3.png") as image:
            self.assertEqual(image.size, (14, 15))
        status, _, error = self.run_it(
            "handover", "prop [12].png", "--arrangement", "prop 2.arrangement.json", "--out", "o"
        )
        self.assertEqual(status, 2)
        self.assertIn("An arrangement is of one file", error)

    def test_several_files_do_not_go_into_a_package(self) -> None:
        self.pictures()
        self.run_it("handover", "post.ora", "--out", "out")
        before = sorted(path for path in (self.folder / "out").rglob("*"))
        status, out, error = self.run_it("handover", "prop *.png", "--out", "out")
        self.assertEqual((status, out), (2, ""))
        self.assertIn("'out' is a package itself", error)
        self.assertEqual(sorted(path for path in (self.folder / "out").rglob("*")), before)

    def test_names_that_would_meet_in_one_folder_are_refused_before_anything_is_written(self) -> None:
        Image.new("RGBA", (8, 6), "red").save(self.folder / "post.png")
        status, out, error = self.run_it("handover", "post.ora", "post.png", "--out", "out")
        self.assertEqual((status, out), (2, ""))
        self.assertIn("post.ora and post.png would both be handed over to 'out/post'", error)
        self.assertFalse((self.folder / "out").exists())
        status, _, error = self.run_it("handover", "none*.png", "--out", "out")
        self.assertEqual((status, len(error.strip().splitlines())), (2, 1))
        self.assertIn("No file is called like 'none*.png'", error)

    def test_a_picture_from_standard_input(self) -> None:
        data = self.file.read_bytes()
        status, out, error = self.run_it("handover", "-", "--title", "signal post", "--out", "out", stdin=data)
        self.assertEqual((status, json.loads(out)["parts"], error), (0, 9, ""))
        manifest = json.loads((self.folder / "out/manifest.json").read_text())
        self.assertEqual(manifest["illustration"]["title"], "signal post")
        for title in ("../../escaped", "a/b", ""):
            status, _, error = self.run_it("inspect", "-", "--title", title, stdin=data)
            self.assertEqual(status, 2, title)
            self.assertIn("Give another one", error)

    def test_recipes_by_their_names(self) -> None:
        for name in ("Sheets for a game", "sheets for a GAME", "game-sheets"):
            status, out, _ = self.run_it("plan", "post.ora", "--recipe", name, "--json")
            self.assertEqual(status, 0)
            self.assertIn("sheets/1.png", [one["name"] for one in json.loads(out)["files"]])
        status, _, error = self.run_it("plan", "post.ora", "--recipe", "sheets for nobody")
        self.assertEqual(status, 2)
        self.assertIn("'Cut-out rig, trimmed'", error)

    def test_a_plan_is_what_a_hand_over_writes_and_says_what_stops_it(self) -> None:
        status, out, _ = self.run_it("plan", "post.ora", "--json")
        planned = [one["name"] for one in json.loads(out)["files"]]
        written = json.loads(self.run_it("handover", "post.ora", "--out", "out")[1])["files"]
        self.assertEqual((status, planned), (0, written))
        arranged, commands = self.folder / "a.json", self.folder / "c.json"
        commands.write_text('[{"do": "decide", "decisions": {"required": ["crown"]}}]')
        self.run_it("arrange", "post.ora", "--commands", commands, "--out", arranged)
        status, out, _ = self.run_it("plan", "post.ora", "--arrangement", arranged)
        self.assertEqual(status, 3)
        self.assertIn("error: ", out)
        self.assertIn("crown", out)
        status, out, error = self.run_it("handover", "post.ora", "--arrangement", arranged, "--out", "stopped")
        self.assertEqual((status, out), (3, ""))
        self.assertIn("crown", error)
        self.assertFalse((self.folder / "stopped").exists())
        self.assertEqual(self.run_it("check", "post.ora", "--arrangement", arranged)[0], 1)

    def test_findings_fail_by_how_grave_they_are(self) -> None:
        status, out, _ = self.run_it("check", "post.ora", "--json")
        found = json.loads(out)["findings"]
        self.assertEqual(status, 0)
        self.assertIn("warning", {one["severity"] for one in found})
        self.assertNotIn("error", {one["severity"] for one in found})
        self.assertEqual(self.run_it("check", "post.ora", "--fail-on", "warning", "--quiet"), (1, "", ""))

    def test_a_reader_that_goes_hears_nothing_more(self) -> None:
        process = self.started("plan", "post.ora", "--json")
        assert process.stdout is not None and process.stderr is not None
        process.stdout.close()
        self.assertEqual(process.wait(60), 141)
        self.assertEqual(process.stderr.read(), "")
        process.stderr.close()

    def test_an_end_by_signal_leaves_nothing_behind(self) -> None:
        chance = os.urandom(LARGE * LARGE * 3)
        Image.frombytes("RGB", (LARGE, LARGE), chance).save(self.folder / "noise.png", compress_level=0)
        for number, status, jobs in ((signal.SIGTERM, 143, 2), (signal.SIGINT, 130, 1)):
            with self.subTest(number, jobs=jobs):
                process = self.started("handover", "noise.png", "post.ora", "--out", "out", "--jobs", jobs)
                until = time.monotonic() + 60
                while not list(self.folder.glob("out/.noise*")) and time.monotonic() < until:
                    time.sleep(0.01)
                self.assertTrue(list(self.folder.glob("out/.noise*")), "it has begun to write")
                process.send_signal(number)
                process.communicate(timeout=60)
                self.assertEqual(process.returncode, status)
                left = [path.name for path in self.folder.rglob("*") if path.is_file() and "post" not in path.parts]
                self.assertEqual(sorted(left), ["noise.png", "post.ora"])

    def test_in_step_with_a_file_that_is_saved_again_and_again(self) -> None:
        source = self.folder / "flat.png"
        Image.new("RGBA", (8, 6), "red").save(source)
        process = self.started("watch", "flat.png", "--out", "out", text=True)
        self.addCleanup(process.kill)
        assert process.stdout is not None and process.stderr is not None
        first = json.loads(process.stdout.readline())
        self.assertEqual((first["ok"], first["parts"], first["differing_pixels"]), (True, 1, 0))
        # As programs save: into a file beside it, which takes its place.
        Image.new("RGBA", (8, 6), "blue").save(self.folder / "saving.png")
        (self.folder / "saving.png").replace(source)
        again = json.loads(process.stdout.readline())
        self.assertTrue(again["ok"])
        with Image.open(self.folder / "out/parts/flat.png") as image:
            self.assertEqual(image.convert("RGBA").getpixel((0, 0)), (0, 0, 255, 255))
        # What is broken is said, and the next one is handed over.
        source.write_bytes(b"\x89PNG half of it")
        self.assertIn("flat.png", process.stderr.readline())
        Image.new("RGBA", (9, 6), "green").save(source)
        self.assertTrue(json.loads(process.stdout.readline())["ok"])
        process.send_signal(signal.SIGTERM)
        self.assertEqual(process.wait(60), 0)
        process.stdout.close()
        process.stderr.close()

    def test_a_shell_is_told_how_to_complete(self) -> None:
        for shell in ("bash", "zsh", "tcsh"):
            status, out, _ = self.run_it("completion", shell)
            self.assertEqual(status, 0)
            self.assertIn("handover", out)


class WheelTests(FolderTestCase):
    def test_a_wheel_holds_all_that_the_command_needs(self) -> None:
        """Built without a network, laid into a folder of its own, and run from there."""
        build = "import hatchling.build, sys; print(hatchling.build.build_wheel(sys.argv[1]))"
        made = subprocess.run(
            [sys.executable, "-c", build, str(self.folder)], cwd=ROOT, check=True, capture_output=True, text=True
        )
        wheel = self.folder / made.stdout.splitlines()[-1]
        installed = self.folder / "installed"
        with zipfile.ZipFile(wheel) as archive:
            names = archive.namelist()
            archive.extractall(installed)
        self.assertEqual({name.split("/")[0] for name in names if ".dist-info" not in name}, {"yuplet"})
        said = next(name for name in names if name.endswith("METADATA"))
        text = (installed / said).read_text()
        self.assertIn("License-Expression: MIT", text)
        for server in ("django", "gunicorn", "pymysql"):
            self.assertNotIn(server, text.lower())
        entry = next(name for name in names if name.endswith("entry_points.txt"))
        self.assertIn("yuplet = yuplet.__main__:run", (installed / entry).read_text())
        ours = {path.relative_to(CORE).as_posix() for path in (CORE / "yuplet").rglob("*") if path.is_file()}
        ours = {name for name in ours if "__pycache__" not in name}
        self.assertEqual({name for name in names if ".dist-info" not in name}, ours)
        source = self.folder / "post.ora"
        signal_post.write(source)
        # -P and a path of its own: neither our source nor this folder is looked at.
        code = f"import sys; sys.path.insert(0, {str(installed)!r}); import yuplet; print(yuplet.__file__); from yuplet.__main__ import main; sys.exit(main(sys.argv[1:]))"
        environment = {name: value for name, value in os.environ.items() if name != "PYTHONPATH"}
        for command, wanted in (
            (["recipes"], "Sheets for a game"),
            (["inspect", str(source)], "signal"),
            (["inspect", str(DEMO)], "panel"),
        ):
            # A hand-over would compile all loops anew, for their folder is another one.
            run = subprocess.run([sys.executable, "-P", "-c", code, *command], check=True, capture_output=True, text=True, env=environment)  # fmt: skip
            self.assertTrue(run.stdout.startswith(str(installed)), run.stdout[:200])
            self.assertIn(wanted, run.stdout)
