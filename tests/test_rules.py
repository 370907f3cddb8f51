"""The rules that the page shows at once are the core's: the same cases through Python and through Chromium, compared."""

import json
import random
import subprocess
import tempfile
from pathlib import Path
from typing import Any

import numpy as np
from django.conf import settings
from django.test import SimpleTestCase

from tests.browser import shared
from yuplet.arrangement.commands import Command, apply, to_json
from yuplet.arrangement.commands.parts import (
    IncludeParts,
    LockParts,
    PlaceParts,
    SetDepths,
    SetFits,
    SetJoints,
    SetPivots,
    SetRoles,
    SpreadDepths,
)
from yuplet.arrangement.commands.rows import MoveRows, OrderRows, Place, RenameRows, ShowAlone, ShowRows
from yuplet.arrangement.commands.stacking import RemoveRows
from yuplet.arrangement.records import to_records
from yuplet.arrangement.tree import Arrangement, PartGroup, Row
from yuplet.errors import ArrangementError
from yuplet.geometry import Point
from yuplet.parts.part import Part, still
from yuplet.rig.skeleton import poses
from yuplet.selecting.proposals import Proposals

CASES = 200


def figure(chance: random.Random) -> Arrangement:
    """Parts and groups by chance, one of them a set of alternates."""
    names = iter(chance.sample([f"row {number}" for number in range(40)], 40))

    def part(own: str) -> Part:
        pivot = Point(chance.randrange(90), chance.randrange(90)) if chance.random() < 0.7 else None
        return Part(own, next(names), still(own), shown=chance.random() < 0.8, pivot=pivot, depth=chance.randrange(9))

    def group(own: str, members: list[Row]) -> PartGroup:
        alternate = chance.choice(members).id if chance.random() < 0.4 else None
        return PartGroup(own, next(names), tuple(members), shown=chance.random() < 0.8, alternate=alternate)

    inner = group("g2", [part(f"c{number}") for number in range(3)])
    rows = [part("a1"), group("g1", [part("b1"), inner, part("b2")]), part("a2"), group("g3", [part("d1"), part("d2")])]
    chance.shuffle(rows)
    made = Arrangement(tuple(rows))
    ids = [one.id for _, one in made.parts()]
    for own in chance.sample(ids, 4):
        try:
            made = apply(made, SetJoints({own: chance.choice(ids)}))
        except ArrangementError:
            continue
    return made


def command(chance: random.Random, tree: Arrangement) -> Command:
    """Any of those that the page shows before the server has answered."""
    rows = [row.id for _, row in tree.walk()]
    parts = [part.id for _, part in tree.parts()]
    groups = [row.id for _, row in tree.walk() if isinstance(row, PartGroup)]
    some = chance.sample(parts, min(3, len(parts)))
    place = (chance.randrange(90), chance.randrange(90))
    return chance.choice(
        [
            lambda: RenameRows({row: f"new {row}" for row in chance.sample(rows, 2)}),
            lambda: ShowRows({row: chance.random() < 0.5 for row in chance.sample(rows, 2)}),
            lambda: IncludeParts(dict.fromkeys(some, False)),
            lambda: LockParts(dict.fromkeys(some, True)),
            lambda: ShowAlone(chance.choice([None, *rows])),
            lambda: MoveRows(
                tuple(Place(row, chance.choice([None, *groups]), chance.randrange(5)) for row in chance.sample(rows, 2))
            ),
            lambda: PlaceParts(dict.fromkeys(some, place)),
            lambda: SetPivots({some[0]: place, some[1]: None}),
            lambda: SetJoints({some[0]: some[1]}, {some[2]: place}),
            lambda: SetDepths(dict.fromkeys(some, 12.5)),
            lambda: SetRoles(dict.fromkeys(some, "guide")),
            lambda: SetFits({some[0]: (1, 2, 3, 4)}, {some[1]: None}),
            lambda: SpreadDepths(tuple(some), 25.0, -5.0, chance.random() < 0.5),
            lambda: OrderRows(chance.choice([None, *groups]), chance.choice(["name", "depth"])),
            lambda: OrderRows(None, "listed", tuple(reversed([row.id for row in tree.rows]))),
            lambda: RemoveRows(tuple(chance.sample(rows, 2))),
        ]
    )()


def as_sent(tree: Arrangement) -> list[dict[str, Any]]:
    """Rows as the server sends them, as far as the rules look at them."""
    return [
        {
            **record.as_json(),
            "box": None,
            "frames": [],
            "offset": list(record.offset),
            "pivot": None if record.pivot is None else list(record.pivot),
            "margins": None if record.margins is None else list(record.margins),
            "anchor": None if record.anchor is None else list(record.anchor),
        }
        for record in to_records(tree)
    ]


