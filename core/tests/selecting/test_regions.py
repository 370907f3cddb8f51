"""Regions and masks against their definitions by slow plain loops, and against other libraries."""

import unittest

import cv2
import numpy as np
import scipy.ndimage
from PIL import Image, ImageDraw

from yuplet.errors import NothingThere, SelectionError
from yuplet.pixels import Picture
from yuplet.selecting.masks import combine, distance_to, grown, smoothed, softened
from yuplet.selecting.regions import (
    inside_lines,
    islands,
    nearest_label,
    of_colour,
    of_shape,
    rearranged,
    with_slivers,
    without_crumbs,
)

RNG = np.random.default_rng(11)


def specks(share: float = 0.4, size: tuple[int, int] = (31, 43)) -> Picture:
    picture = np.zeros((*size, 4), np.uint8)
    picture[..., 3] = np.where(RNG.random(size) < share, 255, 0)
    return picture


def drawn(size: tuple[int, int], *lines: tuple[tuple[int, int], ...], width: int = 3) -> Picture:
    """Dark lines on a light ground."""
    image = Image.new("RGBA", size, (240, 230, 210, 255))
    for line in lines:
        ImageDraw.Draw(image).line(line, (20, 20, 30, 255), width)
    return np.array(image)


class MaskTests(unittest.TestCase):
    def test_pieces_that_are_joined_or_left_out(self) -> None:
        labels = np.array([[0, 1, 2, 3, 4, 5, 6]], np.int32)
        for joined, left_out, wanted in (
            ([], [], [0, 1, 2, 3, 4, 5, 6]),
            ([[5, 2]], [], [0, 1, 2, 3, 4, 2, 5]),
            ([[5, 2], [2, 6]], [3], [0, 1, 2, 0, 3, 2, 2]),
            ([], [1, 6], [0, 0, 1, 2, 3, 4, 0]),
        ):
            self.assertEqual(rearranged(labels, joined, left_out).tolist(), [wanted])
        with self.assertRaisesRegex(SelectionError, "There are 6 pieces by now"):
            rearranged(labels, [[1, 7]], [])

    def test_distance_growing_and_drawing_in_are_what_their_definitions_say(self) -> None:
        chosen = specks(0.06)[..., 3] > 0
        height, width = chosen.shape
        there = np.argwhere(chosen)
        slow = np.array([[np.sqrt(((there - (y, x)) ** 2).sum(1).min()) for x in range(width)] for y in range(height)])
        np.testing.assert_allclose(distance_to(chosen), slow, atol=1e-4)
        for by in (1, 1.5, 3, 7.3):
            np.testing.assert_array_equal(grown(chosen, by), slow <= by)
        solid = grown(chosen, 4)
        outside = np.argwhere(~solid)
        away = np.array(
            [[np.sqrt(((outside - (y, x)) ** 2).sum(1).min()) for x in range(width)] for y in range(height)]
        )
        for by in (1, 2.5):
            np.testing.assert_array_equal(grown(solid, -by), away > by)

    def test_a_soft_edge_has_its_middle_where_the_hard_one_is(self) -> None:
        chosen = np.zeros((3, 40), bool)
        chosen[:, :20] = True
        row = softened(chosen, 8)[1].astype(int)
        self.assertEqual([row[0], row[-1]], [255, 0])
        self.assertTrue((np.diff(row) <= 0).all())
        self.assertEqual(int(row[19] + row[20]), 255)
        self.assertEqual(int(((row > 0) & (row < 255)).sum()), 8)
        np.testing.assert_array_equal(softened(chosen, 0), np.where(chosen, 255, 0))

    def test_smoothing_takes_away_what_is_finer(self) -> None:
        chosen = np.zeros((60, 60), bool)
        chosen[20:50, 20:50] = True
        chosen[5:20, 34] = True  # a hair
        smooth = smoothed(chosen, 3)
        self.assertFalse(smooth[5:15].any())
        self.assertTrue(smooth[25:45, 25:45].all())

    def test_combining(self) -> None:
        one, other = RNG.integers(0, 256, (2, 5, 6), dtype=np.uint8)
        np.testing.assert_array_equal(combine(one, other, "add"), np.maximum(one, other))
        np.testing.assert_array_equal(combine(one, other, "intersect"), np.minimum(one, other))
        np.testing.assert_array_equal(combine(one, other, "instead"), other)
        self.assertTrue((combine(one, np.full_like(one, 255), "subtract") == 0).all())


