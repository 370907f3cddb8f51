"""Commands: what they do, what they refuse, and that every one can be taken back."""

import json
import unittest
from dataclasses import replace
from unittest import mock

from hypothesis import given, settings
from hypothesis import strategies as st

import signal_post
from yuplet.arrangement import commands, records, tree, tree_edits
from yuplet.arrangement.commands import (
    Command,
    Decide,
    EndAlternates,
    GroupRows,
    IncludeParts,
    JoinRows,
    LockParts,
    MakeAlternates,
    MoveRows,
    OrderRows,
    Place,
    PlaceParts,
    ReadAsFrames,
    ReadAsParts,
    RemoveRows,
    RenameRows,
    SetDepths,
    SetFits,
    SetJoints,
    SetPivots,
    SetRoles,
    ShowAlone,
    ShowRows,
    SplitParts,
    SpreadDepths,
    TimeFrames,
    UngroupRows,
    apply,
)  # fmt: skip
from yuplet.arrangement.records import from_records, to_records
from yuplet.arrangement.tree import Arrangement, PartGroup, arrangement_of
from yuplet.errors import (
    ArrangementError,
    CannotJoin,
    CannotMove,
    Locked,
    NameNotUsable,
    NoSuchRow,
    NotFrames,
    TooManyRows,
)
from yuplet.geometry import Box, Point, Size
from yuplet.illustration.layers import Illustration, Layer, LayerGroup
from yuplet.illustration.records import from_record, to_record
from yuplet.parts.part import Part, Piece
from yuplet.pixels.spill_file import SpillFile

with SpillFile() as _scratch:
    POST = signal_post.signal_post(_scratch)
START, _ = arrangement_of(POST)
IDS = [row.id for _, row in START.walk()]
PARTS = [part.id for _, part in START.parts()]
GROUPS = [row.id for _, row in START.walk() if isinstance(row, PartGroup)]

_some = st.lists(st.sampled_from(IDS), min_size=1, max_size=4, unique=True)
_commands: st.SearchStrategy[Command] = st.one_of(
    st.dictionaries(st.sampled_from(IDS), st.sampled_from(["a", "b", "c", "arm", "x y"]), min_size=1, max_size=3).map(RenameRows),
    st.dictionaries(st.sampled_from(IDS), st.booleans(), min_size=1).map(ShowRows),
    st.dictionaries(st.sampled_from(PARTS), st.booleans(), min_size=1).map(IncludeParts),
    st.dictionaries(st.sampled_from(PARTS), st.just(False), min_size=1).map(LockParts),
    st.one_of(st.none(), st.sampled_from(IDS)).map(ShowAlone),
    st.dictionaries(st.sampled_from(PARTS), st.one_of(st.none(), st.sampled_from(PARTS)), min_size=1).map(SetJoints),
    st.dictionaries(st.sampled_from(PARTS), st.integers(-50, 500).map(float), min_size=1).map(SetDepths),
    st.tuples(st.lists(st.sampled_from(PARTS), min_size=1, unique=True), st.booleans()).map(
        lambda pair: SpreadDepths(tuple(pair[0]), 10.0, 0.0, pair[1])
    ),
    st.dictionaries(st.sampled_from(PARTS), st.sampled_from(["ground", "guide"]), min_size=1).map(SetRoles),
    st.dictionaries(st.sampled_from(PARTS), st.one_of(st.none(), st.just((1, 2, 3, 4))), min_size=1).map(SetFits),
    st.tuples(st.sampled_from([None, *GROUPS]), st.sampled_from(["name", "depth"])).map(lambda pair: OrderRows(*pair)),
    st.sampled_from([{"required": ["a", "b"]}, {"travel": 20.0}, {"meanings": {"x": "pair"}, "distance": 5.0}]).map(Decide),
    _some.flatmap(
        lambda rows: st.tuples(
            *(st.builds(Place, st.just(row), st.one_of(st.none(), st.sampled_from(GROUPS)), st.integers(0, 6)) for row in rows)
        )
    ).map(MoveRows),
    st.dictionaries(st.sampled_from(PARTS), st.tuples(st.integers(-9, 9), st.integers(-9, 9)), min_size=1).map(PlaceParts),
    st.lists(st.sampled_from(IDS), min_size=1, max_size=3, unique=True).map(lambda rows: ReadAsFrames(tuple(rows))),
    st.sampled_from(IDS).map(ReadAsParts),
    st.lists(st.sampled_from(IDS), min_size=1, max_size=3, unique=True).map(lambda rows: JoinRows(tuple(rows))),
    st.lists(st.sampled_from(PARTS), min_size=1, max_size=2, unique=True).map(lambda rows: SplitParts(tuple(rows))),
)  # fmt: skip


