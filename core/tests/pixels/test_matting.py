"""Exact soft edges and what is filled in behind them.

Source: the operator *over* of T. Porter and T. Duff, 1984, over an opaque ground, in integers: for every triple.
"""

import unittest

import numpy as np

from yuplet.geometry import Box
from yuplet.pixels.compositing import PictureNode, compose
from yuplet.pixels.filling import fill
from yuplet.pixels.matting import solved, unmix
from yuplet.pixels.spill_file import SpillFile


class UnmixTests(unittest.TestCase):
    def test_every_triple(self) -> None:
        """The colour for each alpha, value behind and result, against all colours tried out: the nearest, where it is one."""
        colours = np.arange(256)
        for alpha in range(1, 256):
            behind = np.arange(256)[:, None]
            results = colours * alpha + behind * (255 - alpha)  # 255 times as large
            step = 1 if alpha in (1, 2, 127, 128, 254, 255) else 17
            for b in range(0, 256, step):
                away = np.abs(results[b][None, :] - 255 * colours[:, None])
                possible = away.min(axis=1) * 2 <= alpha
                ours = np.array([solved(alpha, b, c) for c in range(256)])
                np.testing.assert_array_equal(ours >= 0, possible)
                there = np.flatnonzero(possible)
                np.testing.assert_array_equal(away[there, ours[there]], away.min(axis=1)[there])
                again = (2 * results[b][ours[there]] + 255) // 510  # rounded; there are no halves
                np.testing.assert_array_equal(again, there)

    def test_soft_parts_over_soft_parts(self) -> None:
        """However often a place is cut with a soft edge: the composite, which is rounded once, is the picture."""
        rng = np.random.default_rng(12)
        picture = np.full((48, 48, 4), 255, np.uint8)
        picture[..., :3] = rng.integers(0, 256, (48, 48, 3))
        box, left, parts = Box(0, 0, 48, 48), picture, []
        for _ in range(12):
            mask = rng.integers(0, 90, (48, 48), dtype=np.uint8)
            behind = left.copy()
            noise = rng.integers(-6, 7, (48, 48, 3))
            behind[..., :3] = np.clip(left[..., :3] + np.where((mask > 0)[..., None], noise, 0), 0, 255)
            parts.append(unmix(left, behind, mask))
            left = behind
        with SpillFile() as scratch:
            scratch.put("left", left)
            leaves = [PictureNode("left", box)]
            for number, part in enumerate(reversed(parts)):
                scratch.put(str(number), part)
                leaves.append(PictureNode(str(number), box))
            np.testing.assert_array_equal(compose(leaves, box.size, scratch), picture)

    def test_a_part_over_what_is_left_is_the_picture(self) -> None:
        rng = np.random.default_rng(8)
        picture = rng.integers(0, 256, (64, 64, 4), dtype=np.uint8)
        behind = rng.integers(0, 256, (64, 64, 4), dtype=np.uint8)
        picture[..., 3] = behind[..., 3] = 255
        near = picture.astype(int) + rng.integers(-9, 10, picture.shape)
        behind[:32] = np.clip(near, 0, 255)[:32]
        behind[..., 3] = 255
        mask = rng.integers(0, 256, (64, 64), dtype=np.uint8)
        part = unmix(picture, behind, mask)
        self.assertTrue(((part[..., 3] >= mask) | (mask == 0)).all())
        self.assertLess(int(part[:32, :, 3].astype(int).sum()), int(part[32:, :, 3].astype(int).sum()))
        box = Box(0, 0, 64, 64)
        left = np.where((mask == 0)[..., None], picture, behind)
        with SpillFile() as scratch:
            scratch.put("left", left)
            scratch.put("part", part)
            whole = compose([PictureNode("left", box), PictureNode("part", box)], box.size, scratch)
        np.testing.assert_array_equal(whole, picture)

    def test_alpha_is_raised_no_more_than_is_needed(self) -> None:
        picture, behind = np.zeros((1, 2, 4), np.uint8), np.zeros((1, 2, 4), np.uint8)
        picture[0, :, 3] = behind[0, :, 3] = 255
        picture[0, 0, :3], picture[0, 1, :3] = 100, 128
        part = unmix(picture, behind, np.full((1, 2), 20, np.uint8))
        # 255 a / 255 over black has to round to the value itself.
        self.assertEqual(part[0, :, 3].tolist(), [100, 128])
        self.assertGreaterEqual(part[0, 0, :3].min(), 254)


