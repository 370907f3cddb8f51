"""Pieces of an interface on screens of other sizes, by the examples of docs/formats/manifest.md."""

import unittest
from typing import Any
from unittest import mock

from yuplet.errors import PackageError
from yuplet.rehearsal import screens
from yuplet.rehearsal.screens import on_screens, pieces_of, screen_from_text

CANVAS = (960, 540)
WIDE, TALL = (1920, 1080), (1080, 1920)


def part(name: str, left: int, top: int, width: int, height: int, **said: Any) -> dict[str, Any]:
    plain = {"shown": True, "is_on": True, "group": None, "parent": None, "anchor": None, "margins": None}
    return {"id": name, "name": name, "left": left, "top": top, "width": width, "height": height, "role": "picture", **plain, **said}  # fmt: skip


def group(path: str, around: int | None = None, is_on: bool = True, is_set: bool = False) -> dict[str, Any]:
    return {"path": path, "group": around, "is_on": is_on, "is_set": is_set}


KEY = part("key", 720, 405, 150, 48)


class PlaceTests(unittest.TestCase):
    def place(
        self, screen: tuple[int, int], *parts: dict[str, Any], canvas: tuple[int, int] = CANVAS
    ) -> list[tuple[float, ...]]:
        (found,) = on_screens(pieces_of({"parts": parts, "groups": []}), canvas, [screen])
        return [(one.left, one.top, one.width, one.height) for one in found.places]

    def test_the_worked_example_of_the_format(self) -> None:
        self.assertEqual(self.place(WIDE, KEY), [(1440, 810, 300, 96)])
        self.assertEqual(self.place(TALL, KEY), [(810, 1440, 168.75, 54)])

    def test_an_anchor_keeps_the_distance_to_its_place(self) -> None:
        ((left, top, width, height),) = self.place((1920, 1920), {**KEY, "anchor": [1, 1]})
        # 90 px from the right and 87 px from the bottom, twice as large now.
        self.assertEqual((1920 - left - width, 1920 - top - height), (180, 174))
        middle = {**part("middle", 380, 246, 200, 48), "anchor": [0.5, 0.5]}
        ((left, top, width, height),) = self.place((1920, 1920), middle)
        self.assertEqual((left + width / 2, top + height / 2), (960, 960))
        self.assertEqual(self.place(CANVAS, {**KEY, "anchor": [1, 0]}), [(720, 405, 150, 48)])

    def test_what_is_carried_stays_on_its_carrier(self) -> None:
        cap = {**part("cap", 730, 400, 130, 40), "parent": "key"}
        (_, below), (_, above) = ((one[0], one[1]) for one in self.place(TALL, {**KEY, "anchor": [0, 1]}, cap))
        grown = 1080 / 960
        self.assertAlmostEqual(above - below, -5 * grown)
        # Before its carrier in the order, and in a circle that only others make.
        self.assertEqual(len(self.place(TALL, cap, KEY)), 2)
        circle = [{**KEY, "parent": "cap"}, cap]
        self.assertEqual(self.place(CANVAS, *circle), [(720, 405, 150, 48), (730, 400, 130, 40)])

    def test_packages_that_wish_harm(self) -> None:
        long = [part("p0", 0, 0, 10, 10), *({**part(f"p{at}", at, at, 10, 10), "parent": f"p{at - 1}"} for at in range(1, 5000))]  # fmt: skip
        places = self.place(TALL, *reversed(long))
        self.assertAlmostEqual(places[0][0], 4999 * 1080 / 960, delta=1e-3)
        for said in ({"anchor": [1e308, -1e308]}, {"margins": [1e308] * 4}, {"anchor": [float("inf"), 0]}):
            with self.subTest(said):
                self.assertEqual(self.place(WIDE, {**KEY, **said}), [(1440, 810, 300, 96)])

    def test_what_has_margins_is_stretched_between_them(self) -> None:
        board = {**part("board", 96, 54, 768, 432), "margins": [20, 20, 20, 20]}
        (found,) = on_screens(pieces_of({"parts": [board], "groups": []}), CANVAS, [TALL])
        (place,) = found.places
        self.assertEqual((place.left, place.top, place.width, place.height), (108, 192, 864, 1536))
        self.assertEqual(place.margins, (22.5, 22.5, 22.5, 22.5))
        with self.subTest("not where it is held by an anchor or carried"):
            (held,) = self.place(TALL, {**board, "anchor": [0, 0]})
            self.assertEqual(held[2:], (864, 486))

    def test_sizes_that_are_none(self) -> None:
        self.assertEqual(screen_from_text("1920x1080"), WIDE)
        for wrong in ("1920", "axb", "-1x5", "1e3x4", "1920x1080x2", ""):
            with self.subTest(wrong), self.assertRaisesRegex(PackageError, "is no size of a screen"):
                screen_from_text(wrong)
        for screen in ((4, 100), (100, 99_999)):
            with self.subTest(screen), self.assertRaisesRegex(PackageError, "cannot be looked at"):
                self.place(screen, KEY)
        with self.assertRaisesRegex(PackageError, "more than 12"):
            on_screens([], CANVAS, [WIDE] * 13)


