"""What the manifest says in numbers, worked out by hand."""

import unittest

from yuplet.geometry import Box, Point, Size
from yuplet.writing.manifest import _pivot


class PivotTests(unittest.TestCase):
    def test_a_pivot_in_three_frames(self) -> None:
        # Canvas 1920 x 1080, a box of 200 x 400 at (700, 300), the pivot at (800, 320).
        told = _pivot(Point(800, 320), Box.at(700, 300, Size(200, 400)))
        self.assertEqual(told, {"canvas": [800, 320], "box": [100, 20], "fraction": [0.5, 0.05]})

    def test_trimmed_again_it_stays_where_it_is_on_the_canvas(self) -> None:
        told = _pivot(Point(800, 320), Box.at(740, 310, Size(100, 200)))
        self.assertEqual(told, {"canvas": [800, 320], "box": [60, 10], "fraction": [0.6, 0.05]})
