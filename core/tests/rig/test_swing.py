"""What opens at joints: a wedge whose area is known, and the joints of the tin inspector before and after they are completed."""

import math
import tempfile
import unittest
from pathlib import Path

import cv2
import numpy as np
import tin_inspector
from PIL import Image
from scipy import ndimage

from yuplet.derivation.content import Content, placed_mask
from yuplet.derivation.cutting import cut_out, label_map
from yuplet.derivation.extending import grow_under, round_off
from yuplet.errors import CannotTakeOut
from yuplet.geometry import Box, Point
from yuplet.rig.round_ends import Circle, joint_about
from yuplet.rig.swing import gap_at, swing
from yuplet.selecting.gestures import Edge, Proposed, select
from yuplet.selecting.proposals import propose

ANGLES = tuple(range(-30, 31, 5))


class SwingTests(unittest.TestCase):
    def test_two_halves_that_meet_open_a_wedge(self) -> None:
        picture = np.full((60, 60, 4), 255, np.uint8)
        upper, lower = Content(Box(20, 10, 80, 40), picture[:30]), Content(Box(20, 40, 80, 70), picture[30:])
        joint = Circle(Point(50, 40), 20)
        for degrees, count in zip(ANGLES, opened(upper, lower, joint, ANGLES), strict=True):
            self.assertAlmostEqual(count, 20**2 * math.radians(abs(degrees)) / 2, delta=9)
        under = Content(Box(20, 10, 80, 70), picture)
        self.assertEqual(opened(upper, under, joint, ANGLES), [0] * len(ANGLES))

    def test_a_square_end_juts_out_and_a_round_one_does_not(self) -> None:
        picture = np.full((80, 40, 4), 255, np.uint8)
        limb = Content(Box(80, 60, 120, 140), picture)
        body = Content(Box(0, 0, 200, 110), np.full((110, 200, 4), 255, np.uint8))
        joint = Circle(Point(100, 80), 20)
        result = swing(limb, body, joint, (-40, 0, 40))
        self.assertEqual(result.jutting, ((0, 0), (0, 0), (0, 0)), "all of the end is before the body")
        upwards = Content(Box(80, 20, 120, 100), picture)
        thin = Content(Box(0, 80, 200, 90), np.full((10, 200, 4), 255, np.uint8))
        out = swing(upwards, thin, Circle(Point(100, 80), 20), (-60, 0, 60))
        self.assertEqual(out.jutting[1], (0, 0))
        self.assertGreater(sum(out.jutting[0]), 50)
        rows, columns = np.mgrid[:80, :40] + 0.5
        picture = picture.copy()
        picture[..., 3][(rows > 60) & (np.hypot(columns - 20, rows - 60) > 20)] = 0
        rounded = swing(Content(Box(80, 20, 120, 100), picture), thin, Circle(Point(100, 80), 20), (-60, 0, 60))
        self.assertLess(max(sum(one) for one in rounded.jutting), 8, "the round end turns in itself")

    def test_a_limb_cut_at_the_bodys_edge_opens_at_once_and_not_once_the_body_is_grown_under_it(self) -> None:
        canvas = np.zeros((200, 200, 4), np.uint8)
        body, limb = canvas.copy(), canvas.copy()
        body[20:80, 40:160] = (200, 60, 40, 255)
        limb[80:180, 80:120] = (40, 60, 200, 255)
        joint = Circle(Point(100, 80), 20)
        whole, arm = Content(Box(0, 0, 200, 200), body), Content(Box(0, 0, 200, 200), limb)
        angles = tuple(range(-45, 46, 5))
        before = opened(arm, whole, joint, angles)
        self.assertTrue(all(count > 0 for angle, count in zip(angles, before, strict=True) if angle), "at 5° and on")
        grown = grow_under(whole, 22, limb[..., 3] == 255).content
        self.assertEqual(opened(arm, grown, joint, angles), [0] * len(angles))

    def test_it_counts_what_plain_rotation_at_sixteenfold_resolution_shows(self) -> None:
        """An arm whose end goes on far above its pivot, over a body that ends at the shoulder: outlines turned, then drawn 16 times as large."""
        arm = np.array([[88, 34], [110, 30], [124, 62], [132, 180], [104, 184], [96, 80]], float)
        body = np.array([[20, 70], [118, 70], [122, 190], [20, 190]], float)
        pivot = Point(110.0, 92.0)
        limb, staying = drawn(arm), drawn(body)
        # All that is behind is body to its edge: what was under the arm is cut away.
        staying.picture[..., 3][limb.picture[..., 3] == 255] = 0
        joint = joint_about(limb, pivot)
        angles = (-40, -26, -12, 0, 12, 26, 40)
        found = swing(limb, staying, joint, angles)
        rows, columns = np.mgrid[:200, :200] + 0.5
        far = np.hypot(columns - pivot.x, rows - pivot.y) <= joint.radius
        for at, degrees in enumerate(angles):
            turned = coverage(rotated(arm, pivot, degrees))
            rest, stays = coverage(arm), staying.picture[..., 3] / 255
            opened = (far & (rest == 1) & (stays < 0.5) & (turned < 0.5)).sum()
            above = (rows - pivot.y) * along(arm, pivot, degrees)[1] + (columns - pivot.x) * along(arm, pivot, degrees)[
                0
            ] < 0
            out = (above & (turned >= 0.5) & (rest < 0.5) & (stays < 0.5)).sum()
            with self.subTest(degrees=degrees):
                self.assertAlmostEqual(sum(found.opened[at]), opened, delta=6 + 0.02 * opened)
                self.assertAlmostEqual(sum(found.jutting[at]), out, delta=6 + 0.02 * out)
        self.assertGreater(sum(found.jutting[-1]), 900, "the end above the shoulder is followed to its tip")

    def test_a_pivot_beneath_the_neighbour_turns_a_joint_as_wide_as_the_limb(self) -> None:
        picture = np.full((100, 40, 4), 255, np.uint8)
        limb = Content(Box(80, 60, 120, 160), picture)
        body = Content(Box(0, 0, 200, 60), np.full((60, 200, 4), 255, np.uint8))
        joint = joint_about(limb, Point(100, 52))
        self.assertAlmostEqual(joint.radius, 20, delta=1)
        self.assertGreater(max(opened(limb, body, joint, ANGLES)), 40)
        longer = Content(Box(80, 30, 120, 160), np.full((130, 40, 4), 255, np.uint8))
        self.assertEqual(opened(longer, body, joint, ANGLES), [0] * len(ANGLES), "once the limb goes on beneath it")
        with self.assertRaises(CannotTakeOut):
            joint_about(limb, Point(100, 10))

    def test_what_opens_is_told_by_its_side_and_marked(self) -> None:
        picture = np.full((60, 60, 4), 255, np.uint8)
        upper, lower = Content(Box(20, 10, 80, 40), picture[:30]), Content(Box(20, 40, 80, 70), picture[30:])
        joint = Circle(Point(50, 40), 20)
        left, right = swing(upper, lower, joint, (20,)).opened[0]
        # Turned clockwise, the upper half lifts on its left, where one looks along it from the pivot.
        self.assertGreater(left, 50)
        self.assertLess(right, 5)
        gap = gap_at(upper, lower, joint, 20)
        self.assertEqual(int(gap.opened.sum()), left + right)
        rows, columns = np.nonzero(gap.opened)
        self.assertLess(columns.mean() + gap.box.left, 50)
        self.assertEqual(swing(upper, lower, joint, (-20, 0, 5)).worst, 0)

    def test_no_joint_of_the_tin_inspector_opens_once_it_is_completed(self) -> None:
        parts = taken("right hand", "right cuff", "left shoe", "left leg")
        for limb, neighbour in (("right hand", "right cuff"), ("left shoe", "left leg")):
            with self.subTest(limb=limb):
                covered = opaque(parts[limb])
                rows, columns = np.nonzero(covered & ndimage.binary_dilation(opaque(parts[neighbour]), iterations=6))
                pivot = Point(float(columns.mean()) + 0.5, float(rows.mean()) + 0.5)
                joint = Circle(pivot, float(np.hypot(columns + 0.5 - pivot.x, rows + 0.5 - pivot.y).max()))
                self.assertGreater(max(opened(parts[limb], parts[neighbour], joint, ANGLES)), 100)
                grown = grow_under(parts[neighbour], 12, covered).content
                whole = round_off(grown, pivot, joint.radius, covered).content
                self.assertEqual(opened(parts[limb], whole, joint, ANGLES), [0] * len(ANGLES))
                seen = ~covered & (opaque(whole) | opaque(parts[neighbour]))
                np.testing.assert_array_equal(
                    pixels(whole)[seen], pixels(parts[neighbour])[seen], "at rest it is as it was"
                )