class FillTests(unittest.TestCase):
    def test_flat_art_is_continued_without_the_fringe(self) -> None:
        picture = np.full((40, 60, 4), 255, np.uint8)
        picture[:, :30, :3], picture[:, 30:, :3] = (10, 120, 60), (200, 180, 20)
        hole = np.zeros((40, 60), bool)
        hole[10:30, 15:45] = True
        picture[8:32, 13:47, :3] = (90, 0, 90)  # a fringe of two pixels of what was taken
        filled = fill(picture, hole, "flat")
        np.testing.assert_array_equal(filled[~hole], picture[~hole])
        self.assertEqual({tuple(map(int, one)) for one in filled[hole]}, {(10, 120, 60, 255), (200, 180, 20, 255)})
        self.assertTrue((filled[12, 15:29, 0] == 10).all() and (filled[12, 31:45, 0] == 200).all())

    def test_what_was_left_over_of_a_part_is_not_continued(self) -> None:
        """Slivers of two colours and their smoothed edge beside a hole in plain ground of 900 x 900 px."""
        picture = np.full((900, 900, 4), (214, 222, 224, 255), np.uint8)
        hole = np.zeros((900, 900), bool)
        hole[300:600, 300:600] = True
        picture[300:600, 606:610, :3] = (88, 72, 56)
        picture[300:600, 610:612, :3] = (180, 186, 186)
        picture[606:609, 300:600, :3] = (236, 188, 150)
        filled = fill(np.where(hole[..., None], 0, picture).astype(np.uint8), hole, "flat")
        self.assertEqual({tuple(map(int, one)) for one in filled[hole]}, {(214, 222, 224, 255)})

    def test_painted_art_runs_on(self) -> None:
        """A slope of colour, whose true values beneath are known."""
        ramp = np.full((60, 80, 4), 255, np.uint8)
        ramp[..., 0] = np.linspace(20, 220, 80).round()
        ramp[..., 1], ramp[..., 2] = 90, 40
        hole = np.zeros((60, 80), bool)
        hole[20:40, 30:50] = True
        broken = ramp.copy()
        broken[hole] = 0
        painted, flat = (fill(broken, hole, how) for how in ("painted", "flat"))  # type: ignore[arg-type]
        away, step = (
            [float(measure(one.astype(int))) for one in (painted, flat)]
            for measure in (
                lambda one: np.abs(one[hole] - ramp[hole])[:, 0].mean(),
                lambda one: np.abs(np.diff(one[20:40, 25:55, 0], axis=1)).max(),
            )
        )
        self.assertLess(away[0], 12)
        self.assertLess(step[0], step[1] / 2, "no seam in the middle")

    def test_one_colour_and_nothing_to_continue(self) -> None:
        picture = np.zeros((8, 8, 4), np.uint8)
        hole = np.zeros((8, 8), bool)
        hole[2:5, 2:5] = True
        self.assertEqual(fill(picture, hole, (1, 2, 3))[3, 3].tolist(), [1, 2, 3, 255])
        self.assertEqual(fill(picture, hole, "flat")[3, 3].tolist(), [0, 0, 0, 0])
        self.assertEqual(fill(picture, np.zeros((8, 8), bool), "flat").tolist(), picture.tolist())


class InpaintingTests(unittest.TestCase):
    def test_a_slope_runs_on_as_the_paper_of_the_method_says(self) -> None:
        """A. Telea (2004), section 2.1: a pixel is estimated from the values around it and their gradients, to first order.

        So what is constant stays so, and a slope goes on, where the nearest colour makes a step.
        """
        rows, columns = np.mgrid[:80, :80]
        ramp = np.full((80, 80, 4), 255, np.uint8)
        ramp[..., 0], ramp[..., 1], ramp[..., 2] = 40 + 2 * columns, 60 + rows, 90
        hole = np.hypot(rows - 40, columns - 40) < 5
        away, step = {}, {}
        for how in ("flat", "painted"):
            filled = fill(np.where(hole[..., None], 0, ramp).astype(np.uint8), hole, how).astype(int)  # type: ignore[arg-type]
            away[how] = np.abs(filled - ramp)[hole].mean(axis=0)
            step[how] = np.abs(np.diff(filled[..., 0], axis=1))[hole[:, 1:] & hole[:, :-1]].max()
        self.assertLessEqual(away["painted"][2], 1, "what is constant stays so, but for OpenCV's rounding")
        self.assertLess(away["painted"][0], 0.6 * away["flat"][0])
        self.assertLess(step["painted"], 0.6 * step["flat"])