def paths(arrangement: Arrangement) -> list[str]:
    return ["/".join((*(group.name for group in around), row.name)) for around, row in arrangement.walk()]


class UndoTests(unittest.TestCase):
    @settings(max_examples=300, deadline=None)
    @given(st.lists(_commands, min_size=1, max_size=5))
    def test_any_steps_can_be_taken_back_one_by_one(self, steps: list[Command]) -> None:
        now, past = START, []
        for step in steps:
            try:
                after = apply(now, step)
            except ArrangementError:
                continue
            past.append((now, step.inverse(now)))
            now = after
        for before, back in reversed(past):
            now = apply(now, back)
            self.assertEqual(now, before)

    @settings(max_examples=200, deadline=None)
    @given(_commands)
    def test_a_step_survives_json_and_the_rows_survive_records(self, step: Command) -> None:
        self.assertEqual(commands.CODEC.from_json(json.loads(json.dumps(commands.to_json(step)))), step)
        try:
            after = apply(START, step)
        except ArrangementError:
            return
        self.assertEqual(from_records(to_records(after), after.alone, after.decisions), after)
        self.assertEqual(records.from_json(json.loads(json.dumps(records.to_json(after)))), after)

    @settings(max_examples=200, deadline=None)
    @given(_commands, _commands)
    def test_steps_that_touch_nothing_in_common_do_not_disturb_each_other(self, one: Command, other: Command) -> None:
        if any(isinstance(step, ReadAsFrames | ReadAsParts | JoinRows | SplitParts) for step in (one, other)):
            return  # these take rows away, so that the other finds none
        moving = isinstance(one, MoveRows | OrderRows) or isinstance(other, MoveRows | OrderRows)
        if moving and any(isinstance(step, SetDepths | SpreadDepths) for step in (one, other)):
            return  # what is ordered by depth, or gets its depth from the order, depends on the other
        if isinstance(one, SetJoints) and isinstance(other, SetJoints):
            return  # the second may close a circle that the first began
        naming = isinstance(one, RenameRows) or isinstance(other, RenameRows)
        if (
            one.touched & other.touched
            or (moving and naming)
            or (isinstance(one, MoveRows | OrderRows) and isinstance(other, MoveRows | OrderRows))
        ):
            return
        try:
            first = apply(apply(START, one), other)
            second = apply(apply(START, other), one)
        except ArrangementError:
            return
        self.assertEqual(first, second)


