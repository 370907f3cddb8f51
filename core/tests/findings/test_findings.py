"""What is found in made-up parts whose trouble is known."""

import unittest
from dataclasses import replace
from unittest import mock

import numpy as np
from scipy import ndimage

from yuplet.arrangement.commands import JoinRows, apply
from yuplet.arrangement.tree import Arrangement
from yuplet.derivation.content import Content
from yuplet.derivation.turning import turn_box, turn_picture, turned
from yuplet.findings.doubles import TURNS, Drawn, leftovers, same_drawings, turn_between
from yuplet.findings.finding import Finding
from yuplet.findings.findings import look_over, placed_as
from yuplet.findings.specks import crumbs, pinholes
from yuplet.geometry import Box, Point, Size
from yuplet.illustration.derived import Cut, DerivedLayer, Turn, Turned
from yuplet.illustration.layers import Illustration, Layer, LayerGroup, LayerNode
from yuplet.parts.part import Frame, Part, Piece, still
from yuplet.pixels import Picture

CANVAS = Size(60, 40)


def noise(height: int, width: int, seed: int = 1) -> Picture:
    picture = np.random.default_rng(seed).integers(1, 256, (height, width, 4), dtype=np.uint8)
    picture[..., 3] = 255
    return picture


def blob(*dots: tuple[int, int]) -> Picture:
    """A body of 20 x 12 pixels and single ones beside it."""
    picture = np.zeros((40, 60, 4), np.uint8)
    picture[10:22, 8:28] = (200, 60, 40, 255)
    for x, y in dots:
        picture[y, x] = (200, 60, 40, 255)
    return picture


def cut(picture: Picture) -> Content:
    rows, columns = np.flatnonzero(picture[..., 3].any(axis=1)), np.flatnonzero(picture[..., 3].any(axis=0))
    box = Box(int(columns[0]), int(rows[0]), int(columns[-1]) + 1, int(rows[-1]) + 1)
    return Content(box, picture[box.top : box.bottom, box.left : box.right].copy())


class Scene:
    """Layers with their pixels, and what is found when they are parts."""

    def __init__(self, **layers: Content) -> None:
        self.layers = layers
        self.illustration = Illustration(
            "scene", CANVAS, tuple(Layer(name, name, content.box) for name, content in layers.items())
        )
        self.parts: tuple[Part, ...] = tuple(Part(name, name, still(name)) for name in layers)

    def drawn(self, layer: str) -> Drawn | None:
        return Drawn.of(self.layers[layer]) if layer in self.layers else None

    def frame(self, part: Part, index: int) -> Drawn | None:
        found = self.drawn(part.frames[index].pieces[0].layer)
        return found and replace(found, box=found.box.moved(*part.offset))

    def found(self, smallest: int = 6, tolerance: int = 0) -> list[Finding]:
        return look_over(self.illustration, Arrangement(self.parts), self.frame, self.drawn, None, smallest, tolerance)

    def kinds(self, **numbers: int) -> list[tuple[str, tuple[str, ...]]]:
        return [(one.kind, one.rows) for one in self.found(**numbers)]


