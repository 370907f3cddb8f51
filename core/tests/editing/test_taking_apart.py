"""A flat figure taken apart front to back: what is left is the ground, and nobody gets what nobody drew."""

import unittest

import cv2
import numpy as np

from yuplet.arrangement.tree import Arrangement, arrangement_of, composite_tree
from yuplet.derivation.content import Content
from yuplet.derivation.rebuilding import rebuilt
from yuplet.editing.art import art_of, drawn_art
from yuplet.editing.changing import GrowUnder
from yuplet.editing.cutting import Behind, TakeOut, TakePieces, Wish
from yuplet.editing.edit import edited
from yuplet.editing.layers import MemoryLayers
from yuplet.geometry import Box, Size
from yuplet.illustration.derived import Refilled
from yuplet.illustration.layers import Illustration, Layer
from yuplet.parts.part import Part, part_node
from yuplet.pixels import Picture
from yuplet.pixels.compositing import compose
from yuplet.pixels.spill_file import SpillFile
from yuplet.selecting.gestures import DrawRound, Edge, SameColour

CANVAS = Size(160, 200)
GROUND = (222, 230, 226)
SKIN, HAIR, COAT, SCARF = (236, 188, 150), (90, 60, 40), (40, 90, 110), (190, 60, 50)


def figure() -> Picture:
    """A coat, a head over it, hair and a scarf over those, without smoothed edges, on one colour."""
    picture = np.zeros((CANVAS.height, CANVAS.width, 3), np.uint8)
    picture[:] = GROUND
    cv2.rectangle(picture, (40, 110), (120, 190), COAT, -1)
    cv2.circle(picture, (80, 80), 40, SKIN, -1)
    cv2.ellipse(picture, (80, 60), (46, 34), 0, 180, 360, HAIR, -1)
    cv2.rectangle(picture, (50, 108), (110, 126), SCARF, -1)
    return np.dstack([picture, np.full(picture.shape[:2], 255, np.uint8)])