class RegionTests(unittest.TestCase):
    def test_islands_are_those_of_another_library(self) -> None:
        """Source: scipy.ndimage.label with a full structure is 8-connected."""
        for share in (0.1, 0.3, 0.5):
            picture = specks(share)
            theirs, count = scipy.ndimage.label(picture[..., 3] > 0, np.ones((3, 3)))
            ours = islands(picture).labels
            self.assertEqual(ours.max(), count)
            pairs = set(zip(ours.ravel().tolist(), theirs.ravel().tolist(), strict=True))
            self.assertEqual(len(pairs), count + 1, "the same pixels belong together")

    def test_islands_that_are_near_each_other_and_tiny_ones(self) -> None:
        picture = np.zeros((10, 40, 4), np.uint8)
        for left, width in ((0, 6), (9, 6), (25, 6), (37, 1)):
            picture[2:8, left : left + width, 3] = 255
        self.assertEqual(islands(picture).labels.max(), 4)
        near = islands(picture, gap=4, smallest=10)
        self.assertEqual((near.labels.max(), near.crumbs), (3, (3,)))
        self.assertEqual(near.sizes, (10 * 40 - 19 * 6, 72, 36, 6))
        self.assertEqual(near.labels[4, 7], 0, "what lies between them is no art")

    def test_crumbs_go_to_the_nearest(self) -> None:
        picture = np.zeros((6, 40, 4), np.uint8)
        for left, width in ((0, 6), (8, 1), (25, 6), (37, 1)):
            picture[2, left : left + width, 3] = 255
        labels = without_crumbs(islands(picture, smallest=3))
        self.assertEqual([labels[2, x] for x in (0, 8, 25, 37, 15)], [1, 1, 2, 2, 0])
        self.assertEqual(without_crumbs(islands(picture, smallest=30)).max(), 4)

    def test_one_colour(self) -> None:
        picture = np.full((20, 30, 4), 255, np.uint8)
        picture[5:10, 5:10, :3] = (200, 40, 40)
        picture[5:10, 20:25, :3] = (204, 44, 38)
        picture[0, 0, 3] = 0
        self.assertEqual(int(of_colour(picture, (6, 6), 5, True).sum()), 25)
        self.assertEqual(int(of_colour(picture, (6, 6), 5, False).sum()), 50)
        self.assertEqual(int(of_colour(picture, (6, 6), 0, False).sum()), 25)
        self.assertEqual(int(of_colour(picture, (15, 15), 100, False).sum()), 599, "what is not there is never chosen")
        for at in ((0, 0), (-1, 4), (30, 4)):
            with self.assertRaisesRegex(NothingThere, "empty here"):
                of_colour(picture, at, 5, True)

    def test_inside_lines_with_a_gap(self) -> None:
        box = ((20, 20), (80, 20), (80, 70), (20, 70), (20, 26))
        picture = drawn((100, 90), box)
        inside = np.zeros((90, 100), bool)
        inside[22:69, 22:79] = True
        open_ = inside_lines(picture, (50, 45), 0, 40, "apart")
        self.assertGreater(int(open_.sum()), 5000, "it runs out of the gap")
        closed = inside_lines(picture, (50, 45), 8, 40, "apart")
        self.assertLess(int((closed ^ inside).sum()), 40)
        whole = inside_lines(picture, (50, 45), 8, 40, "part")
        shared = inside_lines(picture, (50, 45), 8, 40, "shared")
        line = picture[..., 0] < 100
        self.assertTrue((closed <= shared).all() and (shared <= whole).all())
        self.assertGreater((whole & line).sum() / line.sum(), 0.97)
        self.assertTrue(0.3 < (shared & line).sum() / line.sum() < 0.7)
        with self.assertRaisesRegex(NothingThere, "A line runs here"):
            inside_lines(picture, (50, 20), 8, 40, "part")

    def test_every_pixel_inside_of_lines_belongs_to_one_region(self) -> None:
        picture = drawn((90, 60), ((0, 30), (89, 30)), ((45, 0), (45, 24)))
        regions = [inside_lines(picture, at, 12, 40, "shared") for at in ((20, 10), (70, 10), (45, 50))]
        counts = np.sum(regions, axis=0)
        self.assertEqual((int(counts.min()), int(counts.max())), (1, 1))

    def test_slivers_along_what_is_chosen_come_along_and_others_do_not(self) -> None:
        there = np.zeros((1000, 1000), bool)
        there[100:300, 100:300] = True
        mask = there.copy()
        mask[100:300, 297:300] = False  # left over at the right side
        mask[100:104, 100:200] = False  # and at the top
        there[150:152, 320:390] = True  # a whisker apart
        there[320:390, 100:300] = True  # something thick
        there[312:320, 100:102] = True  # with a thin end of its own
        found = with_slivers(mask, there)
        self.assertTrue(found[100:300, 100:300].all())
        self.assertFalse(found[150, 320:].any() or found[310:].any())
        np.testing.assert_array_equal(with_slivers(found, there), found)
        kept = with_slivers(mask, there, [(298, 200)])
        self.assertFalse(kept[110:290, 297:300].any(), "what a click takes away stays out")
        self.assertTrue(kept[100:104, 100:200].all())

    def test_the_nearest_label(self) -> None:
        labels = np.zeros((1, 9), np.int32)
        labels[0, 1], labels[0, 7] = 5, 2
        self.assertEqual(nearest_label(labels)[0].tolist(), [5, 5, 5, 5, nearest_label(labels)[0, 4], 2, 2, 2, 2])
        self.assertEqual(nearest_label(np.zeros((2, 2), np.int32)).tolist(), [[0, 0], [0, 0]])

    def test_shapes_are_filled_as_another_library_fills_them(self) -> None:
        """OpenCV's polygons; a star shows both rules of SVG 2, section 13.3.2."""
        points = [(50 + 45 * np.sin(turn), 52 - 45 * np.cos(turn)) for turn in np.arange(5) * 4 * np.pi / 5]
        theirs = np.zeros((100, 100), np.uint8)
        fixed = np.round((np.array(points) - 0.5) * 16).astype(np.int32)
        cv2.fillPoly(theirs, [fixed], 255, shift=4)  # even-odd
        ours = of_shape(points, 100, 100, "evenodd")
        self.assertLess(int(((ours >= 128) != (theirs >= 128)).sum()), 400, "the border only")
        self.assertEqual((ours[52, 50], of_shape(points, 100, 100)[52, 50]), (0, 255))
        square = of_shape([(2, 3), (8, 3), (8, 7.5), (2, 7.5)], 12, 12)
        self.assertEqual(square[3:7, 2:8].min(), 255)
        self.assertTrue((np.abs(square[7, 2:8].astype(int) - 128) <= 1).all())
        self.assertEqual(int(square.astype(bool).sum()), 6 * 5)
        with self.assertRaisesRegex(SelectionError, "fewer than three points"):
            of_shape([(0, 0), (4, 4)], 9, 9)