class FindingTests(unittest.TestCase):
    def found(
        self, screen: tuple[int, int], parts: list[dict[str, Any]], groups: list[dict[str, Any]] | None = None
    ) -> list[tuple[str, str, float]]:
        (found,) = on_screens(pieces_of({"parts": parts, "groups": groups or []}), CANVAS, [screen])
        return [(one.kind, one.part, one.pixels) for one in found.findings]

    def test_nothing_is_wrong_on_the_canvas(self) -> None:
        self.assertEqual(self.found(CANVAS, [KEY, {**KEY, "id": "low", "role": "press-target"}]), [])

    def test_what_ends_outside_the_screen(self) -> None:
        low = part("low", 0, 440, 100, 100)
        # At 440 / 540 of 540 px, twice as large: 200 of 100 px.
        self.assertEqual(self.found((1920, 540), [low]), [("outside", "low", 100.0)])
        # What reaches over the edge as drawn is meant to; what is only looked at is not laid.
        self.assertEqual(self.found((1920, 540), [part("bleed", -10, 400, 980, 200), {**low, "role": "guide"}]), [])

    def test_targets_that_are_too_small_for_a_finger(self) -> None:
        small = {**part("small", 10, 10, 44, 44), "role": "press-target"}
        self.assertEqual(self.found(CANVAS, [small]), [])
        self.assertEqual(self.found((480, 270), [small]), [("small-target", "small", 22.0)])

    def test_targets_that_lie_on_each_other(self) -> None:
        one = {**part("one", 100, 100, 200, 60), "role": "press-target"}
        other = {**part("other", 100, 200, 200, 60), "role": "press-target"}
        self.assertEqual(self.found(CANVAS, [one, other]), [])
        flat = self.found((1920, 270), [one, other])
        self.assertIn(("overlap", "one", 70.0), flat)
        with self.subTest("not what one carries"):
            carried = self.found((1920, 270), [one, {**other, "parent": "one"}])
            self.assertEqual([kind for kind, *_ in carried], ["outside"])

    def test_thousands_of_targets_are_not_all_compared(self) -> None:
        crowd = [{**part(f"t{at}", 100, 100, 60, 60), "role": "press-target"} for at in range(5000)]
        self.assertEqual({kind for kind, *_ in self.found(CANVAS, crowd)}, {"overlap"})
        with mock.patch.object(screens, "MOST_TARGETS", 3):
            self.assertEqual(len(self.found(CANVAS, crowd)), 3)

    def test_members_of_a_set_are_never_pressed_at_once_and_all_are_looked_at(self) -> None:
        groups = [group("key", is_set=True), group("key/rested", 0), group("key/pressed", 0, is_on=False)]
        target = {"role": "press-target"}
        rested = {**part("rested", 100, 100, 200, 60), **target, "group": 1}
        pressed = {**part("pressed", 100, 100, 30, 30), **target, "group": 2, "shown": False}
        self.assertEqual(self.found(CANVAS, [rested, pressed], groups), [("small-target", "pressed", 30.0)])
        with self.subTest("what is switched off is not seen at all"):
            off = {**pressed, "is_on": False}
            self.assertEqual(self.found(CANVAS, [rested, off], groups), [])

    def test_margins_that_are_larger_than_the_place(self) -> None:
        board = {**part("board", 0, 0, 960, 540), "margins": [100, 200, 100, 200]}
        self.assertEqual(self.found((1920, 540), [board]), [("squeezed", "board", 260.0)])
