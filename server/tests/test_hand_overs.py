"""The plan, and the package that keeps to it."""

import io
import json
import tempfile
import zipfile
from pathlib import Path

from tests.cases import ServerTestCase, handed_over, quiet
from yuplet_server.handovers import actions
from yuplet_server.handovers.models import HandOver
from yuplet_server.jobs.models import Job


class PlanTests(ServerTestCase):
    def test_the_plan_is_what_the_package_holds(self) -> None:
        plan = self.cleo.get(self.address("plan")).json()
        self.assertEqual(plan["empty"], ["spare"])
        self.assertEqual({file["change"] for file in plan["files"]}, {"new"})
        made = handed_over(self.illustration, self.users["ben"], plan["version"])
        answer = self.cleo.get(f"/api/hand-overs/{made.pk}/package")
        self.assertIn("signal post hand-over 1.zip", answer.headers["Content-Disposition"])
        with zipfile.ZipFile(io.BytesIO(b"".join(answer.streaming_content))) as package:
            self.assertEqual(set(package.namelist()), {file["file"] for file in plan["files"]} | set(plan["beside"]))
            manifest = json.loads(package.read("manifest.json"))
            self.assertIsNone(package.testzip())
        places = {part["file"]: [*part["box"].values()] for part in manifest["parts"]}
        self.assertEqual(places, {file["file"]: file["box"] for file in plan["files"]})

    def test_what_is_new_changed_the_same_or_gone(self) -> None:
        handed_over(self.illustration, self.users["ben"], 1)
        glow, reeds = self.row_id("glow"), self.row_id("reeds")
        self.step(self.ada, 1, do="rename-rows", names={glow: "halo"})
        self.step(self.ada, 2, do="include-parts", included={reeds: False})
        plan = self.cleo.get(self.address("plan")).json()
        changes = {file["file"]: file["change"] for file in plan["files"]}
        self.assertEqual(changes.pop("parts/halo.png"), "new")
        self.assertEqual(set(changes.values()), {"same"})
        self.assertEqual((plan["gone"], plan["compared_with"]), (["parts/glow.png", "parts/marsh/reeds.png"], 1))

    def test_a_plan_that_was_seen_too_long_ago_is_not_carried_out(self) -> None:
        self.step(self.ada, 1, do="rename-rows", names={self.row_id("glow"): "halo"})
        answer = self.post(self.ben, "hand-overs", status=409, body={"version": 1})
        self.assertEqual(answer["code"], "changed-meanwhile")
        self.assertEqual(HandOver.objects.count(), 0)

    def test_nothing_to_hand_over_is_said_in_the_plan(self) -> None:
        parts = {row["id"]: False for row in self.arrangement()["rows"] if row["kind"] == "part"}
        self.step(self.ada, 1, do="include-parts", included=parts)
        answer = self.cleo.get(self.address("plan"))
        self.assertEqual((answer.status_code, answer.json()["code"]), (422, "nothing-to-hand-over"))

    def test_the_list_tells_the_report_and_who_asked(self) -> None:
        handed_over(self.illustration, self.users["ben"], 1)
        (listed,) = self.cleo.get(self.address("hand-overs")).json()
        self.assertEqual((listed["number"], listed["created_by"]), (1, "ben"))
        self.assertEqual((listed["report"]["proof"]["ok"], listed["report"]["proof"]["differing_pixels"]), (True, 0))
        self.assertEqual(listed["report"]["bytes"], sum(file["bytes"] for file in listed["report"]["files"]))

    def test_what_changes_after_asking_does_not_change_the_package(self) -> None:
        asked = self.post(self.ben, "hand-overs", status=201, body={"version": 1})
        self.step(self.ada, 1, do="rename-rows", names={self.row_id("glow"): "halo"})
        with tempfile.TemporaryDirectory() as folder:
            actions.carry_out(asked["id"], Path(folder), quiet)()
        report = HandOver.objects.get(pk=asked["id"]).report
        self.assertIn("parts/glow.png", [file["file"] for file in report["files"]])

    def test_a_package_that_is_not_made_yet_is_not_found(self) -> None:
        asked = self.post(self.ben, "hand-overs", status=201, body={"version": 1})
        self.assertEqual(asked["job"]["state"], Job.State.WAITING)
        self.assertEqual(self.cleo.get(f"/api/hand-overs/{asked['id']}/package").status_code, 404)
