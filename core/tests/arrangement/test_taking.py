"""The rows after art was taken out of a part."""

import unittest

from yuplet.arrangement.commands import apply
from yuplet.arrangement.taking import check_behind, in_front_of, parts_taken_out, still_part, with_layer, with_layers
from yuplet.arrangement.tree import Arrangement, PartGroup, Row
from yuplet.errors import CannotTakeOut, Locked
from yuplet.parts.part import Frame, Part, Piece, still


def arrangement() -> Arrangement:
    figure = PartGroup(
        "g1", "figure", (Part("l1", "coat", still("l1"), offset=(3, 4), opacity=0.5), Part("l2", "hat", still("l2")))
    )
    return Arrangement((Part("l0", "ground", still("l0")), figure))


class TakingTests(unittest.TestCase):
    def named(self, rows: tuple[Row, ...]) -> list[tuple[str, str]]:
        return [(row.name, row.pieces[0].layer if isinstance(row, Part) else "group") for row in rows]

    def members(self, found: Arrangement) -> list[tuple[str, str]]:
        group = found.find("g1")[1]
        assert isinstance(group, PartGroup)
        return self.named(group.members)

    def test_new_parts_lie_directly_in_front_of_what_is_left(self) -> None:
        before = arrangement()
        step = parts_taken_out(before, "l1", still("m3"), [(still("m1"), "button"), (still("m2"), "Hat")])
        after = apply(before, step)
        self.assertEqual(self.members(after), [("coat", "m3"), ("button", "m1"), ("Hat 2", "m2"), ("hat", "l2")])
        button = after.find("m1")[1]
        assert isinstance(button, Part)
        self.assertEqual((button.offset, button.opacity), ((3, 4), 0.5))
        self.assertEqual(apply(after, step.inverse(before)), before)
        self.assertEqual(step.what, "Take 2 parts out of 'coat'")

    def test_a_part_of_which_nothing_is_left_goes(self) -> None:
        before = arrangement()
        step = parts_taken_out(before, "l1", None, [(still("m1"), "coat"), (still("m2"), "button")])
        after = apply(before, step)
        self.assertEqual(self.members(after), [("coat", "m1"), ("button", "m2"), ("hat", "l2")])
        self.assertEqual(apply(after, step.inverse(before)), before)

    def test_a_copy_leaves_the_part_as_it_was(self) -> None:
        before = arrangement()
        after = apply(before, parts_taken_out(before, "l0", None, [(still("m1"), "moon")], is_copy=True))
        self.assertEqual(self.named(after.rows), [("ground", "l0"), ("moon", "m1"), ("figure", "group")])

    def test_what_hides_a_part(self) -> None:
        rows: tuple[Row, ...] = (
            Part("a", "a", still("a")),
            Part("b", "b", still("b")),
            PartGroup("g", "g", (Part("c", "c", still("c")), Part("d", "d", still("d"), shown=False))),
            PartGroup("h", "h", (Part("e", "e", still("e")),), opacity=0.5),
            Part("f", "f", still("f"), blend="multiply"),
        )
        self.assertEqual([part.id for part in in_front_of(Arrangement(rows), "a")], ["b", "c"])
        self.assertEqual(in_front_of(Arrangement(rows), "c"), [])
        step = with_layer(Arrangement(rows), "c", "m1", "Grow 'c' under its neighbours")
        after = apply(Arrangement(rows), step).find("c")[1]
        assert isinstance(after, Part)
        self.assertEqual(after.layers, {"m1"})

    def test_what_art_can_be_taken_from(self) -> None:
        frames = (Frame((Piece("a"),)), Frame((Piece("b"),)))
        rows = (
            Part("p", "lamp", frames),
            Part("q", "two", (Frame((Piece("a"), Piece("b"))),)),
            Part("r", "kept", still("c"), locked=True),
            PartGroup("g", "group"),
            Part("s", "glow", still("d"), blend="screen"),
        )
        found = Arrangement(rows)
        self.assertEqual([still_part(found, row).name for row in "qs"], ["two", "glow"])
        for row, said in (("p", "has frames"), ("g", "is a group")):
            with self.subTest(row), self.assertRaisesRegex(CannotTakeOut, said):
                still_part(found, row)
        with self.assertRaises(Locked):
            still_part(found, "r")
        step = with_layers(found, {"a": "m1", "d": "m2"}, "Touch up")
        after = apply(found, step)
        self.assertEqual([sorted(part.layers) for _, part in after.parts()], [["b", "m1"], ["b", "m1"], ["c"], ["m2"]])
        with self.assertRaises(Locked):
            with_layers(found, {"c": "m1"}, "Touch up")
        check_behind(found, "s", False)
        with self.assertRaisesRegex(CannotTakeOut, "would be visible"):
            check_behind(found, "s", True)
