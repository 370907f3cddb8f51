"""Recipes of made layers as plain values, and turns one after the other."""

import json
import unittest

import numpy as np

from yuplet.derivation.turning import turn_picture
from yuplet.geometry import Box, Size
from yuplet.illustration.derived import (
    Backdrop,
    Cut,
    Derivation,
    DerivedLayer,
    Dyed,
    Extension,
    Merged,
    Pasted,
    Turn,
    Turned,
    Widened,
    from_json,
    to_json,
)
from yuplet.illustration.layers import Illustration, Layer

BOX = Box(1, 2, 30, 40)
DERIVATIONS: tuple[Derivation, ...] = (
    Cut("taken", "key", BOX, (1, 2, 3)),
    Cut("left", "key", BOX, "painted"),
    Extension("key", BOX, "onward", "l2"),
    Extension("key", BOX, (9, 8, 7)),
    Turned(Turn(True, 3), (4.5, 6.0)),
    Dyed((1, 2, 3), True),
    Merged((("l1", 0.5, "multiply"), ("l2", 1.0, "normal"))),
    Backdrop(((1, 2, 3), (4, 5, 6))),
    Widened("mirror", 4, 6),
    Pasted(),
)


class MadeTests(unittest.TestCase):
    def test_every_recipe_survives_its_record(self) -> None:
        for recipe in DERIVATIONS:
            with self.subTest(recipe=recipe):
                made = DerivedLayer(
                    "m1", None if isinstance(recipe, Backdrop | Merged | Pasted) else "l1", recipe, BOX, "added"
                )
                self.assertEqual(from_json(json.loads(json.dumps(to_json(made)))), made)

    def test_what_a_layer_is_made_of_and_which_masks_it_has(self) -> None:
        cut, _, extension, *_, merged, backdrop, _, _ = (
            DerivedLayer("m", "l1", one, BOX, "more") for one in DERIVATIONS
        )
        self.assertEqual((cut.sources, cut.masks), (("l1",), ("key", "more")))
        self.assertEqual(extension.sources, ("l1", "l2"))
        self.assertEqual((merged.sources, merged.masks), (("l1", "l2"), ("more",)))
        read = Illustration(
            "x", Size(50, 50), (Layer("l1", "a", BOX), Layer("l2", "b", BOX)),
            made=(DerivedLayer("m1", None, DERIVATIONS[6], BOX), DerivedLayer("m2", "m1", DERIVATIONS[0], BOX), DerivedLayer("m3", None, Pasted(), BOX)),
        )  # fmt: skip
        self.assertEqual(read.roots_of("m2"), {"l1", "l2"})
        self.assertEqual((read.roots_of("m3"), read.roots_of("l1")), (set(), {"l1"}))

    def test_records_of_the_older_form_are_read(self) -> None:
        """As they were kept when layers were made by masks only."""
        older = {
            "id": "m1",
            "of": "l1",
            "box": [1, 2, 3, 4],
            "mask": "key",
            "mask_box": [0, 0, 9, 9],
            "behind": [1, 2, 3],
            "added": None,
        }
        cut = from_json({**older, "what": "left"})
        self.assertEqual(cut, DerivedLayer("m1", "l1", Cut("left", "key", Box(0, 0, 9, 9), (1, 2, 3)), Box(1, 2, 4, 6)))
        grown = from_json({**older, "what": "grown", "behind": None})
        self.assertEqual(grown.derivation, Extension("key", Box(0, 0, 9, 9), "onward"))

    def test_turns_one_after_the_other_and_back(self) -> None:
        picture = np.arange(6, dtype=np.uint8).reshape(2, 3)
        turns = [Turn(mirrored, quarters) for mirrored in (False, True) for quarters in range(4)]
        for first in turns:
            self.assertEqual(first.then(first.back), Turn())
            for second in turns:
                one_by_one = turn_picture(turn_picture(picture, first), second)
                np.testing.assert_array_equal(turn_picture(picture, first.then(second)), one_by_one)
