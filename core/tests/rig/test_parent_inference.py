"""Which part could carry which, and where a limb could turn: a figure drawn for it, and a graph library's spanning trees."""

import random
import unittest

import networkx
import numpy as np

from yuplet.derivation.content import Content
from yuplet.geometry import Box, Size
from yuplet.rig import parent_inference
from yuplet.rig.parent_inference import Shape, proposed_carriers, small
from yuplet.rig.round_ends import joint_between

CANVAS = Size(400, 400)


def capsule(start: tuple[float, float], end: tuple[float, float], radius: float) -> Content:
    """A limb with round ends, edges antialiased."""
    y, x = np.mgrid[:400, :400] + 0.5
    (ax, ay), (bx, by) = start, end
    length = (bx - ax) ** 2 + (by - ay) ** 2
    along = np.clip(((x - ax) * (bx - ax) + (y - ay) * (by - ay)) / max(length, 1e-9), 0, 1)
    away = np.hypot(x - ax - along * (bx - ax), y - ay - along * (by - ay))
    picture = np.zeros((400, 400, 4), np.uint8)
    picture[..., 3] = np.clip(np.rint(255 * (radius + 0.5 - away)), 0, 255)
    return Content(Box(0, 0, 400, 400), picture)


def box(left: int, top: int, right: int, bottom: int) -> Content:
    return Content(Box(left, top, right, bottom), np.full((bottom - top, right - left, 4), 255, np.uint8))


def shape(content: Content, *groups: str, carries: bool = True, is_seen: bool = True) -> Shape:
    alpha, at = small(content.picture[..., 3], content.box, CANVAS)
    return Shape(at, alpha, groups, carries, is_seen)


class JointTests(unittest.TestCase):
    def test_the_pivot_is_the_centre_of_a_round_end(self) -> None:
        body = box(20, 100, 210, 390)
        for centre, radius in (((200.0, 150.0), 24.0), ((190.3, 220.7), 15.5)):
            joint = joint_between(capsule(centre, (330, centre[1] + 40), radius), body)
            assert joint is not None
            self.assertTrue(joint.is_round)
            self.assertLess(np.hypot(joint.circle.centre.x - centre[0], joint.circle.centre.y - centre[1]), 0.6)
            self.assertAlmostEqual(joint.circle.radius, radius, delta=0.7)
            self.assertLess(joint.circle.deviation, 0.6)
            self.assertGreater(joint.overlap, 100)

    def test_a_square_end_turns_about_the_middle_of_the_overlap(self) -> None:
        joint = joint_between(box(180, 140, 320, 180), box(20, 100, 220, 390))
        assert joint is not None
        self.assertFalse(joint.is_round)
        self.assertAlmostEqual(joint.circle.centre.x, 201.5, delta=2)
        self.assertAlmostEqual(joint.circle.centre.y, 160, delta=0.1)

    def test_parts_that_only_touch_have_a_joint_and_those_apart_none(self) -> None:
        joint = joint_between(box(220, 140, 320, 180), box(20, 100, 220, 390))
        assert joint is not None
        self.assertEqual(joint.overlap, 0)
        self.assertAlmostEqual(joint.circle.centre.y, 160, delta=0.1)
        self.assertIsNone(joint_between(box(300, 140, 320, 180), box(20, 100, 220, 390)))


