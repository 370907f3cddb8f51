"""Steps as the page sends them: small answers, nothing done twice, nobody waiting for another one's pixels."""

import datetime
import json
import tempfile
import threading
import uuid
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection, connections
from django.test import Client, TransactionTestCase
from django.test.utils import CaptureQueriesContext
from django.utils import timezone

from tests.cases import ServerTestCase, brought_in, handed_over, make_project, quiet
from tests.taking import TakingCase, colour_at, lamp, toy
from yuplet.arrangement.first import first_arrangement
from yuplet.editing.commands import CODEC
from yuplet.editing.cutting import TakeOut, TakePieces, Wish
from yuplet.editing.edit import edited
from yuplet.editing.layers import MemoryLayers
from yuplet.handover import hand_over
from yuplet.pixels.spill_file import SpillFile
from yuplet.reading.files import read_illustration
from yuplet.selecting.gestures import SameColour
from yuplet.writing.pictures import Sources
from yuplet_server.arrangement import actions
from yuplet_server.arrangement.models import Arrangement, Handled, Row, Step
from yuplet_server.illustrations.models import DerivedLayer
from yuplet_server.transfer.actions import remove_unreachable

COMMAND = {"do": "group-rows", "rows": []}


class RepeatTests(ServerTestCase):
    """A page whose answer was lost sends the same again, under the same id."""

    def send(self, path: str, key: uuid.UUID, status: int = 200, client: Client | None = None, **more: Any) -> Any:
        body = {"id": str(key), "version": self.arrangement()["version"], **more}
        answer = (client or self.ada).post(self.address(path), body, content_type="application/json")
        self.assertEqual(answer.status_code, status, answer.content)
        return answer.json()

    def test_a_step_that_is_sent_twice_is_one_step_and_one_undo(self) -> None:
        rows = [self.row_id("arm"), self.row_id("lamp")]
        key = uuid.uuid4()
        first = self.send("steps", key, command={"do": "group-rows", "rows": rows})
        again = self.send("steps", key, command={"do": "group-rows", "rows": rows})
        self.assertEqual(again["made"], first["made"])
        self.assertEqual(again["version"], first["version"])
        self.assertEqual(Step.objects.count(), 1)
        start = [row["name"] for row in self.arrangement()["rows"] if row["kind"] == "group"]
        undo = uuid.uuid4()
        for _ in range(2):
            self.send("undo", undo)
        self.assertNotEqual([row["name"] for row in self.arrangement()["rows"] if row["kind"] == "group"], start)
        redo = uuid.uuid4()
        for _ in range(3):
            self.send("redo", redo)
        self.assertEqual([row["name"] for row in self.arrangement()["rows"] if row["kind"] == "group"], start)
        self.assertEqual(Arrangement.objects.get(pk=self.illustration.pk).version, 4)
        with self.subTest("one's own id is no other person's"):
            self.send("steps", key, 422, self.ben, command={"do": "rename-rows", "names": {rows[0]: "a/b"}})

    def test_an_edit_and_a_picture_that_are_sent_twice(self) -> None:
        key, sky = uuid.uuid4(), self.row_id("sky")
        for _ in range(2):
            self.send("steps", key, command={"do": "dye", "row": sky, "colour": [1, 2, 3], "shaded": False})
        self.assertEqual((Step.objects.count(), DerivedLayer.objects.count()), (1, 1))
        key = uuid.uuid4()
        made = []
        for _ in range(2):
            file = SimpleUploadedFile("toy.png", toy())
            body = {"id": str(key), "version": 2, "file": file}
            made.append(self.ada.post(self.address("pictures"), body).json()["made"])
        self.assertEqual((made[0], Step.objects.count()), (made[1], 2))

    def test_what_was_refused_may_be_sent_again(self) -> None:
        key = uuid.uuid4()
        self.send("steps", key, 422, command={"do": "rename-rows", "names": {self.row_id("arm"): "a/b"}})
        self.send("steps", key, command={"do": "rename-rows", "names": {self.row_id("arm"): "ab"}})
        self.assertEqual(Handled.objects.count(), 1)
        self.send("steps", "no id", 400, command={"do": "show-alone", "row": None})  # type: ignore[arg-type]


