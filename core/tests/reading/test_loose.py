"""Loose images in a ZIP: a part for each, in the order of their numbers, placed by a reference (N06, N79)."""

import io
import tempfile
import unittest
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

from tests import hostile
from tests.packages import FolderTestCase
from yuplet.arrangement.tree import arrangement_of
from yuplet.errors import BrokenFile, ChoiceError, NotAPicture, ReadError, UnsafeFile
from yuplet.geometry import Box, Size
from yuplet.illustration.layers import Illustration, LayerGroup, ReadingReport
from yuplet.pixels import Picture
from yuplet.pixels.spill_file import SpillFile
from yuplet.reading.choices import Choices
from yuplet.reading.files import read_illustration


def png(picture: Picture | Image.Image) -> bytes:
    out = io.BytesIO()
    (picture if isinstance(picture, Image.Image) else Image.fromarray(picture, "RGBA")).save(out, "PNG")
    return out.getvalue()


def blob(seed: int, size: Size) -> Picture:
    """A round patch of noise with soft alpha around it: no two are alike."""
    rng = np.random.default_rng(seed)
    coarse = rng.integers(30, 226, (6, 6, 3), dtype=np.uint8)
    picture = np.dstack(
        [np.array(Image.fromarray(coarse).resize(size, Image.Resampling.BICUBIC)), np.zeros(size[::-1], np.uint8)]
    )
    y, x = np.mgrid[: size.height, : size.width]
    far = np.hypot((x + 0.5) / size.width - 0.5, (y + 0.5) / size.height - 0.5)
    picture[..., 3] = np.clip((0.5 - far) * 6, 0, 1) * 255
    return np.ascontiguousarray(picture)


