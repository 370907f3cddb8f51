"""Scaling keeps to the sample places of its docstring: against the weights written out in float64, and OpenCV for the plain case."""

import unittest
from fractions import Fraction

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from yuplet.geometry import Box, Point
from yuplet.pixels.scaling import resampled


def weights(first: int, last: int, factor: float, at: int, count: int) -> np.ndarray:
    """A row for each pixel of the result: what it takes of each pixel of the picture. Lanczos with three lobes, as published."""
    centres = (np.arange(first, last) + 0.5) / factor - 0.5 - at
    reach = 60
    apart = (np.arange(-reach, count + reach)[None] - centres[:, None]) * min(factor, 1.0)
    kernel = np.where(np.abs(apart) < 3, np.sinc(apart) * np.sinc(apart / 3), 0.0)
    return (kernel / kernel.sum(axis=1, keepdims=True))[:, reach : reach + count]


class SmoothTests(unittest.TestCase):
    @settings(max_examples=25, deadline=None)
    @given(
        factor=st.sampled_from([Fraction(1, 2), Fraction(1, 3), Fraction(3, 4), Fraction(3, 2), Fraction(2)]),
        left=st.integers(-7, 9),
        top=st.integers(-7, 9),
        seed=st.integers(0, 99),
    )
    def test_pixels_are_where_they_must_be(self, factor: Fraction, left: int, top: int, seed: int) -> None:
        picture = np.random.default_rng(seed).integers(0, 256, (17, 23, 4), dtype=np.uint8)
        area = Box(2, 3, 19, 16)
        found = resampled(picture, Point(left, top), area, factor)
        down = weights(area.top, area.bottom, float(factor), top, 17)
        across = weights(area.left, area.right, float(factor), left, 23)
        share = picture[..., 3] / 255
        alpha = np.clip(down @ share @ across.T, 0, 1)
        self.assertLessEqual(np.abs(alpha * 255 - found[..., 3]).max(), 0.501)
        seen = found[..., 3] > 0
        for channel in range(3):
            colour = (down @ (picture[..., channel] * share) @ across.T)[seen] / alpha[seen]
            self.assertLessEqual(np.abs(np.clip(colour, 0, 255) - found[..., channel][seen]).max(), 0.51)

    def test_a_cut_is_never_stretched(self) -> None:
        # The worked example of the scale: a box of 121 x 81 at (501, 61), half as large, is 61 x 41 at (250, 30).
        canvas = np.random.default_rng(3).integers(0, 256, (160, 640, 4), dtype=np.uint8)
        whole = resampled(canvas, Point(0, 0), Box(0, 0, 320, 80), Fraction(1, 2))
        part = resampled(canvas, Point(0, 0), Box(250, 30, 311, 71), Fraction(1, 2))
        np.testing.assert_array_equal(part, whole[30:71, 250:311])

    def test_half_as_large_a_smooth_picture_is_what_opencv_makes_of_it(self) -> None:
        y, x = np.mgrid[0:64, 0:96]
        picture = np.stack([x * 2, y * 3, (x + y), np.full_like(x, 255)], axis=-1).astype(np.uint8)
        ours = resampled(picture, Point(0, 0), Box(0, 0, 48, 32), Fraction(1, 2))[4:-4, 4:-4].astype(int)
        theirs = cv2.resize(picture, (48, 32), interpolation=cv2.INTER_AREA)[4:-4, 4:-4].astype(int)
        self.assertLessEqual(np.abs(ours - theirs).max(), 1)

    def test_colour_of_what_is_not_seen_never_comes_in(self) -> None:
        picture = np.zeros((8, 8, 4), np.uint8)
        picture[..., 1] = 255  # green that nobody sees
        picture[2:6, 2:6] = (255, 0, 0, 255)
        found = resampled(picture, Point(0, 0), Box(0, 0, 4, 4), Fraction(1, 2))
        self.assertEqual(set(map(tuple, found[found[..., 3] > 0][:, :3].tolist())), {(255, 0, 0)})
        self.assertTrue((found[found[..., 3] == 0] == 0).all())


class PixelArtTests(unittest.TestCase):
    def test_each_pixel_is_a_square(self) -> None:
        picture = np.random.default_rng(1).integers(0, 256, (3, 4, 4), dtype=np.uint8)
        found = resampled(picture, Point(1, 2), Box(0, 0, 15, 15), Fraction(3), smooth=False)
        np.testing.assert_array_equal(found[6:15, 3:15], np.kron(picture, np.ones((3, 3, 1), np.uint8)))
        self.assertFalse(found[:6].any() or found[:, :3].any())

    def test_a_broken_factor_is_a_mistake_of_the_caller(self) -> None:
        with self.assertRaisesRegex(ValueError, "without mixing"):
            resampled(np.zeros((2, 2, 4), np.uint8), Point(0, 0), Box(0, 0, 3, 3), Fraction(3, 2), smooth=False)
