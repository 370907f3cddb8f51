"""After any change the picture made from the earlier file has the pixels of one made anew, and little of it is composed again."""

import io
import random
import unittest
import zlib
from collections.abc import Sequence
from dataclasses import replace
from unittest import mock

import numpy as np
from PIL import Image

from tests.writing.test_banded_png import in_bands
from yuplet.arrangement.tree import PartGroup, Row, arrangement_of
from yuplet.geometry import Box, Size
from yuplet.illustration.layers import Illustration, Layer
from yuplet.parts.part import Frame, Part, Piece
from yuplet.pixels.blending import CLEARING, MODES
from yuplet.pixels.spill_file import SpillFile
from yuplet.plan.plan import plan_hand_over
from yuplet.plan.planned import Plan
from yuplet.plan.recipe import Recipe, Scale
from yuplet.writing import banded_png, incremental_reference
from yuplet.writing.pictures import Sources

CANVAS = Size(700, 430)
TILES = 3 * 4
BLENDS = sorted(MODES)


class WholePictureTestCase(unittest.TestCase):
    """Twelve layers at random places, some of them together in parts and groups with opacities and modes of their own."""

    def setUp(self) -> None:
        self.rng = np.random.default_rng(11)
        self.random = random.Random(11)
        self.scratch = SpillFile()
        self.addCleanup(self.scratch.__exit__)
        self.boxes = {f"layer {number}": self.put_anywhere(f"layer {number}") for number in range(12)}
        self.rows = self.first_rows()
        # As large pictures are written, which would take long here.
        patched = mock.patch.object(incremental_reference, "_BANDED_FROM", 1)
        patched.start()
        self.addCleanup(patched.stop)

    def put_anywhere(self, layer: str) -> Box:
        width, height = (int(side) for side in self.rng.integers(20, 220, 2))
        box = Box.at(
            int(self.rng.integers(-15, CANVAS.width - 20)), int(self.rng.integers(-15, 410)), Size(width, height)
        )
        self.scratch.put(layer, self.rng.integers(0, 256, (height, width, 4)).astype(np.uint8))
        return box

    def first_rows(self) -> tuple[Row, ...]:
        def part(number: int, *layers: int, **values: object) -> Part:
            pieces = [Piece(f"layer {layer}", 1.0 if layer % 2 else 0.6) for layer in layers]
            return Part(f"part {number}", f"part {number}", (Frame(tuple(pieces)),), **values)  # type: ignore[arg-type]

        inner = PartGroup("inner", "inner", (part(5, 7), part(6, 8, 9)), opacity=0.5, blend="multiply")
        outer = PartGroup("outer", "outer", (part(3, 3), inner, part(4, 4)), isolated=True)
        return (part(1, 0), part(2, 1, 2), outer, part(7, 5, blend="screen"), part(8, 6), part(9, 10, 11, opacity=0.8))

    def plan(self, recipe: Recipe | None = None) -> Plan:
        layers = tuple(Layer(name, name, box) for name, box in self.boxes.items())
        illustration = Illustration("made up", CANVAS, layers)
        arrangement = replace(arrangement_of(illustration)[0], rows=self.rows)
        return plan_hand_over(illustration, arrangement, recipe=recipe, digests=self.digests())

    def digests(self) -> dict[str, str]:
        return {layer: self.scratch.digest(layer) for layer in self.boxes}

    def written(self, earlier: bytes | None, recipe: Recipe | None = None) -> bytes:
        """The picture as it is written, which must have the pixels of one that is composed as a whole."""
        plan = self.plan(recipe)
        sources = Sources(self.scratch, None, self.digests())
        made = incremental_reference.written(plan, plan.main, plan.tree, sources, 2, earlier)
        wanted = incremental_reference.composed(plan, plan.main, plan.tree, sources, 1)
        found = np.array(Image.open(io.BytesIO(made.data)).convert("RGBA"))
        np.testing.assert_array_equal(found, wanted)
        self.assertEqual(made.pixels_crc32, zlib.crc32(wanted))
        return made.data

    def composed_again(self, earlier: bytes) -> tuple[bytes, int]:
        """The picture, and how many tiles were composed for it."""
        areas: list[Box] = []
        plain, whole = incremental_reference.composed, incremental_reference.compose_bands

        def counted(*arguments: object) -> object:
            areas.append(arguments[5])  # type: ignore[arg-type]
            return plain(*arguments)  # type: ignore[arg-type]

        def all_counted(*arguments: object) -> None:
            areas.extend([Box(0, 0, *CANVAS)] * -(-CANVAS.height // incremental_reference.TILE.height))
            whole(*arguments)  # type: ignore[arg-type]

        with (
            mock.patch.object(incremental_reference, "composed", counted),
            mock.patch.object(incremental_reference, "compose_bands", all_counted),
        ):
            plan = self.plan()
            data = incremental_reference.written(
                plan, plan.main, plan.tree, Sources(self.scratch, None, self.digests()), 2, earlier
            ).data
        tiles = sum(-(-area.width // incremental_reference.TILE.width) for area in areas)
        return data, tiles

    def change(self, change: str) -> None:
        """One change anywhere, as artists make them."""
        layer = self.random.choice(sorted(self.boxes))
        if change == "repaint":
            picture = self.scratch.whole(layer)
            y, x = (int(self.rng.integers(0, side)) for side in picture.shape[:2])
            picture[y : y + 9, x : x + 9] = self.rng.integers(0, 256, 4)
            self.scratch.put(layer, picture)
        elif change == "move":
            self.boxes[layer] = self.boxes[layer].moved(self.random.randint(-40, 40), self.random.randint(-40, 40))
        elif change == "grow":
            self.boxes[layer] = self.put_anywhere(layer)
        elif change == "order":
            rows = list(self.rows)
            self.random.shuffle(rows)
            self.rows = tuple(rows)
        else:
            at = self.random.randrange(len(self.rows))
            values = {
                "hide": {"shown": not self.rows[at].shown},
                "opacity": {"opacity": self.random.choice([0.25, 0.5, 1.0])},
                "blend": {"blend": self.random.choice(BLENDS)},
            }[change]
            self.rows = (*self.rows[:at], replace(self.rows[at], **values), *self.rows[at + 1 :])


class WholePictureTests(WholePictureTestCase):
    def test_after_many_changes_in_a_row_it_is_as_made_anew(self) -> None:
        data = self.written(None)
        self.assertIsNotNone(banded_png.opened(data))
        kinds = ["repaint", "move", "grow", "order", "hide", "opacity", "blend"]
        for number in range(70):
            change = self.random.choice(kinds)
            with self.subTest(number, change=change):
                self.change(change)
                data = self.written(data)

    def test_a_small_repaint_composes_few_tiles(self) -> None:
        data, tiles = self.composed_again(b"")
        self.assertEqual(tiles, TILES)
        data, tiles = self.composed_again(data)
        self.assertEqual(tiles, 0)
        picture = self.scratch.whole("layer 6")
        picture[3, 3] ^= 1
        self.scratch.put("layer 6", picture)
        _, tiles = self.composed_again(data)
        self.assertEqual(tiles, 1)

    def test_a_part_that_moves_changes_where_it_was_and_where_it_is(self) -> None:
        self.boxes["layer 6"] = Box.at(10, 10, self.scratch.size("layer 6"))
        data, _ = self.composed_again(b"")
        before = self.boxes["layer 6"]
        self.boxes["layer 6"] = self.boxes["layer 6"].moved(400, 200)
        _, tiles = self.composed_again(data)
        touched = sum(self.tiles_of(box) for box in (before, self.boxes["layer 6"]))
        self.assertEqual(tiles, touched)
        self.assertLess(touched, TILES)

    def test_a_part_that_moves_within_a_tile_is_seen_where_it_is(self) -> None:
        self.boxes["layer 6"] = Box(270, 20, 300, 50)
        self.scratch.put("layer 6", np.full((30, 30, 4), 200, np.uint8))
        data = self.written(None)
        self.boxes["layer 6"] = self.boxes["layer 6"].moved(7, 0)
        self.written(data)

    def tiles_of(self, box: Box) -> int:
        seen = box.meet(Box(0, 0, *CANVAS))
        columns = -(-seen.right // 256) - seen.left // 256
        return columns * (-(-seen.bottom // 128) - seen.top // 128)

    def test_a_mode_that_clears_what_is_around_it_changes_everything(self) -> None:
        self.assertEqual(len(CLEARING), 2)
        for blend in ("destination-in", "destination-atop"):
            with self.subTest(blend):
                self.rows = self.first_rows()
                data = self.written(None)
                self.rows = (*self.rows[:-1], replace(self.rows[-1], blend=blend))
                self.written(data)

    def test_the_ground_of_the_recipe_counts(self) -> None:
        white = Recipe(reference_ground=(255, 255, 255))
        data = self.written(self.written(None), white)
        opened = banded_png.opened(data)
        assert opened is not None
        self.assertEqual(opened.channels, 3)
        self.change("repaint")
        data = self.written(data, white)
        self.written(data, Recipe(reference_ground=(255, 255, 254)))

    def test_a_file_of_another_size_or_of_another_program_is_not_used(self) -> None:
        other = io.BytesIO()
        Image.new("RGBA", CANVAS, (9, 9, 9, 255)).save(other, "PNG")
        self.written(other.getvalue())
        self.written(b"torn")
        self.written(banded_png.encoded(in_bands(np.zeros((128, 700, 4), np.uint8))))

    def test_few_colours_are_written_by_their_numbers(self) -> None:
        for layer in self.boxes:
            self.scratch.put(layer, np.full_like(self.scratch.whole(layer), 255))
        self.rows = tuple(replace(row, opacity=1.0, blend="normal") for row in self.rows)
        data = self.written(None)
        self.assertEqual(Image.open(io.BytesIO(data)).mode, "P")
        self.change("repaint")
        self.written(data)

    def test_without_digests_all_is_made_anew(self) -> None:
        plan = self.plan()
        sources: Sequence[Sources] = (Sources(self.scratch), Sources(self.scratch, None, {"layer 0": "known"}))
        for one in sources:
            made = incremental_reference.written(plan, plan.main, plan.tree, one, 1, self.written(None))
            opened = banded_png.opened(made.data)
            assert opened is not None
            self.assertEqual(dict(opened.notes), {})

    def test_other_scales_are_right_too(self) -> None:
        data = self.written(None, Recipe(scales=(Scale("factor", 2),)))
        self.change("repaint")
        self.written(data, Recipe(scales=(Scale("factor", 2),)))

    def test_layers_that_lie_elsewhere_are_not_read(self) -> None:
        data = self.written(None)
        picture = self.scratch.whole("layer 6")
        picture[:5, :5] ^= 3
        self.scratch.put("layer 6", picture)
        plan, read = self.plan(), set()
        scratch = self.scratch

        class Watched:
            def rows(self, key: str, top: int, bottom: int) -> np.ndarray:
                read.add(key)
                return scratch.rows(key, top, bottom)

            def deep_rows(self, key: str, top: int, bottom: int) -> np.ndarray | None:
                return scratch.deep_rows(key, top, bottom)

        incremental_reference.written(plan, plan.main, plan.tree, Sources(Watched(), None, self.digests()), 1, data)
        first = self.boxes["layer 6"].meet(Box(0, 0, *CANVAS))
        tile = Box.at(first.left // 256 * 256, first.top // 128 * 128, Size(256, 128))
        near = {layer for layer, box in self.boxes.items() if not box.meet(tile).is_empty}
        self.assertLessEqual(read, near | {"layer 6"})
        self.assertLess(len(read), len(self.boxes))
