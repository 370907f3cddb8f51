"""Handing a large picture over again: what has not changed is not touched, whatever has happened to the package meanwhile."""

import json
import shutil
import zlib
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np
from PIL import Image

from tests.packages import FolderTestCase, quiet
from tests.writing.test_banded_png import in_bands
from tests.writing.test_png import chunks
from yuplet.arrangement.tree import arrangement_of
from yuplet.geometry import Box, Size
from yuplet.handover import HandOverReport, hand_over
from yuplet.illustration.layers import Illustration, Layer
from yuplet.pixels.spill_file import SpillFile
from yuplet.plan.recipe import Combination, Extras, Recipe
from yuplet.rehearsal.changes import prove_changes
from yuplet.rehearsal.proof import Proof, prove
from yuplet.writing import banded_png
from yuplet.writing.pictures import Sources

CANVAS = Size(1200, 1000)
PLACES = {"sky": Box(0, 0, 1200, 600), "hill": Box(100, 300, 900, 1000), "lamp": Box(820, 140, 900, 260)}


class LargePictureTests(FolderTestCase):
    """Three grainy layers on a canvas that is written in bands."""

    def setUp(self) -> None:
        super().setUp()
        self.rng = np.random.default_rng(5)
        self.scratch = SpillFile()
        self.addCleanup(self.scratch.__exit__)
        for layer, box in PLACES.items():
            self.scratch.put(layer, self.rng.integers(0, 256, (box.height, box.width, 4)).astype(np.uint8))
        self.package = self.folder / "package"
        self.recipe = Recipe(extras=Extras(combinations=(Combination("dark", hidden=("lamp",)),)))

    def hand_over(self, is_proved: bool = True, **options: Any) -> HandOverReport:
        art = Illustration("large", CANVAS, tuple(Layer(name, name, box) for name, box in PLACES.items()), ppi=300)
        digests = {layer: self.scratch.digest(layer) for layer in PLACES}
        report = hand_over(
            art,
            arrangement_of(art)[0],
            Sources(self.scratch),
            self.package,
            "",
            quiet,
            recipe=self.recipe,
            digests=digests,
            **options,
        )
        self.assertEqual(report.proof.ok, is_proved, report.proof)
        return report

    def repaint_the_lamp(self) -> None:
        lamp = self.scratch.whole("lamp")
        lamp[20:40, 20:40] = self.rng.integers(0, 256, 4)
        self.scratch.put("lamp", lamp)

    def pieces(self, name: str = "reference.png") -> list[bytes]:
        """The compressed bands of a picture."""
        return [body for kind, body in chunks((self.package / name).read_bytes()) if kind == b"IDAT"][1:-1]

    def manifest(self) -> dict[str, Any]:
        return dict(json.loads((self.package / "manifest.json").read_text()))

    def test_only_the_bands_of_the_change_are_other_ones(self) -> None:
        self.hand_over()
        before, dark = self.pieces(), (self.package / "combinations/dark.png").stat().st_mtime_ns
        self.assertEqual(len(before), 8)
        self.repaint_the_lamp()
        report = self.hand_over()
        written = set(report.files) - set(report.kept)
        self.assertEqual(written, {"manifest.json", "parts/lamp.png", "reference.png"})
        changed = [at for at, (one, other) in enumerate(zip(before, self.pieces(), strict=True)) if one != other]
        self.assertEqual(changed, [1], "rows 160 to 180 lie in the second band")
        self.assertEqual((self.package / "combinations/dark.png").stat().st_mtime_ns, dark)

    def test_the_manifest_tells_the_check_sum_of_the_new_picture(self) -> None:
        self.hand_over()
        self.repaint_the_lamp()
        self.hand_over()
        with Image.open(self.package / "reference.png") as image:
            pixels = np.array(image.convert("RGBA"))
            self.assertEqual(round(image.info["dpi"][0]), 300)
        self.assertEqual(self.manifest()["reference"]["pixels_crc32"], f"{zlib.crc32(pixels):08x}")

    def test_in_small_steps_or_in_one_it_is_the_same_to_the_byte(self) -> None:
        self.hand_over()
        for _ in range(3):
            self.repaint_the_lamp()
            self.hand_over()
        files = {
            path.relative_to(self.package): path.read_bytes() for path in self.package.rglob("*") if path.is_file()
        }
        self.package = self.folder / "anew"
        self.hand_over()
        anew = {path.relative_to(self.package): path.read_bytes() for path in self.package.rglob("*") if path.is_file()}
        self.assertEqual(files, anew)

    def test_a_reference_that_somebody_changed_is_made_anew(self) -> None:
        self.hand_over()
        path = self.package / "reference.png"
        good = path.read_bytes()
        for spoiled in (
            good[: len(good) // 2] + bytes([good[len(good) // 2] ^ 8]) + good[len(good) // 2 + 1 :],
            good[:-30],
            b"",
            _by_another_program(path),
        ):
            path.write_bytes(spoiled)
            self.repaint_the_lamp()
            self.hand_over()
            self.assertTrue(prove(self.package, quiet).ok)

    def test_a_picture_that_becomes_opaque_is_written_in_fewer_channels(self) -> None:
        self.hand_over()
        before = (self.package / "reference.png").read_bytes()[25]
        with mock.patch.dict(PLACES, {"sky": Box(0, 0, 1200, 1000)}):
            self.scratch.put("sky", np.full((1000, 1200, 4), 255, np.uint8))
            self.hand_over()
            reference = self.package / "reference.png"
            # The kind of colour in the header: 6 with alpha, 2 without.
            self.assertEqual((before, reference.read_bytes()[25]), (6, 2))
            self.repaint_the_lamp()
            self.hand_over()
            self.assertEqual(reference.read_bytes()[25], 2)

    def test_the_proof_looks_at_what_has_changed_and_says_so(self) -> None:
        first = self.hand_over().proof
        self.assertEqual((first.looked_at, first.comparisons[0].compared), ("everything", CANVAS.pixels))
        self.assertTrue(self.manifest()["proved"])
        self.repaint_the_lamp()
        again = self.hand_over().proof
        # The stroke lies in two tiles of 256 x 128 px at most.
        self.assertEqual(again.looked_at, "changes")
        self.assertTrue(0 < again.comparisons[0].compared <= 2 * 256 * 128)
        self.assertEqual(self.hand_over().proof.comparisons[0].compared, 0)
        whole = self.hand_over(prove_everything=True).proof
        self.assertEqual((whole.looked_at, whole.comparisons[0].compared), ("everything", CANVAS.pixels))

    def test_what_did_not_come_back_is_said_and_looked_at_as_a_whole_the_next_time(self) -> None:
        self.hand_over()
        kept = (self.package / "manifest.json").read_bytes()
        with mock.patch.object(Proof, "ok", False):
            self.hand_over(is_proved=False)
        self.assertFalse(self.manifest()["proved"])
        self.assertEqual(self.hand_over().proof.looked_at, "everything")
        self.assertEqual((self.package / "manifest.json").read_bytes(), kept)

    def test_an_image_that_somebody_changed_has_everything_looked_at(self) -> None:
        self.hand_over()
        path = self.package / "parts/hill.png"
        path.write_bytes(_by_another_program(path))
        self.assertEqual(self.hand_over().proof.looked_at, "everything")

    def test_of_random_faults_it_finds_what_the_whole_proof_finds(self) -> None:
        self.recipe = Recipe()
        self.hand_over()
        before = self.folder / "before"
        shutil.copytree(self.package, before)
        red = 0
        for number in range(10):
            with self.subTest(number):
                shutil.rmtree(self.package)
                shutil.copytree(before, self.package)
                for _ in range(int(self.rng.integers(1, 4))):
                    self.plant_a_fault(int(self.rng.integers(0, 6)))
                short, whole = prove_changes(self.package, before, quiet), prove(self.package, quiet)
                self.assertEqual(short.looked_at, "changes")
                self.assertEqual(short.ok, whole.ok)
                self.assertEqual(sorted(short.faults), sorted(whole.faults))
                self.assertEqual(short.differing_pixels, whole.differing_pixels)
                self.assertEqual(short.max_difference, whole.max_difference)
                self.assertAlmostEqual(short.comparisons[0].mean, whole.comparisons[0].mean, 5)
                red += not whole.ok
        self.assertGreater(red, 7)

    def plant_a_fault(self, kind: int) -> None:
        """Something that a hand-over does not do: in an image, in a place, in what is shown, or in the reference."""
        manifest = self.manifest()
        part = manifest["parts"][int(self.rng.integers(0, 3))]
        if kind < 2:
            path = self.package / ("reference.png" if kind else part["file"])
            entry = manifest["reference"] if kind else part
            picture = np.array(Image.open(path).convert("RGBA"))
            x, y = (int(self.rng.integers(0, side - 2)) for side in picture.shape[1::-1])
            picture[y : y + 2, x : x + 2, :3] ^= 3
            if kind and self.rng.integers(0, 2):
                path.write_bytes(banded_png.encoded(in_bands(picture)))
            else:
                Image.fromarray(picture).save(path)
            if self.rng.integers(0, 2):
                entry["pixels_crc32"] = f"{zlib.crc32(picture.tobytes()):08x}"
        elif kind == 2:
            part["box"]["y"] -= 1
        elif kind == 3:
            part["opacity"] = 0.5
        elif kind == 4:
            part["blend"] = "multiply"
        else:
            part["shown"] = manifest["tree"][manifest["parts"].index(part)]["shown"] = False
            manifest["counts"]["shown"] -= 1
            manifest["counts"]["hidden"] += 1
        (self.package / "manifest.json").write_text(json.dumps(manifest))


def _by_another_program(path: Path) -> bytes:
    """The same picture, opened and saved again."""
    copy = path.with_name("copy.png")
    with Image.open(path) as image:
        image.save(copy)
    data = copy.read_bytes()
    copy.unlink()
    return data