class CommandTests(unittest.TestCase):
    def test_names_are_checked_among_siblings_of_the_same_kind_only(self) -> None:
        self.assertIn("post/signal/mast", paths(apply(START, RenameRows({"arm": "mast"}))))
        self.assertIn("post/signal/post", paths(apply(START, RenameRows({"arm": "post"}))))
        with self.assertRaises(NameNotUsable) as caught:
            apply(START, RenameRows({"arm": "LAMP"}))
        self.assertEqual(caught.exception.proposal, "LAMP 2")
        self.assertIn("taken by another part in the same group", str(caught.exception))

    def test_two_names_can_be_swapped_in_one_step(self) -> None:
        swapped = apply(START, RenameRows({"arm": "lamp", "lamp": "arm"}))
        self.assertEqual(swapped.find("arm")[1].name, "lamp")

    def test_a_name_that_clashes_after_moving_is_refused(self) -> None:
        renamed = apply(START, RenameRows({"glow": "Lamp"}))
        with self.assertRaises(NameNotUsable):
            apply(renamed, MoveRows((Place("glow", "signal", 0),)))

    def test_transfer(self) -> None:
        moved = apply(START, MoveRows((Place("lamp", "signal", 0), Place("sky", "marsh", 1))))
        self.assertEqual(
            paths(moved),
            ["marsh", "marsh/reeds", "marsh/sky", "marsh/shade", "post", "post/mast", "post/signal", "post/signal/lamp",
             "post/signal/arm", "post/signal/arm lowered", "glow", "mist", "spare"],
        )  # fmt: skip

    def test_moves_that_cannot_be(self) -> None:
        cases = {
            "into itself": MoveRows((Place("post", "signal", 0),)),
            "is a part and cannot hold others": MoveRows((Place("sky", "lamp", 0),)),
            "two places at once": MoveRows((Place("sky", None, 0), Place("sky", None, 1))),
        }
        for words, command in cases.items():
            with self.subTest(words), self.assertRaisesRegex(CannotMove, words):
                apply(START, command)

    def test_rows_that_are_gone(self) -> None:
        for command in (RenameRows({"nobody": "x"}), ShowAlone("nobody"), MoveRows((Place("sky", "nobody", 0),))):
            with self.assertRaises(NoSuchRow):
                apply(START, command)

    def test_a_group_is_not_included_by_itself(self) -> None:
        with self.assertRaisesRegex(ArrangementError, "'post' is a group"):
            apply(START, IncludeParts({"post": False}))

    def test_nonsense_from_outside(self) -> None:
        for value in (
            {}, {"do": "fly"}, {"do": "rename-rows"}, {"do": "rename-rows", "names": 3}, {"do": "rename-rows", "names": {"a": 1}},
            {"do": "show-rows", "shown": {"a": "yes"}}, {"do": "show-alone", "row": 5}, {"do": "move-rows", "places": [{}]},
            {"do": "set-joints"}, {"do": "set-joints", "parents": {"a": 3}}, {"do": "set-depths", "depths": {"a": "far"}},
            {"do": "set-roles", "roles": {"a": "hero"}}, {"do": "set-fits", "margins": {"a": [1, 2, 3]}},
            {"do": "set-fits", "anchors": {"a": [0, 2]}}, {"do": "time-frames", "row": "a", "milliseconds": [0]},
            {"do": "order-rows", "group": None, "by": "luck"}, {"do": "decide", "decisions": {"nothing": 1}},
            {"do": "move-rows", "places": [{"row": "a", "group": 3, "index": 0}]}, {"do": "move-rows", "places": 7},
        ):  # fmt: skip
            with self.subTest(value), self.assertRaises(ArrangementError):
                commands.CODEC.from_json(value)  # type: ignore[arg-type]

    def test_titles_name_the_row_or_the_number(self) -> None:
        self.assertEqual(RenameRows({"arm": "x"}).title(START), "Rename 'arm'")
        self.assertEqual(ShowRows({"arm": False, "lamp": False}).title(START), "Hide 2 parts")
        self.assertEqual(IncludeParts({"arm": False}).title(START), "Leave out 'arm'")
        self.assertEqual(ShowAlone("post").title(START), "Show 'post' alone")


class FrameTimeTests(unittest.TestCase):
    def test_each_frame_has_its_time(self) -> None:
        animated = apply(START, ReadAsFrames(("arm", "lamp")))
        (made,) = {row.id for _, row in animated.walk()} - set(IDS)
        timed = apply(animated, TimeFrames(made, (80, None)))
        self.assertEqual([frame.milliseconds for frame in timed.find(made)[1].frames], [80, None])  # type: ignore[union-attr]
        self.assertEqual(apply(timed, TimeFrames(made, (80, None)).inverse(animated)), animated)
        with self.assertRaisesRegex(NotFrames, "2 frames, and 1 times"):
            apply(animated, TimeFrames(made, (80,)))


