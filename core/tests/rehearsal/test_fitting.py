"""A motion of one figure on another: by names, by words and sides, by roles; what has no counterpart is said."""

import unittest
from typing import Any
from unittest import mock

from yuplet.errors import MotionError
from yuplet.rehearsal.motion import fitting
from yuplet.rehearsal.motion.commands import applied
from yuplet.rehearsal.motion.document import Key, Motion, MotionPath, Stage, Track
from yuplet.rehearsal.motion.fitting import fit, kept_from_json, kept_motion, laid
from yuplet.rehearsal.motion.path import measured
from yuplet.rehearsal.motion.rig import Rig, RigPart, RigSet


def part(id: str, path: str, box: tuple[int, int, int, int] = (0, 0, 30, 40), **more: Any) -> RigPart:
    middle = (box[0] + box[2] / 2, box[1] + box[3] / 2)
    return RigPart(id=id, name=path.rpartition(" / ")[2], path=path, pivot=None, middle=middle, parent=None, box=box, **more)  # fmt: skip


BADGER = Rig(
    (
        part("b1", "badger / tail"),
        part("b2", "badger / arm / upper arm left"),
        part("b3", "badger / arm / upper arm right"),
        part("b4", "badger / lamp", role="loose"),
        part("b5", "badger / whiskers"),
        part("b6", "badger / wing left", (100, 100, 30, 40)),
    ),
    {"badger/mouths": RigSet(("mouth rest", "mouth wide"), 0)},
    (500, 500),
    1000.0,
)
GULL = Rig(
    (
        part("g1", "gull / Tail"),
        part("g2", "L upper-arm"),
        part("g3", "upper arm, r"),
        part("g4", "fish", role="loose"),
        part("g5", "gull / wing left", (0, 0, 60, 80)),
        part("g6", "gull / wing right"),
    ),
    {"gull/head/mouths": RigSet(("Mouth Wide", "mouth shut"), 1)},
    (900, 300),
)


def turning(target: str, end: float = 1.0) -> Track:
    return Track(target, "rotate", (Key(0, 0.0), Key(end, 90.0)))


class FittingTests(unittest.TestCase):
    def setUp(self) -> None:
        flap = Track("b6", "translate", (Key(0, (0.0, 0.0)), Key(1, (3.0, -6.0))))
        tracks = [
            *(turning(f"b{at}") for at in range(1, 6)),
            flap,
            Track("badger/mouths", "shown", (Key(0, "mouth rest"), Key(0.5, "mouth wide"))),
            Track("@camera", "camera", (Key(0, (5.0, 0.0, 0.0)),)),
        ]
        stage = Stage(rate=12, duration=1.0, direction="alternate")
        self.motion = Motion(stage=stage).with_tracks({track.place: track for track in tracks})
        self.kept = kept_from_json(kept_motion(self.motion, BADGER).as_json())

    def test_the_counterparts_of_another_figure(self) -> None:
        found = fit(self.kept, GULL)
        told = {one.kept.rpartition(" / ")[2]: (one.target, one.found_by) for one in found.pairs}
        self.assertEqual(
            told,
            {
                "tail": ("g1", "name"),
                "wing left": ("g5", "name"),
                "upper arm left": ("g2", "words"),
                "upper arm right": ("g3", "words"),
                "lamp": ("g4", "role"),
                "badger/mouths": ("gull/head/mouths", "name"),
            },
        )
        self.assertEqual(found.left, ("badger / whiskers",))
        same = fit(self.kept, BADGER)
        self.assertEqual(({one.found_by for one in same.pairs}, same.left), ({"name"}, ()))

    def test_names_that_two_have_are_nobodys(self) -> None:
        twice = Rig((part("x", "a / tail"), part("y", "b / tail")), {})
        self.assertEqual(fit(self.kept, twice).pairs, ())
        with self.assertRaisesRegex(MotionError, "Nothing of 'walk' has a counterpart in this figure"):
            laid(self.kept, "walk", Motion(), twice)

    def test_laid_on_a_figure_that_is_still_and_taken_back(self) -> None:
        command = laid(self.kept, "flap", Motion(), GULL)
        after, back = applied(Motion(), GULL, command)
        self.assertEqual(command.title(Motion(), GULL), "Lay 'flap' on the figure")
        self.assertEqual((after.stage.rate, after.stage.direction), (12, "alternate"))
        tracks = after.by_place()
        # The wing is twice as large, and so is its way.
        self.assertEqual(tracks["g5", "translate"].keys[1].value, (6.0, -12.0))
        self.assertEqual(tracks["g2", "rotate"].keys[1].value, 90.0)
        self.assertEqual(tracks["gull/head/mouths", "shown"].keys, (Key(0.5, "Mouth Wide"),))
        self.assertNotIn(("@camera", "camera"), tracks, "this figure has no camera")
        self.assertEqual(applied(after, GULL, back)[0], Motion())

    def test_laid_on_one_that_moves_it_keeps_its_length_and_what_else_moves(self) -> None:
        before = Motion(stage=Stage(duration=0.5)).with_tracks(
            {track.place: track for track in (turning("g6", 0.5), Track("g1", "opacity", (Key(0, 0.5),)))}
        )
        after, back = applied(before, GULL, laid(self.kept, "flap", before, GULL))
        self.assertEqual(after.stage, before.stage)
        tracks = after.by_place()
        self.assertIn(("g6", "rotate"), tracks)
        self.assertNotIn(("g1", "opacity"), tracks, "its counterpart moves as it did there, and not otherwise")
        self.assertEqual([key.at for key in tracks["g1", "rotate"].keys], [0.0], "no key lies after the end")
        self.assertEqual(applied(after, GULL, back)[0], before)

    def test_a_path_lies_about_the_part_as_it_did(self) -> None:
        way = Track("b6", "offset-distance", (Key(0, 0.0), Key(1, 100.0)))
        path = MotionPath("b6", "M 115 120 C 120 120 130 130 145 120 A 10 10 0 0 1 165 120")
        moved = Motion(stage=self.motion.stage, paths=(path,)).with_tracks({way.place: way})
        command = laid(kept_motion(moved, BADGER), "flight", Motion(), GULL)
        (other,) = command.paths_after or ()
        before, now = measured(path.data), measured(other.data)
        self.assertAlmostEqual(now.length, 2 * before.length, delta=0.05)
        # The wing of the badger turns about 115, 120, that of the gull about 30, 40.
        self.assertEqual((other.target, [round(float(one)) for one in now.points[0]]), ("g5", [30, 40]))
        self.assertEqual([round(float(one)) for one in now.points[-1]], [130, 40])

    def test_what_is_no_motion(self) -> None:
        with self.assertRaisesRegex(MotionError, "Nothing of this package moves yet"):
            kept_motion(Motion(), BADGER)
        with (
            mock.patch.object(fitting, "MOST_KEYS", 5),
            self.assertRaisesRegex(MotionError, "keys; up to 5 can be kept"),
        ):
            kept_motion(self.motion, BADGER)
        for wrong in (None, {}, {"motion": {}, "parts": [{"id": "x"}]}, {**self.kept.as_json(), "more": 1}):
            with self.subTest(wrong), self.assertRaisesRegex(MotionError, "on the shelf cannot be read"):
                kept_from_json(wrong)
