"""Motions: easing and timing against the words of the W3C, chains of maps against SciPy, every command taken back, and what is refused."""

import json
import math
import random
import struct
from collections.abc import Mapping
from pathlib import Path
from typing import Any
from unittest import TestCase

import jsonschema
import numpy as np
from scipy.spatial.transform import RigidTransform, Rotation

import yuplet
from yuplet.errors import MotionError
from yuplet.rehearsal.motion.camera import planes_that_run_out
from yuplet.rehearsal.motion.commands import (
    COMMANDS,
    CopyKeys,
    EaseKeys,
    KeyRef,
    MirrorPose,
    MotionCommand,
    MoveKeys,
    Pose,
    PutTracks,
    RemoveKeys,
    Reset,
    SetPath,
    SetStage,
    StretchKeys,
    applied,
    command_from_json,
    command_to_json,
    commands_schema,
)
from yuplet.rehearsal.motion.document import Key, Motion, MotionPath, Stage, Track, motion_from_json, motion_schema
from yuplet.rehearsal.motion.easing import NAMES, easing
from yuplet.rehearsal.motion.path import measured
from yuplet.rehearsal.motion.rig import Rig, RigPart, RigSet, rig_of
from yuplet.rehearsal.motion.sampling import packed, sample, values_at
from yuplet.rehearsal.motion.timing import Direction, Fill, directed
from yuplet.rehearsal.refresh import KnownPart, carried_over, refreshed


def part(own: str, name: str, pivot: tuple[float, float] | None = None, parent: str | None = None) -> RigPart:
    return RigPart(id=own, name=name, pivot=pivot, middle=(50.0, 40.0), parent=parent)


RIG = Rig(
    (
        part("trunk", "trunk", (50, 90)),
        part("al", "arm left", (30, 20), "trunk"),
        part("ar", "arm right", (70, 20), "trunk"),
        part("hl", "hand left", (20, 60), "al"),
        part("lamp", "lamp", None, "hl"),
    ),
    {"head/mouth": RigSet(("rest", "wide", "round"), 0)},
)


def keyed(**tracks: list[tuple[float, Any]]) -> Motion:
    """A motion of tracks that are called 'arm_rotate' and so on, all linear."""
    found = {}
    for name, keys in tracks.items():
        target, _, what = name.rpartition("_")
        found[target, what] = Track(target, what, tuple(Key(at, value) for at, value in keys))  # type: ignore[arg-type]
    return Motion().with_tracks(found)  # type: ignore[arg-type]


def refs(*keys: tuple[str, str, float]) -> tuple[KeyRef, ...]:
    return tuple(KeyRef(*key) for key in keys)  # type: ignore[arg-type]