class AnswerTests(ServerTestCase):
    def test_a_step_answers_what_has_changed(self) -> None:
        arm, lamp_row = self.row_id("arm"), self.row_id("lamp")
        answer = self.step(self.ada, 1, do="rename-rows", names={arm: "blade"})
        self.assertEqual(answer["changed"], [arm])
        raw = self.ada.post(
            self.address("steps"),
            {"version": 2, "command": {"do": "show-rows", "shown": {lamp_row: False}}},
            content_type="application/json",
        ).json()
        self.assertEqual(([row["id"] for row in raw["decided"]], raw["rows"], raw["order"]), ([lamp_row], [], None))
        self.assertNotIn("frames", raw["decided"][0], "it looks as before")
        self.step(self.ben, 3, do="set-depths", depths={lamp_row: 30})
        answer = self.step(self.ada, 1, do="show-alone", row=None)
        self.assertEqual(set(answer["changed"]), {arm, lamp_row}, "what others did since comes along")
        answer = self.step(self.ada, 5, do="move-rows", places=[{"row": arm, "group": None, "index": 0}])
        self.assertEqual(answer["changed"], [arm], "those that were only shifted are told by their order")

    def test_nothing_is_sent_when_nothing_has_changed(self) -> None:
        first = self.cleo.get(self.address("arrangement"))
        self.assertIn("no-cache", first["Cache-Control"])
        with CaptureQueriesContext(connection) as queries:
            again = self.cleo.get(self.address("arrangement"), headers={"if-none-match": first["ETag"]})
        self.assertEqual((again.status_code, again.content), (304, b""))
        self.assertLess(len(queries), 7)
        self.step(self.ada, 1, do="rename-rows", names={self.row_id("arm"): "blade"})
        changed = self.cleo.get(self.address("arrangement"), headers={"if-none-match": first["ETag"]})
        self.assertEqual(changed.status_code, 200)
        other = self.ben.get(self.address("arrangement"), headers={"if-none-match": changed["ETag"]})
        self.assertEqual(other.status_code, 200, "what can be undone is each one's own")

    def test_a_step_asks_the_database_as_often_for_many_rows_as_for_few(self) -> None:
        parts = "".join(f'<rect id="leaf-{at}" x="{at}" y="3" width="4" height="5"/>' for at in range(300))
        drawing = f'<svg xmlns="http://www.w3.org/2000/svg" width="400" height="90">{parts}</svg>'
        counts: dict[str, list[int]] = {}
        many = brought_in(self.project, "leaves.svg", drawing.encode())
        for illustration in (self.illustration, many):
            self.illustration = illustration
            rows = [row["id"] for row in self.arrangement()["rows"] if row["kind"] == "part"]
            for command in (
                {"do": "rename-rows", "names": {row: f"part {at}" for at, row in enumerate(rows)}},
                {"do": "show-rows", "shown": dict.fromkeys(rows, False)},
                {"do": "set-depths", "depths": dict.fromkeys(rows, 3)},
                {"do": "order-rows", "group": None, "by": "listed", "listed": rows[::-1]},
                {"do": "show-alone", "row": rows[0]},
                {"do": "remove-rows", "rows": rows[:1]},
                {"do": "decide", "decisions": {"travel": 9}},
                {"do": "put-backdrop", "colours": [[1, 2, 3]]},
            ):
                said = {"version": self.arrangement()["version"], "command": command, "id": str(uuid.uuid4())}
                with CaptureQueriesContext(connection) as queries:
                    answer = self.ada.post(self.address("steps"), said, content_type="application/json")
                self.assertEqual(answer.status_code, 200, answer.content)
                # Without those that say who asks, and may.
                own = [one for one in queries if "SAVEPOINT" not in one["sql"]][4:]
                counts.setdefault(str(command["do"]), []).append(len(own))
        for kind, (few, more) in counts.items():
            with self.subTest(kind):
                self.assertLessEqual(more, few + 1)
                # Two of them read the rows, which a server knows after each step; here all is one transaction.
                self.assertLessEqual(more - 2, 26 if kind == "put-backdrop" else 12)