class SpeckTests(unittest.TestCase):
    def test_pieces_beside_the_largest_against_scipy(self) -> None:
        rng = np.random.default_rng(7)
        for share in (0.2, 0.45, 0.6):
            picture = np.zeros((70, 90, 4), np.uint8)
            picture[rng.random((70, 90)) < share, 3] = 255
            labels, count = ndimage.label(picture[..., 3] > 0, np.ones((3, 3)))
            sizes = ndimage.sum_labels(picture[..., 3] > 0, labels, np.arange(count + 1))
            wanted = np.isin(labels, [at for at in range(1, count + 1) if sizes[at] < 5 and at != int(sizes.argmax())])
            found = crumbs(picture, 5)
            np.testing.assert_array_equal(found & wanted, wanted)
            outside = ~ndimage.binary_fill_holes(np.pad(picture[..., 3] > 0, 1))[1:-1, 1:-1]
            holes, count = ndimage.label((picture[..., 3] == 0) & ~outside)
            sizes = ndimage.sum_labels(holes > 0, holes, np.arange(count + 1))
            wanted = np.isin(holes, [at for at in range(1, count + 1) if sizes[at] < 5])
            np.testing.assert_array_equal(pinholes(picture, 5), wanted)

    def test_a_larger_piece_far_away_is_a_crumb_where_it_makes_the_box_large(self) -> None:
        far, near = np.zeros((300, 300, 4), np.uint8), np.zeros((300, 300, 4), np.uint8)
        for picture, x in ((far, 290), (near, 66)):
            picture[10:60, 10:60] = 255
            picture[30:33, x : x + 3] = 255
        self.assertEqual(int(crumbs(far, 5).sum()), 9)
        self.assertEqual(int(crumbs(near, 5).sum()), 0)
        self.assertEqual(int(crumbs(near, 10).sum()), 9)

    def test_one_piece_alone_is_no_crumb_however_small(self) -> None:
        picture = np.zeros((5, 5, 4), np.uint8)
        self.assertFalse(crumbs(picture, 9).any())
        picture[2, 2] = 255
        self.assertFalse(crumbs(picture, 9).any())

    def test_a_crumb_in_the_fifth_of_nine_frames_is_listed_with_its_place(self) -> None:
        frames = {f"f{number}": cut(blob(*(((50, 5), (51, 5)) if number == 5 else ()))) for number in range(1, 10)}
        scene = Scene(**frames)
        scene.parts = (Part("lamp", "lamp", tuple(Frame((Piece(name),)) for name in frames)),)
        (finding,) = scene.found()
        self.assertEqual((finding.kind, finding.frame, finding.pixels), ("crumbs", 4, 2))
        self.assertIn("'lamp', frame 5 of 9: 1 crumb, 2 px", finding.sentence)
        self.assertIn("from 44 × 17 to 20 × 12", finding.sentence)


class DebrisTests(unittest.TestCase):
    """A sign of 20 x 20 px before a wall of one colour, or of two; what is behind the sign was filled in."""

    def found(self, wall: Picture, behind: tuple[int, int, int], added: bool = True) -> list[Finding]:
        sign = Content(Box(20, 10, 40, 30), np.full((20, 20, 4), (20, 20, 20, 255), np.uint8))
        picture = wall.copy()
        there = np.zeros((40, 60), np.bool_)
        there[10:30, 20:40] = True
        picture[there] = (*behind, 255)
        scene = Scene(wall=Content(Box(0, 0, 60, 40), picture, there if added else None), sign=sign)
        return [one for one in scene.found() if one.kind == "debris"]

    def test_what_is_of_no_colour_around_is_said_where_it_opens(self) -> None:
        wall = np.full((40, 60, 4), (220, 210, 180, 255), np.uint8)
        self.assertEqual(self.found(wall, (220, 210, 180)), [])
        self.assertEqual(self.found(wall, (190, 60, 60), added=False), [], "what somebody drew is no rubbish")
        (finding,) = self.found(wall, (190, 60, 60))
        self.assertEqual(finding.rows, ("wall", "sign"))
        # A frame of 1 px, which is a twentieth of the sign.
        self.assertEqual(finding.pixels, 4 * 19)
        self.assertEqual(
            finding.sentence,
            "76 added px of 'wall' differ from the art around. They show when 'sign' moves by 5 % of its size.",
        )
        with mock.patch("yuplet.findings.debris._MOST", 150):
            (coarse,) = self.found(wall, (190, 60, 60))
        self.assertEqual(coarse.pixels, finding.pixels, "of one colour it makes no difference")

    def test_colours_between_those_around_are_none(self) -> None:
        wall = np.full((40, 60, 4), (220, 210, 180, 255), np.uint8)
        wall[:, 30:] = (60, 90, 130, 255)
        wall[10:30, 20:40] = (140, 150, 155, 255)
        # Within reach of the sides only one of the two is drawn, at the top and the bottom both are.
        (finding,) = self.found(wall, (140, 150, 155))
        assert finding.mask is not None
        self.assertFalse(finding.mask[10, 29:31].any())
        self.assertTrue(finding.mask[15, 20] and finding.mask[15, 39])

    def test_where_another_part_lies_between_nothing_opens(self) -> None:
        wall = np.full((40, 60, 4), (220, 210, 180, 255), np.uint8)
        picture = wall.copy()
        there = np.zeros((40, 60), np.bool_)
        there[10:30, 20:40] = True
        picture[there] = (190, 60, 60, 255)
        board = Content(Box(15, 5, 45, 35), np.full((30, 30, 4), (90, 60, 30, 255), np.uint8))
        sign = Content(Box(20, 10, 40, 30), np.full((20, 20, 4), (20, 20, 20, 255), np.uint8))
        scene = Scene(wall=Content(Box(0, 0, 60, 40), picture, there), board=board, sign=sign)
        self.assertNotIn("debris", [one.kind for one in scene.found()])


