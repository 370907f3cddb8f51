"""Figures fitted to saved places: by name, by place, and what is left on both sides."""

import json
import unittest
from dataclasses import replace

from yuplet.arrangement.commands import apply
from yuplet.arrangement.templates import Template, fit, fitted_joints, template_of
from yuplet.arrangement.tree import Arrangement, PartGroup
from yuplet.errors import ArrangementNotUnderstood
from yuplet.geometry import Box, Point
from yuplet.parts.part import Part, still


def part(name: str, row: str = "", **more: object) -> Part:
    return replace(Part(row or name, name, still(row or name)), **more)


FIGURE = Arrangement(
    (
        part("body", pivot=Point(50, 100)),
        PartGroup("g", "arm left", (part("upper", parent="body", pivot=Point(20, 40)), part("hand", parent="upper"))),
        part("hat", parent="body"),
    )
)
BOXES = {
    "body": Box(30, 30, 70, 110),
    "upper": Box(10, 30, 30, 70),
    "hand": Box(10, 70, 30, 90),
    "hat": Box(30, 0, 70, 30),
}


class TemplateTests(unittest.TestCase):
    def setUp(self) -> None:
        kept = template_of(FIGURE, BOXES)
        self.template = Template.from_json(json.loads(json.dumps(kept.as_json())))
        self.assertEqual(self.template, kept)

    def test_a_figure_twice_as_large_gets_the_joints_by_its_names(self) -> None:
        bare = FIGURE.changed(lambda row: replace(row, parent=None, pivot=None) if isinstance(row, Part) else row)
        boxes = {row: Box(*(2 * side for side in box)) for row, box in BOXES.items()}
        found = fit(self.template, bare, boxes)
        self.assertEqual({how for _, _, how in found.pairs}, {"name"})
        self.assertEqual((found.places_left, found.parts_left), ((), ()))
        made = apply(bare, fitted_joints(self.template, found, boxes))
        self.assertEqual(made.parents(), FIGURE.parents())
        self.assertEqual(made.find("upper")[1].pivot, Point(40, 80))  # type: ignore[union-attr]

    def test_other_names_are_found_by_their_places_and_the_rest_is_listed(self) -> None:
        other = Arrangement((part("torso", "a"), part("Hand", "b"), part("cane", "c"), part("sleeve", "d")))
        boxes = {
            "a": Box(31, 28, 70, 110),
            "b": Box(80, 70, 95, 90),
            "c": Box(90, 0, 95, 110),
            "d": Box(10, 33, 31, 70),
        }
        found = fit(self.template, other, boxes)
        named = {self.template.places[index].path[-1]: (row, how) for index, row, how in found.pairs}
        self.assertEqual(named, {"body": ("a", "box"), "hand": ("b", "name"), "upper": ("d", "box")})
        self.assertEqual([self.template.places[index].path for index in found.places_left], [("hat",)])
        self.assertEqual(found.parts_left, ("c",))

    def test_a_place_without_a_part_hands_its_children_on(self) -> None:
        some = Arrangement((part("body"), part("hand")))
        found = fit(self.template, some, {"body": BOXES["body"], "hand": BOXES["hand"]})
        self.assertEqual(fitted_joints(self.template, found, BOXES).parents, {"hand": "body"})

    def test_names_that_two_have_say_nothing(self) -> None:
        two = Arrangement((PartGroup("x", "x", (part("hat", "h1"),)), PartGroup("y", "y", (part("hat", "h2"),))))
        found = fit(self.template, two, {"h1": Box(0, 0, 5, 5), "h2": Box(90, 90, 99, 99)})
        self.assertNotIn("name", {how for _, _, how in found.pairs})

    def test_nonsense(self) -> None:
        for value in ("x", [{"path": []}], [{"path": ["a"], "box": [1], "pivot": None, "parent": None}],
                      [{"path": ["a"], "box": [0, 0, 1, 1], "pivot": None, "parent": 7}]):  # fmt: skip
            with self.subTest(value), self.assertRaises(ArrangementNotUnderstood):
                Template.from_json(value)
        self.assertEqual(template_of(Arrangement(()), {}), Template(()))
