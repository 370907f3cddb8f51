"""What is kept of pictures: within a budget of bytes, read-only, each computed once."""

import unittest
from dataclasses import dataclass

import numpy as np

from yuplet.pixels import Picture, picture_cache


@dataclass(frozen=True, slots=True)
class Found:
    picture: Picture
    count: int


class RememberedTests(unittest.TestCase):
    def setUp(self) -> None:
        picture_cache.set_budget(100_000)
        self.addCleanup(picture_cache.set_budget, picture_cache.DEFAULT_BUDGET)
        self.made = 0

    def make(self, side: int = 50) -> Found:
        self.made += 1
        return Found(np.zeros((side, side, 4), np.uint8), self.made)

    def test_it_is_made_once_and_shared_read_only(self) -> None:
        first = picture_cache.recalled("a", self.make)
        self.assertIs(picture_cache.recalled("a", self.make), first)
        self.assertEqual(self.made, 1)
        with self.assertRaises(ValueError):
            first.picture[0, 0] = 1

    def test_the_least_recently_used_goes_when_the_budget_is_used_up(self) -> None:
        for key in "abcdefghijkl":
            picture_cache.recalled(key, self.make)
            picture_cache.recalled("a", self.make)
            self.assertLessEqual(picture_cache.bytes_kept(), 100_000)
        self.assertEqual(self.made, 12)
        picture_cache.recalled("b", self.make)
        self.assertEqual(self.made, 13, "a was used all the time, b was not")

    def test_what_is_larger_than_the_budget_is_not_kept(self) -> None:
        for _ in range(2):
            picture_cache.recalled("large", lambda: self.make(300))
        self.assertEqual((self.made, picture_cache.bytes_kept()), (2, 0))
        self.assertIsNone(picture_cache.kept("large"))

    def test_pictures_are_told_apart_by_their_pixels(self) -> None:
        picture = np.zeros((4, 4, 4), np.uint8)
        one = picture_cache.remembered("regions", picture, lambda: self.make(1))
        self.assertIs(picture_cache.remembered("regions", picture.copy(), lambda: self.make(1)), one)
        self.assertIsNot(picture_cache.remembered("lines", picture, lambda: self.make(1)), one)
        picture[1, 1, 1] = 1
        self.assertIsNot(picture_cache.remembered("regions", picture, lambda: self.make(1)), one)
        self.assertIsNot(picture_cache.remembered("regions", picture.reshape(2, 8, 4), lambda: self.make(1)), one)