class LockTests(unittest.TestCase):
    def test_a_locked_part_is_shown_and_hidden_but_not_changed(self) -> None:
        locked = apply(START, LockParts({"lamp": True, "arm": True}))
        for command in (RenameRows({"lamp": "x"}), IncludeParts({"arm": False}), MoveRows((Place("lamp", None, 0),))):
            with self.subTest(command), self.assertRaisesRegex(Locked, "is locked. Nothing was changed. Unlock it"):
                apply(locked, command)
        self.assertFalse(apply(locked, ShowRows({"lamp": False})).find("lamp")[1].shown)
        free = apply(locked, LockParts({"lamp": True, "arm": True}).inverse(START))
        self.assertEqual(free, START)
        self.assertEqual(apply(free, RenameRows({"lamp": "x"})).find("lamp")[1].name, "x")

    def test_a_group_can_be_moved_with_locked_parts_in_it(self) -> None:
        locked = apply(START, LockParts({"lamp": True}))
        self.assertEqual(paths(apply(locked, MoveRows((Place("post", None, 0),))))[0], "post")

    def test_a_group_with_a_locked_part_in_it_is_not_made_one_part(self) -> None:
        locked = apply(START, LockParts({"reeds": True}))
        for command in (JoinRows(("marsh",)), ReadAsFrames(("marsh",))):
            with self.subTest(command), self.assertRaisesRegex(Locked, "'reeds' is locked"):
                apply(locked, command)

    def test_a_group_is_not_locked_by_itself(self) -> None:
        with self.assertRaisesRegex(ArrangementError, "'post' is a group"):
            apply(START, LockParts({"post": True}))


class FrameTests(unittest.TestCase):
    """The signal post's group 'signal' holds an arm, the arm lowered (hidden) and a lamp."""

    def test_a_group_is_read_as_frames_and_back(self) -> None:
        read = apply(START, ReadAsFrames(("signal",)))
        self.assertNotIn("post/signal/arm", paths(read))
        part = read.find("signal")[1]
        assert isinstance(part, Part)
        members = [row for around, row in START.walk() if around and around[-1].id == "signal"]
        self.assertEqual([frame.pieces[0].layer for frame in part.frames], [row.id for row in members])
        self.assertEqual(part.pieces, part.frames[0].pieces)
        again = apply(read, ReadAsParts("signal"))
        self.assertEqual(
            [path for path in paths(again) if path.startswith("post/signal/")],
            [f"post/signal/signal {number}" for number in range(1, len(members) + 1)],
        )
        self.assertEqual(sum(row.shown for _, row in again.parts() if row.name.startswith("signal ")), 1)

    def test_siblings_are_read_as_frames_in_the_order_in_which_they_lie(self) -> None:
        read = apply(START, ReadAsFrames(("mist", "glow")))
        (part,) = [part for _, part in read.parts() if len(part.frames) == 2]
        self.assertEqual([frame.pieces[0].layer for frame in part.frames], ["glow", "mist"])
        self.assertEqual(part.name, "glow")

    def test_folders_of_frames_are_a_frame_each_of_what_is_shown_in_them(self) -> None:
        box = Box(0, 0, 4, 4)

        def moment(number: int) -> LayerGroup:
            members = (
                Layer(f"a{number}", "lamp", box, opacity=0.5),
                Layer(f"b{number}", "glow", box, blend="multiply"),
                Layer(f"c{number}", "note", box, visible=False),
            )
            return LayerGroup(f"g{number}", f"moment {number}", members)

        start, _ = arrangement_of(Illustration("x", Size(4, 4), (LayerGroup("g", "lamp", (moment(1), moment(2))),)))
        part = apply(start, ReadAsFrames(("g",))).find("g")[1]
        assert isinstance(part, Part)
        self.assertEqual(
            [[(piece.layer, piece.opacity, piece.blend) for piece in frame.pieces] for frame in part.frames],
            [[(f"a{n}", 0.5, "normal"), (f"b{n}", 1.0, "multiply")] for n in (1, 2)],
        )

    def test_what_is_no_stack_of_frames_is_refused_with_the_reason(self) -> None:
        two = apply(START, ReadAsFrames(("mist", "glow")))
        (animated,) = [part.id for _, part in two.parts() if len(part.frames) == 2]
        cases = {
            "in different groups": (START, ReadAsFrames(("sky", "lamp"))),
            "one picture only": (START, ReadAsFrames(("sky",))),
            "No rows": (START, ReadAsFrames(())),
            "has no frames": (START, ReadAsParts("sky")),
            "has frames of its own": (two, ReadAsFrames((animated, "spare"))),
            "Put it back first": (apply(START, PlaceParts({"glow": (3, 0)})), ReadAsFrames(("mist", "glow"))),
        }
        for words, (start, command) in cases.items():
            with self.subTest(words), self.assertRaisesRegex(NotFrames, words):
                apply(start, command)


