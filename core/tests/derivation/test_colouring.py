"""Colour work: OKLab beside published values, and what stays as it is."""

import unittest

import numpy as np

from yuplet.derivation.colouring import backdrop, dyed
from yuplet.derivation.content import Content
from yuplet.derivation.rebuilding import rebuilt
from yuplet.geometry import Box, Size
from yuplet.illustration.derived import Backdrop, DerivedLayer, Dyed, Merged
from yuplet.pixels.compositing import PictureNode, compose
from yuplet.pixels.oklab import from_oklab, to_oklab
from yuplet.pixels.spill_file import SpillFile

KNOWN = {
    # coloraide 8.13.1 (a library of the CSS colour spaces), rounded.
    (255, 0, 0): (0.627955, 0.224863, 0.125846),
    (0, 255, 0): (0.866440, -0.233888, 0.179498),
    (0, 0, 255): (0.452014, -0.032457, -0.311528),
    (12, 200, 99): (0.729365, -0.169924, 0.094239),
    (255, 255, 255): (1, 0, 0),
}


def shaded() -> Content:
    """A ramp of one hue, half-transparent in its last rows, empty in the very last."""
    picture = np.full((16, 9, 4), 255, np.uint8)
    picture[..., 0] = np.linspace(90, 160, 9).astype(np.uint8)
    picture[..., 1:3] = 60
    picture[12:, :, 3] = 90
    picture[15] = 0
    return Content(Box(4, 5, 13, 21), picture)


class ColouringTests(unittest.TestCase):
    def test_oklab(self) -> None:
        for colour, wanted in KNOWN.items():
            np.testing.assert_allclose(to_oklab(np.array([colour], np.uint8))[0], wanted, atol=2e-6)
        some = np.random.default_rng(3).integers(0, 256, (500, 3), dtype=np.uint8)
        np.testing.assert_array_equal(from_oklab(to_oklab(some)), some)

    def test_a_plain_fill_keeps_alpha(self) -> None:
        layer = shaded()
        made = dyed(layer, Dyed((10, 90, 200), False))
        np.testing.assert_array_equal(made.picture[..., 3], layer.picture[..., 3])
        there = layer.picture[..., 3] > 0
        self.assertEqual({tuple(map(int, one)) for one in made.picture[there, :3]}, {(10, 90, 200)})
        self.assertFalse(made.picture[~there].any())

    def test_another_colour_keeps_the_shading(self) -> None:
        layer = shaded()
        wanted = (40, 110, 150)
        made = dyed(layer, Dyed(wanted, True))
        np.testing.assert_array_equal(made.picture[..., 3], layer.picture[..., 3])
        there = layer.picture[..., 3] > 0
        before, after = (to_oklab(one.picture[there, :3]) for one in (layer, made))
        offset = before[:, 0] - np.median(before[:, 0])
        self.assertGreater(np.ptp(offset), 0.1)
        np.testing.assert_allclose(after[:, 0], to_oklab(np.array([wanted], np.uint8))[0, 0] + offset, atol=0.004)
        self.assertEqual(made.picture[0, 4, :3].tolist(), list(wanted), "the median has the colour itself")

    def test_a_backdrop(self) -> None:
        plain = backdrop(Size(4, 3), Backdrop(((1, 2, 3),)))
        self.assertEqual({tuple(map(int, one)) for one in plain.picture.reshape(-1, 4)}, {(1, 2, 3, 255)})
        made = rebuilt(DerivedLayer("m1", None, Backdrop(((0, 0, 40), (250, 240, 200))), None), {}, None, Size(5, 101))
        assert made is not None
        self.assertEqual(made.box, Box(0, 0, 5, 101))
        self.assertEqual(made.picture[0, 2].tolist(), [0, 0, 40, 255])
        self.assertEqual(made.picture[-1, 2].tolist(), [250, 240, 200, 255])
        light = to_oklab(made.picture[:, 0, :3])[:, 0]
        self.assertLess(np.abs(np.diff(light) - np.diff(light).mean()).max(), 0.006, "evenly lighter")

    def test_several_layers_as_one(self) -> None:
        noise = np.random.default_rng(8).integers(0, 256, (6, 7, 4), dtype=np.uint8)
        below = Content(Box(2, 2, 9, 8), noise, np.ones((6, 7), bool))
        above = Content(Box(5, 1, 12, 7), noise[::-1].copy())
        recipe = Merged((("a", 1.0, "normal"), ("b", 0.5, "multiply"), ("gone", 1.0, "normal")))
        made = rebuilt(DerivedLayer("m1", None, recipe, None), {"a": below, "b": above}, None, Size(20, 20))
        assert made is not None
        with SpillFile() as scratch:
            scratch.put("a", below.picture)
            scratch.put("b", above.picture)
            wanted = compose(
                [PictureNode("a", below.box), PictureNode("b", above.box, 0.5, "multiply")], Size(20, 20), scratch
            )
        found = np.zeros((20, 20, 4), np.uint8)
        found[made.box.top : made.box.bottom, made.box.left : made.box.right] = made.picture
        np.testing.assert_array_equal(found[wanted[..., 3] > 0], wanted[wanted[..., 3] > 0])
        assert made.added is not None
        self.assertTrue(made.added[3, 0] and not made.added[2, 5], "added is what nobody drew on any layer")
        self.assertIsNone(rebuilt(DerivedLayer("m1", None, recipe, None), {}, None, Size(20, 20)))