class DoubleTests(unittest.TestCase):
    def test_a_copy_is_found_and_a_move_is_not(self) -> None:
        coat = Content(Box(5, 5, 45, 35), noise(30, 40))
        pocket = Content(Box(10, 12, 20, 20), coat.picture[7:15, 5:15].copy())
        self.assertEqual(Scene(coat=coat, pocket=pocket).kinds(), [("leftover", ("pocket", "coat"))])
        moved = coat.picture.copy()
        moved[7:15, 5:15] = 0
        self.assertEqual(Scene(coat=Content(coat.box, moved), pocket=pocket).kinds(smallest=1), [])

    def test_what_was_filled_in_behind_is_no_leftover(self) -> None:
        flat = np.full((30, 40, 4), 255, np.uint8)
        added = np.zeros((30, 40), np.bool_)
        added[7:15, 5:15] = True
        pocket = Drawn.of(Content(Box(10, 12, 20, 20), flat[7:15, 5:15]))
        whole = Box(5, 5, 45, 35)
        self.assertEqual(leftovers([Drawn.of(Content(whole, flat)), pocket]), [(1, 0)])
        self.assertEqual(leftovers([Drawn.of(Content(whole, flat, added)), pocket]), [])

    def test_of_two_that_are_the_same_the_one_in_front_is_named(self) -> None:
        twin = Drawn.of(Content(Box(0, 0, 9, 8), noise(8, 9)))
        self.assertEqual(leftovers([twin, twin]), [(1, 0)])

    def test_names_of_copies(self) -> None:
        one, other, third = (Content(Box(x, 0, x + 9, 8), noise(8, 9, x)) for x in (0, 12, 24))
        scene = Scene(**{"arm copy": one, "leg (2)": other, "copper": third})
        self.assertEqual(scene.kinds(), [("copy", ("arm copy",)), ("copy", ("leg (2)",))])

    def test_the_same_drawing_in_every_turn(self) -> None:
        first = noise(7, 11)
        for turn in TURNS:
            with self.subTest(turn):
                picture = turn_picture(first, turn)
                self.assertEqual(turn_between(first, picture, 0), turn)
                np.testing.assert_array_equal(turn_picture(picture, turn.back), first)
                for other in TURNS:
                    np.testing.assert_array_equal(turn_picture(picture, other), turn_picture(first, turn.then(other)))
        off = first.copy()
        off[3, 3, 0] ^= 4
        self.assertIsNone(turn_between(first, off, 3))
        self.assertEqual(turn_between(first, off, 4), Turn())
        off[..., 3] = 0
        self.assertIsNone(turn_between(first, off, 4))

    def test_a_turned_box_is_where_its_pixels_go(self) -> None:
        box, about = Box(4, 6, 9, 20), (30.5, 17.0)
        rows, columns = np.mgrid[6:20, 4:9] + 0.5
        for turn in TURNS:
            x = 2 * about[0] - columns if turn.mirrored else columns
            y = rows
            for _ in range(turn.quarters):
                x, y = about[0] - (y - about[1]), about[1] + (x - about[0])
            there = turn_box(box, turn, about)
            self.assertLessEqual(abs(there.left - (x.min() - 0.5)), 0.5)
            self.assertLessEqual(abs(there.top - (y.min() - 0.5)), 0.5)
            self.assertEqual(sorted(there.size), sorted(box.size))
            made = turned(Content(box, noise(14, 5)), Turned(turn, about))
            self.assertEqual(made.box.size, (made.picture.shape[1], made.picture.shape[0]))

    def test_eleven_equal_plates_are_one_drawing(self) -> None:
        plate = noise(6, 4)
        contents = {
            f"plate {number}": Content(Box(x, 2, x + 4, 8), turn_picture(plate, Turn(number % 2 == 1)))
            for number, x in enumerate(range(0, 55, 5))
        }
        scene = Scene(**contents, other=Content(Box(0, 20, 4, 26), noise(6, 4, 9)))
        (finding,) = scene.found()
        self.assertEqual((finding.kind, len(finding.rows)), ("same-drawing", 11))
        self.assertIn("as it is, mirrored", finding.sentence)
        for row, turn in zip(finding.rows, finding.turns, strict=True):
            own = contents[row]
            about, offset = placed_as(contents["plate 0"].box, own.box, turn)
            made = turned(contents["plate 0"], Turned(turn, about))
            self.assertEqual(made.box.moved(*offset), own.box)
            np.testing.assert_array_equal(made.picture, own.picture)
        scene.parts = tuple(replace(part, frames=still("plate 0")) for part in scene.parts[:3])
        self.assertEqual([kind for kind, _ in scene.kinds() if kind == "same-drawing"], [], "one image already")
        self.assertEqual(same_drawings([Drawn.of(contents["plate 1"])]), [])


