"""Taking art out: what is taken over what is left is the layer, to the bit; and it can be made again."""

import unittest

import numpy as np

from yuplet.errors import CannotTakeOut
from yuplet.geometry import Box
from yuplet.illustration.layers import Behind, MadeLayer
from yuplet.parts.cutting import Made, Taken, grow_under, made_again, owners, placed_mask, take_out
from yuplet.pixels import Picture
from yuplet.pixels.compositing import Leaf, compose
from yuplet.pixels.scratch import Scratch
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
    return take_out(picture, BOX, owners(picture, masks), behind, masks[0] if len(masks) == 1 else None)


class TakeOutTests(unittest.TestCase):
    def laid(self, taken: Taken) -> Picture:
        with Scratch() as scratch:
            leaves = []
            for number, made in enumerate([taken.left, *taken.taken]):
                if made is not None:
                    scratch.put(str(number), made.picture)
                    leaves.append(Leaf(str(number), made.box))
            return compose(leaves, BOX.size, scratch)

    def whole(self, made: Made | None) -> Picture:
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
            take_out(picture, BOX, np.arange(40 * 48, dtype=np.int32).reshape(40, 48) % 601, None)
        with self.assertRaisesRegex(CannotTakeOut, "one by one"):
            take_out(picture, BOX, owners(picture, [soft, hard(30, 30, 4)]), "flat", soft)

    def test_it_is_made_again_from_other_art_at_another_place(self) -> None:
        picture = layer()
        repainted = 255 - picture
        repainted[..., 3] = picture[..., 3]
        for mask in (hard(12, 12, 8), softened(disc(14, 14, 8), 3)):
            first, wanted = (taken_from(art, [mask], "flat") for art in (picture, repainted))
            for what, kept, new in (
                ("taken", first.taken[0], wanted.taken[0]),
                ("left", first.left, wanted.left),
            ):
                assert kept is not None and new is not None
                made = MadeLayer("m1", "l1", what, kept.box, "key", kept.mask_box.moved(3, 2), "flat")  # type: ignore[arg-type]
                again = made_again(made, repainted, BOX.moved(3, 2), kept.mask)
                assert again is not None
                self.assertEqual(again.box, new.box.moved(3, 2))
                np.testing.assert_array_equal(again.picture, new.picture)
        elsewhere = MadeLayer("m1", "l1", "taken", BOX, "key", Box(500, 500, 548, 540))
        self.assertIsNone(made_again(elsewhere, repainted, BOX, mask))

    def test_a_layer_grows_under_what_covers_it(self) -> None:
        picture = np.zeros((20, 20, 4), np.uint8)
        picture[...] = (200, 60, 40, 255)
        picture[:, 17:19] = (20, 20, 20, 255)  # a line that goes down
        picture[19, :, 3] = 120  # and a smoothed border below
        box = Box(10, 10, 30, 30)
        covered = np.zeros((60, 60), bool)
        covered[24:60, 4:40] = True
        made = grow_under(picture, box, 6, covered)
        self.assertEqual(made.box, Box(4, 10, 36, 35))
        whole = np.zeros((60, 60, 4), np.uint8)
        whole[made.box.top : made.box.bottom, made.box.left : made.box.right] = made.picture
        np.testing.assert_array_equal(whole[10:24, 10:30], picture[:14], "what is seen is as it was")
        self.assertTrue((whole[29:34, 12:26, 3] == 255).all(), "the smoothed border is closed where it is covered")
        self.assertEqual(whole[32, 28].tolist(), [20, 20, 20, 255], "lines run on")
        self.assertFalse(whole[~covered & (np.add.outer(np.zeros(60), np.arange(60)) < 10), 3].any())
        assert made.added is not None
        self.assertEqual(int(made.added.sum()), int((made.mask > 0).sum()))
        again = made_again(MadeLayer("m1", "l1", "grown", made.box, "key", made.mask_box), picture, box, made.mask)
        assert again is not None
        np.testing.assert_array_equal(again.picture, made.picture)
        with self.assertRaisesRegex(CannotTakeOut, "nothing to grow under"):
            grow_under(picture, box, 6, np.zeros((60, 60), bool))

    def test_a_mask_in_another_box(self) -> None:
        mask = np.arange(1, 13, dtype=np.uint8).reshape(3, 4)
        placed = placed_mask(mask, Box(10, 10, 14, 13), Box(12, 9, 17, 12))
        self.assertEqual(placed.tolist(), [[0] * 5, [3, 4, 0, 0, 0], [7, 8, 0, 0, 0]])
