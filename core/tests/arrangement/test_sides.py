"""Sides and series, what must be there, looks, depths: questions to names and boxes."""

import unittest
from dataclasses import replace

from yuplet.arrangement import commands
from yuplet.arrangement.commands import Decide, MakeAlternates, OrderRows, SetDepths, SpreadDepths, apply
from yuplet.arrangement.naming.sides import mirror_pairs, series, side_of
from yuplet.arrangement.sets.looks import look_tables
from yuplet.arrangement.sets.required import required
from yuplet.arrangement.tree import Arrangement, Decisions, PartGroup, Row
from yuplet.errors import ArrangementError
from yuplet.framing.planes import contradictions, covers, needed_width
from yuplet.geometry import Box, Size
from yuplet.parts.part import Part, still


def rows(*names: str) -> tuple[Part, ...]:
    return tuple(Part(name, name, still(name)) for name in names)


def group(name: str, *members: Row) -> PartGroup:
    return PartGroup(f"g-{name}", name, members)


class SideTests(unittest.TestCase):
    def test_the_usual_spellings(self) -> None:
        for name, stem, side in (
            ("arm left", "arm *", "left"), ("Arm Right", "Arm *", "right"), ("arm_L", "arm_*", "left"), ("R-foot", "*-foot", "right"),
            ("eyeLeft", "eye*", "left"), ("rightEye", "*Eye", "right"), ("hand.r", "hand.*", "right"), ("LEFT ear", "* ear", "left"),
            ("l hand", "* hand", "left"),
        ):  # fmt: skip
            with self.subTest(name):
                self.assertEqual(side_of(name), (stem, side))
        for name in ("bright", "collar", "leftover", "upright", "left right", "reel"):
            with self.subTest(name):
                self.assertIsNone(side_of(name))

    def test_pairs_are_found_through_the_groups_around(self) -> None:
        tree = Arrangement(
            (
                group("arm left", *rows("a")),
                group("arm right", Part("b", "a", still("b"))),
                *rows("eye L", "eye R", "ear left"),
            )
        )
        self.assertEqual(mirror_pairs(tree), {"a": "b", "b": "a", "eye L": "eye R", "eye R": "eye L"})
        (lonely,) = (one for one in series(tree) if one.lacks)
        self.assertEqual((lonely.rows, lonely.lacks, lonely.label), (("ear left",), "right", "ear *"))

    def test_numbers_and_letters_are_asked_about_once(self) -> None:
        tree = Arrangement(rows("mouth 10", "mouth 2", "mouth 1", "hand A", "hand B", "lonely 7", "arm L", "arm R"))
        found = {one.label: one for one in series(tree)}
        self.assertEqual(found["mouth"].rows, ("mouth 1", "mouth 2", "mouth 10"))
        self.assertEqual((found["mouth"].meaning, found["hand"].kind), (None, "letters"))
        self.assertNotIn("lonely", found)
        key = found["mouth"].key
        decided = apply(tree, Decide({"meanings": {key: "alternates"}}))
        again = apply(decided, commands.RenameRows({"lonely 7": "mouth 7"}))
        (mouth,) = (one for one in series(again) if one.label == "mouth")
        self.assertEqual((mouth.meaning, mouth.key, len(mouth.rows)), ("alternates", key, 4))
        self.assertEqual(apply(decided, Decide({"meanings": {key: "alternates"}}).inverse(tree)), tree)

    def test_sides_of_ones_own(self) -> None:
        tree = Arrangement(rows("bras g", "bras d"), decisions=Decisions(sides=((" g", " d"),)))
        self.assertEqual(mirror_pairs(tree), {"bras g": "bras d", "bras d": "bras g"})

    def test_what_is_decided_is_checked(self) -> None:
        tree = Arrangement(rows("a"))
        for value in (
            {"meanings": {"x": "maybe"}},
            {"distance": 0},
            {"travel": "far"},
            {"required": [3]},
            {"nonsense": 1},
        ):
            with self.subTest(value), self.assertRaises(ArrangementError):
                apply(tree, commands.CODEC.from_json({"do": "decide", "decisions": value}))


class RequiredTests(unittest.TestCase):
    def test_what_is_there_and_what_is_missing(self) -> None:
        tree = Arrangement(
            (*rows("Mouth  Rest", "mouth round"), group("eyes", *rows("open"))),
            decisions=Decisions(("mouth rest", "mouth round", "mouth wide", "eyes/open", "eyes/shut")),
        )
        tree = tree.changed(lambda row: replace(row, included=False) if row.id == "mouth round" else row)
        found = {one.name: (one.row, one.reason) for one in required(tree)}
        self.assertEqual(found["mouth rest"], ("Mouth  Rest", None))
        self.assertEqual(found["mouth round"], (None, "is left out"))
        self.assertEqual(found["mouth wide"], (None, None))
        self.assertEqual((found["eyes/open"][0], found["eyes/shut"][0]), ("open", None))
        self.assertEqual(required(tree, frozenset(["open"]))[3].reason, "is empty")


