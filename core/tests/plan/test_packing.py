"""Packing: looked at by plain code, and beside known best heights.

Sources: E. Hopper and B. Turton, European Journal of Operational Research 128 (2001), the strips C1 to C3, as `hyperpack` has them; consecutive
squares against what trying everything finds.
"""

import unittest
from itertools import combinations

from hyperpack.benchmarks.datasets.hopper_and_turton_2000 import C1, C2, C3
from hypothesis import given, settings
from hypothesis import strategies as st

from yuplet.errors import PartTooLarge
from yuplet.geometry import Box, Size
from yuplet.plan.packing import Placed, pack_pages, pack_strip, pack_with_rectpack

_sides = st.integers(1, 40)
_sizes = st.lists(st.builds(Size, _sides, _sides), max_size=30)


def boxes(sizes: list[Size], places: list[Placed]) -> list[Box]:
    """What each covers; a turned one lies on its side."""
    return [
        Box.at(place.x, place.y, Size(size.height, size.width) if place.turned else size)
        for size, place in zip(sizes, places, strict=True)
    ]


def lowest(sizes: list[Size], width: int, most: int) -> int:
    """The least height below `most` that a strip of some squares can have: every order, each at every place of a skyline."""

    def fits(left: list[Size], skyline: tuple[int, ...], height: int) -> bool:
        if not left:
            return True
        floor = min(skyline)
        at = skyline.index(floor)
        end = at
        while end < width and skyline[end] == floor:
            end += 1
        tried = set()
        for index, size in enumerate(left):
            if size in tried or size.width > end - at or floor + size.height > height:
                continue
            tried.add(size)
            raised = (*skyline[:at], *(floor + size.height,) * size.width, *skyline[at + size.width :])
            if fits([*left[:index], *left[index + 1 :]], raised, height):
                return True
        # Nothing stands here: the gap is lost up to its lower neighbour.
        walls = [skyline[at - 1]] if at else []
        walls += [skyline[end]] if end < width else []
        if not walls:
            return False
        raised = (*skyline[:at], *(min(walls),) * (end - at), *skyline[end:])
        return fits(left, raised, height)

    area = sum(size.pixels for size in sizes)
    least = max(-(-area // width), *(size.height for size in sizes))
    return next(height for height in range(least, most + 1) if fits(sizes, (0,) * width, height))


class StripTests(unittest.TestCase):
    @settings(max_examples=25, deadline=None)
    @given(_sizes, st.booleans(), st.booleans())
    def test_none_is_lost_none_overlaps_and_none_sticks_out(self, sizes: list[Size], turn: bool, common: bool) -> None:
        pack = pack_with_rectpack if common else pack_strip
        height, places = pack(sizes, 50, turn)
        found = boxes(sizes, places)
        self.assertTrue(turn or not any(place.turned for place in places))
        self.assertEqual(height, max((box.bottom for box in found), default=0))
        self.assertTrue(all(box.left >= 0 and box.top >= 0 and box.right <= 50 for box in found))
        for one, other in combinations(found, 2):
            self.assertTrue(one.meet(other).is_empty, (one, other))

    def test_known_strips_come_out_nearly_as_low_as_can_be(self) -> None:
        for name, instance in (("C1", C1), ("C2", C2), ("C3", C3)):
            (strip,) = instance.containers.values()
            for letter in "abc":
                items = getattr(instance, f"items_{letter}").values()
                sizes = [Size(item["w"], item["l"]) for item in items]
                # They were cut out of the strip, so there is no room to spare.
                self.assertEqual(sum(size.pixels for size in sizes), strip["W"] * strip["L"])
                for turn in (False, True):
                    with self.subTest(f"{name}{letter}", turn=turn):
                        height, _ = pack_strip(sizes, strip["W"], turn)
                        self.assertGreaterEqual(height, strip["L"])
                        self.assertLessEqual(height / strip["L"], 1.10)

    def test_consecutive_squares_are_never_lower_than_can_be(self) -> None:
        for most in range(1, 8):
            sizes = [Size(side, side) for side in range(most, 0, -1)]
            for width in (most, most + 3):
                height, _ = pack_strip(sizes, width)
                best = lowest(sizes, width, height)
                with self.subTest(most=most, width=width):
                    self.assertGreaterEqual(height, best)
                    self.assertLessEqual(height, best * 1.25 + 1)

    def test_equal_parts_are_laid_equally(self) -> None:
        sizes = [Size(7 * n % 23 + 3, 5 * n % 19 + 4) for n in range(40)]
        self.assertEqual(pack_strip(sizes, 60, True), pack_strip(sizes, 60, True))

    def test_one_that_is_too_wide(self) -> None:
        with self.assertRaisesRegex(PartTooLarge, "51 × 2 px"):
            pack_strip([Size(51, 2)], 50)
        self.assertEqual(pack_strip([Size(51, 2)], 50, may_turn=True)[1], [Placed(0, 0, 0, True)])


class PageTests(unittest.TestCase):
    @settings(max_examples=15, deadline=None)
    @given(_sizes, st.booleans(), st.booleans(), st.booleans(), st.sampled_from([40, 64, 100, 500]))
    def test_pages_keep_to_what_is_asked(
        self, sizes: list[Size], power_of_two: bool, square: bool, turn: bool, longest: int
    ) -> None:
        if power_of_two:
            longest = 1 << (longest - 1).bit_length()
        pages, places = pack_pages(sizes, longest, power_of_two, square, turn)
        found = boxes(sizes, places)
        for one, other in combinations(zip(places, found, strict=True), 2):
            self.assertTrue(one[0].page != other[0].page or one[1].meet(other[1]).is_empty)
        for place, box in zip(places, found, strict=True):
            self.assertEqual(box.meet(Box(0, 0, *pages[place.page])), box)
        for page in pages:
            self.assertLessEqual(max(page), longest)
            self.assertTrue(not square or page.width == page.height)
            self.assertTrue(not power_of_two or all(side & (side - 1) == 0 for side in page))
        self.assertEqual({place.page for place in places}, set(range(len(pages))))

    def test_a_thousand_parts_leave_hardly_any_room(self) -> None:
        sizes = [Size(8 + 37 * n % 113, 8 + 53 * n % 109) for n in range(1000)]
        pages, _ = pack_pages(sizes, 16384)
        self.assertGreaterEqual(sum(size.pixels for size in sizes) / sum(page.pixels for page in pages), 0.96)
        self.assertEqual(len(pages), 1)

    def test_one_that_fits_on_no_page(self) -> None:
        with self.assertRaisesRegex(PartTooLarge, "a sheet takes up to 64 px"):
            pack_pages([Size(3, 3), Size(65, 3)], 64)
