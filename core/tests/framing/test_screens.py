"""What pieces say for screens of other sizes, and where they can be stretched."""

import unittest

import numpy as np

from yuplet.framing.screens import fractions, stretchable
from yuplet.geometry import Box, Size
from yuplet.parts.part import Margins

KEY, CANVAS = Box.at(720, 405, Size(150, 48)), Size(960, 540)


class FittingTests(unittest.TestCase):
    def test_the_worked_example_of_the_format(self) -> None:
        # docs/formats/manifest.md, "Pieces of an interface".
        told = fractions(KEY, Box(0, 0, *CANVAS))
        self.assertEqual((told.x, told.y, told.width), (0.75, 0.75, 0.15625))
        self.assertAlmostEqual(told.height, 0.0889, places=4)
        self.assertEqual(KEY.width / KEY.height, 3.125)

    def test_the_longest_run_of_equal_columns_and_rows_can_be_stretched(self) -> None:
        picture = np.zeros((40, 100, 4), np.uint8)
        picture[..., 3] = 255
        picture[:7, :, 0] = 9
        picture[33:, :, 0] = 8
        picture[:, :12, 1] = np.arange(12)
        picture[:, 80:, 1] = np.arange(20)
        margins = stretchable(picture)
        assert margins is not None
        # A column more where the ends of a ramp are as the middle is.
        self.assertEqual(margins, Margins(12, 7, 19, 7))
        between = picture[:, margins.left : 100 - margins.right]
        self.assertTrue((between == between[:, :1]).all())

    def test_what_differs_everywhere_is_not_stretched_that_way(self) -> None:
        noise = np.random.default_rng(1).integers(0, 256, (30, 30, 4), np.uint8)
        self.assertIsNone(stretchable(noise))
        rows = np.repeat(noise[:1], 30, axis=0)
        self.assertEqual(stretchable(rows), Margins(15, 0, 15, 0))