class LookTests(unittest.TestCase):
    def test_parts_by_looks_with_their_gaps(self) -> None:
        dry = group("dry", *rows("coat", "hat"), group("face", *rows("eyes")))
        wet = PartGroup("g-wet", "wet", (Part("coat2", "Coat", still("c")), group("drops", *rows("drop"))))
        tree = apply(Arrangement((*rows("shadow"), dry, wet)), MakeAlternates(("g-dry", "g-wet")))
        (table,) = look_tables(tree)
        self.assertEqual([look.name for look in table.looks], ["dry", "wet"])
        found = {"/".join(line.path): [part and part.id for part in line.parts] for line in table.lines}
        self.assertEqual(
            found,
            {
                "coat": ["coat", "coat2"],
                "hat": ["hat", None],
                "face/eyes": ["eyes", None],
                "drops/drop": [None, "drop"],
            },
        )
        self.assertEqual([line.is_complete for line in table.lines], [True, False, False, False])

    def test_sets_with_looks_of_the_same_names_belong_together(self) -> None:
        below = (group("dry", *rows("coat")), PartGroup("w1", "wet", (Part("coat2", "coat", still("c")),)))
        above = (PartGroup("d2", "Dry", rows("scarf")), PartGroup("w2", "wet", (Part("scarf2", "scarf", still("s")),)))
        tree = apply(Arrangement((*below, *rows("head"), *above)), MakeAlternates(("g-dry", "w1")))
        tree = apply(tree, MakeAlternates(("d2", "w2")))
        (table,) = look_tables(tree)
        self.assertEqual([(look.name, len(look.groups)) for look in table.looks], [("dry", 2), ("wet", 2)])
        self.assertEqual([line.path for line in table.lines], [("looks", "coat"), ("looks 2", "scarf")])
        self.assertTrue(all(line.is_complete for line in table.lines))
        apart = apply(tree, commands.RenameRows({"d2": "old", "w2": "new"}))
        self.assertEqual(len(look_tables(apart)), 2)
        third = apply(apart, commands.RenameRows({"w2": "wet"}))
        (one,) = look_tables(third)
        self.assertEqual([look.name for look in one.looks], ["dry", "wet", "old"])
        self.assertFalse(all(line.is_complete for line in one.lines), "the coat has no old look")

    def test_alternates_that_are_parts_are_no_looks(self) -> None:
        tree = apply(Arrangement((group("mouths", *rows("rest", "wide")),)), MakeAlternates(("g-mouths",)))
        self.assertEqual(look_tables(tree), [])


class DepthTests(unittest.TestCase):
    TREE = Arrangement((*rows("sky"), group("far", *rows("hill", "post")), *rows("reed")))
    BOXES = {name: Box(0, 0, 100, 50) for name in ("sky", "hill", "post", "reed")}

    def depths(self, command: commands.Command) -> dict[str, float]:
        return {part.id: part.depth for _, part in apply(self.TREE, command).parts()}

    def test_the_width_that_covers_the_cameras_way(self) -> None:
        # V + T D / (D + z), worked out by hand.
        self.assertEqual(needed_width(1920, 600, 1000, 1000), 2220)
        self.assertEqual(needed_width(1920, 600, 1000, 0), 2520)
        with self.assertRaises(ValueError):
            needed_width(1920, 600, 1000, -1000)

    def test_what_each_part_lacks_on_each_side(self) -> None:
        tree = Arrangement(rows("sky", "post"), decisions=Decisions(distance=1000, travel=600))
        tree = apply(tree, SetDepths({"sky": 1000}))
        (sky,) = covers(tree, {"sky": Box(0, 0, 1920, 300), "post": Box(300, 0, 340, 300)}, Size(1920, 1080))
        self.assertEqual((sky.row, sky.needed, sky.left, sky.right), ("sky", 2220, 150, 150))
        self.assertEqual(sky.needed - sky.width, 300)

    def test_even_steps_by_part_and_by_group(self) -> None:
        ids = ("sky", "hill", "post", "reed")
        self.assertEqual(self.depths(SpreadDepths(ids, 100)), {"reed": 0, "post": 100, "hill": 200, "sky": 300})
        self.assertEqual(
            self.depths(SpreadDepths(ids, 50, -20, True)), {"reed": -20, "post": 30, "hill": 30, "sky": 80}
        )
        self.assertEqual(
            apply(apply(self.TREE, SpreadDepths(ids, 5)), SpreadDepths(ids, 5).inverse(self.TREE)), self.TREE
        )

    def test_order_and_depth_that_contradict_each_other_are_told_and_mended_both_ways(self) -> None:
        tree = apply(self.TREE, SetDepths({"sky": 300, "hill": 100, "post": 200, "reed": 0}))
        self.assertEqual(contradictions(tree, self.BOXES), [("post", "hill")])
        apart = {**self.BOXES, "post": Box(200, 0, 210, 50)}
        self.assertEqual(contradictions(tree, apart), [], "they do not meet")
        mended = apply(tree, SetDepths({"post": 100}))
        self.assertEqual(contradictions(mended, self.BOXES), [])
        ordered = apply(tree, OrderRows("g-far", "depth"))
        self.assertEqual(contradictions(ordered, self.BOXES), [])
        self.assertEqual([row.id for row in ordered.find("g-far")[1].members], ["post", "hill"])  # type: ignore[union-attr]
        self.assertEqual(contradictions(self.TREE, self.BOXES), [], "nobody has said how deep")


class OrderTests(unittest.TestCase):
    def test_by_name_as_people_sort_and_as_listed(self) -> None:
        tree = Arrangement(rows("frame 10", "Frame 2", "äpfel", "zebra", "frame 1"))
        ordered = apply(tree, OrderRows(None, "name"))
        self.assertEqual([row.name for row in ordered.rows], ["äpfel", "frame 1", "Frame 2", "frame 10", "zebra"])
        listed = apply(tree, OrderRows(None, "listed", ("zebra", "frame 1")))
        self.assertEqual([row.name for row in listed.rows][:2], ["zebra", "frame 1"])
        self.assertEqual(apply(ordered, OrderRows(None, "name").inverse(tree)), tree)