class CarrierTests(unittest.TestCase):
    def test_a_figure(self) -> None:
        shapes = [
            shape(box(0, 380, 400, 400), carries=False),  # shadow
            shape(box(140, 150, 260, 390)),  # body
            shape(capsule((150, 180), (80, 200), 18), "arm"),  # upper arm
            shape(capsule((82, 200), (60, 290), 15), "arm"),  # lower arm
            shape(capsule((60, 292), (60, 300), 16), "arm"),  # hand
            shape(box(150, 40, 250, 160)),  # head
            shape(box(170, 80, 190, 90)),  # eye
        ]
        self.assertEqual(proposed_carriers(shapes), [1, None, 1, 2, 3, 1, 5])

    def test_hair_behind_the_head_is_not_the_root_and_carries_nothing_of_the_face(self) -> None:
        shapes = [
            shape(capsule((200, 110), (200, 150), 105)),  # hair, nearly down to the chin
            shape(box(80, 230, 320, 370)),  # body
            shape(capsule((200, 130), (200, 190), 80)),  # face
            shape(box(110, 150, 130, 190)),  # ear, over the edge of the face
            shape(box(160, 140, 180, 150)),  # eye
            shape(box(220, 140, 240, 150)),  # eye
            shape(box(150, 360, 180, 399)),  # leg
            shape(box(220, 360, 250, 399)),  # leg
        ]
        self.assertEqual(proposed_carriers(shapes), [2, None, 1, 2, 2, 2, 1, 1])

    def test_a_marking_that_lies_all_within_a_head_is_no_head_of_its_own(self) -> None:
        shapes = [
            shape(capsule((200, 150), (200, 200), 120)),  # head
            shape(box(120, 120, 280, 240)),  # mask on it
            shape(box(110, 140, 160, 190)),  # eye across the mask's edge
            shape(box(190, 180, 210, 200)),  # nose
        ]
        self.assertEqual(proposed_carriers(shapes)[:3], [None, 0, 0])

    def test_what_is_apart_carries_itself_and_nothing_is_no_error(self) -> None:
        self.assertEqual(proposed_carriers([shape(box(0, 0, 20, 20)), shape(box(100, 100, 110, 110))]), [None, None])
        self.assertEqual(proposed_carriers([]), [])
        self.assertEqual(proposed_carriers([shape(box(0, 0, 9, 9), carries=False)]), [None])

    def test_the_forest_is_as_heavy_as_a_graph_librarys(self) -> None:

        choose = random.Random(3)
        for _ in range(25):
            shapes = []
            for at in range(12):
                left, top = choose.randrange(300), choose.randrange(300)
                width, height = choose.randrange(10, 100), choose.randrange(10, 100)
                shapes.append(shape(box(left, top, left + width, top + height), f"g{at % 3}"))
            areas = [float((one.alpha >= 128).sum()) for one in shapes]
            weights = parent_inference._weights(shapes, areas)
            graph = networkx.from_numpy_array(weights)
            expected = networkx.maximum_spanning_tree(graph).size("weight")
            solid = list(range(len(shapes)))
            trees = parent_inference._forest(solid, weights)
            self.assertEqual(
                sum(len(joined) for tree in trees for joined in tree.values()) // 2 + len(trees), len(shapes)
            )
            own = sum(weights[one, other] for tree in trees for one, joined in tree.items() for other in joined) / 2
            self.assertAlmostEqual(own, expected, places=9)
            found = proposed_carriers(shapes)
            chosen = networkx.DiGraph([(parent, at) for at, parent in enumerate(found) if parent is not None])
            self.assertTrue(networkx.is_directed_acyclic_graph(chosen))

    def test_each_tree_hangs_on_its_centre_as_a_graph_library_finds_it(self) -> None:
        for largest in range(7):
            chain = [shape(box(at * 30, 100, at * 30 + 40, 160 if at == largest else 130)) for at in range(7)]
            found = proposed_carriers(chain)
            graph = networkx.Graph([(parent, at) for at, parent in enumerate(found) if parent is not None])
            (root,) = (at for at, parent in enumerate(found) if parent is None)
            self.assertLessEqual(networkx.eccentricity(graph, root), networkx.radius(graph) + 1)
            if largest == 3:
                self.assertEqual(root, largest)

    def test_an_arm_hangs_by_its_upper_end_though_the_hand_lies_before_the_body(self) -> None:
        shapes = [
            shape(box(100, 100, 300, 380), "body"),
            shape(capsule((295, 140), (340, 220), 24), "arm"),  # upper arm, partly before the body
            shape(capsule((340, 222), (290, 290), 18), "arm"),  # lower arm, across its edge
            shape(capsule((286, 296), (270, 310), 14), "arm"),  # hand, wholly before it
        ]
        self.assertEqual(proposed_carriers(shapes), [None, 0, 1, 2])

    def test_what_is_hidden_takes_the_place_of_what_is_seen(self) -> None:
        shapes = [
            shape(box(50, 50, 350, 350), "head"),
            shape(box(150, 250, 250, 270), "mouths"),
            shape(box(145, 250, 255, 280), "mouths", carries=False, is_seen=False),
            shape(box(145, 250, 255, 270), "mouths", carries=False),  # a shadow on the first one
        ]
        self.assertEqual(proposed_carriers(shapes), [None, 0, 0, 1])
