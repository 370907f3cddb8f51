"""What clicks mean, patch by patch, against plain slow ways to find the same."""

import itertools
import unittest
from dataclasses import fields

import numpy as np
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import depth_first_order, minimum_spanning_tree

from tests.selecting.test_pick import large_toy
from tests.selecting.test_proposals import BLUE, INK, RED, SKIN, toy
from yuplet.errors import NothingThere
from yuplet.selecting import belonging
from yuplet.selecting.belonging import PAIR, learned, may_belong, measure_pair, said
from yuplet.selecting.choosing import Click
from yuplet.selecting.nested import NEAR, Nested, nested
from yuplet.selecting.pick import picked
from yuplet.selecting.steering import MOST, STEERED, Steering


class SteeringTests(unittest.TestCase):
    pieces: Nested

    @classmethod
    def setUpClass(cls) -> None:
        cls.pieces = nested(toy())
        # As they are where pieces are remembered.
        for one in fields(cls.pieces):
            if isinstance(value := getattr(cls.pieces, one.name), np.ndarray):
                value.setflags(write=False)

    def test_chosen_is_what_may_be_expected_to_overlap_most(self) -> None:
        """Against all sets of patches there are."""
        chance = np.random.default_rng(2)
        picture = np.full((600, 600, 4), 255, np.uint8)
        for left, colour in zip(range(40, 540, 100), (RED, BLUE, SKIN, INK, (90, 150, 80)), strict=True):
            picture[left : left + 120, left : left + 60 + left // 10, :3] = colour
        pieces = nested(picture)
        self.assertIn(pieces.count, range(5, 14), "few enough to try all sets")
        sizes = pieces.known[: pieces.count, belonging.SIZE]
        sets = np.array(list(itertools.product((False, True), repeat=pieces.count)))[1:]
        for _ in range(20):
            meant = Steering(pieces)
            meant.note(Click(60, 60))
            likely = chance.random(pieces.count)
            likely[meant.patches[-1]] = 1
            meant.decide(likely)
            inside = sets @ (likely * sizes)
            overlap = inside / (sets @ sizes + float(likely @ sizes) - inside)
            got = float((likely * sizes)[meant.chosen].sum())
            reached = got / (float(sizes[meant.chosen].sum()) + float(likely @ sizes) - got)
            self.assertAlmostEqual(reached, float(overlap.max()), places=9)

    def test_a_pair_alone_is_asked_as_the_tree_asks_it(self) -> None:
        meant = Steering(self.pieces)
        measures = meant.note(Click(100, 140))
        self.assertEqual(measures.shape, (self.pieces.count, STEERED))
        patch = meant.patches[-1]
        own = self.pieces.known[: self.pieces.count].copy()
        border, contrast, runs = (one.copy() for one in (self.pieces.border, self.pieces.contrast, self.pieces.runs))
        others = np.array([one for one in range(self.pieces.count) if one != patch], np.int32)
        asked = 0
        for other in others.tolist():
            if not may_belong(own, border, patch, other, NEAR):
                self.assertEqual(measures[other, 6], -20)
                continue
            row = np.zeros(PAIR, np.float32)
            measure_pair(
                own, border, contrast, runs, others, self.pieces.ground.copy(), self.pieces.total, patch, other, row
            )
            self.assertAlmostEqual(float(measures[other, 6]), float(said(learned("pair"), row[None])[0]), places=4)
            asked += 1
        self.assertGreater(asked, 2)

    def test_the_weakest_way_from_patch_to_patch(self) -> None:
        """The strongest border on it, against the path in a minimum spanning tree (scipy): both are the way whose strongest border is weakest."""
        pieces = nested(large_toy())
        measures = Steering(pieces).note(Click(300, 420))
        start = int(pieces.labels[420, 300]) - 1
        between = np.where(pieces.border > 0, pieces.contrast / np.maximum(pieces.border, 1) + 1, 0)
        tree = minimum_spanning_tree(csr_matrix(between))
        tree = tree + tree.T
        order, before = depth_first_order(tree, start, directed=False)
        strongest = np.zeros(pieces.count)
        for patch in order[1:].tolist():
            strongest[patch] = max(strongest[before[patch]], tree[before[patch], patch] - 1)
        np.testing.assert_allclose(measures[order, 5], strongest[order], atol=1e-5)

    def test_clicks_beyond_those_that_are_understood_still_count(self) -> None:
        chance = np.random.default_rng(4)
        meant = Steering(self.pieces)
        clicks = [Click(100, 140)]
        clicks += [
            Click(*place, bool(chance.random() < 0.5)) for place in chance.integers(0, 200, (3 * MOST, 2)).tolist()
        ]
        for click in clicks:
            meant.click(click)
        mask = meant.mask()
        for index, click in enumerate(clicks):
            later = {(one.x, one.y) for one in clicks[index + 1 :]}
            if (click.x, click.y) not in later:
                self.assertEqual(bool(mask[click.y, click.x]), click.add, click)

    def test_beyond_them_a_click_on_nothing_is_refused_and_the_last_click_can_be_stepped_as_before(self) -> None:
        clicks = [Click(60, 120 + number) for number in range(MOST + 1)]
        with self.assertRaisesRegex(NothingThere, "Click on its art"):
            picked(toy(), self.pieces, [*clicks, Click(-1, 5)])
        self.assertTrue(picked(toy(), self.pieces, clicks, 99).all(), "in the end all of it")

    def test_what_is_clicked_where_nothing_is_to_be_taken_away_changes_nothing(self) -> None:
        meant = Steering(self.pieces)
        meant.click(Click(100, 140))
        before = meant.mask()
        meant.click(Click(-1, -1, False))
        np.testing.assert_array_equal(meant.mask(), before)
        self.assertEqual(meant.pieces(), [])