class TakingApartTests(unittest.TestCase):
    def setUp(self) -> None:
        self.scratch = self.enterContext(SpillFile())
        self.whole = figure()
        self.scratch.put("l1", self.whole)
        flat = Layer("l1", "flat", Box(0, 0, *CANVAS))
        illustration = Illustration("figure", CANVAS, (flat,))
        self.layers = MemoryLayers(illustration, self.scratch)
        self.now: Arrangement = arrangement_of(illustration)[0]
        (self.row,) = (part.id for _, part in self.now.parts())

    def take(self, name: str, *colours: tuple[int, int], behind: Behind = "flat", edge: Edge | None = None) -> str:
        gestures = tuple(SameColour(at, 4.0, how="add" if number else "instead") for number, at in enumerate(colours))
        wish = Wish(name, gestures) if edge is None else Wish(name, gestures, edge)
        return self.do(TakeOut(self.row, (wish,), behind))

    def do(self, command: TakeOut | TakePieces | GrowUnder) -> str:
        before = {part.id for _, part in self.now.parts()}
        self.now, _ = edited(self.now, command, self.layers)
        self.layers.version += 1
        self.assertTrue(np.array_equal(self.seen(), self.whole), "laid together it is the picture")
        return next((part.id for _, part in self.now.parts() if part.id not in before), "")

    def seen(self) -> Picture:
        nodes = composite_tree(self.now, lambda part: part_node(part, self.layers.illustration.boxes, CANVAS))
        return compose(nodes, CANVAS, self.layers)

    def content(self, row: str) -> Content:
        return art_of(self.now, self.layers, row).content

    def part(self, row: str) -> Part:
        _, found = self.now.find(row)
        assert isinstance(found, Part)
        return found

    def test_what_is_left_in_the_end_is_the_ground(self) -> None:
        for behind in ("flat", "painted"):
            with self.subTest(behind):
                self.setUp()
                for name, at in (("scarf", (80, 116)), ("hair", (80, 40)), ("head", (80, 90)), ("coat", (80, 160))):
                    self.take(name, at, behind=behind)  # type: ignore[arg-type]
                rest = self.content(self.row)
                self.assertEqual(rest.box, Box(0, 0, *CANVAS))
                away = np.abs(rest.picture[..., :3].astype(int) - GROUND).max(axis=2)
                self.assertEqual(int((away > 0).sum()), 0, "pixels of the rest that are no ground")
                self.assertTrue((rest.picture[..., 3] == 255).all())

    def test_a_part_gets_only_what_is_drawn_and_seen(self) -> None:
        self.take("hair", (80, 40))
        drawn = (self.whole[..., :3] == SKIN).all(axis=2)
        head = self.content(self.take("head", (80, 90)))
        self.assertEqual(int((head.picture[..., 3] > 0).sum()), int(drawn.sum()))
        with self.subTest("drawn round as well"):
            self.setUp()
            self.take("hair", (80, 40))
            round_all = DrawRound(((10.0, 10.0), (150.0, 10.0), (150.0, 107.0), (10.0, 107.0)))
            taken = self.content(self.do(TakeOut(self.row, (Wish("all above", (round_all,)),), "flat")))
            hair = (self.whole[..., :3] == HAIR).all(axis=2)
            mine = np.zeros(hair.shape, bool)
            box = taken.box
            mine[box.top : box.bottom, box.left : box.right] = taken.picture[..., 3] > 0
            self.assertFalse((mine & hair).any(), "what lies behind the hair was never drawn")

    def test_what_is_proposed_is_what_is_drawn(self) -> None:
        self.take("hair", (80, 40), behind="painted")
        art, hidden = drawn_art(self.now, self.layers, self.row, art_of(self.now, self.layers, self.row))
        assert hidden is not None
        self.assertEqual(int(hidden.sum()), int((self.whole[..., :3] == HAIR).all(axis=2).sum()))
        self.assertEqual(int(art.picture[hidden].max()), 0)
        self.do(TakePieces(self.row, regions=4, behind="flat"))
        rest = self.content(self.row)
        self.assertEqual(int((np.abs(rest.picture[..., :3].astype(int) - GROUND).max(axis=2) > 0).sum()), 0)

    def test_what_is_seen_through_a_soft_edge_stays(self) -> None:
        self.take("hair", (80, 40), edge=Edge(soft=6.0))
        self.take("head", (80, 90))
        self.take("coat", (80, 160))

    def test_without_filling_what_was_filled_in_before_stays(self) -> None:
        self.take("hair", (80, 40))
        before = self.content(self.row)
        self.take("coat", (80, 160), behind=None)
        rest = self.content(self.row)
        hair = (self.whole[..., :3] == HAIR).all(axis=2)
        np.testing.assert_array_equal(rest.picture[hair], before.picture[hair])

    def test_what_an_artist_let_go_on_beneath_is_taken_along(self) -> None:
        self.take("hair", (80, 40))
        head = self.take("head", (80, 90))
        # The rest lies behind; the head goes on beneath the hair.
        self.row = head
        self.do(GrowUnder(head, 8))
        added = self.content(head).all_added
        self.assertTrue(added.any())
        art, hidden = drawn_art(self.now, self.layers, head, art_of(self.now, self.layers, head))
        self.assertIsNone(hidden)
        self.assertTrue(art.content.all_added.any())

    def test_it_is_made_again_from_other_art(self) -> None:
        self.take("scarf", (80, 116))
        self.take("hair", (80, 40))
        self.take("head", (80, 90))
        made = self.layers.illustration.made
        again = [one for one in made if isinstance(one.derivation, Refilled)]
        self.assertEqual(len(again), 2)
        contents: dict[str, Content] = {"l1": self.layers.content("l1") or Content(Box(0, 0, 1, 1), self.whole)}
        for one in made:
            mask = self.layers.mask(one.derivation.mask)  # type: ignore[union-attr]
            derived = rebuilt(one, contents, mask, CANVAS)
            assert derived is not None
            contents[one.id] = derived.content
            kept = self.layers.content(one.id)
            assert kept is not None
            if one.id == self.part(self.row).pieces[0].layer:
                self.assertEqual(kept.box, derived.box)
                np.testing.assert_array_equal(kept.picture, derived.picture)