class LooseTestCase(FolderTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.scratch = SpillFile()
        self.addCleanup(self.scratch.__exit__)

    def read(self, files: dict[str, bytes], **choices: Any) -> tuple[Illustration, ReadingReport]:
        path = self.folder / "set.zip"
        with zipfile.ZipFile(path, "w") as archive:
            for name, data in files.items():
                archive.writestr(name, data)
        return read_illustration(path, self.scratch, choices=Choices(**choices))

    def paths(self, found: Illustration) -> list[str]:
        return ["/".join(path) for path, node in found.walk()]


class LooseTests(LooseTestCase):
    def test_a_part_for_each_in_the_order_of_their_numbers_and_folders_as_groups(self) -> None:
        small, large = png(blob(1, Size(8, 8))), png(blob(2, Size(20, 10)))
        files = {
            "10 hat.png": small, "9 head.png": large, "body/left 2.png": small, "body/left 1.png": large, "cape.png": small,
            "__MACOSX/9 head.png": b"junk", ".DS_Store": b"junk", "notes.txt": b"the hat is wet",
        }  # fmt: skip
        found, report = self.read(files)
        self.assertEqual(self.paths(found), ["9 head", "10 hat", "body", "body/left 1", "body/left 2", "cape"])
        self.assertEqual(found.canvas, Size(20, 10))
        said = " ".join(note.sentence for note in report.notes)
        self.assertIn("'notes.txt' is no picture", said)
        self.assertNotIn("MACOSX", said)
        self.assertIn("each is in the middle", said)
        hat = next(node for _, node in found.walk() if node.name == "10 hat")
        assert hat.box is not None
        self.assertEqual((hat.box.centre.x, hat.box.centre.y), (10, 5))

    def test_images_of_one_size_lie_where_they_were_drawn(self) -> None:
        whole = []
        for n in range(3):
            picture = np.zeros((30, 40, 4), np.uint8)
            picture[5 * n : 5 * n + 4, 8 * n : 8 * n + 7] = 255
            whole.append(png(picture))
        found, report = self.read(dict(zip(("leg.png", "arm.png", "eye.png"), whole, strict=True)))
        boxes = {node.name: node.box for node in found.leaves()}
        self.assertEqual(boxes, {"leg": Box(0, 0, 7, 4), "arm": Box(8, 5, 15, 9), "eye": Box(16, 10, 23, 14)})
        self.assertEqual(report.notes, [])

    def test_a_single_folder_around_everything_is_no_group(self) -> None:
        found, _ = self.read({"badger/a.png": png(blob(1, Size(8, 8))), "badger/b.png": png(blob(2, Size(9, 8)))})
        self.assertEqual(self.paths(found), ["a", "b"])

    def test_a_numbered_series_is_frames_unless_the_artist_says_parts(self) -> None:
        files = {f"walk_{n:02}.png": png(blob(n, Size(12, 12))) for n in (2, 10, 1, 3)}
        found, report = self.read(files)
        (group,) = found.layers
        assert isinstance(group, LayerGroup)
        self.assertTrue(group.are_frames)
        self.assertEqual((group.name, [member.name for member in group.members][-1]), ("walk", "frame 4"))
        np.testing.assert_array_equal(self.scratch.whole(group.members[3].id).max(), blob(10, Size(12, 12)).max())
        self.assertIn("numbered as a series", report.notes[0].sentence)
        found, _ = self.read(files, stack="parts")
        self.assertEqual(self.paths(found), ["walk_01", "walk_02", "walk_03", "walk_10"])
        files = {f"{name}.png": data for name, data in zip("abcd", files.values(), strict=True)}
        self.assertEqual(len(self.read(files)[0].layers), 4)
        self.assertEqual(len(self.read(files, stack="frames")[0].layers), 1)

    def test_an_animated_image_among_them_is_an_animated_part(self) -> None:
        out = io.BytesIO()
        frames = [Image.new("RGBA", (8, 8), (n * 60, 0, 0, 255)) for n in range(3)]
        frames[0].save(out, "GIF", save_all=True, append_images=frames[1:], duration=50)
        found, _ = self.read({"flame.gif": out.getvalue(), "lamp.png": png(blob(1, Size(8, 8)))})
        parts = {part.name: len(part.frames) for _, part in arrangement_of(found)[0].parts()}
        self.assertEqual(parts, {"flame": 3, "lamp": 1})

    def test_archives_that_cannot_be_read(self) -> None:
        good = png(blob(1, Size(8, 8)))
        with self.assertRaisesRegex(BrokenFile, "holds no picture"):
            self.read({"a.txt": b"x"})
        with self.assertRaisesRegex(UnsafeFile, "leaves it"):
            self.read({"../a.png": good})
        with self.assertRaisesRegex(BrokenFile, "In 'set.zip': 'b.png' is damaged"):
            self.read({"a.png": good, "b.png": good[: len(good) // 2]})
        path = self.folder / "twice.zip"
        with zipfile.ZipFile(path, "w") as archive, self.assertWarns(UserWarning):
            archive.writestr("a.png", good)
            archive.writestr("a.png", good)
        with self.assertRaisesRegex(BrokenFile, "two files called 'a.png'"):
            read_illustration(path, self.scratch)
        (self.folder / "cut.zip").write_bytes(path.read_bytes()[:40])
        with self.assertRaisesRegex(BrokenFile, "damaged archive"):
            read_illustration(self.folder / "cut.zip", self.scratch)
        (self.folder / "a.zip").write_bytes(b"no archive at all")
        with self.assertRaises(NotAPicture):
            read_illustration(self.folder / "a.zip", self.scratch)

    def test_names_with_control_characters_become_names_that_can_be_used(self) -> None:
        found, _ = self.read({"le\x07g.png": png(blob(1, Size(8, 8))), "arm.png": png(blob(2, Size(8, 8)))})
        arrangement, renamed = arrangement_of(found)
        self.assertEqual([part.name for _, part in arrangement.parts()], ["arm", "leg"])
        self.assertIn("invisible character", renamed[0].reason)


class PlacingTests(LooseTestCase):
    """Pieces are cut from a picture, so their true places are known."""

    def pieces(self) -> tuple[dict[str, bytes], dict[str, Box]]:
        rng = np.random.default_rng(11)
        canvas = Image.new("RGBA", (900, 640), (190, 200, 180, 255))
        files: dict[str, bytes] = {}
        places: dict[str, Box] = {}
        for n in range(12):
            size = Size(*(int(side) for side in rng.integers(40, 190, 2)))
            # In a grid of 4 by 3, so that none covers another.
            x, y = n % 4 * 225 + int(rng.integers(0, 30)), n // 4 * 213 + int(rng.integers(0, 20))
            picture = Image.fromarray(blob(n + 20, size), "RGBA")
            canvas.alpha_composite(picture, (x, y))
            left, top, right, bottom = picture.getbbox(alpha_only=True) or (0, 0, 0, 0)
            files[f"part {n}.png"] = png(picture.crop((left, top, right, bottom)))
            places[f"part {n}"] = Box(x + left, y + top, x + right, y + bottom)
        return {**files, "reference.png": png(canvas)}, places

    def test_uncovered_parts_are_placed_to_the_pixel(self) -> None:
        files, places = self.pieces()
        found, report = self.read(files)
        self.assertEqual(found.canvas, Size(900, 640))
        for layer in found.leaves():
            if layer.name != "reference":
                assert layer.box is not None
                off = max(abs(a - b) for a, b in zip(layer.box, places[layer.name], strict=True))
                self.assertLessEqual(off, 1, layer.name)
        said = [note for note in report.notes if note.kind == "proposed place"]
        self.assertEqual((len(said), {note.path for note in said}), (12, {(name,) for name in places}))
        reference = next(layer for layer in found.leaves() if layer.name == "reference")
        self.assertEqual((reference.visible, reference.included), (False, False))

    def test_a_part_that_is_half_covered_is_placed_and_flagged(self) -> None:
        files, places = self.pieces()
        canvas = np.array(Image.open(io.BytesIO(files["reference.png"])))
        box = places["part 5"]
        canvas[box.top : box.bottom, box.left : box.left + box.width // 2] = (20, 20, 20, 255)
        files["reference.png"] = png(canvas)
        found, report = self.read(files)
        layer = next(layer for layer in found.leaves() if layer.name == "part 5")
        self.assertEqual(layer.box, box)
        (said,) = (note.sentence for note in report.notes if note.path == ("part 5",))
        self.assertIn("Look whether it is right", said)

    def test_the_reference_can_be_named_or_there_is_none(self) -> None:
        files, places = self.pieces()
        files["badger.png"] = files.pop("reference.png")
        found, _ = self.read(files, reference="badger")
        self.assertEqual({n.name: n.box for n in found.leaves() if n.name in places}, places)
        found, _ = self.read(files, reference="")
        self.assertEqual(len(list(found.leaves())), 13)
        with self.assertRaisesRegex(ChoiceError, "no still picture called 'otter'"):
            self.read(files, reference="otter")


class NameTests(unittest.TestCase):
    def test_errors_name_what_the_file_was_called_and_not_what_it_is_kept_under(self) -> None:
        with tempfile.TemporaryDirectory() as folder, SpillFile() as scratch:
            for name in ("zip that lies", "ora of one picture in 2,000 layers", "zip of 40 large pictures"):
                kept = hostile.write(Path(folder), next(one for one in hostile.FILES if one.startswith(name)))
                kept = kept.rename(Path(folder, "c0ffee"))
                with self.subTest(name), self.assertRaises(ReadError) as caught:
                    read_illustration(kept, scratch, file_name="mine.zip")
                self.assertIn("'mine.zip'", str(caught.exception))
                self.assertNotIn("c0ffee", str(caught.exception))
