"""Several illustrations of a project handed over together: each once, one index, shared sheets, and what goes wrong with one of them."""

import io
import json
import tempfile
import zipfile
from pathlib import Path
from typing import Any
from unittest import mock

from django.db import connection
from django.test import Client, TransactionTestCase, override_settings
from django.test.utils import CaptureQueriesContext
from PIL import Image

from tests.cases import ServerTestCase, brought_in, kept, make_project
from yuplet.rehearsal.index import prove_all
from yuplet_server.handovers import actions, together
from yuplet_server.handovers.models import HandOver, ProjectHandOver
from yuplet_server.illustrations.models import Illustration
from yuplet_server.jobs import actions as jobs
from yuplet_server.jobs.models import Job
from yuplet_server.projects.actions import start_project

RECIPE = {"format": "yuplet-recipe", "version": 1, "name": "Props", "sheets": {"shared": True, "spacing": 2}}


def prop(colour: str) -> bytes:
    out = io.BytesIO()
    Image.new("RGBA", (40, 30), colour).save(out, "PNG")
    return out.getvalue()


class TogetherTests(ServerTestCase):
    lamp: Illustration
    crate: Illustration

    @classmethod
    def setUpTestData(cls) -> None:
        super().setUpTestData()
        cls.lamp = brought_in(cls.project, "lamp.png", prop("gold"))
        cls.crate = brought_in(cls.project, "crate.png", prop("gold"))

    def setUp(self) -> None:
        super().setUp()
        # A heartbeat has a connection of its own, and would wait for what this test has not committed.
        self.enterContext(mock.patch("yuplet_server.jobs.actions.BEAT", 600))

    def ask(self, *wanted: Any, status: int = 201, client: Client | None = None, **more: Any) -> Any:
        listed = [{"illustration": one.pk, "recipe": RECIPE} for one in wanted]
        answer = (client or self.ben).post(
            f"/api/projects/{self.project.pk}/hand-overs",
            {"illustrations": listed, **more},
            content_type="application/json",
        )
        self.assertEqual(answer.status_code, status, answer.content)
        return answer.json()

    def done(self, asked: dict[str, Any]) -> ProjectHandOver:
        """Carried out at once, as a worker would, whatever befalls one of them."""
        made = ProjectHandOver.objects.get(pk=asked["id"])
        for one in made.packages.filter(is_new=True):
            jobs.run(one.hand_over.job_id)
        jobs.run(made.job_id)
        made.refresh_from_db()
        return made

    def seen(self, made: ProjectHandOver) -> dict[str, Any]:
        listed = self.cleo.get(f"/api/projects/{self.project.pk}/hand-overs").json()
        return dict(next(one for one in listed if one["id"] == made.pk))

    def package_of(self, made: ProjectHandOver, into: str) -> Path:
        answer = self.cleo.get(f"/api/project-hand-overs/{made.pk}/package")
        self.assertEqual(answer.status_code, 200)
        self.assertIn(
            f"Marsh%20Line%20hand-over%20{made.number}.zip", answer["Content-Disposition"].replace(" ", "%20")
        )
        with zipfile.ZipFile(io.BytesIO(answer.getvalue())) as package:
            package.extractall(into)
        return Path(into)

    def test_all_in_one_package_with_an_index_and_shared_sheets(self) -> None:
        made = self.done(self.ask(self.illustration, self.lamp, self.crate))
        seen = self.seen(made)
        self.assertEqual([one["name"] for one in seen["packages"]], ["crate", "lamp", "signal post"])
        self.assertEqual(
            {(one["state"], one["ok"], one["differing_pixels"]) for one in seen["packages"]}, {("done", True, 0)}
        )
        self.assertEqual(
            (seen["report"]["counts"]["packages"], seen["report"]["faults"], seen["is_kept"]), (3, [], True)
        )
        with tempfile.TemporaryDirectory() as into:
            folder = self.package_of(made, into)
            self.assertTrue(prove_all(folder)["ok"])
            index = json.loads((folder / "project.json").read_text())
            self.assertEqual([one["folder"] for one in index["packages"]], ["crate", "lamp", "signal post"])
            self.assertEqual([one["illustration"] for one in index["packages"]][1], str(self.lamp.uid))
            together_on = [one["of"] for sheet in index["sheets"] for one in sheet["pictures"] if len(one["of"]) > 1]
            self.assertEqual(
                together_on, [[{"folder": name, "file": f"parts/{name}.png"} for name in ("crate", "lamp")]]
            )
            listed = {path.relative_to(folder).as_posix() for path in folder.rglob("*") if path.is_file()}
        inside = {f"{one.name}/{file['file']}" for one in made.packages.all() for file in one.hand_over.files}
        self.assertEqual(listed, inside | {"project.json", "sheets/1.png"})
        # Each is a hand-over of its illustration like any other.
        own = self.cleo.get(self.address("hand-overs")).json()[0]
        self.assertEqual((own["recipe"], own["report"]["proof"]["ok"]), ("Props", True))
        self.assertEqual(self.plan(recipe=RECIPE)["compared_with"], own["number"])
        self.assertEqual({file["change"] for file in self.planned_images(recipe=RECIPE)}, {"same"})

    def test_only_what_changed_is_handed_over_again(self) -> None:
        first = self.done(self.ask(self.illustration, self.lamp))
        before = {one.name: one.hand_over_id for one in first.packages.all()}
        candidates = self.cleo.get(f"/api/projects/{self.project.pk}/hand-overs/candidates").json()
        self.assertEqual(
            {one["name"]: (one["has_changed"], one["last"], one["recipe"]) for one in candidates},
            {
                "crate": (True, None, "Cut-out rig, trimmed"),
                "lamp": (False, 1, "Props"),
                "signal post": (False, 1, "Props"),
            },
        )
        self.now(self.ben, do="rename-rows", names={self.row_id("lamp"): "lantern"})
        again = self.done(self.ask(self.illustration, self.lamp))
        self.assertEqual({one.name: one.is_new for one in again.packages.all()}, {"lamp": False, "signal post": True})
        after = {one.name: one.hand_over_id for one in again.packages.all()}
        self.assertEqual(after["lamp"], before["lamp"])
        self.assertEqual(again.number, 2)
        with tempfile.TemporaryDirectory() as into:
            self.assertTrue(prove_all(self.package_of(again, into))["ok"])
        # By another recipe all is handed over, and where only some rows were the last time.
        other = {**RECIPE, "sheets": {"shared": False}}
        listed = [{"illustration": self.lamp.pk, "recipe": other}]
        asked = self.ben.post(
            f"/api/projects/{self.project.pk}/hand-overs", {"illustrations": listed}, content_type="application/json"
        ).json()
        self.assertTrue(asked["packages"][0]["is_new"])

    def test_what_stops_one_does_not_stop_the_others(self) -> None:
        self.now(self.ben, do="include-parts", included={self.row_id(name): False for name in self.names()})
        made = self.done(self.ask(self.illustration, self.lamp))
        seen = self.seen(made)
        stopped = seen["packages"][1]
        self.assertEqual((stopped["name"], stopped["state"], stopped["ok"]), ("signal post", "failed", False))
        self.assertIn("Include at least one", stopped["error"])
        self.assertEqual((seen["job"]["state"], seen["report"]["counts"]["packages"]), ("done", 1))
        with tempfile.TemporaryDirectory() as into:
            self.assertEqual(
                {path.name for path in self.package_of(made, into).iterdir()}, {"lamp", "project.json", "sheets"}
            )
        alone = self.seen(self.done(self.ask(self.illustration)))
        self.assertEqual((alone["job"]["state"], alone["is_kept"]), ("failed", False))
        self.assertIn("None of 'signal post' could be handed over", alone["job"]["error"])
        self.assertEqual(self.cleo.get(f"/api/project-hand-overs/{alone['id']}/package").status_code, 404)

    def names(self) -> list[str]:
        return [row["name"] for row in self.arrangement()["rows"] if row["kind"] == "part"]

    def test_what_cannot_be_asked_for(self) -> None:
        self.ask(status=409)
        elsewhere = brought_in(start_project(self.users["ben"], "Elsewhere"), "lamp.png", prop("red"))
        self.ask(self.lamp, elsewhere, status=404)
        self.ask(self.lamp, client=self.cleo, status=403)
        self.ask(self.lamp, client=self.dora, status=404)
        self.ask(kept(self.project, "new.png", prop("red")), status=409)
        self.ask(self.lamp, folder="/etc", status=422)
        self.assertFalse(ProjectHandOver.objects.exists() or HandOver.objects.exists())
        stranger = start_project(self.users["dora"], "Of dora")
        made = self.done(self.ask(self.lamp))
        self.assertEqual(self.dora.get(f"/api/project-hand-overs/{made.pk}/package").status_code, 404)
        self.assertEqual(self.dora.get(f"/api/projects/{stranger.pk}/hand-overs").json(), [])

    def test_names_that_no_folder_can_have_or_that_are_taken(self) -> None:
        others = [brought_in(self.project, f"prop {n}.png", prop("red")) for n in range(3)]
        for one, name in zip(others, ("../sheets", "sheets", "Lamp"), strict=True):
            Illustration.objects.filter(pk=one.pk).update(name=name)
            one.refresh_from_db()
        made = self.done(self.ask(self.lamp, *others))
        names = [one.name for one in made.packages.all()]
        self.assertEqual(len({name.casefold() for name in names}), 4)
        self.assertNotIn("sheets", names)
        self.assertFalse([name for name in names if "/" in name or name.startswith(".")])
        with tempfile.TemporaryDirectory() as into:
            self.assertTrue(prove_all(self.package_of(made, into))["ok"])

    def test_into_a_folder_of_the_machine(self) -> None:
        with tempfile.TemporaryDirectory() as opened, override_settings(ROOTS=[("ben", Path(opened))]):
            target = Path(opened) / "props"
            made = self.done(self.ask(self.lamp, self.crate, folder=str(target)))
            self.assertEqual(made.job.state if made.job else "", Job.State.DONE)
            self.assertTrue(prove_all(target)["ok"])
            stamp = (target / "lamp/parts/lamp.png").stat().st_mtime_ns
            (target / "sheets/mine.png").write_bytes(b"of somebody else")
            self.ask(self.lamp, folder=str(target), status=422)
            (target / "sheets/mine.png").unlink()
            self.done(self.ask(self.lamp, folder=str(target)))
            self.assertEqual((target / "lamp/parts/lamp.png").stat().st_mtime_ns, stamp)
            self.assertEqual(len(json.loads((target / "project.json").read_text())["packages"]), 2)

    def test_a_longer_list_asks_the_database_as_often(self) -> None:
        def asked(rest: str) -> int:
            with CaptureQueriesContext(connection) as queries:
                self.assertEqual(self.cleo.get(f"/api/projects/{self.project.pk}/hand-overs{rest}").status_code, 200)
            return len(queries)

        self.done(self.ask(self.lamp))
        before = [asked(rest) for rest in ("", "/candidates")]
        brought_in(self.project, "one more.png", prop("red"))
        self.done(self.ask(self.lamp, self.crate))
        self.assertEqual([asked(rest) for rest in ("", "/candidates")], before)

    def test_files_that_are_let_go_are_not_offered(self) -> None:
        made = self.done(self.ask(self.lamp))
        HandOver.objects.update(files=[], package_bytes=0)
        self.assertFalse(self.seen(made)["is_kept"])
        self.assertEqual(self.cleo.get(f"/api/project-hand-overs/{made.pk}/package").status_code, 404)
        self.assertTrue(self.ask(self.lamp)["packages"][0]["is_new"], "what is not kept is handed over again")


