"""Plans: names, boxes and order, before a pixel is touched."""

import unittest
from dataclasses import replace

import signal_post
from yuplet.arrangement.commands import IncludeParts, RenameRows, ShowAlone, ShowRows, apply
from yuplet.arrangement.tree import arrangement_of
from yuplet.errors import NamesClash, NothingToHandOver, PlanError
from yuplet.geometry import Box, Size
from yuplet.illustration.layers import Illustration, Layer, LayerGroup
from yuplet.pixels.spill_file import SpillFile
from yuplet.plan.plan import plan_hand_over
from yuplet.plan.recipe import Combination, Extras, Images, ImagesFor, Limits, NamePiece, Names, Recipe, Scale

with SpillFile() as _scratch:
    POST = signal_post.signal_post(_scratch)
START, _ = arrangement_of(POST)


class PlanTests(unittest.TestCase):
    def test_files_stand_in_group_folders_and_are_numbered_from_the_back(self) -> None:
        plan = plan_hand_over(POST, START)
        self.assertEqual([(planned.order, plan.main.images[planned.part.id].file) for planned in plan.parts][:4], [
            (1, "parts/sky.png"), (2, "parts/marsh/reeds.png"), (3, "parts/marsh/shade.png"), (4, "parts/post/mast.png"),
        ])  # fmt: skip
        self.assertEqual(plan.files[:3], ["manifest.json", "CREDITS.txt", "reference.png"])
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

    def test_a_file_in_the_place_of_a_folder_stops_the_hand_over(self) -> None:
        box = Box(0, 0, 2, 2)
        layers = (Layer("a", "eye", box), LayerGroup("b", "EYE.png", (Layer("c", "iris", box),)))
        picture = Illustration("x", Size(4, 4), layers)
        plan = plan_hand_over(picture, arrangement_of(picture)[0])
        with self.assertRaises(NamesClash) as caught:
            plan.require_no_errors()
        self.assertIn("'parts/eye.png'", str(caught.exception))

    def test_names_that_differ_in_case_only_clash_where_folders_do_not_part_them(self) -> None:
        arrangement = apply(START, RenameRows({"arm": "Mast"}))
        nested = plan_hand_over(POST, apply(START, RenameRows({"reeds": "Mast"})))
        self.assertEqual(nested.notes, ())
        flat = plan_hand_over(POST, arrangement, recipe=Recipe(names=Names(folders="flat")))
        self.assertEqual([note.kind for note in flat.notes], ["clash"])
        with self.assertRaisesRegex(NamesClash, "would both be written as"):
            flat.require_no_errors()

    def test_a_folder_that_the_package_has_for_something_else(self) -> None:
        arrangement = apply(START, RenameRows({"glow": "1", "sky": "bare"}))
        beside = Extras(combinations=(Combination("bare"),))
        on_sheets = ImagesFor(("post",), {"stored": "sheets"})
        for folder, said in (
            ("sheets", "'1' would stand where the package has 'sheets/1.png'"),
            ("combinations", "'bare' would stand where the package has 'combinations/bare.png'"),
            ("reference.png", "'.*' would stand where the package has 'reference.png'"),
            ("manifest.json", "'.*' would stand where the package has 'manifest.json'"),
        ):
            names = Names(folder=folder, folders="flat")
            plan = plan_hand_over(POST, arrangement, recipe=Recipe(names=names, extras=beside, images_for=(on_sheets,)))
            (note,) = plan.notes
            self.assertEqual((note.kind, note.severity, len(note.parts)), ("clash", "error", 1))
            with self.assertRaisesRegex(PlanError, f"^{said}.*Choose another folder"):
                plan.require_no_errors()

    def test_a_name_with_a_scale_in_it_may_meet_another_at_another_scale(self) -> None:
        arrangement = apply(START, RenameRows({"arm": "hand", "mast": "hand1"}))
        names = Names(folders="flat", pieces=(NamePiece("part"), NamePiece("scale")))
        scales = (Scale("factor", 1), Scale("factor", 11))
        plan = plan_hand_over(POST, arrangement, recipe=Recipe(names=names, scales=scales))
        self.assertEqual([note.files for note in plan.notes], [("parts/hand11x.png",)])

    def test_what_is_too_large_to_be_made_is_told_before(self) -> None:
        arrangement = arrangement_of(POST)[0]
        large = Illustration("large", Size(2048, 2048), POST.layers)
        for scale, planned_for, said in (
            (64, large, "'reference.png' would be 131,072 × 131,072 px at 64x"),
            (10, large, "20,480 × 20,480 px"),
        ):
            plan = plan_hand_over(planned_for, arrangement, recipe=Recipe(scales=(Scale("factor", scale),)))
            (note,) = plan.notes
            self.assertEqual((note.kind, note.severity), ("budget", "error"))
            self.assertIn(said, note.sentence)
            for refuse in (plan.require_no_errors, plan.require_within_budget):
                with self.assertRaisesRegex(PlanError, "Use a smaller scale"):
                    refuse()
        many = tuple(Layer(f"l{n}", f"part {n}", Box.at(0, 0, Size(4096, 4096))) for n in range(100))
        whole = Illustration("many", Size(4096, 4096), many)
        scales = (Scale("factor", 1), Scale("factor", 2), Scale("factor", 3))
        plan = plan_hand_over(whole, arrangement_of(whole)[0], recipe=Recipe(scales=scales))
        self.assertIn("All images together would have 23,", plan.notes[0].sentence)
        self.assertEqual(plan_hand_over(whole, arrangement_of(whole)[0], recipe=Recipe(scales=scales[:2])).notes, ())

    def test_nothing_to_hand_over(self) -> None:
        empty = replace(POST, layers=(Layer("a", "nothing", None),))
        with self.assertRaises(NothingToHandOver):
            plan_hand_over(empty, arrangement_of(empty)[0])

    def test_five_thousand_parts_on_a_large_canvas(self) -> None:
        size = Size(20, 12)
        layers = tuple(Layer(f"l{n}", f"part {n}", Box.at(n % 100 * 160, n // 100 * 300, size)) for n in range(5000))
        picture = Illustration("many", Size(15_900, 15_000), layers)
        pieces = (NamePiece("number", width=4, within="group"), NamePiece("text", "_"), NamePiece("part"))
        by = Recipe(images=Images(stored="sheets"), names=Names(pieces), limits=Limits(count=3))
        plan = plan_hand_over(picture, arrangement_of(picture)[0], recipe=by)
        self.assertEqual((len(plan.parts), len(plan.main.sheets), plan.notes), (5000, 1, ()))
        self.assertLess(max(plan.main.sheets[0].size), 4096)
        separate = replace(by, images=Images())
        (note,) = plan_hand_over(picture, arrangement_of(picture)[0], recipe=separate).notes
        self.assertIn("There are 5,000 images; the target program allows up to 3.", note.sentence)
