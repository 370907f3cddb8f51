"""Taking art out: what is taken over what is left is the layer, to the bit; and it can be made again."""

import unittest
from dataclasses import replace

import numpy as np

from yuplet.derivation.content import Content, Derived, placed_mask
from yuplet.derivation.cutting import Taken, cut_out, label_map, without_added
from yuplet.derivation.rebuilding import rebuilt
from yuplet.errors import CannotTakeOut
from yuplet.geometry import Box, Size
from yuplet.illustration.derived import Behind, Cut, DerivedLayer
from yuplet.pixels import Picture
from yuplet.pixels.compositing import PictureNode, compose
from yuplet.pixels.spill_file import SpillFile
from yuplet.selecting.masks import Mask, softened

BOX = Box(0, 0, 48, 40)


def layer() -> Picture:
    """Noise, half-transparent at the right and empty at the far right."""
    picture = np.random.default_rng(5).integers(0, 256, (40, 48, 4), dtype=np.uint8)
    picture[:, :30, 3] = 255
    picture[:, 44:] = 0
    return picture


def disc(x: float, y: float, radius: float) -> np.ndarray:
    rows, columns = np.mgrid[:40, :48]
    found: np.ndarray = np.hypot(columns - x, rows - y) < radius
    return found


def hard(x: float, y: float, radius: float) -> Mask:
    return softened(disc(x, y, radius), 0)


def taken_from(picture: Picture, masks: list[Mask], behind: Behind) -> Taken:
    return cut_out(Content(BOX, picture), label_map(picture, masks), behind, masks[0] if len(masks) == 1 else None)


