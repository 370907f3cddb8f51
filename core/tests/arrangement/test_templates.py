"""Figures fitted to saved places: by name, by place, and what is left on both sides."""

import json
import unittest
from dataclasses import replace

import numpy as np

from yuplet.arrangement.commands import apply
from yuplet.arrangement.templates import Template, fit, fitted_joints, template_of
from yuplet.arrangement.tree import Arrangement, PartGroup
from yuplet.errors import ArrangementNotUnderstood
from yuplet.geometry import Box, Point, Size
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

    def test_a_figure_that_lies_elsewhere_and_has_more_is_found_by_place(self) -> None:
        """Fifteen places by a figure of other proportions and other names, on a larger canvas, with other things around it."""
        chance = np.random.default_rng(5)
        places = {
            "head": (70, 0, 70, 70), "hat": (75, -30, 60, 40), "eye left": (85, 25, 14, 10), "eye right": (112, 25, 14, 10),
            "mouth": (92, 48, 26, 10), "body": (65, 68, 80, 110), "belt": (62, 140, 86, 16), "upper arm left": (38, 75, 30, 50),
            "upper arm right": (142, 75, 30, 50), "lower arm left": (26, 118, 26, 48), "lower arm right": (158, 118, 26, 48),
            "hand left": (20, 160, 24, 24), "hand right": (166, 160, 24, 24), "leg left": (70, 172, 30, 80), "leg right": (110, 172, 30, 80),
        }  # fmt: skip
        kept = Arrangement(tuple(part(name) for name in places))
        template = template_of(kept, {name: Box.at(x, y + 40, Size(w, h)) for name, (x, y, w, h) in places.items()})
        for number in range(20):
            scale, (left, top) = chance.uniform(0.4, 3), chance.integers(0, 900, 2)
            boxes, names = {}, {}
            for at, (name, (x, y, w, h)) in enumerate(places.items()):
                wider, higher = chance.uniform(0.85, 1.15, 2)
                moved = [
                    round(one)
                    for one in (scale * x + left, scale * (y + 40) + top, scale * w * wider, scale * h * higher)
                ]
                boxes[f"p{at}"] = Box.at(moved[0], moved[1], Size(moved[2], moved[3]))
                names[f"p{at}"] = name
            boxes["cane"] = Box.at(left - 300, top - 200, Size(40, 900))
            boxes["ground"] = Box.at(left - 500, top + 200, Size(1500, 200))
            boxes["moon"] = Box.at(left + 700, top - 250, Size(90, 90))
            found = fit(template, Arrangement(tuple(part(f"x{row}", row) for row in boxes)), boxes)
            right = [index for index, row, _ in found.pairs if names.get(row) == template.places[index].path[-1]]
            with self.subTest(number, scale=scale):
                self.assertEqual(len(right), 15)
                self.assertEqual(set(found.parts_left), {"cane", "ground", "moon"})

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