class EasingTests(TestCase):
    """W3C CSS Easing Functions Level 2."""

    def eased(self, text: str, *at: float) -> list[float]:
        return [round(float(one), 6) for one in easing(text)(np.array(at))]

    def test_linear_with_points(self) -> None:
        # The specification's examples of the linear() function, 2.2.
        self.assertEqual(self.eased("linear", 0, 0.3, 1), [0, 0.3, 1])
        self.assertEqual(self.eased("linear(0, 0.25, 1)", 0, 0.5, 0.75), [0, 0.25, 0.625])
        self.assertEqual(self.eased("linear(0, 0.25 75%, 1)", 0.375, 0.75, 0.875), [0.125, 0.25, 0.625])
        self.assertEqual(self.eased("linear(0, 0.25 25% 75%, 1)", 0.25, 0.5, 0.75, 1), [0.25, 0.25, 0.25, 1])
        # A place before an earlier one counts as that one; of two points at one place the last holds from there.
        self.assertEqual(self.eased("linear(0, 0.4 50%, 0.6 20%, 1)", 0.25, 0.5, 0.75), [0.2, 0.6, 0.8])

    def test_steps(self) -> None:
        # 2.3.1: where the jumps are.
        self.assertEqual(self.eased("steps(2, jump-start)", 0, 0.4, 0.5, 1), [0.5, 0.5, 1, 1])
        self.assertEqual(self.eased("steps(2)", 0, 0.4, 0.5, 1), [0, 0, 0.5, 1])
        self.assertEqual(self.eased("steps(3, jump-none)", 0, 0.4, 0.7, 1), [0, 0.5, 1, 1])
        self.assertEqual(self.eased("steps(1, jump-both)", 0, 0.5, 1), [0.5, 0.5, 1])
        self.assertEqual(self.eased("step-start", 0, 0.5), [1, 1])
        self.assertEqual(self.eased("step-end", 0.99, 1), [0, 1])

    def test_curves_are_solved_exactly(self) -> None:
        for text in (*NAMES.values(), "cubic-bezier(0.3, -0.5, 0.2, 1.6)", "cubic-bezier(1, 0, 0, 1)"):
            if not text.startswith("cubic"):
                continue
            x1, y1, x2, y2 = (float(one) for one in text[13:-1].split(","))
            for at in (0.0, 0.07, 0.31, 0.5, 0.86, 1.0):
                low, high = 0.0, 1.0
                for _ in range(60):
                    middle = (low + high) / 2
                    x = 3 * middle * (1 - middle) ** 2 * x1 + 3 * middle**2 * (1 - middle) * x2 + middle**3
                    low, high = (middle, high) if x < at else (low, middle)
                wanted = 3 * low * (1 - low) ** 2 * y1 + 3 * low**2 * (1 - low) * y2 + low**3
                self.assertAlmostEqual(float(easing(text)(np.array([at]))[0]), wanted, 3, (text, at))

    def test_what_is_no_easing(self) -> None:
        for text, words in (
            ("bounce", "'bounce' is no easing. Write for example"),
            ("cubic-bezier(2, 0, 1, 1)", "lie between 0 and 1"),
            ("cubic-bezier(0, 0, 1)", "is no easing"),
            ("cubic-bezier(0, nan, 1, 1)", "'nan' is no number"),
            ("steps(0)", "the number of steps is a whole number from 1"),
            ("steps(1, jump-none)", "whole number from 2"),
            ("steps(3, sideways)", "'sideways' is none of jump-start"),
            ("linear(1)", "needs 2 to 200 points"),
            (f"linear({', '.join(['0'] * 300)})", "needs 2 to 200 points"),
            ("linear(0, 0.5 1% 2% 3%, 1)", "is no point"),
            ("linear(" * 2000, "is no easing"),
        ):
            with self.assertRaisesRegex(MotionError, words):
                easing(text)


class TimingTests(TestCase):
    def seen(
        self, times: list[float], iterations: float | None, direction: Direction, fill: Fill = "both"
    ) -> list[float]:
        return [round(float(one), 6) for one in directed(np.array(times), 1.0, iterations, direction, fill)]

    def test_back_and_forth(self) -> None:
        """A key at 0 s, a key at 1 s, back and forth: at 1.5 s half way, at 2 s back."""
        self.assertEqual(self.seen([0, 0.5, 1, 1.5, 2], None, "alternate"), [0, 0.5, 1, 0.5, 0])
        self.assertEqual(self.seen([0, 0.25, 1.25], None, "alternate-reverse"), [1, 0.75, 0.25])
        self.assertEqual(self.seen([0, 0.25, 1.25], None, "reverse"), [1, 0.75, 0.75])
        self.assertEqual(self.seen([0, 0.25, 1, 1.25], None, "normal"), [0, 0.25, 0, 0.25])

    def test_the_end(self) -> None:
        self.assertEqual(self.seen([1.999, 2, 5], 2, "normal"), [0.999, 1, 1])
        self.assertEqual(self.seen([2.5, 9], 2.5, "normal"), [0.5, 0.5])
        self.assertEqual(self.seen([2, 9], 2, "alternate"), [0, 0])
        self.assertTrue(all(map(math.isnan, self.seen([-1, 2], 2, "normal", "none"))))
        self.assertTrue(math.isnan(self.seen([2], 2, "normal", "backwards")[0]))
        self.assertEqual(self.seen([-1], 2, "reverse", "backwards"), [1])

    def test_times_that_are_counted_in_pictures_meet_their_iteration(self) -> None:
        times = np.arange(0, 241) / 24
        seen = directed(times, 2.0, None, "normal", "both")
        np.testing.assert_allclose(seen, (np.arange(241) % 48) / 24, atol=1e-9)


