"""Our compositor and the rehearsal's, each against a third reading of the published formulas."""

import unittest
from collections.abc import Sequence

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from tests import formulas
from yuplet.geometry import Box, Size
from yuplet.pixels.blending import CLEARING, MODES
from yuplet.pixels.compositing import CompositeNode, GroupNode, PictureNode, compose
from yuplet.pixels.spill_file import SpillFile
from yuplet.rehearsal import blending as rehearsal

HALF_A_LEVEL = 0.5 + 1e-5
EDGES = [0, 1, 63, 64, 127, 128, 254, 255]


def samples(seed: int, count: int) -> np.ndarray:
    """Pixels at random, with the values where formulas change their branch as often as others."""
    rng = np.random.default_rng(seed)
    loose = rng.integers(0, 256, (count, 4))
    edges = rng.choice(EDGES, (count, 4))
    return np.where(rng.random((count, 4)) < 0.5, loose, edges).astype(np.uint8)


def straight(pixel: Sequence[int], opacity: float = 1.0) -> formulas.Pixel:
    red, green, blue, alpha = (int(value) / 255 for value in pixel)
    return (red, green, blue, alpha * opacity)


class FormulaTests(unittest.TestCase):
    def test_every_mode_is_within_half_a_level_of_its_formula(self) -> None:
        under, over = samples(1, 600)[None], samples(2, 600)[None]
        for mode in MODES:
            for opacity in (1.0, 0.37):
                with self.subTest(mode, opacity=opacity), SpillFile() as scratch:
                    scratch.put("under", under)
                    scratch.put("over", over)
                    box = Box(0, 0, 600, 1)
                    found = compose(
                        [PictureNode("under", box), PictureNode("over", box, opacity, mode)], box.size, scratch
                    )[0]
                    for x in range(600):
                        wanted = formulas.lay(straight(under[0, x]), straight(over[0, x], opacity), mode)
                        # Colour is kept to the half level; where alpha rounds to 0 there is none.
                        self.assertLessEqual(abs(found[x, 3] - wanted[3] * 255), HALF_A_LEVEL, (mode, x))
                        if found[x, 3]:
                            for c in range(3):
                                self.assertLessEqual(abs(found[x, c] - wanted[c] * 255), HALF_A_LEVEL, (mode, x))

    def test_the_rehearsal_keeps_to_the_formulas_too(self) -> None:
        under, over = samples(3, 400)[None], samples(4, 400)[None]
        for mode in MODES:
            with self.subTest(mode):
                backdrop = rehearsal.premultiplied(under, 1.0)
                rehearsal.lay(backdrop, rehearsal.premultiplied(over, 0.6), mode)
                for x in range(400):
                    wanted = formulas.lay(straight(under[0, x]), straight(over[0, x], 0.6), mode)
                    exact = [value * wanted[3] for value in wanted[:3]] + [wanted[3]]
                    np.testing.assert_allclose(backdrop[0, x], exact, atol=1e-12, err_msg=mode)

    def test_worked_values(self) -> None:
        """By hand from the formulas: half-transparent red over opaque blue, and multiply of two greys."""
        red, blue = (255, 0, 0, 128), (0, 0, 255, 255)
        self.assertEqual(self.one(blue, red, "normal"), (128, 0, 127, 255))
        self.assertEqual(self.one((100, 100, 100, 255), (51, 51, 51, 255), "multiply"), (20, 20, 20, 255))
        self.assertEqual(self.one((100, 100, 100, 255), (51, 51, 51, 255), "screen"), (131, 131, 131, 255))
        self.assertEqual(self.one((10, 20, 30, 255), (0, 0, 0, 0), "multiply"), (10, 20, 30, 255))

    def one(self, under: tuple[int, ...], over: tuple[int, ...], mode: str) -> tuple[int, ...]:
        with SpillFile() as scratch:
            for key, pixel in (("under", under), ("over", over)):
                scratch.put(key, np.array([[pixel]], np.uint8))
            box = Box(0, 0, 1, 1)
            found = compose([PictureNode("under", box), PictureNode("over", box, 1.0, mode)], box.size, scratch)
        return tuple(int(value) for value in found[0, 0])


