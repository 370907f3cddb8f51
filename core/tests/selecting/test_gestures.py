"""From the numbers of gestures to a mask."""

import unittest
from dataclasses import asdict
from typing import Any

import numpy as np

from yuplet.errors import NothingChosen, SelectionError
from yuplet.geometry import Box
from yuplet.selecting.gestures import (
    DrawRound,
    Edge,
    Island,
    SameColour,
    edge_from_json,
    from_json,
    select,
)

BOX = Box(100, 50, 140, 80)


class GestureTests(unittest.TestCase):
    def setUp(self) -> None:
        self.picture = np.zeros((30, 40, 4), np.uint8)
        self.picture[5:25, 5:35] = (200, 30, 30, 255)
        self.picture[10:20, 10:18] = (30, 30, 200, 255)

    def test_gestures_one_after_the_other(self) -> None:
        red, blue = SameColour((106, 56)), SameColour((112, 62))
        self.assertEqual(int((select(self.picture, BOX, [red]) == 255).sum()), 520)
        both = select(self.picture, BOX, [red, SameColour((112, 62), how="add")])
        self.assertEqual(int((both == 255).sum()), 600)
        half = DrawRound(((100, 50), (120, 50), (120, 80), (100, 80)), "intersect")
        self.assertEqual(int((select(self.picture, BOX, [red, half]) == 255).sum()), 15 * 20 - 80)
        self.assertEqual(int((select(self.picture, BOX, [red, blue]) == 255).sum()), 80, "the last one instead")
        island = select(self.picture, BOX, [Island((110, 70))])
        np.testing.assert_array_equal(island > 0, self.picture[..., 3] > 0)

    def test_what_is_not_there_is_never_chosen(self) -> None:
        everything = DrawRound(((0, 0), (999, 0), (999, 999), (0, 999)))
        mask = select(self.picture, BOX, [everything], Edge(grow=20))
        np.testing.assert_array_equal(mask > 0, self.picture[..., 3] > 0)

    def test_nothing_chosen(self) -> None:
        outside = DrawRound(((0, 0), (9, 0), (9, 9)))
        for gestures in ([outside], [], [SameColour((112, 62)), SameColour((112, 62), how="subtract")]):
            with self.assertRaisesRegex(NothingChosen, "Select some of its art"):
                select(self.picture, BOX, gestures)
        with self.assertRaisesRegex(SelectionError, "up to 500 gestures"):
            select(self.picture, BOX, [SameColour((112, 62), how="add")] * 501)
        with self.assertRaises(NothingChosen):
            select(self.picture, BOX, [SameColour((112, 62))], Edge(grow=-40))

    def test_numbers_come_and_go_as_json(self) -> None:
        for gesture in (DrawRound(((1, 2), (3, 4), (5.5, 6)), "subtract"), Island((3, 4), 2.0)):
            self.assertEqual(from_json(asdict(gesture)), gesture)
        self.assertEqual(edge_from_json({"grow": -3, "soft": 4}), Edge(grow=-3.0, soft=4.0))
        wrong: list[dict[str, Any]] = [
            {"tool": "lasso"},
            {"tool": "same-colour"},
            {"tool": "same-colour", "at": [1]},
            {"tool": "same-colour", "at": [1, 2], "distance": -4},
            {"tool": "same-colour", "at": [1, 2], "how": "xor"},
            {"tool": "same-colour", "at": [1, 2], "other": 3},
            {"tool": "inside-lines", "at": [1, 2], "line": "none"},
            {"tool": "draw-round", "points": [[1, "x"], [2, 3], [4, 5]]},
            {"tool": "draw-round", "points": [[1, 2]] * 20_001},
        ]
        for value in wrong:
            with self.subTest(value.get("tool"), value=list(value)), self.assertRaises(SelectionError):
                from_json(value)
        for edge in ({"grow": 1e9}, {"soft": "4"}, {"wide": 3}, {"soft": float("nan")}):
            with self.subTest(edge), self.assertRaises(SelectionError):
                edge_from_json(edge)
