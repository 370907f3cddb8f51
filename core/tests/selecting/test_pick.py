"""Parts by clicks: one click takes a part, further ones add and take away; the same every time, on any picture."""

import io
import json
import sys
import tempfile
import unittest
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path
from unittest import mock

import cv2
import numpy as np
from PIL import Image, ImageDraw

from tests.selecting.test_proposals import BLUE, CREAM, FIGURES, INK, RED, SKIN, flattened, toy
from yuplet.__main__ import main
from yuplet.errors import NothingThere, SelectionError
from yuplet.geometry import Box
from yuplet.picking import Picking, run_lengths
from yuplet.pixels import Picture
from yuplet.selecting.belonging import learned, said
from yuplet.selecting.choosing import Click
from yuplet.selecting.gestures import Clicked, from_json, select
from yuplet.selecting.masks import distance_to
from yuplet.selecting.nested import nested
from yuplet.selecting.patches import patches, rims_of
from yuplet.selecting.pick import picked
from yuplet.selecting.strokes import runs_on

SAID = Path(__file__).with_name("belonging_said.npz")


def overlap(one: np.ndarray, other: np.ndarray) -> float:
    return float((one & other).sum() / max(int((one | other).sum()), 1))


def disc(size: int, middle: tuple[float, float], radius: float) -> np.ndarray:
    y, x = np.mgrid[:size, :size] + 0.5
    return np.asarray(np.hypot(x - middle[0], y - middle[1]) <= radius)


def deepest(mask: np.ndarray) -> tuple[int, int]:
    at = int(distance_to(np.pad(~mask, 1, constant_values=True))[1:-1, 1:-1].argmax())
    return at % mask.shape[1], at // mask.shape[1]


def large_toy() -> Picture:
    """The toy at three times its size."""
    return toy().repeat(3, axis=0).repeat(3, axis=1)