class RemainderTests(unittest.TestCase):
    def test_of_nine_things_the_ninth_is_shown(self) -> None:
        whole = np.zeros((40, 60, 4), np.uint8)
        boxes = [Box(2 + 6 * at, 10, 6 + 6 * at, 30) for at in range(9)]
        for at, box in enumerate(boxes):
            whole[box.top : box.bottom, box.left : box.right] = (10 + at, 5, 9, 255)
        scene = Scene(sheet=cut(whole))
        made = []
        for at, box in enumerate(boxes[:8]):
            name = f"m{at}"
            scene.layers[name] = Content(box, whole[box.top : box.bottom, box.left : box.right])
            made.append(DerivedLayer(name, "sheet", Cut("taken", "key", box), box))
        scene.illustration = replace(scene.illustration, made=tuple(made))
        scene.parts = tuple(Part(one.id, one.id, still(one.id)) for one in made)
        findings = [one for one in scene.found() if one.kind == "remainder"]
        self.assertEqual([(one.layer, one.rows, one.pixels) for one in findings], [("sheet", (), 80)])
        (finding,) = findings
        assert finding.mask is not None and finding.box is not None
        self.assertEqual(int(np.flatnonzero(finding.mask.any(axis=0))[0]) + finding.box.left, boxes[8].left)
        scene.parts = (*scene.parts, Part("ground", "ground", still("sheet"), included=False))
        (finding,) = [one for one in scene.found() if one.kind == "remainder"]
        self.assertEqual(finding.rows, ("ground",))
        self.assertIn("Left out: 'ground'", finding.sentence)
        scene.parts = (*scene.parts[:-1], replace(scene.parts[-1], included=True))
        self.assertEqual([one for one in scene.found() if one.kind == "remainder"], [])

    def test_what_looks_as_it_did_is_not_missing(self) -> None:
        scene = Scene(a=Content(Box(4, 4, 14, 14), noise(10, 10)))
        scene.parts = ()
        agreeing = np.zeros((40, 60), np.bool_)
        agreeing[4:14, 4:9] = True
        arrangement = Arrangement(scene.parts)
        (finding,) = look_over(scene.illustration, arrangement, scene.frame, scene.drawn, agreeing)
        self.assertEqual(finding.pixels, 50)

    def test_hidden_layers_and_what_was_filled_in_or_turned(self) -> None:
        flat = noise(10, 10)
        box = Box(0, 0, 10, 10)
        group: LayerNode = LayerGroup("g", "g", (Layer("b", "b", box),), visible=False)
        scene = Scene(a=Content(box, flat), b=Content(box, noise(10, 10, 3)))
        made = DerivedLayer("m", "a", Turned(Turn(True), (5, 5)), box)
        scene.layers["m"] = Content(box, flat[:, ::-1].copy())
        scene.illustration = replace(scene.illustration, layers=(Layer("a", "a", box), group), made=(made,))
        scene.parts = (Part("p", "p", still("m")),)
        self.assertEqual(
            [(one.kind, one.layer) for one in scene.found()], [("remainder", "a")], "turned art is elsewhere"
        )
        scene.layers["m"] = Content(box, flat, np.tri(10, 10, dtype=bool))
        scene.illustration = replace(scene.illustration, made=(replace(made, derivation=Cut("left", "key", box)),))
        (finding,) = scene.found()
        self.assertEqual((finding.kind, finding.pixels), ("remainder", 55), "nobody drew what was filled in")