class JoinTests(unittest.TestCase):
    def test_siblings_become_one_part_where_the_front_most_lay(self) -> None:
        joined = apply(START, JoinRows(("glow", "sky", "mist")))
        self.assertEqual(paths(joined)[-2:], ["mist", "spare"])
        (part,) = [part for _, part in joined.parts() if len(part.pieces) == 3]
        self.assertEqual(
            [(piece.layer, piece.opacity, piece.blend) for piece in part.pieces],
            [("sky", 1.0, "normal"), ("glow", 0.6, "screen"), ("mist", 0.45, "normal")],
        )
        split = apply(joined, SplitParts((part.id,)))
        self.assertEqual(paths(split)[-5:], ["mist", "mist/mist 1", "mist/mist 2", "mist/mist 3", "spare"])
        self.assertEqual(
            [(row.opacity, row.blend) for around, row in split.walk() if around and around[-1].id == part.id],
            [(1.0, "normal"), (0.6, "screen"), (0.45, "normal")],
        )

    def test_groups_become_a_part_each_of_what_is_shown_in_them(self) -> None:
        joined = apply(START, JoinRows(("marsh", "signal")))
        marsh, signal = (joined.find(row)[1] for row in ("marsh", "signal"))
        assert isinstance(marsh, Part) and isinstance(signal, Part)
        self.assertEqual(
            (marsh.opacity, marsh.blend, [p.layer for p in marsh.pieces]), (0.9, "multiply", ["reeds", "shade"])
        )
        self.assertEqual([piece.layer for piece in signal.pieces], ["arm", "lamp"], "the hidden arm is not in it")
        self.assertEqual(apply(joined, JoinRows(("marsh", "signal")).inverse(START)), START)

    def test_what_one_part_cannot_hold_is_told_innermost_first(self) -> None:
        """The group 'post' holds 'signal', at 80 %."""
        (row,) = tree_edits.to_be_merged(START, ("post",))
        self.assertEqual(row.id, "signal")
        self.assertEqual([piece.layer for piece in tree_edits.pieces_below(row)], ["arm", "lamp"])
        joined = apply(tree_edits.as_one_layer(START, row, "m1"), JoinRows(("post",))).find("post")[1]
        assert isinstance(joined, Part)
        self.assertIn(Piece("m1", 0.8), joined.pieces)
        self.assertEqual(tree_edits.to_be_merged(START, ("signal",)), [], "a part keeps its own opacity")

    def test_what_cannot_be_joined_or_split(self) -> None:
        cases: dict[str, Command] = {
            "different groups": JoinRows(("sky", "lamp")),
            "one part already": JoinRows(("sky",)),
            "in another one": JoinRows(("post", "signal")),
            "opacity or mode of its own": JoinRows(("post",)),
            "has one layer": SplitParts(("sky",)),
        }
        for words, command in cases.items():
            with self.subTest(words), self.assertRaisesRegex(CannotJoin, words):
                apply(START, command)


class RemoveTests(unittest.TestCase):
    def test_rows_go_and_come_back_where_they_were(self) -> None:
        command = RemoveRows(("sky", "signal", "marsh"))
        after = apply(START, command)
        self.assertEqual([path for path in paths(after) if "signal" in path or "marsh" in path or path == "sky"], [])
        self.assertEqual(command.title(START), "Remove 1 part and 2 groups")
        self.assertEqual(apply(after, command.inverse(START)), START)
        locked = apply(START, LockParts({"lamp": True}))
        with self.assertRaises(Locked):
            apply(locked, RemoveRows(("post",)))


