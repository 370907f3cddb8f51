"""Names in bulk: what each change makes of names, and what speaks against them."""

import unittest
from typing import Any

from yuplet.arrangement.naming.rules import (
    Add,
    Change,
    FromLayers,
    LetterCase,
    Listed,
    Number,
    Replace,
    TakeAway,
    WithoutNumbers,
    from_json,
    renamings,
)
from yuplet.arrangement.tree import Arrangement, PartGroup, Row
from yuplet.errors import NamesNotUnderstood, NoSuchRow
from yuplet.parts.part import Part, still


def figure(*names: str) -> Arrangement:
    """Parts back to front; those with a slash are in groups."""
    rows: list[Row] = []
    groups: dict[str, list[Part]] = {}
    for number, name in enumerate(names):
        group, _, own = name.rpartition("/")
        part = Part(f"p{number}", own, still(f"l{number}"))
        if group:
            groups.setdefault(group, []).append(part)
        else:
            rows.append(part)
    rows += [PartGroup(f"g{group}", group, tuple(members)) for group, members in groups.items()]
    return Arrangement(tuple(rows))


class NamingTests(unittest.TestCase):
    def names(self, start: Arrangement, *changes: Change, rows: list[str] | None = None) -> list[str]:
        chosen = rows or [part.id for _, part in start.parts()]
        return [one.new for one in renamings(start, chosen, changes, {"l0": "sleeve", "l2": "cuff"})]

    def test_find_and_replace(self) -> None:
        start = figure("arm left", "armlet left", "Arm_left", "left arm 2")
        for change, wanted in (
            (Replace("arm", "leg"), ["leg left", "leglet left", "Arm_left", "left leg 2"]),
            (Replace("arm", "leg", as_written=False), ["leg left", "leglet left", "leg_left", "left leg 2"]),
            (Replace("arm", "leg", "word"), ["leg left", "armlet left", "Arm_left", "left leg 2"]),
            (Replace("arm", "leg", "word", False), ["leg left", "armlet left", "leg_left", "left leg 2"]),
            (Replace(r"^(\w+)[ _]left$", r"left \1", "pattern"), ["left arm", "left armlet", "left Arm", "left arm 2"]),
            (Replace(".", "", "text"), [part.name for _, part in start.parts()]),
            (Replace("", "x"), [part.name for _, part in start.parts()]),
        ):
            with self.subTest(change=change):
                self.assertEqual(self.names(start, change), wanted)

    def test_letters_and_what_stands_before_and_after(self) -> None:
        start = figure("upper ARM", "ärmel_zwei")
        for change, wanted in (
            (LetterCase("lower"), ["upper arm", "ärmel_zwei"]),
            (LetterCase("upper"), ["UPPER ARM", "ÄRMEL_ZWEI"]),
            (LetterCase("first"), ["Upper arm", "Ärmel_zwei"]),
            (LetterCase("each"), ["Upper Arm", "Ärmel_Zwei"]),
            (Add("hero_"), ["hero_upper ARM", "hero_ärmel_zwei"]),
            (Add("_v1", "after"), ["upper ARM_v1", "ärmel_zwei_v1"]),
            (TakeAway("upper "), ["ARM", "ärmel_zwei"]),
            (TakeAway("_zwei", "after"), ["upper ARM", "ärmel"]),
        ):
            with self.subTest(change=change):
                self.assertEqual(self.names(start, change), wanted)

    def test_numbers_go_and_come(self) -> None:
        start = figure("01_tail", "tail 12", "tail-3", "7", "b/tail.4", "b/x 5")
        self.assertEqual(self.names(start, WithoutNumbers()), ["tail", "tail", "tail", "7", "tail", "x"])
        plain = figure("a", "b", "g/c", "g/d")
        for change, wanted in (
            (Number(), ["a 1", "b 2", "c 3", "d 4"]),
            (Number(counted="front"), ["a 4", "b 3", "c 2", "d 1"]),
            (Number(9, 3, "_", "before"), ["009_a", "010_b", "011_c", "012_d"]),
            (Number(anew=True), ["a 1", "b 2", "c 1", "d 2"]),
            (Number(counted="chosen"), ["a 2", "b 1", "c 3", "d 4"]),
            (Number(width=2, side="before", instead=True), ["01 a", "02 b", "03 c", "04 d"]),
        ):
            with self.subTest(change=change):
                self.assertEqual(self.names(plain, change, rows=["p1", "p0", "p2", "p3"]), wanted)

    def test_from_a_list_from_layers_and_one_after_the_other(self) -> None:
        start = figure("a", "b", "c")
        self.assertEqual(self.names(start, Listed(("hat", " head "))), ["a", "head", "hat"])
        self.assertEqual(self.names(start, Listed(("x", "y", "z"), "chosen"), rows=["p2", "p0", "p1"]), ["y", "z", "x"])
        self.assertEqual(self.names(start, FromLayers()), ["sleeve", "b", "cuff"])
        self.assertEqual(
            self.names(start, Add("arm "), LetterCase("upper"), Number()), ["ARM A 1", "ARM B 2", "ARM C 3"]
        )

    def test_names_that_clash_or_cannot_be(self) -> None:
        start = figure("arm 1", "arm 2", "hand", "g/arm")
        found = renamings(start, ["p0", "p1", "p3"], [WithoutNumbers()], {})
        self.assertEqual(
            [(one.new, one.problem is not None, one.proposal) for one in found],
            [("arm", False, None), ("arm", True, "arm 2"), ("arm", False, None)],
        )
        (one,) = renamings(start, ["p0"], [Replace("arm 1", "HAND")], {})
        self.assertIn("another part", one.problem or "")
        (one,) = renamings(start, ["p0"], [Replace("arm", "a:m")], {})
        self.assertEqual((one.new, one.proposal), ("a:m 1", "a-m 1"))
        (one,) = renamings(start, ["p0"], [Replace("arm 1", "arm 2")], {})
        self.assertIsNotNone(one.problem)
        both = renamings(start, ["p0", "p1"], [Listed(("arm 1", "arm 2"), "front")], {})
        self.assertEqual([one.problem for one in both], [None, None], "names may change places")
        three = renamings(figure("a", "b", "c", "x"), ["p0", "p1", "p2"], [Listed(("x", "x", "x"))], {})
        self.assertEqual([one.proposal for one in three], ["x 2", "x 3", "x 4"], "no two of them are the same")
        kept = renamings(figure("a", "b"), ["p0", "p1"], [Listed(("b", "b"))], {})
        self.assertEqual([one.problem is None for one in kept], [False, True], "what stays as it is has its name")
        with self.assertRaises(NoSuchRow):
            renamings(start, ["x"], [], {})

    def test_patterns_that_are_none_or_never_end(self) -> None:
        start = figure("a" * 100 + "b")
        for find, by, said in (
            ("(", "", "not understood"),
            ("a", r"\2", "not understood"),
            (r"(a|aa)+$", "", "takes too long"),
        ):
            with self.subTest(find=find), self.assertRaisesRegex(NamesNotUnderstood, said):
                self.names(start, Replace(find, by, "pattern"))

    def test_from_plain_values(self) -> None:
        self.assertEqual(from_json({"do": "listed", "listed": ["a"], "counted": "back"}), Listed(("a",), "back"))
        cases: list[tuple[dict[str, Any], str]] = [
            ({"do": "shout"}, "no change called 'shout'"),
            ({"do": "add"}, "not complete"),
            ({"do": "add", "text": "x", "side": "below"}, "'below' is no value of 'side'"),
            ({"do": "number", "start": "1"}, "whole number"),
            ({"do": "number", "width": 99}, "up to 9 digits"),
            ({"do": "replace", "find": "x" * 201}, "up to 200"),
            ({"do": "from-layers", "loud": 1}, "has no 'loud'"),
        ]
        for value, said in cases:
            with self.subTest(said), self.assertRaisesRegex(NamesNotUnderstood, said):
                from_json(value)