class OverlayTests(unittest.TestCase):
    def test_a_mode_that_mixes_with_what_lies_behind(self) -> None:
        scene = Scene(
            ground=Content(Box(0, 0, 60, 40), noise(40, 60)),
            shade=Content(Box(5, 5, 25, 25), noise(20, 20, 5)),
            away=Content(Box(40, 5, 50, 15), noise(10, 10, 6)),
        )
        ground, shade, away = scene.parts
        scene.parts = (ground, replace(shade, blend="multiply"), away)
        (finding,) = scene.found()
        self.assertEqual((finding.kind, finding.rows), ("overlay", ("shade", "ground")))
        self.assertIn("(multiply) blends with", finding.sentence)
        joined = apply(Arrangement(scene.parts), JoinRows(finding.rows))
        scene.parts = tuple(part for _, part in joined.parts())
        self.assertNotIn("overlay", [kind for kind, _ in scene.kinds()])
        scene.parts = (replace(ground, shown=False), replace(shade, blend="multiply"))
        self.assertNotIn("overlay", [kind for kind, _ in scene.kinds()], "nothing is seen behind it")


class SeenTests(unittest.TestCase):
    def test_what_lies_wholly_behind_others_is_said_unless_it_should(self) -> None:
        small = np.zeros((40, 60, 4), np.uint8)
        small[12:18, 10:20] = (0, 90, 0, 255)
        scene = Scene(stone=cut(small), body=cut(blob()))
        found = [one for one in scene.found() if one.kind == "covered"]
        self.assertEqual([one.sentence for one in found], ["'stone' is wholly covered by other parts."])
        self.assertEqual(found[0].pixels, 60)
        scene.parts = (replace(scene.parts[0], role="ground"), scene.parts[1])
        self.assertNotIn("covered", {one.kind for one in scene.found()})
        scene.parts = (replace(scene.parts[0], role="picture"), replace(scene.parts[1], opacity=0.9))
        self.assertNotIn("covered", {one.kind for one in scene.found()})

    def test_a_joint_that_opens_is_said_until_the_parts_overlap_enough(self) -> None:
        picture = np.zeros((40, 60, 4), np.uint8)
        body, limb = picture.copy(), picture.copy()
        body[2:20, 15:45] = (200, 0, 0, 255)
        limb[20:38, 22:38] = (0, 0, 200, 255)
        scene = Scene(body=cut(body), limb=cut(limb))
        scene.parts = (scene.parts[0], replace(scene.parts[1], parent="body", pivot=Point(30, 20)))
        (found,) = (one for one in scene.found() if one.kind == "joint")
        self.assertRegex(
            found.sentence, r"^'limb' leaves a gap of \d+ px at the joint with 'body' when turned by -?20°\.$"
        )
        self.assertEqual(found.rows, ("limb", "body"))
        limb[10:20, 22:38] = (0, 0, 200, 255)
        scene = Scene(body=cut(body), limb=cut(limb))
        scene.parts = (scene.parts[0], replace(scene.parts[1], parent="body", pivot=Point(30, 14)))
        self.assertNotIn("joint", {one.kind for one in scene.found()})