class PickTests(unittest.TestCase):
    def test_one_click_takes_a_part_with_the_line_around_it(self) -> None:
        picture = toy()
        pieces = nested(picture)
        button = picked(picture, pieces, [Click(100, 140)])
        self.assertGreater(overlap(button, disc(200, (100, 140), 10.25)), 0.85)
        coat = picked(picture, pieces, [Click(60, 120)])
        self.assertTrue(coat[120, 60] and not coat[5, 5] and not coat[60, 100])

    def test_clicks_add_and_take_away(self) -> None:
        picture = toy()
        pieces = nested(picture)
        first = picked(picture, pieces, [Click(60, 120)])
        both = picked(picture, pieces, [Click(60, 120), Click(100, 80)])
        self.assertTrue(both[80, 100] and both[120, 60] and not both[5, 5])
        without = picked(picture, pieces, [Click(60, 120), Click(100, 80), Click(100, 80, False)])
        self.assertFalse(without[80, 100])
        self.assertTrue(without[120, 60])
        self.assertGreater(int(both.sum()), int(first.sum()))

    def test_a_click_is_never_undone_by_a_later_one(self) -> None:
        """Random clicks: each pixel that was clicked stays as it was said."""
        picture = large_toy()
        pieces = nested(picture)
        chance = np.random.default_rng(1)
        for _ in range(20):
            clicks: list[Click] = []
            for place in chance.choice(600 * 600, 6, replace=False).tolist():
                clicks.append(Click(place % 600, place // 600, bool(not clicks or chance.random() < 0.6)))
            mask = picked(picture, pieces, clicks)
            for one in clicks:
                self.assertEqual(bool(mask[one.y, one.x]), one.add, clicks)

    def test_clicks_beside_a_border_change_it_there_alone(self) -> None:
        """Clicks on both sides of the edge of an outlined face, none farther than 3 px from it: the face stays chosen, the ground does not."""
        image = Image.new("RGB", (600, 600), CREAM)
        draw = ImageDraw.Draw(image)
        draw.ellipse((120, 120, 480, 480), SKIN, (40, 30, 30), 6)
        for left in (210, 330):
            draw.ellipse((left, 240, left + 60, 300), BLUE, (40, 30, 30), 4)
        picture = np.array(image.convert("RGBA"))
        pieces = nested(picture)
        face = disc(600, (300.5, 300.5), 180.5)
        first = picked(picture, pieces, [Click(300, 200)])
        clicks = [Click(300, 200), Click(300, 118), Click(300, 116, False), Click(118, 300), Click(116, 300, False)]
        for count in range(2, len(clicks) + 1):
            mask = picked(picture, pieces, clicks[:count])
            self.assertLess(int((mask ^ first).sum()), 100, clicks[count - 1])
            self.assertGreater(overlap(mask, face), overlap(first, face) - 0.01)

    def test_larger_and_smaller_pieces(self) -> None:
        picture = toy()
        pieces = nested(picture)
        sizes = [int(picked(picture, pieces, [Click(100, 140)], steps).sum()) for steps in range(-3, 30)]
        self.assertEqual(sizes, sorted(sizes))
        self.assertEqual(sizes[-1], 200 * 200, "in the end all of it")
        self.assertGreater(len(set(sizes)), 3)

    def test_it_is_the_same_every_time(self) -> None:
        one, other = nested(toy()), nested(toy())
        np.testing.assert_array_equal(one.labels, other.labels)
        np.testing.assert_array_equal(one.parents, other.parents)
        np.testing.assert_array_equal(one.whole, other.whole)

    def test_borders_are_found_again_in_a_large_picture(self) -> None:
        """Divided at a quarter of its size; the disc is taken to the pixel all the same."""
        picture = np.full((4096, 4096, 4), 255, np.uint8)
        picture[..., :3] = CREAM
        round_it = disc(4096, (2000, 1700), 903.4)
        picture[round_it, :3] = RED
        found = picked(picture, nested(picture), [Click(2000, 1700)])
        self.assertGreater(overlap(found, round_it), 0.9999)

    def test_two_that_are_alike_are_one_key_apart(self) -> None:
        """A pair of eyes: one click takes one or both, a step or two the other."""
        image = Image.new("RGB", (400, 400), CREAM)
        draw = ImageDraw.Draw(image)
        draw.ellipse((60, 60, 340, 340), SKIN)
        eyes = np.zeros((400, 400), bool)
        for left in (120, 240):
            draw.ellipse((left, 150, left + 40, 190), BLUE)
            eyes |= disc(400, (left + 20.5, 170.5), 20)
        picture = np.array(image.convert("RGBA"))
        pieces = nested(picture)
        best = max(overlap(picked(picture, pieces, [Click(140, 170)], steps), eyes) for steps in (0, 1, 2))
        self.assertGreater(best, 0.95)

    def test_parts_of_open_figures_take_few_clicks(self) -> None:
        """Figures whose parts are known (core/tests/golden/world/figures), all parts, lines too; measured in bench/flat.py."""
        reached = []
        for path in sorted(FIGURES.glob("*.svg")):
            picture, truth = flattened(path)
            pieces = nested(picture)
            for mask in truth.values():
                if mask.mean() < 0.003:
                    continue
                clicks: list[Click] = []
                got = np.zeros_like(mask)
                overlaps = []
                for _ in range(3):
                    lacking, extra = mask & ~got, got & ~mask
                    add = not extra.any() or _depth(lacking) >= _depth(extra)
                    clicks.append(Click(*deepest(lacking if add else extra), add))
                    got = picked(picture, pieces, clicks)
                    overlaps.append(overlap(got, mask))
                reached.append(overlaps)
        means = np.mean(reached, axis=0)
        self.assertGreater(len(reached), 20)
        self.assertGreater(means[0], 0.6)
        self.assertGreater(means[2], 0.68)

    def test_any_picture_is_divided(self) -> None:
        chance = np.random.default_rng(5)
        ramp = np.broadcast_to(np.linspace(0, 255, 300).astype(np.uint8)[None, :, None], (300, 300, 3))
        pictures = {
            "noise": chance.integers(0, 256, (300, 300, 3), np.uint8),
            "gradient": ramp,
            "one colour": np.full((300, 300, 3), 90, np.uint8),
            "photograph": cv2.GaussianBlur(chance.integers(0, 256, (300, 300, 3), np.uint8), (0, 0), 5),
            "a row": np.full((1, 300, 3), 90, np.uint8),
            "text": np.array(_text()),
        }
        for name, colours in pictures.items():
            picture = np.dstack([colours, np.full(colours.shape[:2], 255, np.uint8)])
            with self.subTest(name):
                pieces = nested(picture)
                self.assertLessEqual(pieces.count, 1500)
                at = (picture.shape[1] // 2, picture.shape[0] // 2)
                self.assertTrue(picked(picture, pieces, [Click(*at)])[at[1], at[0]])

    def test_what_is_not_there_is_not_taken(self) -> None:
        picture = toy()
        picture[:, :40] = 0
        pieces = nested(picture)
        self.assertFalse(picked(picture, pieces, [Click(60, 120)], 30)[:, :40].any())
        for x, y in ((10, 10), (-1, 5), (200, 5), (5, 10**9)):
            with self.assertRaisesRegex(NothingThere, "Click on its art"):
                picked(picture, pieces, [Click(x, y)])
        with self.assertRaisesRegex(NothingThere, "nothing to divide"):
            nested(np.zeros((9, 9, 4), np.uint8))
        with self.assertRaisesRegex(NothingThere, "Click on its art"):
            picked(toy(), nested(toy()), [Click(10**400, 5)])

    def test_pictures_that_are_all_length(self) -> None:
        for shape in ((3000, 1), (1, 3000), (3000, 2), (40, 3000), (1, 1), (2, 700)):
            picture = np.full((*shape, 4), 255, np.uint8)
            picture[: shape[0] // 2 + 1, : shape[1] // 2 + 1, :3] = RED
            with self.subTest(shape):
                found = picked(picture, nested(picture), [Click(0, 0)])
                self.assertEqual(found.shape, shape)
                self.assertTrue(found[0, 0])

    def test_emptiness_is_no_dark_line(self) -> None:
        """A light disc on nothing, larger than it is divided at: one patch, without a rim of mixed colours."""
        for size, radius in ((2400, 900), (240, 90)):
            picture = np.zeros((size, size, 4), np.uint8)
            there = disc(size, (size / 2, size / 2), radius)
            picture[there] = (*CREAM, 255)
            pieces = nested(picture)
            with self.subTest(size):
                self.assertEqual(pieces.count, 1)
                np.testing.assert_array_equal(picked(picture, pieces, [Click(size // 2, size // 2)]), there)

    def test_a_line_that_is_nobody_elses_comes_along(self) -> None:
        """An outlined body below an outlined head: of the line between the two, and of the head's, nothing is left over when the body follows the head."""
        large = Image.new("RGBA", (2400, 2400), (*CREAM, 255))
        draw = ImageDraw.Draw(large)
        draw.rectangle((720, 1200, 1680, 2080), RED, INK, 36)
        draw.ellipse((800, 360, 1600, 1320), SKIN, INK, 36)
        picture = np.array(large.resize((600, 600), Image.Resampling.BOX))
        pieces = nested(picture)
        head = picked(picture, pieces, [Click(300, 200)])
        body = picked(picture, pieces, [Click(300, 430)], gone=head)
        left = (np.abs(picture[..., :3].astype(int) - CREAM).max(axis=2) > 60) & ~head & ~body
        self.assertLess(int(left.sum()), 150, "of lines of some 9,000 px")
        self.assertFalse((head | body)[20, 20])

    def test_strokes_that_run_on_into_each_other(self) -> None:
        image = Image.new("RGB", (120, 120), "white")
        draw = ImageDraw.Draw(image)
        draw.line((10, 60, 58, 60), "black", 5)
        draw.line((62, 60, 110, 60), "red", 5)
        draw.line((60, 64, 60, 110), "blue", 5)
        draw.rectangle((58, 57, 62, 63), "black")
        pixels = np.array(image)
        labels = np.zeros((120, 120), np.int32)
        for number, colour in enumerate(((0, 0, 0), (255, 0, 0), (0, 0, 255)), 1):
            labels[(pixels == colour).all(axis=2)] = number
        sizes = np.bincount(labels.ravel())[1:].astype(float)
        runs = runs_on(labels, sizes, np.full(3, 2.5))
        self.assertGreater(runs[0, 1], 0.95, "straight on")
        self.assertLess(runs[0, 2], runs[0, 1] - 0.25, "at a right angle")
        self.assertEqual(runs[1, 2], 0, "they do not meet")
        np.testing.assert_array_equal(runs, runs.T)


class PatchTests(unittest.TestCase):
    def labels(self, picture: Picture) -> np.ndarray:
        return patches(picture, picture[..., 3] > 0, 6)[0]

    def test_a_line_and_a_shape_of_its_colour_are_two(self) -> None:
        image = Image.new("RGB", (200, 200), CREAM)
        draw = ImageDraw.Draw(image)
        draw.ellipse((20, 60, 100, 140), INK)
        draw.line((95, 100, 190, 100), INK, 4)
        labels = self.labels(np.array(image.convert("RGBA")))
        self.assertNotEqual(labels[100, 60], labels[100, 170])

    def test_a_line_is_parted_where_it_branches(self) -> None:
        image = Image.new("RGB", (200, 200), CREAM)
        draw = ImageDraw.Draw(image)
        draw.line((10, 100, 190, 100), INK, 4)
        draw.line((100, 100, 100, 190), INK, 4)
        labels = self.labels(np.array(image.convert("RGBA")))
        self.assertEqual(len({labels[100, 30], labels[100, 170], labels[160, 100]}), 3)

    def test_two_shapes_that_hang_together_at_a_neck_are_two(self) -> None:
        image = Image.new("RGB", (200, 200), CREAM)
        draw = ImageDraw.Draw(image)
        draw.ellipse((20, 60, 105, 140), RED)
        draw.ellipse((95, 60, 180, 140), RED)
        labels = self.labels(np.array(image.convert("RGBA")))
        self.assertNotEqual(labels[100, 50], labels[100, 150])

    def test_the_smoothed_edge_of_a_shape_is_no_patch(self) -> None:
        image = Image.new("RGB", (800, 800), CREAM)
        ImageDraw.Draw(image).ellipse((200, 200, 600, 600), BLUE)
        labels = self.labels(np.array(image.resize((200, 200), Image.Resampling.BOX).convert("RGBA")))
        inside = distance_to(rims_of(labels))
        for label in range(1, int(labels.max()) + 1):
            self.assertGreater(float(inside[labels == label].max()), 5, "all of them are thick")
        self.assertEqual(len(np.unique(labels[disc(200, (100, 100), 98 / 2)])), 1)


class LearnedTests(unittest.TestCase):
    def test_the_trees_say_what_the_library_said_that_fitted_them(self) -> None:
        """scikit-learn's histogram gradient boosting, whose answers bench/fit_belonging.py kept."""
        with np.load(SAID, allow_pickle=False) as held:
            for name in ("pair", "whole", "choice", "patch"):
                self.assertGreater(len(held[name]), 50)
                np.testing.assert_allclose(said(learned(name), held[name]), held[f"{name}_said"], atol=1e-4)


class GestureTests(unittest.TestCase):
    def test_clicks_are_on_the_canvas(self) -> None:
        picture = toy()
        gesture = from_json({"tool": "clicked", "clicks": [{"x": 1100, "y": 2140}]})
        self.assertIsInstance(gesture, Clicked)
        mask = select(picture, Box(1000, 2000, 1200, 2200), [gesture])
        np.testing.assert_array_equal(mask > 0, picked(picture, nested(picture), [Click(100, 140)]))

    def test_what_is_no_click_is_refused(self) -> None:
        for clicks in (
            [],
            [{"x": 1}],
            [{"x": 1.5, "y": 2}],
            [{"x": 1, "y": True}],
            [{"x": 1, "y": 2, "z": 3}],
            [{"x": 1, "y": 2}] * 1000,
        ):
            with self.assertRaisesRegex(SelectionError, "not complete"):
                from_json({"tool": "clicked", "clicks": clicks})


class CommandLineTests(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.file = self.folder / "toy.png"
        Image.fromarray(large_toy(), "RGBA").save(self.file)

    def run_with(self, *arguments: str, lines: str = "") -> tuple[int, str, str]:
        out, err = io.StringIO(), io.StringIO()
        with mock.patch.object(sys, "stdin", io.StringIO(lines)), redirect_stdout(out), redirect_stderr(err):
            status = main([*arguments])
        return status, out.getvalue(), err.getvalue()

    def test_each_line_of_clicks_is_answered_by_the_runs_of_what_they_take(self) -> None:
        lists = [[{"x": 300, "y": 420}], [{"x": 180, "y": 360}, {"x": 300, "y": 420, "add": False}]]
        lines = "".join(json.dumps(one) + "\n" for one in lists)
        status, out, _ = self.run_with("pick", str(self.file), "--clicks", "-", lines=lines)
        self.assertEqual(status, 0)
        picture = large_toy()
        for clicks, line in zip(lists, out.splitlines(), strict=True):
            answer = json.loads(line)
            mask = (np.repeat(np.arange(len(answer["rle"])) % 2, answer["rle"]) == 1).reshape(600, 600)
            expected = picked(picture, nested(picture), [Click(**one) for one in clicks])
            np.testing.assert_array_equal(mask, expected)
            self.assertEqual(answer["pixels"], int(expected.sum()))
            left, top, width, height = answer["box"]
            self.assertTrue(mask[top : top + height, left : left + width].sum() == mask.sum())

    def test_lines_that_are_no_clicks_are_named(self) -> None:
        for line in ("{}", "[", "[{}]", '[{"x": 5, "y": 5000}]', "[" * 5000, "x" * (2 << 20)):
            status, _, err = self.run_with("pick", str(self.file), "--clicks", "-", lines=f"\n{line}\n")
            self.assertEqual(status, 2)
            self.assertRegex(err, "^Line 2 of the clicks: ")
        status, _, err = self.run_with("pick", str(self.file), "--layer", "nose", "--clicks", "-")
        self.assertEqual((status, "no layer 'nose'" in err), (2, True))

    def test_pieces_are_written_as_label_images(self) -> None:
        out = self.folder / "pieces"
        status, _, _ = self.run_with("propose", str(self.file), "--out", str(out))
        self.assertEqual(status, 0)
        self.assertEqual(self.run_with("propose", str(self.file), "--out", str(out))[0], 0, "once more")
        status, _, err = self.run_with("propose", str(self.file), "--out", str(self.folder))
        self.assertEqual((status, "Nothing was written" in err), (2, True))
        said_so = json.loads((out / "pieces.json").read_text())
        fine = cv2.imread(str(out / "patches.png"), cv2.IMREAD_UNCHANGED)
        self.assertEqual((fine.dtype, fine.shape, int(fine.max())), (np.uint16, (600, 600), said_so["patches"]))
        self.assertEqual(set(said_so["images"]), {path.name for path in out.glob("*.png")})
        pieces = nested(large_toy())
        for level in (5, 10):
            coarse = cv2.imread(str(out / f"pieces-{level}.png"), cv2.IMREAD_UNCHANGED)
            self.assertEqual(int(coarse.max()), level)
            pairs = np.unique(fine.astype(np.int64) * 10_000 + coarse)
            self.assertEqual(len(pairs), pieces.count, "each patch lies in one piece")

    def test_runs(self) -> None:
        picking = Picking(self.file)
        mask = picking.pick([(300, 420)])
        runs = run_lengths(mask)
        self.assertEqual(sum(runs), mask.size)
        self.assertEqual(sum(runs[1::2]), int(mask.sum()))


def _depth(mask: np.ndarray) -> float:
    return float(distance_to(np.pad(~mask, 1, constant_values=True)).max())


def _text() -> Image.Image:
    image = Image.new("RGB", (300, 300), CREAM)
    draw = ImageDraw.Draw(image)
    for row in range(0, 300, 12):
        draw.text((2, row), "the lamp keeper counts his stamps by night " * 2, INK)
    return image
