"""Circle fits beside the worked example of the method's paper.

W. Gander, G. H. Golub, R. Strebel, "Least-squares fitting of circles and ellipses", BIT 34 (1994): six points and the circle with
the least geometric distance; the values are from memory.
"""

import unittest

import numpy as np

from yuplet.rig.round_ends import fit_circle

POINTS = np.array([(1, 7), (2, 6), (5, 8), (7, 7), (9, 5), (3, 7)], float)


class CircleTests(unittest.TestCase):
    def test_the_example_of_the_paper(self) -> None:
        found = fit_circle(POINTS)
        self.assertAlmostEqual(found.centre.x, 4.7398, places=4)
        self.assertAlmostEqual(found.centre.y, 2.9835, places=4)
        self.assertAlmostEqual(found.radius, 4.7142, places=4)

    def test_it_is_the_least_and_moves_along(self) -> None:
        found = fit_circle(POINTS)

        def away(x: float, y: float, radius: float) -> float:
            return float(((np.hypot(POINTS[:, 0] - x, POINTS[:, 1] - y) - radius) ** 2).sum())

        least = away(*found.centre, found.radius)
        self.assertAlmostEqual(found.deviation, (least / 6) ** 0.5, places=9)
        for step in np.eye(3) * 0.01:
            for sign in (-1, 1):
                x, y, radius = (found.centre.x, found.centre.y, found.radius) + sign * step
                self.assertGreater(away(x, y, radius), least)
        moved = fit_circle(POINTS * 20 + (3000, -500))
        self.assertAlmostEqual(moved.centre.x, found.centre.x * 20 + 3000, places=5)
        self.assertAlmostEqual(moved.radius, found.radius * 20, places=5)

    def test_points_that_make_no_circle(self) -> None:
        for points in (POINTS[:2], np.array([(0, 0), (1, 1), (2, 2), (3, 3)], float), np.ones((5, 2))):
            with self.assertRaises(ValueError):
                fit_circle(points)
