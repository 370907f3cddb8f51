"""Plans: names, boxes and order, before a pixel is touched."""

import unittest
from dataclasses import replace

import signal_post
from yuplet.arrangement.commands import IncludeParts, RenameRows, ShowAlone, ShowRows, apply
from yuplet.arrangement.tree import arrangement_of
from yuplet.errors import NothingToHandOver
from yuplet.geometry import Box, Size
from yuplet.illustration.layers import Illustration, Layer, LayerGroup
from yuplet.pixels.scratch import Scratch
from yuplet.plan.plan import plan_hand_over

with Scratch() as _scratch:
    POST = signal_post.signal_post(_scratch)
START, _ = arrangement_of(POST)


class PlanTests(unittest.TestCase):
    def test_files_stand_in_group_folders_and_are_numbered_from_the_back(self) -> None:
        plan = plan_hand_over(POST, START)
        self.assertEqual([(planned.order, planned.file) for planned in plan.parts][:4], [
            (1, "parts/sky.png"), (2, "parts/marsh/reeds.png"), (3, "parts/marsh/shade.png"), (4, "parts/post/mast.png"),
        ])  # fmt: skip
        self.assertEqual(plan.files[:3], ["manifest.json", "reference.png", "places.csv"])
        self.assertEqual((plan.empty, plan.left_out), (("spare",), ()))

    def test_a_part_in_a_hidden_group_is_handed_over_as_hidden(self) -> None:
        plan = plan_hand_over(POST, apply(START, ShowRows({"post": False})))
        self.assertEqual(
            [planned.part.id for planned in plan.parts if not planned.shown], ["mast", "arm", "lowered", "lamp"]
        )

    def test_what_is_shown_alone_changes_nothing(self) -> None:
        self.assertEqual(plan_hand_over(POST, apply(START, ShowAlone("arm"))), plan_hand_over(POST, START))

    def test_what_is_left_out_is_gone_from_the_tree_too_and_so_are_groups_without_parts(self) -> None:
        plan = plan_hand_over(POST, apply(START, IncludeParts({"reeds": False, "shade": False})))
        self.assertEqual(plan.left_out, ("marsh / reeds", "marsh / shade"))
        self.assertNotIn("marsh", [row.name for row in plan.tree])

    def test_a_part_and_a_group_of_the_same_name_get_different_files(self) -> None:
        box = Box(0, 0, 2, 2)
        layers = (
            Layer("a", "eye", box),
            LayerGroup("b", "eye.png", (Layer("c", "iris", box),)),
            LayerGroup("d", "EYE", (Layer("e", "iris", box),)),
        )
        picture = Illustration("x", Size(4, 4), layers)
        files = [planned.file for planned in plan_hand_over(picture, arrangement_of(picture)[0]).parts]
        self.assertEqual(len({file.casefold() for file in files}), 3)
        folders = {file.rsplit("/", 1)[0].casefold() for file in files}
        self.assertTrue(folders.isdisjoint({file.casefold() for file in files}))

    def test_names_that_differ_in_case_only_never_meet(self) -> None:
        arrangement = apply(START, RenameRows({"arm": "Mast"}))
        files = [planned.file.casefold() for planned in plan_hand_over(POST, arrangement).parts]
        self.assertEqual(len(files), len(set(files)))

    def test_nothing_to_hand_over(self) -> None:
        empty = replace(POST, layers=(Layer("a", "nothing", None),))
        with self.assertRaises(NothingToHandOver):
            plan_hand_over(empty, arrangement_of(empty)[0])
