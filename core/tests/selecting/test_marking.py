"""Brush strokes beside their definition, and the border between marks."""

import unittest
from dataclasses import asdict

import numpy as np

from yuplet.errors import SelectionError
from yuplet.geometry import Box
from yuplet.pixels import Picture
from yuplet.selecting.gestures import Brush, Scribble, from_json, select
from yuplet.selecting.marking import between_marks, of_brush

STROKE = ((10.0, 12.5), (40.0, 20.0), (30.5, 44.0))


def away(stroke: tuple[tuple[float, float], ...], width: int, height: int) -> np.ndarray:
    """How far the middle of each pixel is from a stroke: a slow plain loop."""
    rows, columns = np.mgrid[:height, :width] + 0.5
    best = np.full((height, width), np.inf)
    for (x, y), (u, v) in zip(stroke, stroke[1:], strict=False):
        share = ((columns - x) * (u - x) + (rows - y) * (v - y)) / max((u - x) ** 2 + (v - y) ** 2, 1e-9)
        share = np.clip(share, 0, 1)
        best = np.minimum(best, np.hypot(columns - x - share * (u - x), rows - y - share * (v - y)))
    return best


def coat() -> Picture:
    """A red coat with a dark outline on a ground that is shaded; empty at the right."""
    picture = np.full((80, 100, 4), 255, np.uint8)
    rows, columns = np.mgrid[:80, :100]
    picture[..., :3] = np.stack([200 + rows // 4, 190 + rows // 4, 160 + columns // 5], axis=2)
    far = np.hypot(columns - 45, rows - 40)
    picture[far < 26, :3] = (25, 20, 20)
    picture[far < 23, :3] = (190, 50, 40)
    picture[:, 90:] = 0
    return picture


class MarkingTests(unittest.TestCase):
    def test_a_stroke_covers_what_is_near_its_middle(self) -> None:
        wanted = away(STROKE, 60, 50)
        for size, hardness in ((9, 1), (20, 1), (20, 0.5), (31, 0)):
            with self.subTest(size=size, hardness=hardness):
                found = of_brush(STROKE, size, hardness, 60, 50)
                radius = size / 2
                self.assertTrue((found[wanted > radius + 1.5] == 0).all())
                self.assertTrue((found[wanted < radius * hardness - 1.5] == 255).all())
                middle = (wanted > radius * hardness + 1.5) & (wanted < radius - 1.5)
                ideal = (radius - wanted) / max(radius * (1 - hardness), 1) * 255
                if middle.any():
                    self.assertLess(np.abs(found - ideal)[middle].max(), 255 * 1.2 / (radius * (1 - hardness)))

    def test_a_dot_and_strokes_that_leave_the_picture(self) -> None:
        dot = of_brush([(20, 20)], 10, 1, 40, 40) >= 128
        self.assertAlmostEqual(float(dot.sum()), np.pi * 25, delta=14)
        outside = of_brush([(-900, 20), (900, 20)], 10, 1, 40, 40) >= 128
        self.assertTrue(outside[17:23].all() and not outside[:14].any() and not outside[27:].any())
        self.assertFalse(of_brush([(-50, -50), (-60, 10)], 10, 1, 40, 40).any())

    def test_the_border_between_marks_runs_where_colours_differ(self) -> None:
        picture = coat()
        rows, columns = np.mgrid[:80, :100]
        far = np.hypot(columns - 45, rows - 40)
        found = between_marks(picture, [((40, 38), (50, 44))], [((5, 5), (5, 75)), ((85, 10), (85, 70))], 6)
        self.assertTrue(found[far < 22].all())
        self.assertFalse(found[(far > 27) & (columns < 90)].any())
        self.assertFalse(found[:, 90:].any(), "what is empty is not chosen")
        flat = np.full((40, 60, 4), (240, 228, 200, 255), np.uint8)
        flat[10:30, 15:45] = (190, 50, 40, 255)
        exact = between_marks(flat, [((30, 20),)], [((5, 5),)], 4)
        self.assertEqual(int(exact.sum()), 20 * 30)
        self.assertTrue(exact[10:30, 15:45].all(), "where there is no line it is exact")
        with self.assertRaisesRegex(SelectionError, "no mark outside"):
            between_marks(picture, [((40, 38), (50, 44))], [((500, 5), (500, 75))], 6)

    def test_as_gestures_on_the_canvas(self) -> None:
        box = Box(100, 200, 200, 280)
        marks = Scribble((((140.0, 238.0), (150.0, 244.0)),), (((105.0, 205.0), (105.0, 275.0)),), 6)
        brush = Brush(((140.0, 238.0),), 12, 1, "subtract")
        first = select(coat(), box, [marks])
        both = select(coat(), box, [marks, brush])
        removed = (first == 255) & (both < 128)
        self.assertAlmostEqual(float(removed.sum()), np.pi * 36, delta=18)
        self.assertTrue(removed[38, 40])
        for one in (marks, brush):
            self.assertEqual(from_json(asdict(one)), one)

    def test_marks_that_are_none(self) -> None:
        for value, said in (
            ({"tool": "brush", "points": [], "size": 9}, "points needs at least 1"),
            ({"tool": "brush", "points": [[0, float("nan")]], "size": 9}, "points.0.1 is not a number"),
            ({"tool": "brush", "points": [[0, 0]], "size": 0}, "size is less than 1"),
            ({"tool": "brush", "points": [[0, 0]], "hardness": 2}, "hardness is more than 1"),
            ({"tool": "scribble", "inside": [[[0, 0]] * 2001]}, "inside.0 has more than 2000"),
            ({"tool": "scribble", "inside": [[[0, 0]]] * 501}, "inside has more than 500"),
        ):
            with self.subTest(said), self.assertRaisesRegex(SelectionError, said):
                from_json(value)
