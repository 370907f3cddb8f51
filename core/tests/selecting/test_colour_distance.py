"""CIEDE2000 against the published pairs.

Source: G. Sharma, W. Wu and E. N. Dalal, 2005, table 1, as the tests of coloraide 8.13.1 have it (MIT, from its source archive).
"""

import unittest

import numpy as np

from yuplet.selecting.colour_distance import ciede2000, distances, lab, lightness

# L1 a1 b1 L2 a2 b2 distance
PAIRS = """
    50 2.6772 -79.7751 50 0 -82.7485 2.0425
    50 3.1571 -77.2803 50 0 -82.7485 2.8615
    50 2.8361 -74.0200 50 0 -82.7485 3.4412
    50 -1.3802 -84.2814 50 0 -82.7485 1.0000
    50 -1.1848 -84.8006 50 0 -82.7485 1.0000
    50 -0.9009 -85.5211 50 0 -82.7485 1.0000
    50 0 0 50 -1 2 2.3669
    50 -1 2 50 0 0 2.3669
    50 2.4900 -0.0010 50 -2.4900 0.0009 7.1792
    50 2.4900 -0.0010 50 -2.4900 0.0010 7.1792
    50 2.4900 -0.0010 50 -2.4900 0.0011 7.2195
    50 2.4900 -0.0010 50 -2.4900 0.0012 7.2195
    50 -0.0010 2.4900 50 0.0009 -2.4900 4.8045
    50 -0.0010 2.4900 50 0.00010 -2.4900 4.8045
    50 -0.0010 2.4900 50 0.0011 -2.4900 4.7461
    50 2.5 0 50 0 -2.5 4.3065
    50 2.5 0 73 25 -18 27.1492
    50 2.5 0 61 -5 29 22.8977
    50 2.5 0 56 -27 -3 31.9030
    50 2.5 0 58 24 15 19.4535
    50 2.5 0 50 3.1736 0.5854 1.0000
    50 2.5 0 50 3.2972 0 1.0000
    50 2.5 0 50 1.8634 0.5757 1.0000
    50 2.5 0 50 3.2592 0.3350 1.0000
    60.2574 -34.0099 36.2677 60.4626 -34.1751 39.4387 1.2644
    63.0109 -31.0961 -5.8663 62.8187 -29.7946 -4.0864 1.2630
    61.2901 3.7196 -5.3901 61.4292 2.2480 -4.9620 1.8731
    35.0831 -44.1164 3.7933 35.0232 -40.0716 1.5901 1.8645
    22.7233 20.0904 -46.6940 23.0331 14.9730 -42.5619 2.0373
    36.4612 47.8580 18.3852 36.2715 50.5065 21.2231 1.4146
    90.8027 -2.0831 1.4410 91.1528 -1.6435 0.0447 1.4441
    90.9257 -0.5406 -0.9208 88.6381 -0.8985 -0.7239 1.5381
    6.7747 -0.2908 -2.4247 5.8714 -0.0985 -2.2286 0.6377
    2.0776 0.0795 -1.1350 0.9033 -0.0636 -0.5514 0.9082
"""


class ColourDistanceTests(unittest.TestCase):
    def test_the_published_pairs(self) -> None:
        pairs = np.array([line.split() for line in PAIRS.strip().splitlines()], float)
        self.assertEqual(len(pairs), 34)
        for *colours, distance in pairs:
            self.assertAlmostEqual(ciede2000(*colours), distance, places=4)
            self.assertAlmostEqual(ciede2000(*colours[3:], *colours[:3]), distance, places=4)

    def test_primaries(self) -> None:
        """CIELAB of the sRGB primaries, as B. Lindbloom's calculator gives them (D65; values from memory)."""
        for colour, wanted in (
            ((255, 0, 0), (53.24, 80.09, 67.20)),
            ((0, 255, 0), (87.73, -86.18, 83.18)),
            ((0, 0, 255), (32.30, 79.19, -107.86)),
            ((255, 255, 255), (100.0, 0.0, 0.0)),
        ):
            for ours, published in zip(lab(*colour), wanted, strict=True):
                self.assertAlmostEqual(ours, published, delta=0.02)

    def test_pictures(self) -> None:
        rng = np.random.default_rng(4)
        picture = rng.integers(0, 256, (9, 7, 4), dtype=np.uint8)
        picture[0, 0, 3] = 0
        picture[..., 3][picture[..., 3] == 0] = 1
        picture[0, 0, 3] = 0
        found, light = distances(picture, (10, 200, 30)), lightness(picture)
        to = lab(10, 200, 30)
        for y, x in np.ndindex(9, 7):
            own = lab(*(int(value) for value in picture[y, x, :3]))
            if (y, x) == (0, 0):
                self.assertEqual(found[y, x], np.inf)
            else:
                self.assertAlmostEqual(float(found[y, x]), ciede2000(*own, *to), places=3)
            self.assertAlmostEqual(float(light[y, x]), own[0], places=3)