class PageTestCase(SimpleTestCase):
    """The plain functions of the page, in Chromium."""

    @classmethod
    def setUpClass(cls) -> None:
        # First: what Django notes of this thread is kept elsewhere once a browser is there.
        shared()
        super().setUpClass()
        folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        build = [
            "npx",
            "--no-install",
            "vite",
            "build",
            "-c",
            "vite.plain.ts",
            "--outDir",
            str(folder),
            "--logLevel",
            "error",
        ]
        subprocess.run(build, cwd=Path(settings.ROOT) / "web", check=True, capture_output=True)
        cls.page = shared().new_page()
        cls.addClassCleanup(cls.page.close)
        cls.page.add_script_tag(path=next(folder.glob("plain*.js")))

    def asked(self, what: str, cases: list[Any]) -> list[Any]:
        return list(self.page.evaluate(f"(cases) => cases.map(({what}))", cases))


class RuleTests(PageTestCase):
    def test_what_a_command_does_to_the_rows(self) -> None:
        chance = random.Random(7)
        cases, wanted = [], []
        while len(cases) < CASES:
            before = figure(chance)
            said = command(chance, before)
            try:
                after = apply(before, said)
            except ArrangementError:
                continue
            cases.append(
                {
                    "view": {"rows": as_sent(before), "alone": before.alone},
                    "command": json.loads(json.dumps(to_json(said))),
                }
            )
            wanted.append(after)
        self.assertEqual(len({one["command"]["do"] for one in cases}), 15)
        told = self.asked("({view, command}) => plain.applied(view, command)", cases)
        for case, view, after in zip(cases, told, wanted, strict=True):
            with self.subTest(case["command"]):
                self.assertEqual(view["alone"], after.alone)
                self.assertEqual(view["rows"], as_sent(after))

    def test_what_is_seen_of_alternates_and_what_is_shown_alone(self) -> None:
        chance = random.Random(8)
        trees = [figure(chance) for _ in range(200)]
        rows = [as_sent(tree) for tree in trees]
        for tree, settled in zip(trees, self.asked("(rows) => plain.settled(rows)", rows), strict=True):
            self.assertEqual(
                {row["id"]: row["shown"] for row in settled}, {row.id: row.shown for _, row in tree.settled().walk()}
            )
        seen = self.asked("(rows) => [...plain.seenParts(plain.settled(rows), null)]", rows)
        for tree, parts in zip(trees, seen, strict=True):
            self.assertEqual(set(parts), tree.visible_ids())

    def test_where_parts_come_to_lie_when_some_are_turned(self) -> None:
        chance = random.Random(9)
        trees = [figure(chance) for _ in range(200)]
        turns = [
            {part.id: float(chance.randrange(-180, 180)) for _, part in tree.parts() if chance.random() < 0.5}
            for tree in trees
        ]
        cases = [{"rows": as_sent(tree), "turns": own} for tree, own in zip(trees, turns, strict=True)]
        told = self.asked("({rows, turns}) => Object.fromEntries(plain.posesOf(rows, turns))", cases)
        for tree, own, page in zip(trees, turns, told, strict=True):
            for part, pose in poses(tree, own).items():
                np.testing.assert_allclose(page.get(part, [1, 0, 0, 1, 0, 0]), list(pose), atol=1e-9)

    def test_which_regions_belong_together(self) -> None:
        chance = random.Random(10)
        cases = []
        for _ in range(100):
            count = chance.randrange(2, 30)
            parents = list(range(count + 1))
            alive = parents[1:]
            while len(alive) > 1 and chance.random() < 0.9:
                one, other = chance.sample(alive, 2)
                made = len(parents)
                parents.append(made)
                parents[one] = parents[other] = made
                alive = [region for region in alive if region not in (one, other)] + [made]
            cases.append({"parents": parents, "count": count, "regions": chance.randrange(1, 32)})
        told = self.asked("({parents, count, regions}) => [...plain.mergedInto(parents, count, regions)]", cases)
        for case, page in zip(cases, told, strict=True):
            labels = np.arange(1, case["count"] + 1, dtype=np.int32)[None]
            core = Proposals(labels, case["count"], tuple(case["parents"])).at(case["regions"])[0]
            self.assertEqual(
                len(set(zip(page[1 : case["count"] + 1], core.tolist(), strict=True))), len(set(core.tolist()))
            )
            self.assertEqual(len(set(page[1 : case["count"] + 1])), len(set(core.tolist())))


WHOLE = {"look": "flat", "view": {"x": 0, "y": 0, "zoom": 2}, "screen": {"width": 400, "height": 300}}
SITUATION = {
    **WHOLE,
    "canvas": {"width": 200, "height": 150},
    "turn": 38,
    "mode": "slider",
    "share": 0.5,
    "marks": None,
    "grips": False,
}
DOWN, MOVE, UP, CANCEL = "down", "move", "up", "cancel"


