"""Recipes as JSON, and what they say of boxes and scales."""

import json
import unittest
from fractions import Fraction
from pathlib import Path

from hypothesis import given
from hypothesis import strategies as st
from jsonschema import Draft202012Validator

from yuplet.documents import schema
from yuplet.errors import RecipeNotUnderstood
from yuplet.geometry import Box, Size
from yuplet.plan.recipe import (
    FORMAT,
    Images,
    Recipe,
    Scale,
    from_json,
    scaled,
    scaled_canvas,
    shipped,
    to_json,
)


def recipe(**said: object) -> Recipe:
    return from_json({"format": FORMAT, "version": 1, "name": "a test", **said})


class JsonTests(unittest.TestCase):
    def test_the_schema_is_one(self) -> None:
        Draft202012Validator.check_schema(schema("recipe"))

    def test_what_is_absent_is_as_in_a_plain_recipe(self) -> None:
        self.assertEqual(recipe(), Recipe(name="a test"))

    def test_every_shipped_recipe_comes_back_from_its_full_form(self) -> None:
        self.assertGreaterEqual(len(shipped()), 5)
        for file, one in shipped().items():
            with self.subTest(file):
                self.assertEqual(from_json(json.loads(json.dumps(to_json(one)))), one)
                self.assertTrue(one.purpose.endswith("."))

    def test_what_is_wrong_is_told_with_its_place(self) -> None:
        for said, place in (
            ({"images": {"margin": -1}}, "images.margin"),
            ({"images": {"format": "bmp"}}, "images.format"),
            ({"scales": [{"factor": 1}, {"factor": 0}]}, "scales.2.factor"),
            ({"names": {"pieces": []}}, "names.pieces"),
            ({"colour": "blue"}, "The recipe cannot be understood: Additional"),
            ({"scales": [{"factor": 2}, {"factor": 2.0}]}, "the same scale is there twice"),
            ({"smooth": False, "scales": [{"factor": 1.5}]}, "by whole factors only, not by 1.5x"),
            ({"smooth": False, "images": {"format": "jpeg"}}, "without loss only"),
        ):
            with self.subTest(place), self.assertRaisesRegex(RecipeNotUnderstood, place):
                recipe(**said)
        with self.assertRaises(RecipeNotUnderstood):
            from_json(["not", "a", "recipe"])

    def test_the_page_on_the_format_names_everything_in_the_schema(self) -> None:
        page = (Path(__file__).resolve().parents[3] / "docs/formats/recipe.md").read_text()
        for name in (*schema("recipe")["properties"], *schema("recipe")["properties"]["images"]["properties"]):
            self.assertIn(f"`{name}`", page)


class BoxTests(unittest.TestCase):
    def test_a_box_at_half_the_size(self) -> None:
        self.assertEqual(scaled(Box.at(501, 61, Size(121, 81)), Fraction(1, 2)).as_xywh(), [250, 30, 61, 41])

    @given(
        st.tuples(st.integers(-50, 900), st.integers(-50, 900), st.integers(1, 500), st.integers(1, 500)),
        st.fractions(Fraction(1, 20), 8, max_denominator=50),
    )
    def test_no_pixel_is_lost_and_none_too_many_taken(self, box: tuple[int, int, int, int], factor: Fraction) -> None:
        given_box = Box.at(box[0], box[1], Size(box[2], box[3]))
        found = scaled(given_box, factor)
        for low, value in zip(found[:2], given_box[:2], strict=True):
            self.assertTrue(low <= value * factor < low + 1)
        for high, value in zip(found[2:], given_box[2:], strict=True):
            self.assertTrue(high - 1 < value * factor <= high)

    def test_a_canvas_by_its_longest_side_has_exactly_that(self) -> None:
        for canvas, longest in ((Size(2048, 1365), 1000), (Size(999, 3001), 512), (Size(3, 7), 4096)):
            factor = Scale("longest", longest).of(canvas, None)
            self.assertEqual(max(scaled_canvas(canvas, factor)), longest)

    def test_pixels_to_the_inch(self) -> None:
        self.assertEqual(Scale("ppi", 144).of(Size(10, 10), 72.0), 2)
        self.assertEqual(Scale("ppi", 48).of(Size(10, 10), None), Fraction(1, 2))

    def test_sides_are_padded_at_the_right_and_at_the_bottom(self) -> None:
        box = Box.at(10, 20, Size(33, 64))
        self.assertEqual(Images(sides="even").padded(box).as_xywh(), [10, 20, 34, 64])
        self.assertEqual(Images(sides="power-of-two").padded(box).as_xywh(), [10, 20, 64, 64])
        self.assertEqual(Images(sides="power-of-two", margin=1).padded(box).as_xywh(), [9, 19, 64, 128])