class SamplingTests(TestCase):
    def place(self, motion: Motion, target: str, point: tuple[float, float], at: float = 0.0) -> tuple[float, float]:
        sampled = sample(motion, RIG, np.array([at]))
        a, b, c, d, e, f = sampled.maps[0, [one.id for one in RIG.parts].index(target)]
        return a * point[0] + c * point[1] + e, b * point[0] + d * point[1] + f

    def test_what_is_carried_goes_along(self) -> None:
        """Against rigid transforms of SciPy, which has chains of its own."""
        chance = random.Random(3)
        for _ in range(20):
            said = {
                one.id: (chance.uniform(-180, 180), chance.uniform(-50, 50), chance.uniform(-50, 50))
                for one in RIG.parts
            }
            tracks: dict[str, list[tuple[float, Any]]] = {}
            for own, (turn, x, y) in said.items():
                tracks[f"{own}_rotate"], tracks[f"{own}_translate"] = [(0, turn)], [(0, (x, y))]
            motion = keyed(**tracks)
            wanted = RigidTransform.identity()
            for own in ("trunk", "al", "hl", "lamp"):
                turn, x, y = said[own]
                pivot = np.array([*RIG.by_id[own].about, 0])
                there = RigidTransform.from_translation(pivot + [x, y, 0])
                turned = RigidTransform.from_rotation(Rotation.from_euler("z", turn, degrees=True))
                wanted = wanted * there * turned * RigidTransform.from_translation(-pivot)
            np.testing.assert_allclose(self.place(motion, "lamp", (13, 77)), wanted.apply([13, 77, 0])[:2], atol=1e-6)

    def test_a_quarter_turn_clockwise_about_the_pivot(self) -> None:
        motion = keyed(al_rotate=[(0, 90.0)])
        np.testing.assert_allclose(self.place(motion, "al", (40, 20)), (30, 30), atol=1e-9)
        np.testing.assert_allclose(self.place(motion, "hl", (20, 60)), (-10, 10), atol=1e-9)
        np.testing.assert_allclose(self.place(motion, "trunk", (1, 2)), (1, 2), atol=1e-9)

    def test_size_before_turn_before_place(self) -> None:
        motion = keyed(al_scale=[(0, (2.0, 1.0))], al_rotate=[(0, 90.0)], al_translate=[(0, (5.0, 0.0))])
        np.testing.assert_allclose(self.place(motion, "al", (40, 20)), (35, 40), atol=1e-9)

    def test_between_before_and_after_keys(self) -> None:
        motion = keyed(al_rotate=[(0.5, 10.0), (1.5, 30.0)])
        for at, wanted in ((0, 10), (0.5, 10), (1, 20), (1.25, 25), (1.5, 30), (2, 30)):
            self.assertAlmostEqual(values_at(motion, RIG, "al", at)["rotate"], wanted)
        eased, _ = applied(motion, RIG, EaseKeys(refs(("al", "rotate", 0.5)), "step-start"))
        self.assertEqual([values_at(eased, RIG, "al", at)["rotate"] for at in (0, 0.5, 1, 1.5)], [10, 30, 30, 30])

    def test_opacity_and_members(self) -> None:
        motion = keyed(al_opacity=[(0, 1.0), (1, 0.0)])
        motion = motion.with_tracks(
            {
                ("head/mouth", "shown"): Track(
                    "head/mouth", "shown", (Key(0.5, "round"), Key(1, "gone"), Key(1.5, "wide"))
                )
            }
        )
        sampled = sample(motion, RIG, np.array([0, 0.5, 1, 1.5]))
        np.testing.assert_allclose(sampled.opacity[:, 1], [1, 0.5, 0, 0])
        # A member that is not there is as at rest.
        self.assertEqual(sampled.members[:, 0].tolist(), [2, 2, 0, 1])
        self.assertEqual(values_at(Motion(), RIG, "head/mouth", 1), {"shown": "rest"})

    def test_a_circle_of_carriers_is_cut(self) -> None:
        rig = Rig((part("a", "a", (0, 0), "b"), part("b", "b", (0, 0), "a"), part("c", "c", (0, 0), "c")), {})
        self.assertEqual({one.id for one in rig.carriers_first}, {"a", "b", "c"})
        self.assertTrue(np.isfinite(sample(keyed(a_rotate=[(0, 30.0)]), rig, np.zeros(1)).maps).all())

    def test_what_the_page_gets(self) -> None:
        motion = keyed(al_rotate=[(0, 0.0), (1, 90.0)], trunk_opacity=[(0, 0.5)])
        sampled = sample(motion, RIG, np.array([0, 0.5, 1]))
        data = packed(sampled)
        times, parts, moving, sets, changes = struct.unpack("<5I", data[:20])
        self.assertEqual((times, parts, moving, sets, changes), (3, 5, 3, 1, 0))
        numbers = np.frombuffer(data, "<u4", moving, 20)
        self.assertEqual(numbers.tolist(), [1, 3, 4])
        rest = np.frombuffer(data, "<f4", parts * 7, 20 + 4 * moving).reshape(parts, 7)
        self.assertEqual(rest[0].tolist(), [1, 0, 0, 1, 0, 0, 0.5])
        maps = np.frombuffer(data, "<f4", times * moving * 7, 20 + 4 * moving + rest.nbytes).reshape(times, moving, 7)
        np.testing.assert_allclose(maps[..., :6], sampled.maps[:, numbers], atol=1e-4)
        self.assertEqual(len(data), 20 + 4 * moving + rest.nbytes + maps.nbytes + 4 * times * sets)

    def test_the_rig_of_a_package_that_an_earlier_version_opened(self) -> None:
        old = {
            "id": "a",
            "name": "head / nose",
            "left": 2,
            "top": 4,
            "width": 6,
            "height": 8,
            "shown": True,
            "is_missing": False,
        }
        rig = rig_of({"parts": [old]})
        self.assertEqual((rig.parts[0].name, rig.parts[0].about, rig.sets), ("nose", (5, 8), {}))


