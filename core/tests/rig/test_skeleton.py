"""Parents and joints: chains of turns against a mathematics library, circles against a graph library, twins."""

import math
import random
import unittest
from dataclasses import replace

import networkx
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import RigidTransform, Rotation

from yuplet.arrangement.commands import JoinRows, RemoveRows, SetJoints, apply
from yuplet.arrangement.taking import duplicated
from yuplet.arrangement.tree import Arrangement, PartGroup
from yuplet.errors import CannotCarry, NoSuchRow
from yuplet.geometry import Affine, Box, Point
from yuplet.parts.part import Part, still
from yuplet.rig.skeleton import carried_by, mirrored_joints, poses


def part(name: str, parent: str | None = None, pivot: tuple[float, float] | None = None) -> Part:
    return Part(name, name, still(name), parent=parent, pivot=pivot and Point(*pivot))


ARM = Arrangement(
    (
        part("body"),
        part("upper", "body", (100, 50)),
        part("lower", "upper", (100, 150)),
        part("hand", "lower", (100, 240)),
    )
)


class PoseTests(unittest.TestCase):
    def test_an_arm_that_is_turned_keeps_the_hand_at_its_elbow(self) -> None:
        turned = poses(ARM, {"upper": 30})
        elbow, wrist = Point(100, 150), Point(100, 240)
        for place in (elbow, wrist):
            moved = turned["lower"].of(place)
            self.assertAlmostEqual(math.dist(moved, (100, 50)), math.dist(place, (100, 50)), places=9)
        self.assertAlmostEqual(math.dist(turned["hand"].of(wrist), turned["lower"].of(elbow)), 90, delta=0.01)
        self.assertEqual(turned["body"], Affine())

    @settings(max_examples=60, deadline=None)
    @given(
        st.lists(st.floats(-180, 180), min_size=3, max_size=3), st.tuples(st.floats(-500, 500), st.floats(-500, 500))
    )
    def test_chains_of_turns_agree_with_scipy(self, angles: list[float], at: tuple[float, float]) -> None:
        turned = poses(ARM, dict(zip(("upper", "lower", "hand"), angles, strict=True)))
        chain = RigidTransform.identity()
        for degrees, y in zip(angles, (50.0, 150.0, 240.0), strict=True):
            there = RigidTransform.from_translation([100.0, y, 0.0])
            turn = RigidTransform.from_rotation(Rotation.from_euler("z", degrees, degrees=True))
            chain = chain * there * turn * there.inv()
        expected = chain.apply([*at, 0.0])[:2]
        np.testing.assert_allclose(turned["hand"].of(Point(*at)), expected, atol=1e-8)

    def test_a_long_chain_and_parts_without_pivots(self) -> None:
        many = Arrangement(tuple(part(str(at), str(at - 1) if at else None, (0, 0)) for at in range(3000)))
        self.assertAlmostEqual(poses(many, {"0": 90})["2999"].of(Point(1, 0)).y, 1)
        self.assertEqual(poses(ARM, {"body": 90})["body"], Affine(), "it has nothing to turn about")
        self.assertEqual(carried_by(ARM, "upper"), {"upper", "lower", "hand"})


class CircleTests(unittest.TestCase):
    def test_circles_are_refused_exactly_where_a_graph_library_finds_one(self) -> None:
        choose = random.Random(7)
        refused = 0
        for _ in range(300):
            names = [f"p{at}" for at in range(6)]
            parents = {name: choose.choice([None, *names]) for name in names}
            graph = networkx.DiGraph([(parent, name) for name, parent in parents.items() if parent is not None])
            rows = Arrangement(tuple(part(name) for name in names))
            try:
                apply(rows, SetJoints(parents))
                self.assertTrue(networkx.is_directed_acyclic_graph(graph), parents)
            except CannotCarry:
                refused += 1
                self.assertFalse(networkx.is_directed_acyclic_graph(graph), parents)
        self.assertGreater(refused, 50)
        self.assertLess(refused, 290)

    def test_the_reason_names_who_carries_whom(self) -> None:
        with self.assertRaisesRegex(CannotCarry, "form a loop: 'upper', 'lower', 'body', 'upper'"):
            apply(ARM, SetJoints({"body": "lower"}))
        with self.assertRaises(NoSuchRow):
            apply(ARM, SetJoints({"body": "nobody"}))

    def test_a_carrier_that_is_gone_carries_nothing_and_comes_back_with_its_row(self) -> None:
        gone = apply(ARM, RemoveRows(("lower",)))
        self.assertNotIn("hand", gone.parents())
        self.assertEqual(apply(gone, RemoveRows(("lower",)).inverse(ARM)).parents()["hand"], "lower")

    def test_one_part_of_several_carries_and_turns_as_they_did(self) -> None:
        joined = apply(ARM, JoinRows(("upper", "lower")))
        (made,) = (row for row in joined.rows if row.id not in ("body", "hand"))
        self.assertEqual(joined.parents(), {made.id: "body", "hand": made.id})
        self.assertEqual(made.pivot, Point(100, 150))  # type: ignore[union-attr]
        self.assertEqual(apply(joined, JoinRows(("upper", "lower")).inverse(ARM)), ARM)

    def test_titles(self) -> None:
        self.assertEqual(SetJoints({"hand": "body"}).title(ARM), "Set parent of 'hand' to 'body'")
        self.assertEqual(SetJoints({"hand": None}).title(ARM), "Remove parent of 'hand'")
        self.assertEqual(SetJoints({"hand": "body"}, {"upper": (1, 2)}).title(ARM), "Set joints of 2 parts")


class TwinTests(unittest.TestCase):
    def test_joints_go_over_to_the_other_side(self) -> None:
        rows = Arrangement(
            (
                part("body"),
                PartGroup("r", "arm right", (part("upper-r"), part("hand-r"))),
                PartGroup("l", "arm left", (part("upper-l", "body", (30, 40)), part("hand-l", "upper-l", (20, 90)))),
            )
        )
        names = {"upper-r": "upper", "hand-r": "hand", "upper-l": "upper", "hand-l": "hand"}
        rows = rows.changed(lambda row: replace(row, name=names.get(row.id, row.name)))
        boxes = {
            "upper-l": Box(20, 30, 40, 80), "hand-l": Box(10, 80, 30, 100),
            "upper-r": Box(160, 30, 200, 130), "hand-r": Box(170, 80, 190, 100),
        }  # fmt: skip
        joints = mirrored_joints(rows, ["upper-l", "hand-l", "body"], boxes)
        self.assertEqual(joints.parents, {"upper-r": "body", "hand-r": "upper-r"})
        # Half of the way across stays half, a quarter of the way down a quarter of the other box.
        self.assertEqual(joints.pivots, {"upper-r": (180, 50), "hand-r": (180, 90)})

    def test_a_mirror_image_is_carried_by_the_twin_of_its_carrier(self) -> None:
        rows = Arrangement((part("arm L"), part("arm R"), part("hand L", "arm L")))
        made = apply(rows, duplicated(rows, "hand L", {"hand L": "m1"}, "d2", None, True))
        (fresh,) = (row for row in made.rows if row.id == "d2")
        self.assertEqual((fresh.name, made.parents()["d2"]), ("hand R", "arm R"))
        same = apply(rows, duplicated(rows, "hand L", {}, "d2", None, False))
        self.assertEqual(same.parents()["d2"], "arm L")
