"""Names put together of pieces, without a formula and without anything that nobody asked for."""

import unittest
from typing import Any

from yuplet.arrangement.commands import MakeAlternates, apply
from yuplet.arrangement.tree import Arrangement, PartGroup
from yuplet.parts.part import Frame, Part, Piece, still
from yuplet.plan.naming import Naming, clashes, files_of, named
from yuplet.plan.recipe import NamePiece, Names

PART, GROUP = NamePiece("part"), NamePiece("group")


def text(said: str) -> NamePiece:
    return NamePiece("text", said)


def figure() -> Arrangement:
    """Two looks of a coat, arms with sides, a lamp of ten frames."""
    dry = PartGroup("dry", "dry", (Part("coat1", "coat", still("a")),))
    wet = PartGroup("wet", "Drenched", (Part("coat2", "coat", still("b")),))
    looks = PartGroup("looks", "looks", (dry, wet))
    arms = PartGroup("arms", "Both arms", (Part("l", "arm L", still("c")), Part("r", "arm R", still("d"))))
    lamp = Part("lamp", "lamp", tuple(Frame((Piece(f"f{n}"),)) for n in range(10)))
    return apply(Arrangement((looks, arms, lamp)), MakeAlternates(("looks",)))


class NamingTests(unittest.TestCase):
    def stems(self, *pieces: NamePiece, **said: Any) -> dict[str, str]:
        arrangement = figure()
        naming = Naming(Names(pieces, **said), "Brindle", named(arrangement.parts()))
        return {part.id: naming.stem(part.id, "2x", "parts") for _, part in arrangement.parts()}

    def test_nested_as_the_groups_are(self) -> None:
        found = self.stems(PART)
        self.assertEqual((found["coat2"], found["lamp"]), ("parts/looks/Drenched/coat", "parts/lamp"))

    def test_flat_with_the_group_before_the_part(self) -> None:
        found = self.stems(GROUP, text("_"), PART, folders="flat")
        self.assertEqual((found["l"], found["coat1"]), ("parts/Both arms_arm L", "parts/dry_coat"))
        # Where there is no group, the text that stands before the part is still there: it is the part's.
        self.assertEqual(found["lamp"], "parts/_lamp")

    def test_text_goes_with_the_piece_after_it_and_is_gone_with_that(self) -> None:
        found = self.stems(PART, text("_"), NamePiece("side"))
        self.assertEqual((found["l"], found["r"]), ("parts/Both arms/arm_left", "parts/Both arms/arm_right"))
        self.assertEqual(found["lamp"], "parts/lamp")

    def test_a_folder_for_each_look_and_what_they_share_beside(self) -> None:
        found = self.stems(PART, folders="looks", letters="lower", space="-")
        self.assertEqual(
            (found["coat1"], found["coat2"], found["l"]),
            ("parts/dry/coat", "parts/drenched/coat", "parts/both-arms/arm-l"),
        )
        self.assertEqual(self.stems(NamePiece("look"), text("."), PART, folders="flat")["coat2"], "parts/Drenched.coat")

    def test_numbers_from_the_back_or_the_front_of_all_or_of_the_group(self) -> None:
        back = NamePiece("number", start=10, width=3)
        self.assertEqual(self.stems(back)["lamp"], "parts/014")
        self.assertEqual(self.stems(NamePiece("number", counted="front"))["lamp"], "parts/1")
        self.assertEqual(self.stems(NamePiece("number", within="group", start=0))["r"], "parts/Both arms/1")

    def test_frames_in_a_folder_or_where_the_name_says(self) -> None:
        self.assertEqual(files_of(self.stems(PART)["lamp"], ".png", 10)[8], "parts/lamp/09.png")
        self.assertEqual(
            files_of(self.stems(PART, text("-"), NamePiece("frame"))["lamp"], ".png", 10)[8], "parts/lamp-09.png"
        )

    def test_what_no_system_takes_is_mended(self) -> None:
        self.assertEqual(self.stems(text("a/b:"), PART)["lamp"], "parts/a-b-lamp")

    def test_illustration_and_scale(self) -> None:
        found = self.stems(NamePiece("illustration"), text(" "), PART, text("@"), NamePiece("scale"), space="")
        self.assertEqual(found["lamp"], "parts/Brindle lamp@2x")


class ClashTests(unittest.TestCase):
    def test_equal_names_and_files_in_the_way_of_folders(self) -> None:
        found = clashes(
            [("a/x.png", "one"), ("A/X.png", "two"), ("b", "three"), ("b/y.png", "four"), ("c.png", "five")]
        )
        self.assertEqual(found, {"A/X.png": ("one", "two"), "b": ("four", "three")})