class PivotTests(unittest.TestCase):
    def test_pivots_are_set_and_taken_away(self) -> None:
        command = SetPivots({"arm": (12.5, 30.0), "lamp": None})
        after = apply(START, command)
        arm = after.find("arm")[1]
        assert isinstance(arm, Part)
        self.assertEqual(arm.pivot, Point(12.5, 30))
        self.assertEqual(apply(after, command.inverse(START)), START)
        self.assertEqual(command.title(START), "Set pivot of 2 parts")
        self.assertEqual(SetPivots({"arm": None}).title(START), "Remove pivot of 'arm'")
        self.assertEqual(commands.CODEC.from_json(json.loads(json.dumps(commands.to_json(command)))), command)
        for wrong in ([1], [1, "x"], [float("nan"), 0], [True, 0], [2e6, 0], 7):
            with self.assertRaisesRegex(ArrangementError, "pivots.arm"):
                commands.CODEC.from_json({"do": "set-pivots", "pivots": {"arm": wrong}})
        with self.assertRaisesRegex(ArrangementError, "is a group"):
            apply(START, SetPivots({"signal": (1, 1)}))


class GroupTests(unittest.TestCase):
    def test_siblings_are_put_in_a_group_and_taken_out_of_it_again(self) -> None:
        command = GroupRows(("glow", "post", "mist"))
        after = apply(START, command)
        (group,) = [row for row in after.rows if row.name == "group"]
        assert isinstance(group, PartGroup)
        self.assertEqual([row.id for row in group.members], ["post", "glow", "mist"])
        self.assertEqual([row.id for row in after.rows][-2:], [group.id, "spare"], "where the front-most lay")
        self.assertIn("group/post/signal/arm", paths(after))
        self.assertEqual(apply(after, command.inverse(START)), START)
        again = apply(after, UngroupRows((group.id,)))
        self.assertEqual([row.id for row in again.rows][-4:], ["post", "glow", "mist", "spare"])
        self.assertEqual(apply(again, UngroupRows((group.id,)).inverse(after)), after)

    def test_several_groups_at_once(self) -> None:
        start = apply(apply(START, GroupRows(("sky",))), GroupRows(("glow", "mist")))
        first, second = (row.id for row in start.rows if row.name.startswith("group"))
        after = apply(start, UngroupRows((second, first)))
        self.assertEqual([row.id for row in after.rows], [row.id for row in START.rows])

    def test_names_stay_apart_and_what_is_hidden_stays_hidden(self) -> None:
        start = apply(START, RenameRows({"mast": "sky"}))
        start = apply(start, ShowRows({"post": False}))
        after = apply(start, UngroupRows(("post",)))
        self.assertEqual((after.find("mast")[1].name, after.find("mast")[1].shown), ("sky 2", False))

    def test_what_cannot_be_grouped_or_ungrouped(self) -> None:
        cases: dict[str, Command] = {
            "different groups": GroupRows(("sky", "lamp")),
            "No rows": GroupRows(()),
            "is no group": UngroupRows(("sky",)),
            "would be another one": UngroupRows(("marsh",)),
            "in another one": UngroupRows(("post", "signal")),
        }
        for words, command in cases.items():
            with self.subTest(words), self.assertRaisesRegex(CannotJoin, words):
                apply(START, command)