class OrderTests(TransactionTestCase):
    """Jobs that follow others, through the queue."""

    def setUp(self) -> None:
        self.project, self.users = make_project()
        self.pictures = [brought_in(self.project, f"{name}.png", prop(name)) for name in ("red", "blue")]
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.enterContext(self.settings(WORK=Path(holder.name)))

    def ask(self) -> ProjectHandOver:
        return together.ask(self.project, self.users["ben"], [together.Wanted(one, RECIPE) for one in self.pictures])

    def state(self, made: ProjectHandOver) -> str:
        return Job.objects.get(pk=made.job_id).state

    def test_it_begins_when_the_last_has_ended(self) -> None:
        made = self.ask()
        first, second = (one.hand_over.job_id for one in made.packages.all())
        with mock.patch("yuplet_server.jobs.actions._wake") as woken:
            jobs.run(made.job_id)
            self.assertEqual(self.state(made), Job.State.WAITING)
            jobs.run(first)
            jobs.run(made.job_id)
            self.assertEqual(self.state(made), Job.State.WAITING)
            with mock.patch.object(actions, "carry_out", side_effect=ZeroDivisionError), self.assertLogs(level="ERROR"):
                jobs.run(second)
            self.assertEqual([call.args for call in woken.call_args_list], [("long",), ("long",)])
        jobs.run(made.job_id)
        self.assertEqual(self.state(made), Job.State.DONE)

    def test_cancelling_ends_all_of_it(self) -> None:
        made = self.ask()
        jobs.cancel(Job.objects.get(pk=made.job_id))
        self.assertEqual(
            set(Job.objects.filter(kind__in=("gather", "hand-over")).values_list("state", flat=True)), {"cancelled"}
        )

    def test_cancelling_the_last_goes_on_with_it(self) -> None:
        made = self.ask()
        first, second = (one.hand_over.job_id for one in made.packages.all())
        jobs.run(first)
        with mock.patch("yuplet_server.jobs.actions._wake") as woken:
            jobs.cancel(Job.objects.get(pk=second))
        woken.assert_called_once_with("long")
        jobs.run(made.job_id)
        made.refresh_from_db()
        self.assertEqual(made.report["counts"]["packages"], 1)
