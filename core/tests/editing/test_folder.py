"""All commands on the command line: what is kept beside an arrangement's document, and what is handed over from it."""

import contextlib
import io
import json
import shutil
from pathlib import Path
from typing import Any

import numpy as np
from command_samples import SAMPLES, figure, star
from PIL import Image

from tests.packages import FolderTestCase, quiet
from yuplet.__main__ import main
from yuplet.arrangement.commands import to_json
from yuplet.arrangement.first import first_arrangement
from yuplet.editing.commands import CODEC
from yuplet.editing.edit import edited
from yuplet.editing.layers import MemoryLayers
from yuplet.handover import hand_over
from yuplet.pixels.spill_file import SpillFile
from yuplet.reading.files import read_illustration
from yuplet.writing import openraster
from yuplet.writing.pictures import Sources

SESSION = (
    "sweep-crumbs", "fill-pinholes", "take-out", "dye", "share-drawing", "put-backdrop", "paste-picture", "duplicate-part",
)  # fmt: skip


class FolderTests(FolderTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.file = self.folder / "figure.ora"
        with SpillFile() as scratch:
            openraster.write(self.file, figure(scratch), scratch)
        Image.fromarray(star("")).save(self.folder / "star.png")

    def run_it(self, *arguments: object, status: int = 0) -> Any:
        out, error = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(error):
            self.assertEqual(main([*map(str, arguments)]), status, error.getvalue())
        return json.loads(out.getvalue()) if status == 0 else error.getvalue()

    def commands(self) -> list[dict[str, Any]]:
        """A session, with the rows by the ids that they have in the file."""
        with SpillFile() as scratch:
            arrangement, _ = first_arrangement(read_illustration(self.file, scratch)[0])
        ids = {row.name: row.id for _, row in arrangement.walk()}
        found = []
        for kind in SESSION:
            text = json.dumps(to_json(next(command for _, command in SAMPLES if command.do == kind)))
            for name, row in ids.items():
                text = text.replace(f'"{name}"', f'"{row}"')
            found.append(json.loads(text))
        return found

    def write(self, name: str, value: Any) -> Path:
        path = self.folder / name
        path.write_text(json.dumps(value), "utf-8")
        return path

    def arranged(self) -> Path:
        out = self.folder / "A.json"
        told = self.run_it("arrange", self.file, "--commands", self.write("C.json", self.commands()), "--out", out)
        self.assertEqual(len(told["steps"]), len(SESSION))
        return out

    def test_a_whole_session_is_handed_over_as_it_is_from_memory(self) -> None:
        document = self.arranged()
        report = self.run_it("handover", self.file, "--arrangement", document, "--out", self.folder / "out")
        self.assertTrue(report["proof"]["ok"])
        with SpillFile() as scratch:
            illustration, _ = read_illustration(self.file, scratch)
            now, _ = first_arrangement(illustration)
            layers = MemoryLayers(illustration, scratch, star)
            for value in self.commands():
                now, _ = edited(now, CODEC.from_json(value), layers)
                layers.version += 1
            layers.put_into(scratch)
            hand_over(layers.illustration, now, Sources(scratch, None), self.folder / "other", "", quiet)
        files = {path.relative_to(self.folder / "out") for path in (self.folder / "out").rglob("*.png")}
        self.assertGreater(len(files), 8)
        for file in files:
            self.assertEqual((self.folder / "out" / file).read_bytes(), (self.folder / "other" / file).read_bytes())

    def test_one_goes_on_from_a_document(self) -> None:
        first = self.arranged()
        more = self.write("more.json", [{"do": "put-backdrop", "colours": [[1, 2, 3]]}])
        self.run_it("arrange", self.file, "--arrangement", first, "--commands", more, "--out", self.folder / "B.json")
        at_once = self.write("all.json", [*self.commands(), json.loads(more.read_text())[0]])
        self.run_it("arrange", self.file, "--commands", at_once, "--out", self.folder / "C2.json")
        one, other = (json.loads((self.folder / name).read_text()) for name in ("B.json", "C2.json"))
        self.assertEqual(one, other)
        self.assertEqual(one["derived"]["steps"], len(SESSION) + 1)

    def test_nothing_is_written_where_a_command_cannot_be_carried_out(self) -> None:
        wrong = [*self.commands()[:3], {"do": "dye", "row": "nothing", "colour": [1, 2, 3], "shaded": True}]
        said = self.run_it(
            "arrange", self.file, "--commands", self.write("C.json", wrong), "--out", self.folder / "A.json", status=2
        )
        self.assertIn("Command 4 of 4", said)
        self.assertEqual({path.name for path in self.folder.iterdir()}, {"C.json", "figure.ora", "star.png"})
        climbing = [{"do": "paste-picture", "picture": "../star.png", "name": "star"}]
        said = self.run_it(
            "arrange",
            self.file,
            "--commands",
            self.write("C.json", climbing),
            "--out",
            self.folder / "A.json",
            status=2,
        )
        self.assertIn("../star.png", said)

    def test_a_folder_that_is_not_what_it_was_is_told(self) -> None:
        document = self.arranged()
        layers = document.with_suffix(".layers")
        kept = self.folder / "kept"
        shutil.copytree(layers, kept)
        for change, said in (
            (lambda: next(layers.iterdir()).unlink(), "cannot be read"),
            (lambda: next(layers.iterdir()).write_bytes(b"x"), "is not what it was"),
            (lambda: shutil.rmtree(layers), "cannot be read"),
        ):
            with self.subTest(said):
                change()
                told = self.run_it(
                    "handover", self.file, "--arrangement", document, "--out", self.folder / "out", status=2
                )
                self.assertIn(said, told)
                self.assertFalse((self.folder / "out").exists())
                shutil.rmtree(layers, ignore_errors=True)
                shutil.copytree(kept, layers)

    def test_documents_that_say_derived_layers_wrongly_are_refused(self) -> None:
        document = self.arranged()
        whole = json.loads(document.read_text("utf-8"))
        for change in (
            {"id": "../m1"},
            {"pixels": "../" + "0" * 61},
            {"box": [0, 0, 1, 1]},
            {"recipe": {"kind": "spell"}},
            {"recipe": {"kind": "cut", "keeps": "taken", "mask": "../../x", "mask_box": [0, 0, 1, 1]}},
            {"id": whole["derived"]["layers"][1]["id"]},
        ):
            with self.subTest(change):
                value = json.loads(json.dumps(whole))
                value["derived"]["layers"][0].update(change)
                path = document.with_name("A.json")
                path.write_text(json.dumps(value), "utf-8")
                said = self.run_it("handover", self.file, "--arrangement", path, "--out", self.folder / "o", status=2)
                self.assertEqual(len(said.strip().splitlines()), 1, said)
                self.assertFalse((self.folder / "o").exists())

    def test_masks_say_what_was_filled_in(self) -> None:
        document = self.arranged()
        layers = json.loads(document.read_text("utf-8"))["derived"]["layers"]
        filled = next(layer for layer in layers if layer["recipe"]["kind"] == "cut" and layer["added"])
        mask = np.array(Image.open(document.with_suffix(".layers") / f"{filled['added']}.png").convert("L"))
        self.assertEqual(mask.shape, (filled["box"][3], filled["box"][2]))
        self.assertTrue(mask.any() and not mask.all())