class PointerTests(PageTestCase):
    """What a press on the pile comes to: each a way of events, and what is done at each of them."""

    def told(self, events: list[tuple[str, int, int]], is_first: bool = True, **now: Any) -> list[Any]:
        """What is done at each event, as plain values; the press goes from one to the next."""
        (acts,) = self.asked(
            """({events, now}) => {
                let press = {kind: 'none'};
                return events.map((event) => {
                    const [next, act] = plain.afterEvent(press, event, now);
                    press = next;
                    return act;
                });
            }""",
            [
                {
                    "events": [{"type": kind, "spot": {"x": x, "y": y}, "isFirst": is_first} for kind, x, y in events],
                    "now": {**SITUATION, **now},
                }
            ],
        )
        return list(acts)

    def test_a_click_picks_and_a_drag_moves_the_view(self) -> None:
        self.assertEqual(self.told([(DOWN, 10, 10), (MOVE, 12, 11), (UP, 12, 11)]), [None, None, {"do": "pick"}])
        _, near, far, end = self.told([(DOWN, 10, 10), (MOVE, 30, 15), (MOVE, 11, 10), (UP, 11, 10)])
        self.assertEqual(near, {"do": "pan", "view": {"x": 20, "y": 5, "zoom": 2}})
        self.assertEqual(far, {"do": "pan", "view": {"x": 1, "y": 0, "zoom": 2}})
        self.assertIsNone(end)

    def test_a_pointer_that_nothing_is_pressed_of_hovers_where_marks_are(self) -> None:
        self.assertEqual(self.told([(MOVE, 1, 1)]), [{"do": "hover"}])
        self.assertEqual(self.told([(MOVE, 1, 1)], look="apart"), [None])
        self.assertEqual(self.told([(UP, 1, 1)], marks="pixel"), [None])

    def test_lines_strokes_and_shapes_are_drawn(self) -> None:
        for marks in ("line", "stroke", "rectangle", "ellipse"):
            with self.subTest(marks):
                self.assertEqual(
                    [act["at"] for act in self.told([(DOWN, 1, 1), (MOVE, 9, 9), (UP, 9, 9)], marks=marks)],
                    ["begin", "move", "end"],
                )
        # Another button moves the view, whatever the first one marks.
        acts = self.told([(DOWN, 1, 1), (MOVE, 9, 9), (UP, 9, 9)], marks="line", is_first=False)
        self.assertEqual([act and act["do"] for act in acts], [None, "pan", "mark"])
        self.assertTrue(acts[-1]["moved"])

    def test_a_place_is_marked_by_a_click_and_a_drag_moves_the_view_meanwhile(self) -> None:
        for marks in ("pixel", "corners"):
            with self.subTest(marks):
                click = self.told([(DOWN, 1, 1), (UP, 1, 1)], marks=marks)
                self.assertEqual(click, [None, {"do": "mark", "at": "end", "moved": False}])
                drag = self.told([(DOWN, 1, 1), (MOVE, 50, 1), (UP, 50, 1)], marks=marks)
                self.assertEqual(drag[-1], {"do": "mark", "at": "end", "moved": True})

    def test_handles_go_before_marks_and_only_as_the_picture_lies(self) -> None:
        held = self.told([(DOWN, 1, 1), (MOVE, 2, 2), (UP, 2, 2)], grips=True, marks="line")
        self.assertEqual(held, [None, {"do": "grip", "done": False}, {"do": "grip", "done": True}])
        apart = self.told([(DOWN, 1, 1), (UP, 1, 1)], grips=True, marks="line", look="apart")
        self.assertEqual(apart, [None, {"do": "pick"}])

    def test_a_press_that_is_taken_away_does_nothing(self) -> None:
        self.assertEqual(self.told([(DOWN, 1, 1), (CANCEL, 1, 1), (UP, 1, 1)]), [None, None, None])

    def test_apart_a_drag_turns_within_limits(self) -> None:
        _, right, left = self.told([(DOWN, 200, 1), (MOVE, 240, 1), (MOVE, 0, 1)], look="apart")
        self.assertEqual((right, left), ({"do": "turn", "turn": 47}, {"do": "turn", "turn": 0}))

    def test_the_divider_of_a_comparison_is_dragged_where_it_is(self) -> None:
        _, moved, end = self.told([(DOWN, 205, 1), (MOVE, 300, 1), (UP, 300, 1)], look="compare")
        self.assertEqual((moved, end), ({"do": "divide", "share": 0.75}, None))
        _, elsewhere, _ = self.told([(DOWN, 100, 1), (MOVE, 150, 1), (UP, 150, 1)], look="compare")
        self.assertEqual(elsewhere["do"], "pan")
        _, beyond = self.told([(DOWN, 200, 1), (MOVE, 900, 1)], look="compare")
        self.assertEqual(beyond["share"], 1)
        self.assertEqual(self.told([(DOWN, 100, 1), (UP, 100, 1)], look="compare"), [None, None])
