"""Sheets: cut as plain slices of the array cut them, and a cut that cannot be meant is noticed (N05, N60)."""

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from tests.packages import FolderTestCase
from yuplet.arrangement.tree import arrangement_of
from yuplet.errors import ChoiceError
from yuplet.geometry import Size
from yuplet.pixels import Picture
from yuplet.pixels.spill_file import SpillFile
from yuplet.reading.choices import Choices, SheetCut
from yuplet.reading.files import read_illustration
from yuplet.reading.sheet import check_sheet, cut_sheet, propose_sheet, seems_sheet


def sheet(columns: int, rows: int, cell: Size, margin: int = 0, spacing: int = 0) -> Picture:
    """A figure that fills most of each cell, in a colour of its own."""
    cut = SheetCut(columns, rows, cell, margin, spacing)
    picture = np.zeros((cut.needs.height, cut.needs.width, 4), np.uint8)
    for number, box in enumerate(cut.cells(), 1):
        picture[box.top + 1 : box.bottom - 1, box.left + 1 : box.right - 1] = (number * 9 % 256, 60, 255 - number, 255)
    return picture


class SheetTests(FolderTestCase):
    @settings(max_examples=60, deadline=None)
    @given(
        st.integers(1, 7), st.integers(1, 5), st.integers(1, 9), st.integers(1, 9), st.integers(0, 4), st.integers(0, 3)
    )
    def test_cells_are_plain_slices(self, columns: int, rows: int, w: int, h: int, margin: int, spacing: int) -> None:
        cut = SheetCut(columns, rows, Size(w, h), margin, spacing)
        picture = np.random.default_rng(1).integers(0, 256, (cut.needs.height, cut.needs.width, 4), dtype=np.uint8)
        cells = cut_sheet(picture, cut, "it")
        for row in range(rows):
            for column in range(columns):
                y, x = margin + row * (h + spacing), margin + column * (w + spacing)
                np.testing.assert_array_equal(cells[row * columns + column], picture[y : y + h, x : x + w])

    def test_six_cells_of_48_by_32_cut_as_eight_are_noticed_although_eight_divides_the_width(self) -> None:
        """The example of N60."""
        picture = sheet(6, 1, Size(48, 32))
        self.assertEqual(picture.shape[1], 288)
        self.assertEqual(check_sheet(picture, SheetCut(6, 1, Size(48, 32))), [])
        found = check_sheet(picture, SheetCut(8, 1, Size(36, 32)))
        self.assertEqual({finding.kind for finding in found}, {"cut through"})
        self.assertIn("Frame 2 is cut through at its left and right.", [finding.sentence for finding in found])
        self.assertEqual(propose_sheet(picture), SheetCut(6, 1, Size(48, 32)))

    def test_empty_cells_and_art_outside_of_all_cells(self) -> None:
        picture = sheet(3, 2, Size(10, 8))
        picture[8:, 20:] = 0
        self.assertEqual([f.sentence for f in check_sheet(picture, SheetCut(3, 2, Size(10, 8)))], ["Frame 6 is empty."])
        found = check_sheet(picture, SheetCut(2, 2, Size(10, 8)))
        self.assertEqual([(finding.kind, finding.cell) for finding in found], [("outside", None)])
        self.assertIn("48 pixels", found[0].sentence)

    def test_margin_and_spacing(self) -> None:
        picture = sheet(4, 3, Size(12, 10), 5, 2)
        self.assertEqual(check_sheet(picture, SheetCut(4, 3, Size(12, 10), 5, 2)), [])
        self.assertTrue(check_sheet(picture, SheetCut(4, 3, Size(12, 10), 5, 0)))

    def test_an_opaque_sheet_is_judged_by_the_colour_of_its_ground(self) -> None:
        picture = sheet(4, 1, Size(12, 10))
        opaque = np.where(picture[..., 3:] == 0, np.uint8([9, 99, 9, 255]), picture)
        self.assertEqual(check_sheet(opaque, SheetCut(4, 1, Size(12, 10))), [])
        self.assertEqual(propose_sheet(opaque).columns, 4)

    def test_a_sheet_is_known_by_its_regular_gaps_and_other_pictures_are_none(self) -> None:
        self.assertEqual(seems_sheet(sheet(4, 3, Size(48, 32))), SheetCut(4, 3, Size(48, 32)))
        self.assertIsNone(seems_sheet(sheet(2, 1, Size(48, 32))), "two things beside each other")
        uneven = np.zeros((60, 180, 4), np.uint8)
        for left, size in ((10, 40), (80, 12), (150, 22)):
            uneven[10 : 10 + size, left : left + size] = 255
        self.assertIsNone(seems_sheet(uneven), "three things of three sizes")
        with SpillFile() as scratch:
            path = self.folder / "walk.png"
            Image.fromarray(sheet(4, 3, Size(48, 32)), "RGBA").save(path)
            _, report = read_illustration(path, scratch)
        self.assertIn("12 cells of 48 × 32 px found. Cut into frames?", [note.sentence for note in report.notes])

    def test_what_cannot_be_cut(self) -> None:
        with self.assertRaisesRegex(ChoiceError, "need a sheet of 60 x 8 px, but it is 40 x 8 px"):
            cut_sheet(np.zeros((8, 40, 4), np.uint8), SheetCut(6, 1, Size(10, 8)), "it")
        solid = np.full((8, 40, 4), 255, np.uint8)
        solid[0, 0, 3] = 254
        self.assertEqual(propose_sheet(solid), SheetCut(1, 1, Size(40, 8)))
        for value, words in (
            ({"sheet": {"columns": 2}}, "Give all of them"),
            ({"sheet": {"columns": 0, "rows": 1, "cell": [4, 4]}}, "number of columns is 0"),
            ({"sheet": {"columns": 90, "rows": 90, "cell": [4, 4]}}, "too many"),
            ({"sheet": {"columns": 1, "rows": 1, "cell": [4, 4], "margin": -1}}, "margin is -1"),
            ({"stack": "heap"}, "as 'parts' or 'frames'"),
            ({"names": 3}, "is not a name"),
            ({"depth": 3}, "no choice called 'depth'"),
        ):
            with self.subTest(value), self.assertRaisesRegex(ChoiceError, words):
                Choices.from_json(value)


class ReadingTests(FolderTestCase):
    def test_a_sheet_becomes_one_part_of_frames(self) -> None:
        picture = sheet(3, 2, Size(10, 8), 1, 2)
        Image.fromarray(picture, "RGBA").save(self.folder / "lamp.png")
        choices = Choices.from_json({"sheet": {"columns": 3, "rows": 2, "cell": [10, 8], "margin": 1, "spacing": 2}})
        self.assertEqual(Choices.from_json(choices.as_json()), choices)
        with SpillFile() as scratch:
            found, report = read_illustration(self.folder / "lamp.png", scratch, choices=choices)
            self.assertEqual((found.canvas, report.counts["frames"]), (Size(10, 8), 6))
            for layer, box in zip(found.leaves(), SheetCut(3, 2, Size(10, 8), 1, 2).cells(), strict=True):
                assert layer.box is not None
                inner = picture[box.top : box.bottom, box.left : box.right]
                np.testing.assert_array_equal(
                    scratch.whole(layer.id), inner[layer.box.top : layer.box.bottom, layer.box.left : layer.box.right]
                )
        (part,) = (part for _, part in arrangement_of(found)[0].parts())
        self.assertEqual((part.name, len(part.frames)), ("lamp", 6))
