"""What lies beneath: only where it is covered, with the layer's own colours, and known as added."""

import math
import unittest

import numpy as np

from yuplet.derivation.content import Content, Derived
from yuplet.derivation.extending import grow_under, paint_under, round_off
from yuplet.derivation.rebuilding import rebuilt
from yuplet.errors import CannotTakeOut
from yuplet.geometry import Box, Point, Size
from yuplet.illustration.derived import DerivedLayer, Extension
from yuplet.pixels import Picture
from yuplet.rig.round_ends import limb_at
from yuplet.selecting.marking import of_brush

CANVAS = Size(60, 60)
RED, LINE = (200, 60, 40, 255), (20, 20, 20, 255)


def plate() -> Content:
    """A red plate with a line that goes down, and a smoothed border below."""
    picture = np.zeros((20, 20, 4), np.uint8)
    picture[...] = RED
    picture[:, 17:19] = LINE
    picture[19, :, 3] = 120
    return Content(Box(10, 10, 30, 30), picture)


def covering(left: int, top: int, right: int, bottom: int) -> np.ndarray:
    covered = np.zeros((60, 60), bool)
    covered[top:bottom, left:right] = True
    return covered


def whole(made: Derived | Content) -> Picture:
    picture = np.zeros((60, 60, 4), np.uint8)
    picture[made.box.top : made.box.bottom, made.box.left : made.box.right] = made.picture
    return picture


class ExtendingTests(unittest.TestCase):
    def test_a_layer_grows_under_what_covers_it(self) -> None:
        layer, covered = plate(), covering(4, 24, 40, 60)
        made = grow_under(layer, 6, covered)
        self.assertEqual(made.box, Box(4, 10, 36, 35))
        after = whole(made)
        np.testing.assert_array_equal(after[10:24, 10:30], layer.picture[:14], "what is seen is as it was")
        self.assertTrue((after[29:34, 12:26, 3] == 255).all(), "the smoothed border is closed where it is covered")
        self.assertEqual(after[32, 28].tolist(), list(LINE), "lines run on")
        self.assertFalse(after[~covered & (np.add.outer(np.zeros(60), np.arange(60)) < 10), 3].any())
        assert made.added is not None and made.mask is not None and isinstance(made.derivation, Extension)
        self.assertEqual(int(made.added.sum()), int((made.mask > 0).sum()))
        again = rebuilt(DerivedLayer("m1", "l1", made.derivation, made.box), {"l1": layer}, made.mask, CANVAS)
        assert again is not None
        np.testing.assert_array_equal(again.picture, made.picture)
        with self.assertRaisesRegex(CannotTakeOut, "nothing to grow under"):
            grow_under(layer, 6, covering(0, 0, 0, 0))

    def test_a_twin_gives_its_pixels_where_it_has_some(self) -> None:
        layer, covered = plate(), covering(4, 24, 40, 60)
        picture = np.full((8, 30, 4), (9, 90, 200, 255), np.uint8)
        picture[:, :6, 3] = 100
        mirror_source = Content(Box(6, 29, 36, 37), picture)
        made = grow_under(layer, 6, covered, "onward", ("t", mirror_source))
        after = whole(made)
        self.assertEqual(after[31, 20].tolist(), [9, 90, 200, 255])
        self.assertEqual(after[31, 10].tolist(), list(RED), "its half-transparent pixels are none")
        self.assertEqual(after[26, 31].tolist(), list(LINE), "where it has none the layer itself goes on")
        made_layer = DerivedLayer("m1", "l1", made.derivation, made.box)
        self.assertEqual(made_layer.sources, ("l1", "t"))
        again = rebuilt(made_layer, {"l1": layer, "t": mirror_source}, made.mask, CANVAS)
        assert again is not None
        np.testing.assert_array_equal(again.picture, made.picture)

    def test_what_was_added_before_is_still_known(self) -> None:
        first = grow_under(plate(), 3, covering(4, 24, 60, 60), (1, 2, 3))
        assert first.added is not None
        second = grow_under(Content(first.box, first.picture, first.added), 3, covering(0, 0, 60, 60))
        assert second.added is not None
        x, y = first.box.left - second.box.left, first.box.top - second.box.top
        inner = second.added[y : y + first.box.height, x : x + first.box.width]
        self.assertTrue(inner[first.added].all())
        self.assertEqual(whole(first)[31, 20].tolist(), [1, 2, 3, 255], "one colour, if that is wished for")

    def test_paint_reaches_only_what_is_covered_and_hangs_together(self) -> None:
        layer = plate()
        stroke = of_brush([(5, 33), (55, 33)], 9, 1, 60, 60)
        made = paint_under(layer, stroke, Box(0, 0, 60, 60), covering(0, 29, 45, 60) | covering(50, 29, 60, 60))
        after = whole(made)
        self.assertTrue((after[29:37, 12:44, 3] == 255).all())
        self.assertFalse(after[:, 46:, 3].any(), "nothing beyond a gap that is seen")
        np.testing.assert_array_equal(after[10:29, 10:30], layer.picture[:19])
        with self.assertRaisesRegex(CannotTakeOut, "what you painted"):
            paint_under(layer, stroke, Box(0, 0, 60, 60), covering(0, 0, 60, 20))

    def test_a_limb_is_as_wide_as_it_is_and_round_at_its_pivot(self) -> None:
        for degrees in (0, 30, 75, 140):
            with self.subTest(degrees=degrees):
                angle = math.radians(degrees)
                rows, columns = np.mgrid[:60, :60] + 0.5
                along = (columns - 30) * math.cos(angle) + (rows - 30) * math.sin(angle)
                across = -(columns - 30) * math.sin(angle) + (rows - 30) * math.cos(angle)
                limb = (along >= -1) & (along <= 24) & (np.abs(across) <= 7)
                layer = Content(Box(0, 0, 60, 60), np.where(limb[..., None], RED, 0).astype(np.uint8))
                circle = limb_at(layer, Point(30, 30))
                self.assertAlmostEqual(circle.radius, 7, delta=0.8)
                self.assertLess(circle.deviation, 0.8)
                made = round_off(layer, circle.centre, circle.radius, np.ones((60, 60), bool))
                disc = np.hypot(columns - 30, rows - 30) <= circle.radius
                self.assertTrue((whole(made)[disc, 3] == 255).all())
                self.assertFalse((whole(made)[..., 3] > 0)[~limb & ~disc].any(), "nothing else is added")
        with self.assertRaisesRegex(CannotTakeOut, "no opaque art at this place"):
            limb_at(layer, Point(2, 2))
