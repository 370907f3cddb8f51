"""Sheets, grids and animated images: cut again they give every frame back, and a planted fault in each is found."""

import json
from dataclasses import replace
from typing import Any

import imagecodecs
import numpy as np
from PIL import Image

from tests.packages import FolderTestCase, PackageTestCase, quiet
from tests.test_recipes import recipe
from yuplet.arrangement.tree import Arrangement, arrangement_of
from yuplet.errors import PackageError, PartTooLarge
from yuplet.geometry import Box, Size
from yuplet.handover import HandOverReport, hand_over
from yuplet.illustration.layers import Illustration, Layer
from yuplet.parts.part import Frame, Part, Piece, still
from yuplet.pixels.spill_file import SpillFile
from yuplet.rehearsal.proof import Proof, prove
from yuplet.rehearsal.reading import Reading
from yuplet.rehearsal.trying import Trial, try_out
from yuplet.writing.pictures import Sources

CELL = Size(48, 32)


class MovingTests(FolderTestCase):
    """A lamp of eight frames of 48 x 32 px, six of them different, the fourth and fifth equal neighbours."""

    PLAY = (0, 1, 2, 3, 3, 4, 1, 5)

    def setUp(self) -> None:
        super().setUp()
        self.scratch = SpillFile()
        self.addCleanup(self.scratch.__exit__)
        chance = np.random.default_rng(4)
        self.pictures = []
        for _ in range(6):
            picture = chance.integers(0, 256, (CELL.height, CELL.width, 4), dtype=np.uint8)
            picture[4:9, 4:9, 3] = 0
            # The corners are seen in every frame, so that each is as large as its cell.
            picture[[0, -1, 0, -1], [0, -1, -1, 0], 3] = 255
            picture[picture[..., 3] == 0] = 0
            self.pictures.append(picture)
        layers = []
        for number, which in enumerate(self.PLAY):
            picture = self.pictures[which].copy()
            # The second time, colour that nobody sees is another one.
            picture[4:9, 4:9, 0] = number
            self.scratch.put(f"l{number}", picture)
            layers.append(Layer(f"l{number}", f"moment {number}", Box.at(7, 5, CELL)))
        frames = tuple(Frame((Piece(f"l{number}"),), 40 + 10 * number) for number in range(8))
        self.art = Illustration("lamp", Size(64, 48), tuple(layers))
        self.arrangement = Arrangement((Part("lamp", "lamp", frames, loops=3),))
        self.target = self.folder / "out"

    def by(self, **said: Any) -> HandOverReport:
        digests = {f"l{number}": self.scratch.digest(f"l{number}") for number in range(8)}
        return hand_over(
            self.art,
            self.arrangement,
            Sources(self.scratch),
            self.target,
            "",
            quiet,
            remove_obsolete=True,
            recipe=recipe(**said),
            digests=digests,
        )

    def manifest(self) -> dict[str, Any]:
        return dict(json.loads((self.target / "manifest.json").read_text()))

    def prove(self) -> Proof:
        return prove(self.target, quiet)

    def played(self) -> list[np.ndarray]:
        """Every frame in order, cut out by the table beside the sheet alone."""
        table = json.loads((self.target / "parts/lamp.json").read_text())
        sheet = np.array(Image.open(self.target / table["image"]).convert("RGBA"))
        cells = [
            sheet[one["y"] : one["y"] + one["height"], one["x"] : one["x"] + one["width"]] for one in table["pictures"]
        ]
        (play,) = table["play"]
        self.assertEqual([frame["milliseconds"] for frame in play["frames"]], [40 + 10 * n for n in range(8)])
        return [cells[frame["picture"]] for frame in play["frames"]]

    def test_six_cells_in_a_row(self) -> None:
        # The worked example: six cells of 48 x 32 in a row are 288 x 32.
        report = self.by(images={"moving": "grid"}, sheets={"columns": 6})
        self.assertTrue(report.proof.ok, report.proof)
        with Image.open(self.target / "parts/lamp.png") as sheet:
            self.assertEqual(sheet.size, (288, 32))
        for frame, which in zip(self.played(), self.PLAY, strict=True):
            np.testing.assert_array_equal(frame, self.pictures[which])
        self.assertEqual(self.manifest()["sheets"][0]["pictures"], 6)
        files = [path for path in self.target.rglob("*") if path.is_file()]
        self.assertEqual(report.bytes, sum(path.stat().st_size for path in files))

    def test_numbered_files_are_written_once_for_equal_frames(self) -> None:
        """Without asking for it; the manifest says when each is seen. Who wants a file a frame has it."""
        report = self.by()
        self.assertTrue(report.proof.ok, report.proof)
        self.assertEqual(
            sorted(path.name for path in (self.target / "parts/lamp").iterdir()), [f"{n}.png" for n in range(1, 7)]
        )
        (part,) = self.manifest()["parts"]
        play = part["frames"]["images"]
        self.assertEqual([frame["file"] for frame in play], [f"parts/lamp/{which + 1}.png" for which in self.PLAY])
        self.assertEqual([frame["milliseconds"] for frame in play], [40 + 10 * number for number in range(8)])
        for frame, which in zip(play, self.PLAY, strict=True):
            with Image.open(self.target / frame["file"]) as image:
                np.testing.assert_array_equal(np.array(image.convert("RGBA")), self.pictures[which])
        with self.subTest("a receiver plays all eight"):
            scratch, out = self.folder / "scratch", self.folder / "drawn"
            scratch.mkdir()
            out.mkdir()
            trial = try_out(self.target, Reading(), scratch, out)
            self.assertTrue(trial.ok, trial.inventory)
        with self.subTest("nothing is written again"):
            self.assertTrue(self.by().proof.ok)
        for said, count in (({"moving": "all-files"}, 8), ({"under": "keep"}, 8)):
            with self.subTest(said=said):
                report = self.by(images=said)
                self.assertTrue(report.proof.ok, report.proof)
                self.assertEqual(len(list((self.target / "parts/lamp").iterdir())), count)

    def test_a_receiver_cuts_it_by_columns_and_rows_and_a_count_that_cannot_be_is_refused(self) -> None:
        self.by(images={"moving": "grid"}, sheets={"columns": 6})

        def cut(columns: int, rows: int) -> Trial:
            scratch, out = self.folder / "scratch", self.folder / "drawn"
            scratch.mkdir(exist_ok=True)
            out.mkdir(exist_ok=True)
            return try_out(self.target, Reading(way="sheet", grid=(columns, rows)), scratch, out)

        trial = cut(6, 1)
        self.assertEqual((len(trial.parts), trial.width, trial.height, trial.comparison), (6, 48, 32, None))
        self.assertTrue(trial.ok, trial.inventory)
        first = np.array(Image.open(self.folder / "drawn" / "together.png"))
        np.testing.assert_array_equal(first, self.pictures[0])
        for columns, rows, words in (
            (7, 1, "288 px wide, which 7 columns do not divide"),
            (
                12,
                1,
                "the cut at 24 px runs through the picture at 0, 0 px of 'parts/lamp.png', although the number divides",
            ),
            (4, 1, "With 4 columns the cut at 72 px runs through the picture at 48, 0"),
            (3, 1, "cell 1 of 'parts/lamp.png' holds more than one picture"),
            (6, 2, "With 2 rows the cut at 16 px"),
        ):
            with self.subTest(columns=columns, rows=rows), self.assertRaisesRegex(PackageError, words):
                cut(columns, rows)

    def test_spacing_and_a_repeated_edge_leave_the_frames_as_they_are(self) -> None:
        report = self.by(images={"moving": "grid"}, sheets={"spacing": 3, "repeat_edge": 2})
        self.assertTrue(report.proof.ok, report.proof)
        for frame, which in zip(self.played(), self.PLAY, strict=True):
            np.testing.assert_array_equal(frame, self.pictures[which])
        sheet = np.array(Image.open(self.target / "parts/lamp.png").convert("RGBA"))
        np.testing.assert_array_equal(sheet[0, 2:50], self.pictures[0][0])
        np.testing.assert_array_equal(sheet[1, 2:50], self.pictures[0][0])
        # As nearly square as cells of that size can be.
        self.assertEqual(sheet.shape[:2], (3 * 36 + 2 * 3, 2 * 52 + 3))

    def test_packed_with_turns_on_several_pages(self) -> None:
        report = self.by(images={"stored": "sheets"}, sheets={"longest": 64, "turn": True, "power_of_two": True})
        self.assertTrue(report.proof.ok, report.proof)
        sheets = self.manifest()["sheets"]
        self.assertEqual(sum(sheet["pictures"] for sheet in sheets), 6)
        self.assertEqual({sheet["kind"] for sheet in sheets}, {"packed"})
        self.assertTrue(all(sheet["width"] <= 64 and sheet["height"] <= 64 for sheet in sheets))
        with self.assertRaisesRegex(PartTooLarge, "48 × 32 px"):
            self.by(images={"stored": "sheets"}, sheets={"longest": 32})

    def test_animated_images_keep_every_frame(self) -> None:
        for kind, file, exact in (("apng", "lamp.png", True), ("webp", "lamp.webp", True), ("gif", "lamp.gif", False)):
            with self.subTest(kind):
                report = self.by(images={"moving": kind}, tolerance={"largest": 255, "mean": 60})
                self.assertTrue(report.proof.ok, report.proof)
                self.assertEqual(report.proof.differing_pixels == 0, exact)
                with Image.open(self.target / "parts" / file) as image:
                    # Equal neighbours are one moment, seen for as long as both.
                    self.assertEqual(getattr(image, "n_frames", 1), 7)
                    durations = []
                    for number in range(7):
                        image.seek(number)
                        image.load()
                        durations.append(image.info["duration"])
                self.assertEqual(durations, [40, 50, 60, 70 + 80, 90, 100, 110])
                self.assertEqual(bool(report.warnings), kind == "gif")

    def test_the_whole_picture_frame_by_frame_has_the_ground_in_each(self) -> None:
        ground = np.full((48, 64, 4), (20, 60, 90, 255), np.uint8)
        self.scratch.put("ground", ground)
        below = Layer("ground", "ground", Box(0, 0, 64, 48))
        self.art = replace(self.art, layers=(below, *self.art.layers))
        self.arrangement = Arrangement((Part("ground", "ground", still("ground")), *self.arrangement.rows))
        report = self.by(beside={"flip_book": "files"})
        self.assertTrue(report.proof.ok, report.proof)
        self.assertEqual([one.way for one in report.proof.comparisons], ["places", "flip-book"])
        wanted = []
        for which in self.PLAY:
            frame = Image.fromarray(ground)
            frame.alpha_composite(Image.fromarray(self.pictures[which]), (7, 5))
            wanted.append(np.array(frame).astype(int))
        told = [one for one in self.manifest()["beside"] if one["kind"] == "flip-book"]
        self.assertEqual([one["milliseconds"] for one in told], [[40 + 10 * number] for number in range(8)])
        files = sorted((self.target / "flip-book").iterdir())
        self.assertEqual([file.name for file in files], [f"{number}.png" for number in range(1, 9)])
        for file, frame in zip(files, wanted, strict=True):
            with Image.open(file) as image:
                self.assertLessEqual(np.abs(np.array(image.convert("RGBA")).astype(int) - frame).max(), 1)
        Image.fromarray(np.roll(ground, 1, axis=0)[:, ::-1] // 2, "RGBA").save(files[0])
        self.assertEqual([one.way for one in self.prove().comparisons if not one.ok], ["flip-book"])
        report = self.by(beside={"flip_book": "apng"})
        self.assertTrue(report.proof.ok, report.proof)
        seen = imagecodecs.apng_decode((self.target / "flip-book.png").read_bytes())
        self.assertEqual(len(seen), 8)
        for picture, frame in zip(seen, wanted, strict=True):
            self.assertLessEqual(np.abs(picture.astype(int)[..., :3] - frame[..., :3]).max(), 1)

    def test_another_reader_of_animated_png_sees_the_same(self) -> None:
        self.by(images={"moving": "apng"})
        seen = imagecodecs.apng_decode((self.target / "parts/lamp.png").read_bytes())
        wanted = [self.pictures[which] for which in (0, 1, 2, 3, 4, 1, 5)]
        np.testing.assert_array_equal(seen, np.array(wanted))

    def test_only_what_changed_is_written_again(self) -> None:
        for said in ({"moving": "grid"}, {"stored": "sheets"}, {"moving": "apng"}):
            with self.subTest(said=said):
                self.by(images=said)
                again = self.by(images=said)
                self.assertEqual(set(again.kept), set(again.files))
                picture = self.scratch.whole("l5")
                picture[20, 20] = (1, 2, 3, 255)
                self.scratch.put("l5", picture)
                changed = self.by(images=said)
                self.assertTrue(changed.proof.ok, changed.proof)
                fresh = set(changed.files) - set(changed.kept)
                self.assertEqual(len([file for file in fresh if file.endswith(".png")]), 1)
                picture[20, 20] = 0
                self.scratch.put("l5", picture)

    def test_planted_faults(self) -> None:
        self.by(images={"moving": "grid"})
        path = self.target / "parts/lamp.png"
        good = path.read_bytes()
        sheet = np.array(Image.open(path).convert("RGBA"))
        Image.fromarray(np.roll(sheet, 1, axis=1), "RGBA").save(path)
        self.assertIn("has other pixels than the manifest says", " ".join(self.prove().faults))
        path.write_bytes(good)
        table = self.target / "parts/lamp.json"
        text = table.read_text()
        table.write_text(text.replace('"x": 48', '"x": 47', 1))
        self.assertIn("does not tell the places", " ".join(self.prove().faults))
        table.write_text(text)
        value = self.manifest()
        value["parts"][0]["frames"]["images"][1]["within"]["x"] = 4000
        (self.target / "manifest.json").write_text(json.dumps(value))
        self.assertIn("ends outside of it", " ".join(self.prove().faults))


class PackedTests(PackageTestCase):
    def test_all_parts_on_one_sheet_come_back(self) -> None:
        start = arrangement_of(self.illustration)[0]
        said = recipe(images={"stored": "sheets", "margin": 1}, scales=[{"factor": 1}, {"factor": 0.5}])
        report = self.hand_over(start, recipe=said, remove_obsolete=True)
        self.assertTrue(report.proof.ok, report.proof)
        self.assertEqual(
            [file for file in report.files if file.endswith("1.png")], ["sheets/1.png", "sheets-0.5x/1.png"]
        )
        self.assertFalse((self.package / "parts").exists())

    def test_what_is_written_otherwise_has_a_sheet_of_its_own(self) -> None:
        start = arrangement_of(self.illustration)[0]
        some = [{"of": ["signal"], "images": {"format": "webp"}}, {"of": ["mist"], "images": {"stored": "files"}}]
        report = self.hand_over(
            start, recipe=recipe(images={"stored": "sheets"}, images_for=some), remove_obsolete=True
        )
        self.assertTrue(report.proof.ok, report.proof)
        images = [sheet["file"] for sheet in self.manifest()["sheets"]]
        self.assertEqual(images, ["sheets/1.png", "sheets/webp-1.webp"])
        self.assertTrue((self.package / "parts/mist.png").is_file())

    def test_kinds_of_one_format_do_not_share_a_name(self) -> None:
        start = arrangement_of(self.illustration)[0]
        some = [{"of": ["signal"], "images": {"effort": "quick"}}, {"of": ["mist"], "images": {"effort": "small"}}]
        report = self.hand_over(
            start, recipe=recipe(images={"stored": "sheets"}, images_for=some), remove_obsolete=True
        )
        self.assertTrue(report.proof.ok, report.proof)
        images = [sheet["file"] for sheet in self.manifest()["sheets"]]
        self.assertEqual(len(images), 3)
        self.assertEqual(len(set(images)), 3, images)