# Trees of a few small pictures at odd places, some of them beyond the canvas' edge.
CANVAS = Size(7, 6)
_leaf = st.builds(
    lambda key, x, y, opacity, mode: PictureNode(f"p{key}", Box.at(x, y, Size(4, 3)), opacity, mode),
    st.integers(0, 4), st.integers(-2, 6), st.integers(-2, 5), st.sampled_from([1.0, 0.5, 0.0]), st.sampled_from(sorted(MODES)),
)  # fmt: skip
_tree = st.recursive(
    st.lists(_leaf, min_size=1, max_size=3),
    lambda inner: st.lists(
        st.one_of(
            _leaf,
            st.builds(
                GroupNode, inner.map(tuple), st.sampled_from([1.0, 0.6]), st.sampled_from(sorted(MODES)), st.booleans()
            ),
        ),
        min_size=1,
        max_size=3,
    ),
    max_leaves=6,
)


class TreeTests(unittest.TestCase):
    @settings(max_examples=120, deadline=None)
    @given(_tree, st.integers(0, 1000))
    def test_any_tree_is_what_the_formulas_say_pixel_by_pixel(self, tree: Sequence[CompositeNode], seed: int) -> None:
        pictures = {f"p{key}": samples(seed + key, 12).reshape(3, 4, 4) for key in range(5)}
        with SpillFile() as scratch:
            for key, picture in pictures.items():
                scratch.put(key, picture)
            found = compose(tree, CANVAS, scratch)
        for y in range(CANVAS.height):
            for x in range(CANVAS.width):
                wanted = pixel_at(tree, x, y, pictures)
                self.assertLessEqual(abs(found[y, x, 3] - wanted[3] * 255), HALF_A_LEVEL, (x, y))
                # Divided by a small alpha, float64 itself is no longer exact to the half level's 1e-5.
                if wanted[3] > 0.01:
                    for c in range(3):
                        self.assertLessEqual(abs(found[y, x, c] - wanted[c] * 255), HALF_A_LEVEL, (x, y))

    def test_a_group_that_is_isolated_differs_from_one_that_is_not(self) -> None:
        with SpillFile() as scratch:
            scratch.put("under", np.full((1, 1, 4), (200, 120, 60, 255), np.uint8))
            scratch.put("shade", np.full((1, 1, 4), (100, 100, 200, 255), np.uint8))
            box = Box(0, 0, 1, 1)
            shade = PictureNode("shade", box, 1.0, "multiply")

            def with_group(isolated: bool) -> list[int]:
                group = GroupNode((shade,), 1.0, "normal", isolated)
                return compose([PictureNode("under", box), group], box.size, scratch)[0, 0].tolist()

            self.assertEqual(with_group(False), [78, 47, 47, 255])
            self.assertEqual(with_group(True), [100, 100, 200, 255])


def pixel_at(tree: Sequence[CompositeNode], x: int, y: int, pictures: dict[str, np.ndarray]) -> formulas.Pixel:
    """The formulas applied to one pixel of a tree."""
    under: formulas.Pixel = (0.0, 0.0, 0.0, 0.0)

    def lay_all(under: formulas.Pixel, members: Sequence[CompositeNode]) -> formulas.Pixel:
        for member in members:
            if isinstance(member, PictureNode):
                inside = member.box.left <= x < member.box.right and member.box.top <= y < member.box.bottom
                pixel = pictures[member.key][y - member.box.top, x - member.box.left] if inside else (0, 0, 0, 0)
                if inside or member.blend in {name for name, mode in MODES.items() if mode in CLEARING}:
                    under = formulas.lay(under, straight(pixel, member.opacity), member.blend)
            elif member.opacity == 1 and member.blend == "normal" and not member.isolated:
                under = lay_all(under, member.members)
            else:
                inner = lay_all((0.0, 0.0, 0.0, 0.0), member.members)
                under = formulas.lay(under, (*inner[:3], inner[3] * member.opacity), member.blend)
        return under

    return lay_all(under, tree)
