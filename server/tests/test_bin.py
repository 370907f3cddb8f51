"""What is removed goes into a bin, from which it can be taken back until it is gone for good; a first reading can be tried again."""

import datetime
from typing import Any
from unittest import mock

from django.core.management import call_command
from django.test import Client, override_settings
from django.utils import timezone

from tests.cases import ServerTestCase, handed_over, kept
from yuplet_server.handovers import actions as hand_overs
from yuplet_server.illustrations.models import Illustration
from yuplet_server.jobs.models import Job
from yuplet_server.projects.models import Project
from yuplet_server.transfer.management.commands import load_demo


class BinTests(ServerTestCase):
    def listed(self, client: Client) -> list[tuple[str, str, str]]:
        return [(one["kind"], one["name"], one["removed_by"]) for one in client.get("/api/bin").json()]

    def test_an_illustration_goes_and_comes_back_as_it_was(self) -> None:
        handed_over(self.illustration, self.users["ben"], 1)
        before = self.ada.get(self.address("arrangement")).json()
        address = f"/api/illustrations/{self.illustration.pk}"
        self.assertEqual(self.ben.delete(address).status_code, 204)
        for path in (address, self.address("arrangement"), self.address("hand-overs"), self.address("original")):
            self.assertEqual(self.ada.get(path).status_code, 404)
        self.assertEqual(self.ada.get(f"/api/projects/{self.project.pk}/illustrations").json(), [])
        self.assertEqual(self.listed(self.ada), [("illustration", "signal post", "ben")])
        self.assertEqual(self.listed(self.cleo), [], "a viewer takes nothing back")
        self.assertEqual(self.listed(self.dora), [])
        for client, status in ((self.cleo, 403), (self.dora, 404), (self.ben, 200), (self.ben, 404)):
            self.assertEqual(client.post(f"{address}/restore").status_code, status)
        self.assertEqual(self.ada.get(self.address("arrangement")).json(), before)

    def test_a_project_goes_with_all_in_it(self) -> None:
        address = f"/api/projects/{self.project.pk}"
        self.assertEqual(self.ada.delete(address).status_code, 204)
        for path in (address, f"{address}/members", f"{address}/recipes", self.address("arrangement")):
            self.assertEqual(self.ada.get(path).status_code, 404, path)
        self.assertEqual(self.ada.get("/api/projects").json(), [])
        self.assertEqual(self.listed(self.ada), [("project", "Marsh Line", "ada")])
        self.assertEqual(self.listed(self.ben), [])
        self.assertEqual(self.ben.post(f"{address}/restore").status_code, 403)
        self.assertEqual(self.ada.post(f"{address}/restore").status_code, 200)
        self.assertEqual(self.ben.get(self.address("arrangement")).status_code, 200)

    def test_work_on_what_is_removed_ends(self) -> None:
        asked = hand_overs.ask(self.illustration, self.users["ben"], 1)
        Job.objects.filter(pk=asked.job_id).update(state=Job.State.RUNNING)
        waiting = kept(self.project)
        self.ben.delete(f"/api/illustrations/{self.illustration.pk}")
        self.assertTrue(Job.objects.get(pk=asked.job_id).cancel_asked)
        self.assertEqual(Job.objects.get(pk=waiting.revision.job_id).state, Job.State.WAITING)
        self.ada.delete(f"/api/projects/{self.project.pk}")
        self.assertEqual(Job.objects.get(pk=waiting.revision.job_id).state, Job.State.CANCELLED)

    def test_after_its_time_it_is_gone_for_good(self) -> None:
        self.ben.delete(f"/api/illustrations/{self.illustration.pk}")
        call_command("sweep_files", verbosity=0)
        self.assertEqual(Illustration.everything.count(), 1)
        Illustration.everything.update(removed_at=timezone.now() - datetime.timedelta(days=31))
        with override_settings(BIN_DAYS=40):
            call_command("sweep_files", verbosity=0)
            self.assertEqual(Illustration.everything.count(), 1)
        call_command("sweep_files", verbosity=0)
        self.assertEqual(Illustration.everything.count(), 0)

    def test_a_first_reading_can_be_tried_again(self) -> None:
        broken = kept(self.project, "hat.ora", b"PK broken")
        address = f"/api/illustrations/{broken.pk}/try-again"
        self.assertEqual(self.ben.post(address).status_code, 409, "it waits")
        Job.objects.filter(pk=broken.revision.job_id).update(state=Job.State.FAILED)
        again = self.ben.post(address)
        self.assertEqual((again.status_code, again.json()["job"]["state"]), (200, "waiting"))
        self.assertEqual(self.ben.post(self.address("try-again")).status_code, 409, "it is read")


class DemoTests(ServerTestCase):
    """The demo comes where nothing else is, or where it is asked for; once removed it stays away."""

    def loaded(self, *arguments: str) -> Any:
        with mock.patch.object(load_demo.Command, "_bring_in") as bring_in:
            call_command("load_demo", *arguments, verbosity=0)
        return bring_in.call_count

    def setUp(self) -> None:
        super().setUp()
        from pathlib import Path
        from tempfile import TemporaryDirectory

        self.enterContext(override_settings(VAR=Path(self.enterContext(TemporaryDirectory()))))

    def test_not_beside_the_work_of_others_unless_it_is_asked_for(self) -> None:
        self.assertEqual(self.loaded(), 0)
        self.assertEqual(self.loaded("--anyway"), 6)

    def test_once_removed_it_stays_away(self) -> None:
        Project.everything.all().delete()
        for user in self.users.values():
            user.delete()
        self.assertEqual(self.loaded(), 6)
        self.assertEqual(self.loaded(), 0)
        Project.objects.get().delete()
        self.assertEqual(self.loaded(), 0)
        self.assertEqual(self.loaded("--anyway"), 6)
