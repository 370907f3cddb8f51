"""What lies behind a hole, on drawings whose whole is known."""

import unittest

import numpy as np
from numpy.typing import NDArray

from yuplet.pixels import Picture
from yuplet.pixels.filling import fill

SIDE = 600
CREAM, SKIN, BLUE, RED, WHITE = (240, 230, 210), (230, 170, 140), (60, 120, 200), (200, 60, 60), (255, 255, 255)
DOWN, ACROSS = np.mgrid[:SIDE, :SIDE]
Place = NDArray[np.bool_]


def disc(x: float, y: float, radius: float) -> Place:
    return np.asarray(np.hypot(ACROSS - x, DOWN - y) < radius)


def painted(*shapes: tuple[Place, tuple[int, int, int]]) -> Picture:
    picture = np.full((SIDE, SIDE, 4), 255, np.uint8)
    picture[..., :3] = CREAM
    for place, colour in shapes:
        picture[place, :3] = colour
    return picture


class FillingTests(unittest.TestCase):
    def wrong(self, whole: Picture, hole: Place) -> float:
        """The share of a hole that is not as the whole drawing is there."""
        covered = whole.copy()
        covered[hole] = (250, 0, 250, 255)
        filled = fill(covered, hole, "flat")
        np.testing.assert_array_equal(filled[~hole], covered[~hole])
        self.assertTrue((filled[hole, 3] == 255).all())
        return float((filled[hole] != whole[hole]).any(axis=1).mean())

    def test_a_circle_goes_on_as_one(self) -> None:
        """The nearest colour alone would be wrong in a tenth of it."""
        head = disc(300, 330, 150)
        self.assertLess(self.wrong(painted((head, SKIN)), disc(300, 200, 110)), 0.03)

    def test_straight_borders_go_on_straight(self) -> None:
        half = ACROSS + 0.3 * DOWN > 400
        self.assertLess(self.wrong(painted((half, BLUE)), disc(290, 300, 90)), 0.005)
        quarters = painted(((ACROSS < 300) & (DOWN >= 300), BLUE), ((ACROSS < 300) & (DOWN < 300), RED))
        self.assertLess(self.wrong(quarters, disc(300, 300, 80)), 0.002)

    def test_a_band_goes_through_beneath(self) -> None:
        """It could end round on both sides, which would be shorter."""
        band = np.abs(DOWN - 300 - 40 * np.sin(ACROSS / 60)) < 30
        self.assertLess(self.wrong(painted((band, BLUE)), np.abs(ACROSS - 300) < 50), 0.005)

    def test_eyes_under_a_cap_are_closed_above(self) -> None:
        head = ((ACROSS - 300) / 150) ** 2 + ((DOWN - 330) / 180) ** 2 < 1
        face = painted((head, SKIN), (disc(240, 300, 30), WHITE), (disc(360, 300, 30), WHITE))
        cap = (DOWN < 292) & (DOWN > 100) & (np.abs(ACROSS - 300) < 230)
        self.assertLess(self.wrong(face, cap), 0.03)

    def test_what_lies_upon_a_part_is_not_behind_it(self) -> None:
        """A head is taken from under its eyes: behind it is the ground."""
        head, eyes = disc(300, 300, 150), disc(250, 280, 20) | disc(350, 280, 20)
        picture = painted((head, SKIN), (eyes, WHITE))
        hole = head & ~eyes
        filled = fill(picture, hole, "flat")
        self.assertEqual(np.unique(filled[hole], axis=0).tolist(), [[*CREAM, 255]])

    def test_what_frames_a_part_is_behind_it_on_both_sides(self) -> None:
        """A ring around a large face is nothing upon it."""
        face, hair = disc(300, 300, 120), disc(300, 300, 160)
        picture = painted((hair, RED), (face, SKIN))
        filled = fill(picture, hair & ~face, "flat")
        self.assertEqual(filled[300, 300 + 128, :3].tolist(), list(SKIN))
        self.assertEqual(filled[300, 300 + 152, :3].tolist(), list(CREAM))

    def test_lines_that_meet_are_lines(self) -> None:
        """Outlines end with what they go round, and so do the blobs where they cross."""
        ink = (20, 20, 30)
        lines = (np.abs(ACROSS - 200) <= 3) | (np.abs(DOWN - 300) <= 3) | disc(200, 300, 8)
        picture = painted((ACROSS < 200, SKIN), (lines, ink))
        hole = (ACROSS > 212) & (ACROSS < 330) & (np.abs(DOWN - 300) < 60)
        self.assertFalse((fill(picture, hole, "flat")[hole, 0] < 80).any())

    def test_noise_and_many_ends_are_left_to_what_is_nearest(self) -> None:
        chance = np.random.default_rng(4)
        picture = np.full((80, 80, 4), 255, np.uint8)
        picture[..., :3] = chance.integers(0, 256, (80, 80, 3))
        hole = np.zeros((80, 80), bool)
        hole[20:60, 20:60] = True
        filled = fill(picture, hole, "flat")
        self.assertTrue((filled[hole, 3] == 255).all())
        np.testing.assert_array_equal(filled[~hole], picture[~hole])
        stripes = picture.copy()
        stripes[..., :3] = np.where((np.arange(80) // 4 % 2 == 0)[:, None], 250, 40)
        self.assertTrue(np.isin(fill(stripes, hole, "flat")[hole][:, :3], (40, 250)).all())


if __name__ == "__main__":
    unittest.main()