class SessionTests(TakingCase):
    """A whole session of the page, and the same commands without a server."""

    def test_it_is_handed_over_the_same_to_the_byte(self) -> None:
        button = colour_at(40, 36)
        coat = {
            "name": "coat",
            "gestures": [colour_at(25, 20), colour_at(40, 36, "add")],
            "edge": {"soft": 3, "grow": 1},
        }
        toy_row = self.row_id("toy")
        top = {"tool": "draw-round", "points": [[0, 0], [90, 0], [90, 25], [0, 25]]}
        session: list[dict[str, Any]] = [
            {"do": "take-out", "row": toy_row, "parts": [coat], "behind": "flat"},
            {"do": "take-out", "row": "m1", "parts": [{"name": "button", "gestures": [button]}], "behind": "painted"},
            {"do": "take-out", "row": "m1", "parts": [{"name": "collar", "gestures": [top]}]},
            {"do": "grow-under", "row": "m1", "by": 6},
            {"do": "duplicate-part", "row": "m3", "mirrored": True, "about": "middle"},
            {"do": "dye", "row": "d6", "colour": [10, 90, 200], "shaded": True},
            {"do": "put-backdrop", "colours": [[9, 20, 60], [250, 240, 200]]},
            {"do": "group-rows", "rows": ["m1", "m3"]},
            {"do": "rename-rows", "names": {"gm1": "figure", "d6": "badge"}},
            {"do": "set-joints", "parents": {"m3": "m1"}, "pivots": {"m3": [40, 36]}},
        ]
        for command in session:
            self.now(self.ben, **command)
        made = handed_over(self.illustration, self.users["ada"], self.arrangement()["version"])
        self.assertTrue(made.report["proof"]["ok"])
        with tempfile.TemporaryDirectory() as name, SpillFile() as scratch:
            folder = Path(name)
            (folder / "toy.png").write_bytes(toy())
            illustration, _ = read_illustration(folder / "toy.png", scratch)
            now, _ = first_arrangement(illustration)
            layers = MemoryLayers(illustration, scratch)
            for value in session:
                now, _ = edited(now, CODEC.from_json(value), layers)
                layers.version += 1
            layers.put_into(scratch)
            hand_over(layers.illustration, now, Sources(scratch, None), folder / "out", "", quiet)
            ours = self.package(made)
            pictures = [file for file in ours if file.endswith(".png")]
            self.assertGreater(len(pictures), 5)
            for file in pictures:
                self.assertEqual((folder / "out" / file).read_bytes(), ours[file], file)
            one, other = json.loads((folder / "out" / "manifest.json").read_text()), json.loads(ours["manifest.json"])
            # What tells a part's pixels from others is counted otherwise by each.
            parts, others = ([{**part, "key": ""} for part in told["parts"]] for told in (one, other))
            self.assertEqual(parts, others)

    def test_derived_layers_are_rows(self) -> None:
        self.illustration = brought_in(self.project, "lamp.png", lamp())
        self.now(self.ben, do="read-as-parts", row=self.row_id("lamp"))
        before = DerivedLayer.objects.count()
        record = self.illustration.revision.record
        self.take({"name": "slide", "gestures": [{**colour_at(12, 13), "connected": False}]}, row="lamp 1")
        self.assertEqual(DerivedLayer.objects.count(), before + 2)
        self.illustration.revision.refresh_from_db()
        self.assertEqual(self.illustration.revision.record, record, "what was read is not written again")

    def test_derived_layers_that_nothing_leads_to_are_swept(self) -> None:
        now = timezone.now() + datetime.timedelta(hours=1)
        self.take({"name": "coat", "gestures": [colour_at(25, 20)]}, behind="flat")
        self.now(self.ben, do="dye", row=self.row_id("coat"), colour=[1, 2, 3], shaded=False)
        self.assertEqual((remove_unreachable(self.illustration, now), DerivedLayer.objects.count()), (0, 3))
        self.post(self.ben, "undo")
        self.assertEqual(remove_unreachable(self.illustration, now), 0, "it can be done again")
        self.now(self.ben, do="show-alone", row=None)
        early = timezone.now() - datetime.timedelta(hours=1)
        self.assertEqual(remove_unreachable(self.illustration, early), 0, "not yet")
        self.assertEqual(remove_unreachable(self.illustration, now), 1)
        self.assertEqual(sorted(DerivedLayer.objects.values_list("layer", flat=True)), ["m1", "m2"])
        np.testing.assert_array_equal(self.composite(), self.original())
        self.post(self.ben, "undo")
        self.post(self.ben, "undo")
        self.assertEqual(self.names(), ["toy"])
        self.post(self.ben, "redo")
        np.testing.assert_array_equal(self.composite(), self.original())