class AlternatesTests(unittest.TestCase):
    """The signal post's group 'signal' holds an arm, the arm lowered (hidden) and a lamp."""

    def seen(self, arrangement: Arrangement, group: str) -> list[str]:
        found = arrangement.settled().find(group)[1]
        assert isinstance(found, PartGroup)
        return [row.id for row in found.members if row.shown]

    def test_exactly_one_of_a_group_is_shown(self) -> None:
        made = apply(START, MakeAlternates(("signal",)))
        self.assertEqual(self.seen(made, "signal"), ["lamp"])
        for row in ("lowered", "arm"):
            after = apply(made, ShowRows({row: True}))
            self.assertEqual(self.seen(after, "signal"), [row])
            self.assertEqual(apply(after, ShowRows({row: True}).inverse(made)), made)
        with self.assertRaisesRegex(ArrangementError, "Show another one instead"):
            apply(made, ShowRows({"lamp": False}))
        self.assertEqual(self.seen(apply(made, ShowRows({"lamp": False, "arm": True})), "signal"), ["arm"])
        self.assertEqual(
            self.seen(apply(made, RemoveRows(("lamp",))), "signal"), ["lowered"], "the next takes its place"
        )
        plain = apply(made, EndAlternates("signal"))
        self.assertEqual(self.seen(plain, "signal"), ["lamp"])
        self.assertEqual(apply(plain, EndAlternates("signal").inverse(made)), made)
        self.assertEqual(apply(made, MakeAlternates(("signal",)).inverse(START)), START)

    def test_siblings_become_alternates_about_one_pivot(self) -> None:
        start = START.changed(
            lambda row: replace(row, pivot=Point(3, 4)) if isinstance(row, Part) and row.id == "mist" else row
        )
        command = MakeAlternates(("glow", "mist", "spare"))
        made = apply(start, command)
        (group,) = [row for _, row in made.walk() if isinstance(row, PartGroup) and row.alternate]
        self.assertEqual([row.id for row in group.members], ["glow", "mist", "spare"])
        self.assertEqual({row.pivot for row in group.members if isinstance(row, Part)}, {Point(3, 4)})
        self.assertEqual(apply(made, command.inverse(start)), start)
        self.assertEqual(from_records(to_records(made)), made)

    def test_what_makes_no_alternates(self) -> None:
        cases: dict[str, Command] = {
            "different groups": MakeAlternates(("sky", "lamp")),
            "one member only": MakeAlternates(("sky",)),
            "No rows": MakeAlternates(()),
            "no set of alternates": EndAlternates("signal"),
        }
        for words, command in cases.items():
            with self.subTest(words), self.assertRaisesRegex(CannotJoin, words):
                apply(START, command)
        with self.assertRaises(Locked):
            apply(apply(START, LockParts({"lamp": True})), MakeAlternates(("signal",)))


class FirstArrangementTests(unittest.TestCase):
    def test_every_layer_is_a_part_and_hidden_ones_are_included(self) -> None:
        self.assertEqual(
            [path.replace("/", " / ") for path in paths(START)], [" / ".join(path) for path, _ in POST.walk()]
        )
        lowered = START.find("lowered")[1]
        self.assertEqual((lowered.shown, getattr(lowered, "included", None)), (False, True))

    def test_names_that_cannot_be_files_are_replaced_and_listed(self) -> None:
        box = Box(0, 0, 1, 1)
        layers = (
            Layer("a", "arm", box), Layer("b", "ARM", box), Layer("c", "", box), Layer("d", "con", box),
            LayerGroup("e", "arm", (Layer("f", "a/b", box),)), LayerGroup("g", "arm", ()),
        )  # fmt: skip
        found, renamed = arrangement_of(Illustration("x", Size(1, 1), layers))
        self.assertEqual(paths(found), ["arm", "ARM 2", "part", "con_", "arm", "arm/a-b", "arm 2"])
        self.assertEqual(
            [(item.path[-1], item.name) for item in renamed],
            [("ARM", "ARM 2"), ("", "part"), ("con", "con_"), ("a/b", "a-b"), ("arm", "arm 2")],
        )

    def test_an_illustration_survives_its_record(self) -> None:
        self.assertEqual(from_record(json.loads(json.dumps(to_record(POST)))), POST)


class ManyRowsTests(unittest.TestCase):
    def test_more_rows_than_an_illustration_takes_are_refused(self) -> None:
        with mock.patch.object(tree, "MAX_ROWS", len(IDS)):
            with self.assertRaisesRegex(TooManyRows, f"That would be {len(IDS) + 1} rows; an illustration takes up to"):
                apply(START, GroupRows(("lamp",)))
            # What makes no more of them is done, and so it is where there are too many already.
            self.assertEqual(len(list(apply(START, RenameRows({"lamp": "x"})).walk())), len(IDS))
        grouped = apply(START, GroupRows(("lamp",)))
        with mock.patch.object(tree, "MAX_ROWS", 3):
            apply(grouped, RemoveRows(("sky",)))
            with self.assertRaises(TooManyRows):
                records.from_json(records.to_json(START))

    def test_twenty_thousand_rows_in_a_document(self) -> None:
        document = records.to_json(START)
        one = next(row for row in document["rows"] if row["id"] == "sky")
        document["rows"] += [{**one, "id": f"n{at}", "name": f"n{at}"} for at in range(20_000)]
        with self.assertRaisesRegex(TooManyRows, "20,0.. rows; an illustration takes up to 10,000"):
            records.from_json(document)
