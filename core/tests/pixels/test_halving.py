"""Reduced pictures against the plain mean of their squares, written again here on colours weighted by alpha."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from yuplet.geometry import Size
from yuplet.pixels.halving import SMALLEST, halves, halvings

WITHIN = 1.5
"""Levels, as the docstring says: colours are weighted, averaged and weighed back in whole levels."""


def weighted(picture: np.ndarray) -> np.ndarray:
    """Colour times alpha, and alpha, in levels."""
    exact = picture.astype(np.float64)
    exact[..., :3] *= exact[..., 3:] / 255
    return exact


def means(picture: np.ndarray, side: int) -> np.ndarray:
    """The mean of each square of so many pixels a side, as if nothing were beyond the picture."""
    height, width = picture.shape[:2]
    rows, columns = -(-height // side), -(-width // side)
    padded = np.zeros((rows * side, columns * side, 4))
    padded[:height, :width] = weighted(picture)
    return padded.reshape(rows, side, columns, side, 4).mean(axis=(1, 3))


class Halves(unittest.TestCase):
    @settings(deadline=None, max_examples=25)
    @given(st.integers(1, 300), st.integers(1, 300), st.integers(0, 2**32 - 1))
    def test_each_pixel_is_the_mean_of_its_square(self, width: int, height: int, seed: int) -> None:
        random = np.random.default_rng(seed)
        picture = random.integers(0, 256, (height, width, 4), np.uint8)
        picture[random.random((height, width)) < 0.3] = 0
        found = list(halves(picture))
        self.assertEqual(len(found), halvings(Size(width, height)))
        for times, half in enumerate(found, 1):
            wanted = means(picture, 2**times)
            self.assertEqual(half.shape, wanted.shape)
            self.assertLessEqual(np.abs(weighted(half) - wanted).max(), WITHIN)
            self.assertFalse(half[half[..., 3] == 0].any())

    def test_it_ends_where_the_longer_side_is_short(self) -> None:
        for size, times in (((64, 64), 0), ((1, 65), 1), ((4096, 10), 6), ((4097, 1), 7), ((1, 1), 0)):
            self.assertEqual(halvings(Size(*size)), times, size)
        *_, last = halves(np.full((4097, 3, 4), 255, np.uint8))
        self.assertEqual(last.shape, (33, 1, 4))
        self.assertLessEqual(max(last.shape[:2]), SMALLEST)

    def test_a_hard_edge_at_an_odd_place_keeps_its_share(self) -> None:
        picture = np.zeros((66, 66, 4), np.uint8)
        picture[:, 1:] = (200, 100, 50, 255)
        (half, *_) = halves(picture)
        np.testing.assert_allclose(half[5, 0], (200, 100, 50, 128), atol=1)
        np.testing.assert_array_equal(half[5, 1], (200, 100, 50, 255))

    def test_a_picture_of_nothing_stays_so(self) -> None:
        for half in halves(np.zeros((300, 200, 4), np.uint8)):
            self.assertFalse(half.any())


if __name__ == "__main__":
    unittest.main()