EXAMPLES: tuple[MotionCommand, ...] = (
    Pose({"al": {"rotate": 30.0}}),
    Pose({"al": {"rotate": 30.0, "translate": (1.0, 2.0)}, "head/mouth": {"shown": "wide"}}, 0.5, True),
    Pose({"ar": {"scale": (2.0, 2.0), "opacity": 0.5}}, 1.25, True),
    MoveKeys(refs(("hl", "rotate", 0.5), ("hl", "rotate", 1.0)), 0.25),
    MoveKeys(refs(("hl", "rotate", 0.0)), 0.5),
    StretchKeys(refs(("hl", "rotate", 0.0), ("hl", "rotate", 1.0)), 0.0, 1.5),
    CopyKeys(refs(("hl", "rotate", 0.0), ("hl", "rotate", 0.5)), 1.5),
    CopyKeys(refs(("hl", "rotate", 0.0), ("hl", "rotate", 1.0)), 0.0, True),
    EaseKeys(refs(("hl", "rotate", 0.5)), "ease-in-out"),
    RemoveKeys(refs(("hl", "rotate", 0.5))),
    RemoveKeys(refs(("trunk", "opacity", 0.0))),
    Reset(("hl",)),
    Reset(),
    MirrorPose(("al",), 0.5, True),
    SetPath("ar", MotionPath("ar", "M 0 0 H 30 V 40", None)),
    Pose({"@camera": {"camera": (40.0, 0.0, 10.0)}}, 1.0, True),
    Pose({"@stage": {"ground": "#102030"}}),
    SetStage(Stage(rate=12, duration=4.0, iterations=3.0, direction="alternate", ground="#102030")),
    PutTracks((Track("ar", "rotate", (Key(0, 5.0),)),), (("hl", "rotate"),)),
)