class WaitingTests(TransactionTestCase):
    """Pixels are made while nothing is locked."""

    def setUp(self) -> None:
        self.project, self.users = make_project()
        self.illustration = brought_in(self.project, "toy.png", toy())

    def in_a_thread(self, work: Any) -> threading.Thread:
        def run() -> None:
            try:
                work()
            finally:
                connections.close_all()

        thread = threading.Thread(target=run)
        thread.start()
        self.addCleanup(thread.join, 20)
        return thread

    def test_others_go_on_while_an_edit_is_prepared_and_it_is_prepared_again_on_what_they_did(self) -> None:
        ada, ben, number = self.users["ada"], self.users["ben"], self.illustration.pk
        row = Row.objects.get(arrangement=number).row
        begun, go_on, times = threading.Event(), threading.Event(), []
        prepared = TakeOut.prepared

        def slow(self: TakeOut, *arguments: Any) -> Any:
            times.append(1)
            found = prepared(self, *arguments)
            begun.set()
            go_on.wait(20)
            return found

        command = TakeOut(row, (Wish("coat", (SameColour((25, 20), 6.0),)),), "flat")
        with mock.patch.object(TakeOut, "prepared", slow), self.settings(APART=False):
            thread = self.in_a_thread(lambda: actions.perform(number, ben, 1, command))
            self.assertTrue(begun.wait(20))
            actions.perform(number, ada, 1, CODEC.from_json({"do": "rename-rows", "names": {row: "toy soldier"}}))
            go_on.set()
            thread.join(20)
        self.assertEqual(len(times), 2)
        names = [one.name for one in Row.objects.filter(arrangement=number).order_by("position")]
        self.assertEqual(names, ["toy soldier", "coat"], "neither was lost")
        self.assertEqual([step.version for step in Step.objects.order_by("version")], [2, 3])
        self.assertEqual(DerivedLayer.objects.count(), 2, "those that were not used are not kept")

    def test_a_stale_edit_of_the_same_part_is_refused_before_it_is_prepared(self) -> None:
        ada, ben, number = self.users["ada"], self.users["ben"], self.illustration.pk
        row = Row.objects.get(arrangement=number).row
        actions.perform(number, ada, 1, TakeOut(row, (Wish("coat", (SameColour((25, 20), 6.0),)),), "flat"))
        with (
            mock.patch.object(TakePieces, "prepared", side_effect=AssertionError("it was prepared")),
            self.assertRaisesRegex(actions.ChangedMeanwhile, "ada"),
        ):
            actions.perform(number, ben, 1, TakePieces(row, regions=3))