class TakeOutTests(unittest.TestCase):
    def laid(self, taken: Taken) -> Picture:
        with SpillFile() as scratch:
            leaves = []
            for number, made in enumerate([taken.left, *taken.taken]):
                if made is not None:
                    scratch.put(str(number), made.picture)
                    leaves.append(PictureNode(str(number), made.box))
            return compose(leaves, BOX.size, scratch)

    def whole(self, made: Derived | None) -> Picture:
        picture = np.zeros((40, 48, 4), np.uint8)
        if made is not None:
            picture[made.box.top : made.box.bottom, made.box.left : made.box.right] = made.picture
        return picture

    def assert_same(self, found: Picture, wanted: Picture) -> None:
        np.testing.assert_array_equal(found[..., 3], wanted[..., 3])
        np.testing.assert_array_equal(found[wanted[..., 3] > 0], wanted[wanted[..., 3] > 0])

    def test_with_a_hard_edge_every_pixel_is_in_one_of_them(self) -> None:
        picture = layer()
        masks = [hard(12, 12, 8), hard(20, 14, 8), hard(34, 20, 9)]
        behinds: list[Behind] = [None, "flat", "painted", (9, 200, 30)]
        for behind in behinds:
            with self.subTest(behind=behind):
                found = taken_from(picture, masks, behind)
                self.assert_same(self.laid(found), picture)
                covered = np.sum([self.whole(one)[..., 3] > 0 for one in found.taken], axis=0)
                self.assertEqual(int(covered.max()), 1, "the last one has it")
                left = self.whole(found.left)
                assert found.left is not None
                if behind is None:
                    self.assertFalse((covered.astype(bool) & (left[..., 3] > 0)).any())
                    self.assertIsNone(found.left.added)
                else:
                    assert found.left.added is not None
                    self.assertTrue((found.left.picture[found.left.added, 3] == 255).all())
                    self.assertFalse(found.left.added[:, 30:].any(), "nothing is added behind what is half-transparent")

    def test_everything_is_taken(self) -> None:
        found = taken_from(layer(), [np.full((40, 48), 255, np.uint8)], None)
        self.assertIsNone(found.left)
        self.assertEqual(found.taken[0].box, Box(0, 0, 44, 40))

    def test_a_soft_edge_is_solved_for(self) -> None:
        picture = layer()
        for width in (2, 5, 11):
            mask = softened(disc(24, 20, 11), width)
            found = taken_from(picture, [mask], "flat")
            self.assert_same(self.laid(found), picture)
            alpha = self.whole(found.taken[0])[:, :30, 3]
            self.assertTrue((alpha >= mask[:, :30]).all())
            self.assertTrue((self.whole(found.left)[:, :30, 3] == 255).all(), "what is left keeps its coverage")

    def test_soft_edges_of_flat_art_have_no_colour_of_the_neighbour(self) -> None:
        rows, columns = np.mgrid[:40, :48]
        share = np.clip(12.5 - np.hypot(columns - 24, rows - 20), 0, 1)[..., None]
        picture = np.full((40, 48, 4), 255, np.uint8)
        picture[..., :3] = np.round(share * (200, 160, 60) + (1 - share) * (60, 120, 180))
        found = taken_from(picture, [softened(disc(24, 20, 13), 3)], "flat")
        self.assert_same(self.laid(found), picture)
        own = self.whole(found.taken[0])
        self.assertEqual(own[20, 24].tolist(), [200, 160, 60, 255])
        left = self.whole(found.left)
        self.assertEqual({tuple(map(int, one[:3])) for one in left[disc(24, 20, 16)]}, {(60, 120, 180)})

    def test_what_cannot_be(self) -> None:
        picture = layer()
        soft = softened(disc(12, 12, 8), 4)
        cases: list[tuple[list[Mask], Behind, str]] = [
            ([soft], None, "needs something behind it"),
            ([hard(46, 20, 1)], None, "holds no art"),
            ([hard(12, 12, 5), hard(12, 12, 8)], None, "Number 1 of the selections holds no art"),
            ([np.full((40, 48), 200, np.uint8)], "flat", "nothing around it"),
        ]
        for masks, behind, said in cases:
            with self.subTest(said), self.assertRaisesRegex(CannotTakeOut, said):
                taken_from(picture, masks, behind)
        with self.assertRaisesRegex(CannotTakeOut, "These are 600 parts"):
            cut_out(Content(BOX, picture), np.arange(40 * 48, dtype=np.int32).reshape(40, 48) % 601, None)
        with self.assertRaisesRegex(CannotTakeOut, "one by one"):
            cut_out(Content(BOX, picture), label_map(picture, [soft, hard(30, 30, 4)]), "flat", soft)

    def test_it_is_made_again_from_other_art_at_another_place(self) -> None:
        picture = layer()
        repainted = 255 - picture
        repainted[..., 3] = picture[..., 3]
        for mask in (hard(12, 12, 8), softened(disc(14, 14, 8), 3)):
            first, wanted = (taken_from(art, [mask], "flat") for art in (picture, repainted))
            for kept, new in ((first.taken[0], wanted.taken[0]), (first.left, wanted.left)):
                assert kept is not None and new is not None and isinstance(kept.derivation, Cut)
                recipe = replace(kept.derivation, mask_box=kept.derivation.mask_box.moved(3, 2))
                made = DerivedLayer("m1", "l1", recipe, kept.box)
                again = rebuilt(made, {"l1": Content(BOX.moved(3, 2), repainted)}, kept.mask, Size(90, 90))
                assert again is not None
                self.assertEqual(again.box, new.box.moved(3, 2))
                np.testing.assert_array_equal(again.picture, new.picture)
        elsewhere = DerivedLayer("m1", "l1", Cut("taken", "key", Box(500, 500, 548, 540)), BOX)
        self.assertIsNone(rebuilt(elsewhere, {"l1": Content(BOX, repainted)}, mask, Size(90, 90)))
        self.assertIsNone(rebuilt(elsewhere, {}, mask, Size(90, 90)))

    def test_what_was_filled_in_is_known_from_cut_to_cut_and_can_be_removed(self) -> None:
        picture = layer()
        first = taken_from(picture, [softened(disc(14, 14, 8), 3)], "flat").left
        assert first is not None and first.added is not None
        ground = Content(first.box, first.picture, first.added)
        second = cut_out(ground, label_map(ground.picture, [hard(20, 14, 8)[:, :44]]), "flat")
        assert second.left is not None and second.left.added is not None
        (taken,) = second.taken
        assert taken.added is not None
        inherited = first.added[taken.box.top : taken.box.bottom, taken.box.left : taken.box.right]
        np.testing.assert_array_equal(taken.added, inherited & (taken.picture[..., 3] > 0))
        self.assertTrue((second.left.added | ~first.added).all(), "what was taken away is filled in again")
        covered = disc(14, 14, 6)[:, :44]
        bare = without_added(ground, covered)
        assert bare is not None and bare.added is not None
        self.assertFalse(self.whole(bare)[:, :44, 3][covered].any())
        np.testing.assert_array_equal(bare.added, first.added & ~covered)
        with self.assertRaisesRegex(CannotTakeOut, "nothing to remove"):
            without_added(ground, np.zeros_like(covered))

    def test_a_mask_in_another_box(self) -> None:
        mask = np.arange(1, 13, dtype=np.uint8).reshape(3, 4)
        placed = placed_mask(mask, Box(10, 10, 14, 13), Box(12, 9, 17, 12))
        self.assertEqual(placed.tolist(), [[0] * 5, [3, 4, 0, 0, 0], [7, 8, 0, 0, 0]])