class CameraTests(TestCase):
    """N53 and N87 of the needs, by hand."""

    def marsh(self, *planes: tuple[float, int]) -> Rig:
        """Planes of a depth and a width about the middle of a view of 1920 x 1080, before a camera at 1,000 px."""
        parts = (
            RigPart(
                id=str(at), name=str(at), pivot=None, middle=(960, 540), parent=None, depth=depth,
                box=((1920 - wide) // 2, 0, wide, 1080),
            )
            for at, (depth, wide) in enumerate(planes)
        )  # fmt: skip
        return Rig(tuple(parts), {}, (1920, 1080), 1000.0)

    def way(self, *places: tuple[float, float, float]) -> Motion:
        motion = Motion(stage=Stage(rate=25, duration=10.0))
        keys = tuple(Key(10.0 * at / max(1, len(places) - 1), place) for at, place in enumerate(places))
        return motion.with_tracks({("@camera", "camera"): Track("@camera", "camera", keys)})

    def test_a_plane_as_far_behind_as_the_camera_stands_before_moves_by_half(self) -> None:
        rig = self.marsh((0, 1920), (1000, 1920), (-500, 1920))
        maps = sample(self.way((0, 0, 0), (400, 40, 0)), rig, np.array([0.0, 5.0, 10.0])).maps
        np.testing.assert_allclose(maps[0], [[1, 0, 0, 1, 0, 0]] * 3, atol=1e-9)
        np.testing.assert_allclose(maps[1, :, 4], [-200, -100, -400], atol=1e-9)
        np.testing.assert_allclose(maps[2, :, 4:], [[-400, -40], [-200, -20], [-800, -80]], atol=1e-9)

    def test_going_nearer_makes_near_planes_grow_faster_and_what_is_passed_is_gone(self) -> None:
        rig = self.marsh((0, 1920), (1000, 1920), (-900, 1920))
        maps = sample(self.way((0, 0, 500)), rig, np.zeros(1)).maps[0]
        np.testing.assert_allclose(maps[:, 0], [2, 2000 / 1500, 0], atol=1e-9)
        # About the middle of the picture.
        np.testing.assert_allclose(maps[0, 0] * 960 + maps[0, 4], 960)

    def test_which_planes_run_out(self) -> None:
        # V 1920, T 600, D 1000, z 1000: 2220 px are needed; a plane of 1920 px lacks 300.
        motion = self.way((-300, 0, 0), (300, 0, 0))
        self.assertEqual(planes_that_run_out(motion, self.marsh((1000, 2220))), [])
        left, right = planes_that_run_out(motion, self.marsh((1000, 1920)))
        self.assertEqual((left.side, left.picture, left.pixels), ("left", 1, 150))
        self.assertEqual((right.side, right.picture, right.at, right.pixels), ("right", 250, 10, 150))
        # What does not cover the view at rest is no plane.
        self.assertEqual(planes_that_run_out(motion, self.marsh((1000, 800))), [])

    def test_without_a_camera_in_the_package_nothing_moves(self) -> None:
        maps = sample(self.way((50, 0, 0)), RIG, np.zeros(1)).maps
        np.testing.assert_array_equal(maps[0], [[1, 0, 0, 1, 0, 0]] * 5)

    def test_a_ground_that_changes(self) -> None:
        motion = Motion().with_tracks(
            {("@stage", "ground"): Track("@stage", "ground", (Key(0, "#000000"), Key(1, "#ff8000")))}
        )
        ground = sample(motion, RIG, np.array([0, 0.5, 1])).ground
        np.testing.assert_allclose(ground, [[0, 0, 0], [127.5, 64, 0], [255, 128, 0]])
        self.assertEqual(
            np.frombuffer(packed(sample(motion, RIG, np.array([1.0])))[-12:], "<f4").tolist(), [255, 128, 0]
        )


class PathTests(TestCase):
    def test_length_and_places(self) -> None:
        path = measured("M 10 10 h 30 v 40 z")
        self.assertAlmostEqual(path.length, 120)
        places, directions = path.at(np.array([0, 0.125, 0.25 + 20 / 120, 1]))
        np.testing.assert_allclose(places, [[10, 10], [25, 10], [40, 30], [10, 10]], atol=1e-9)
        self.assertEqual(directions[1], 0)
        # A circle of radius 10 by two arcs (SVG 1.1, 8.3.8); a curve is as long as it is drawn.
        self.assertAlmostEqual(measured("M 0 0 A 10 10 0 1 1 20 0 A 10 10 0 1 1 0 0").length, 20 * math.pi, 1)

    def test_a_part_goes_along_and_turns(self) -> None:
        motion, _ = applied(
            Motion(stage=Stage(duration=1.0)), RIG, SetPath("ar", MotionPath("ar", "M 0 0 H 100 V 100"))
        )
        a, b, c, d, e, f = sample(motion, RIG, np.array([0.75])).maps[0, 2]
        x, y = RIG.by_id["ar"].about
        np.testing.assert_allclose((a * x + c * y + e, b * x + d * y + f), (100, 50), atol=1e-6)
        np.testing.assert_allclose((a, b), (0, 1), atol=1e-9)
        still, _ = applied(motion, RIG, SetPath("ar", MotionPath("ar", "M 0 0 H 100 V 100", None)))
        np.testing.assert_allclose(sample(still, RIG, np.array([0.75])).maps[0, 2, :2], (1, 0), atol=1e-9)

    def test_what_is_no_path(self) -> None:
        for data, words in (
            ("", "not complete"),
            ("over there", "is no path"),
            ("M 0 0", "has no line to go along"),
            ("M 5 5 L 5 5", "has no line to go along"),
            ("M 0 0 H 5 M 9 9 H 5", "more than one beginning"),
            ("M 0 0 H 1e30", "leaves the canvas"),
            ("M 0 0 " + "h 1 " * 6000, "more than 1,000 pieces"),
            ("M 0 0 " + "h 1 " * 60_000, "not complete"),
        ):
            value = {"do": "set-path", "target": "ar", "path": {"target": "ar", "data": data, "turns": 0}}
            with self.subTest(data[:20]), self.assertRaisesRegex(MotionError, words):
                applied(Motion(), RIG, command_from_json(value))
        with self.assertRaisesRegex(MotionError, "no part 'gone'"):
            applied(Motion(), RIG, SetPath("gone", None))


class CommandTests(TestCase):
    def setUp(self) -> None:
        self.before = keyed(
            hl_rotate=[(0, 0.0), (0.5, 45.0), (1, 90.0)],
            trunk_opacity=[(0, 0.5)],
            al_translate=[(0, (3.0, 0.0)), (1, (9.0, 4.0))],
        )

    def keys(self, motion: Motion, target: str, what: str = "rotate") -> list[tuple[float, Any]]:
        track = motion.track((target, what))  # type: ignore[arg-type]
        return [(key.at, key.value) for key in track.keys] if track else []

    def test_every_command_is_taken_back_and_is_the_same_in_json(self) -> None:
        self.assertEqual({type(one) for one in EXAMPLES}, set(COMMANDS))
        for command in EXAMPLES:
            with self.subTest(command=command):
                again = command_from_json(json.loads(json.dumps(command_to_json(command))))
                self.assertEqual(again, command)
                after, back = applied(self.before, RIG, again)
                self.assertNotEqual(after, self.before)
                self.assertEqual(applied(after, RIG, command_from_json(command_to_json(back)))[0], self.before)
                self.assertEqual(motion_from_json(json.loads(json.dumps(after.as_json()))), after)
                self.assertTrue(command.title(self.before, RIG))
                jsonschema.validate(command_to_json(command), commands_schema())
                jsonschema.validate(after.as_json(), motion_schema())

    def test_the_published_schema_is_current(self) -> None:
        kept = json.loads((Path(yuplet.__file__).parent / "schemas" / "motion.schema.json").read_text("utf-8"))
        self.assertEqual(
            {name: kept[name] for name in ("$defs", "properties")},
            {name: motion_schema()[name] for name in ("$defs", "properties")},
            "run `make api`",
        )

    def test_schemas_keep_to_the_meta_schema(self) -> None:
        for schema in (commands_schema(), motion_schema()):
            jsonschema.Draft202012Validator.check_schema(schema)

    def test_many_in_a_row_are_taken_back_to_the_first(self) -> None:
        chance = random.Random(5)
        motion, backs = self.before, []
        for _ in range(300):
            try:
                motion, back = applied(motion, RIG, chance.choice(EXAMPLES))
            except MotionError:
                continue
            backs.append(back)
        self.assertGreater(len(backs), 100)
        for back in reversed(backs):
            motion, _ = applied(motion, RIG, back)
        self.assertEqual(motion, self.before)

    def test_a_pose_is_for_all_time_until_there_are_keys(self) -> None:
        motion, _ = applied(Motion(), RIG, Pose({"al": {"rotate": 30.0}}, 1.0))
        self.assertEqual(self.keys(motion, "al"), [(0, 30)])
        motion, _ = applied(motion, RIG, Pose({"al": {"rotate": 40.0}}, 1.5))
        self.assertEqual(self.keys(motion, "al"), [(0, 40)])
        motion, _ = applied(motion, RIG, Pose({"al": {"rotate": 50.0}}, 1.0, True))
        self.assertEqual(self.keys(motion, "al"), [(0, 40), (1, 50)])
        motion, _ = applied(motion, RIG, Pose({"al": {"rotate": 60.0}}, 1.5))
        self.assertEqual(self.keys(motion, "al"), [(0, 40), (1, 50), (1.5, 60)])
        # The first key of something that was at rest begins with rest.
        motion, _ = applied(Motion(), RIG, Pose({"al": {"rotate": 50.0}}, 1.0, True))
        self.assertEqual(self.keys(motion, "al"), [(0, 0), (1, 50)])
        # A pose that is put back to rest leaves nothing.
        motion, _ = applied(Motion(), RIG, Pose({"al": {"rotate": 30.0}}))
        self.assertEqual(applied(motion, RIG, Pose({"al": {"rotate": 0.0}}))[0], Motion())

    def test_keys_are_moved_copied_and_stretched_within_the_length(self) -> None:
        def after(command: MotionCommand) -> list[tuple[float, Any]]:
            return self.keys(applied(self.before, RIG, command)[0], "hl")

        self.assertEqual(after(MoveKeys(refs(("hl", "rotate", 0.5)), 9)), [(0, 0), (1, 90), (2, 45)])
        self.assertEqual(after(MoveKeys(refs(("hl", "rotate", 0.0)), 0.5)), [(0.5, 0), (1, 90)])
        self.assertEqual(
            after(CopyKeys(refs(("hl", "rotate", 0.0), ("hl", "rotate", 0.5)), 1.25)),
            [(0, 0), (0.5, 45), (1, 90), (1.25, 0), (1.75, 45)],
        )
        self.assertEqual(
            after(CopyKeys(refs(("hl", "rotate", 0.0), ("hl", "rotate", 0.5), ("hl", "rotate", 1.0)), 1.0, True)),
            [(0, 0), (0.5, 45), (1, 90), (1.5, 45), (2, 0)],
        )
        everything = refs(("hl", "rotate", 0.0), ("hl", "rotate", 0.5), ("hl", "rotate", 1.0))
        self.assertEqual(after(StretchKeys(everything, 0.0, 2.0)), [(0, 0), (1, 45), (2, 90)])

    def test_the_twin_gets_the_pose_in_a_mirror(self) -> None:
        motion, _ = applied(Motion(), RIG, Pose({"al": {"rotate": 30.0, "translate": (4.0, 2.0), "scale": (1.5, 1.0)}}))
        motion, _ = applied(motion, RIG, MirrorPose(("al",)))
        self.assertEqual(
            values_at(motion, RIG, "ar", 0), {"rotate": -30, "translate": (-4, 2), "scale": (1.5, 1), "opacity": 1}
        )
        with self.assertRaisesRegex(MotionError, "'trunk' has no twin: no part has the same name with left and right"):
            applied(motion, RIG, MirrorPose(("trunk",)))

    def test_what_cannot_be_is_refused_and_said(self) -> None:
        one = [{"target": "hl", "property": "rotate", "at": 0.25}]
        cases: tuple[tuple[Mapping[str, Any], str], ...] = (
            ({"do": "wobble"}, "There is no step called 'wobble'. Known are: pose"),
            ({"do": "pose", "values": {"al": {"rotate": float("nan")}}}, "values.al.rotate"),
            ({"do": "pose", "values": {"al": {"rotate": [1, 2]}}}, "'rotate' of 'al' is a number, not"),
            ({"do": "pose", "values": {"al": {"opacity": 1.5}}}, "a number from 0 to 1, not 1.5"),
            ({"do": "pose", "values": {"gone": {"rotate": 1}}}, "There is no part 'gone' in this package"),
            ({"do": "pose", "values": {"al": {"shown": "wide"}}}, "'arm left' has no 'shown'"),
            ({"do": "pose", "values": {"@camera": {"camera": [1, 2]}}}, "three numbers"),
            ({"do": "pose", "values": {"@stage": {"ground": "red"}}}, "a colour like"),
            ({"do": "pose", "values": {"al": {"offset-distance": 101}}}, "a number from 0 to 100"),
            ({"do": "pose", "values": {"head/mouth": {"rotate": 3}}}, "'mouth' has no 'rotate'"),
            ({"do": "pose", "values": {"al": {"skew": 3}}}, "not complete"),
            ({"do": "move-keys", "keys": one, "by": 1}, "One of the keys is no longer there"),
            ({"do": "move-keys", "keys": [], "by": 1}, "not complete"),
            ({"do": "stretch-keys", "keys": one, "about": 0, "factor": 0}, "not complete"),
            ({"do": "ease-keys", "keys": one, "easing": "steps(0)"}, "'steps\\(0\\)' is no easing"),
            ({"do": "set-stage", "stage_after": {"duration": 0}}, "duration"),
            ({"do": "set-stage", "stage_after": {"duration": 3600}}, "more than 600"),
            ({"do": "set-stage", "stage_after": {"duration": 0.01}}, "less than one picture"),
            ({"do": "set-stage", "stage_after": {"rate": 0}}, "rate"),
            ({"do": "set-stage", "stage_after": {"ground": "red"}}, "ground"),
        )
        for value, words in cases:
            with self.subTest(value=value), self.assertRaisesRegex(MotionError, words):
                applied(self.before, RIG, command_from_json(value))

    def test_a_document_that_contradicts_itself_is_refused(self) -> None:
        track = {"target": "a", "property": "rotate", "keys": [{"at": 1, "value": 1}, {"at": 0.5, "value": 2}]}
        for tracks, words in (
            ([track], "do not follow each other in time"),
            ([{**track, "keys": []}], "keys"),
            ([{**track, "keys": track["keys"][:1]}] * 2, "twice"),
            ([{**track, "keys": [{"at": 1, "value": "x"}]}], "'rotate' of 'a' is a number"),
            ([{**track, "keys": [{"at": n / 100, "value": 1} for n in range(20_001)]}], "keys"),
        ):
            with self.subTest(words), self.assertRaisesRegex(MotionError, words):
                motion_from_json({"tracks": tracks})

    def test_there_is_a_limit_for_all_keys_together(self) -> None:
        """Each within its own limit; what makes one too many is refused and changes nothing."""
        keys = tuple(Key(at / 100, 1.0) for at in range(20_000))
        full = Motion(tracks=tuple(Track(f"p{at}", "rotate", keys) for at in range(5)))
        with self.assertRaisesRegex(MotionError, "would have 100,001 keys; it may have 100,000"):
            applied(full, RIG, Pose({"al": {"rotate": 1.0}}))

    def test_what_is_said_of_parts_that_are_gone_is_kept(self) -> None:
        fewer = Rig(RIG.parts[:3], {})
        sampled = sample(self.before, fewer, np.array([0.5]))
        self.assertEqual(sampled.maps.shape, (1, 3, 6))
        after, _ = applied(self.before, fewer, Pose({"al": {"rotate": 1.0}}))
        self.assertEqual(self.keys(after, "hl"), self.keys(self.before, "hl"))


class RefreshTests(TestCase):
    def known(self, own: str, name: str, **other: Any) -> KnownPart:
        values: dict[str, Any] = {"box": (0, 0, 4, 4), "pivot": None, "parent": None, "content": "a", **other}
        return KnownPart(id=own, name=name, **values)

    def test_what_is_otherwise(self) -> None:
        before = (
            self.known("1", "arm"), self.known("2", "hand", parent="1"), self.known("3", "hat"), self.known("4", "eye"),
            self.known("5", "old"), self.known("6", "twice"), self.known("7", "twice"),
        )  # fmt: skip
        after = (
            self.known("9", "arm"), self.known("2", "hand", parent="9", pivot=(1, 2)), self.known("3", "hat", content="b", box=(1, 0, 4, 4)),
            self.known("4", "eye"), self.known("8", "twice"),
        )  # fmt: skip
        found = refreshed(before, after)
        self.assertEqual((found.changed, found.other_box, found.other_pivot), (("hat",), ("hat",), ("hand",)))
        # Its carrier has another id, and is still the same part.
        self.assertEqual((found.other_parent, found.by_name), ((), ("arm",)))
        # Of two of one name nobody knows which is meant.
        self.assertEqual((found.new, found.gone, found.same), (("twice",), ("old", "twice", "twice"), 1))
        self.assertEqual(refreshed(before, before).same, 7)

    def test_a_motion_goes_on_by_names(self) -> None:
        motion, _ = applied(
            keyed(al_rotate=[(0, 30.0)], hl_rotate=[(0, 5.0)]), RIG, SetPath("al", MotionPath("al", "M 0 0 H 9"))
        )
        rig = Rig(
            (
                RigPart(id="x", name="arm", pivot=None, middle=(0, 0), parent=None, path="body / arm"),
                RigPart(id="hl", name="hand", pivot=None, middle=(0, 0), parent=None, path="hand"),
            ),
            {},
        )
        names = {"al": "body / arm", "hl": "hand"}
        found = carried_over(motion, names, rig)
        self.assertEqual({track.target for track in found.tracks}, {"x", "hl"})
        self.assertEqual([path.target for path in found.paths], ["x"])
        self.assertIs(carried_over(motion, {}, rig), motion)
        # One that is moved already keeps its motion.
        both = motion.with_tracks({("x", "rotate"): Track("x", "rotate", (Key(0, 1.0),))})
        self.assertIs(carried_over(both, names, rig), both)