def opened(limb: Content, staying: Content, joint: Circle, degrees: tuple[int, ...]) -> list[int]:
    return [sum(sides) for sides in swing(limb, staying, joint, degrees).opened]


def coverage(outline: np.ndarray) -> np.ndarray:
    """How much of each of 200 x 200 pixels lies within an outline, from a drawing 16 times as large."""
    large = np.zeros((3200, 3200), np.uint8)
    cv2.fillPoly(large, [np.round(outline * 16 * 256 - 128).astype(np.int32)], 1, shift=8)
    return large.reshape(200, 16, 200, 16).mean(axis=(1, 3))


def drawn(outline: np.ndarray) -> Content:
    picture = np.full((200, 200, 4), 255, np.uint8)
    picture[..., 3] = np.round(coverage(outline) * 255)
    return Content(Box(0, 0, 200, 200), picture)


def rotated(outline: np.ndarray, pivot: Point, degrees: float) -> np.ndarray:
    cos, sin = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    x, y = outline[:, 0] - pivot.x, outline[:, 1] - pivot.y
    return np.stack([pivot.x + x * cos - y * sin, pivot.y + x * sin + y * cos], axis=1)


def along(outline: np.ndarray, pivot: Point, degrees: float) -> tuple[float, float]:
    """From the pivot to the middle of the turned outline's area."""
    rows, columns = np.mgrid[:200, :200] + 0.5
    cover = coverage(rotated(outline, pivot, degrees))
    return float((cover * (columns - pivot.x)).sum()), float((cover * (rows - pivot.y)).sum())


CANVAS = Box(0, 0, 1200, 1500)


def taken(*names: str) -> dict[str, Content]:
    """Parts of the tin inspector, taken out one after the other by the clicks of the guide."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder, "tin inspector.png")
        tin_inspector.write(path)
        rest = Content(CANVAS, np.array(Image.open(path).convert("RGBA")))
    found = {}
    for name in names:
        divided = propose(rest.picture)
        clicks = [Proposed(at, 40, "add") for at in tin_inspector.PARTS[name]]
        mask = select(rest.picture, rest.box, clicks, Edge(1, 0, 2), lambda _, divided=divided: divided)  # type: ignore[misc]
        cut = cut_out(rest, label_map(rest.picture, [mask]), "flat", mask)
        assert cut.left is not None
        found[name], rest = cut.taken[0].content, cut.left.content
    return found


def opaque(content: Content) -> np.ndarray:
    return placed_mask(content.picture[..., 3] == 255, content.box, CANVAS)


def pixels(content: Content) -> np.ndarray:
    return np.dstack([placed_mask(content.picture[..., at], content.box, CANVAS) for at in range(4)])
