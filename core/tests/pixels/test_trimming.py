"""The content box against Pillow's, on anything hypothesis can think of."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays
from PIL import Image

from yuplet.geometry import Box
from yuplet.pixels.trimming import content_box, cut, is_opaque

_alphas = st.tuples(st.integers(1, 24), st.integers(1, 24)).flatmap(
    lambda size: arrays(np.uint8, size, elements=st.sampled_from([0, 0, 0, 0, 0, 0, 1, 255]))
)


class TrimmingTests(unittest.TestCase):
    @settings(max_examples=200, deadline=None)
    @given(_alphas)
    def test_the_box_is_the_one_that_pillow_finds(self, alpha: np.ndarray) -> None:
        picture = np.zeros((*alpha.shape, 4), np.uint8)
        picture[..., 3] = alpha
        self.assertEqual(content_box(picture), Image.fromarray(alpha, "L").getbbox())

    def test_colour_without_alpha_is_no_content(self) -> None:
        picture = np.zeros((3, 3, 4), np.uint8)
        picture[..., :3] = 255
        self.assertIsNone(content_box(picture))

    def test_a_cut_beyond_the_picture_is_a_mistake_of_ours(self) -> None:
        with self.assertRaises(ValueError):
            cut(np.zeros((3, 3, 4), np.uint8), Box(0, 0, 4, 3))

    def test_opaque_means_every_pixel(self) -> None:
        picture = np.full((3, 3, 4), 255, np.uint8)
        self.assertTrue(is_opaque(picture))
        picture[2, 2, 3] = 254
        self.assertFalse(is_opaque(picture))
