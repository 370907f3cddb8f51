"""Steps: shown to everybody, undone one by one by whoever made them, and never lost between two people."""

from typing import Any

from tests.cases import ServerTestCase
from yuplet_server.arrangement.models import Step


class StepTests(ServerTestCase):
    def name_of(self, view: dict[str, Any], row: str) -> str:
        return str(next(found["name"] for found in view["rows"] if found["id"] == row))

    def test_every_kind_of_step_can_be_undone_and_done_again(self) -> None:
        sky, arm, lamp, post, marsh = (self.row_id(name) for name in ("sky", "arm", "lamp", "post", "marsh"))
        steps: list[dict[str, Any]] = [
            {"do": "rename-rows", "names": {sky: "night", arm: "blade"}},
            {"do": "show-rows", "shown": {post: False, lamp: False}},
            {"do": "include-parts", "included": {arm: False, sky: False}},
            {"do": "lock-parts", "locked": {self.row_id("mist"): True}},
            {"do": "show-alone", "row": marsh},
            {"do": "move-rows", "places": [{"row": lamp, "group": None, "index": 0}, {"row": sky, "group": post, "index": 1}]},
        ]  # fmt: skip
        views = [self.arrangement()]
        for step in steps:
            views.append(self.step(self.ada, views[-1]["version"], **step))
            self.assertNotEqual(rows(views[-1]), rows(views[-2]))
        self.assertEqual(views[-1]["undo"], "Reorder 2 parts")
        for wanted in reversed(views[:-1]):
            self.assertEqual(rows(self.post(self.ada, "undo")), rows(wanted))
        self.assertIsNone(self.arrangement()["undo"])
        self.post(self.ada, "undo", status=409)
        for wanted in views[1:]:
            self.assertEqual(rows(self.post(self.ada, "redo")), rows(wanted))
        self.post(self.ada, "redo", status=409)

    def test_a_new_step_forgets_what_was_undone(self) -> None:
        arm = self.row_id("arm")
        view = self.step(self.ada, 1, do="rename-rows", names={arm: "one"})
        self.post(self.ada, "undo")
        self.step(self.ada, view["version"] + 1, do="rename-rows", names={arm: "two"})
        self.assertIsNone(self.arrangement()["redo"])
        self.assertEqual(Step.objects.filter(state=Step.State.DISCARDED).count(), 1)

    def test_a_name_that_cannot_be_used_comes_back_with_a_better_one(self) -> None:
        answer = self.step(self.ada, 1, 422, do="rename-rows", names={self.row_id("arm"): "Lamp"})
        self.assertEqual((answer["code"], answer["proposal"]), ("name-not-usable", "Lamp 2"))
        self.assertEqual(self.arrangement()["version"], 1)

    def test_nonsense_changes_nothing(self) -> None:
        for command in ({}, {"do": "fly"}, {"do": "rename-rows"}, {"do": "show-rows", "shown": {"zz": True}}):
            answer = self.ada.post(
                self.address("steps"), {"version": 1, "command": command}, content_type="application/json"
            )
            self.assertIn(answer.status_code, (400, 422))
        self.assertEqual(self.arrangement()["version"], 1)
        self.assertEqual(Step.objects.count(), 0)

    def test_two_people_at_different_rows_do_not_disturb_each_other(self) -> None:
        arm, lamp = self.row_id("arm"), self.row_id("lamp")
        self.step(self.ada, 1, do="rename-rows", names={arm: "blade"})
        view = self.step(self.ben, 1, do="rename-rows", names={lamp: "light"})
        self.assertEqual((self.name_of(view, arm), self.name_of(view, lamp)), ("blade", "light"))

    def test_the_second_at_the_same_row_is_told_and_nothing_is_lost(self) -> None:
        arm = self.row_id("arm")
        self.step(self.ada, 1, do="rename-rows", names={arm: "blade"})
        answer = self.step(self.ben, 1, 409, do="rename-rows", names={arm: "board"})
        self.assertEqual(answer["code"], "changed-meanwhile")
        self.assertIn("ada changed this meanwhile (Rename 'arm')", answer["detail"])
        self.assertEqual(self.name_of(self.arrangement(), arm), "blade")
        # Having seen it, the same step goes through; other fields of the row were never in the way.
        self.step(self.ben, 2, do="rename-rows", names={arm: "board"})
        self.step(self.ben, 1, do="show-rows", shown={arm: False})

    def test_each_undoes_their_own_and_not_what_others_built_upon(self) -> None:
        arm, lamp = self.row_id("arm"), self.row_id("lamp")
        self.step(self.ada, 1, do="rename-rows", names={arm: "blade"})
        self.step(self.ben, 2, do="rename-rows", names={lamp: "light"})
        view = self.post(self.ada, "undo")
        self.assertEqual((self.name_of(view, arm), self.name_of(view, lamp)), ("arm", "light"))
        self.post(self.ada, "redo")
        self.step(self.ben, 4, do="rename-rows", names={arm: "board"})
        refused = self.post(self.ada, "undo", status=409)
        self.assertIn("ben changed 'board' later", refused["detail"])

    def test_viewers_see_steps_and_make_none(self) -> None:
        self.step(self.ada, 1, do="rename-rows", names={self.row_id("arm"): "blade"})
        view = self.arrangement(self.cleo)
        self.assertIn("blade", [row["name"] for row in view["rows"]])
        self.assertIsNone(view["undo"])


def rows(view: dict[str, Any]) -> tuple[Any, Any]:
    """What of an arrangement undoing must bring back."""
    return view["alone"], view["rows"]
