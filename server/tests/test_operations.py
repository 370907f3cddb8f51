"""Health, figures and the queue: who is told what, and what is told when something is away. Figures are read by Prometheus' own parser."""

import datetime
from collections import namedtuple
from unittest import mock

from django.conf import settings
from django.db import DatabaseError
from django.test import Client, override_settings
from django.utils import timezone
from prometheus_client.parser import text_string_to_metric_families

from tests.cases import ServerTestCase, kept
from yuplet_server.accounts.actions import add_account
from yuplet_server.files.disk import DiskStore
from yuplet_server.handovers import actions as hand_overs
from yuplet_server.jobs.actions import say_gone, say_here
from yuplet_server.jobs.models import Job, Worker
from yuplet_server.operations import health, views

Usage = namedtuple("Usage", "total used free")


class HealthTests(ServerTestCase):
    def setUp(self) -> None:
        super().setUp()
        views._checks.cache_clear()
        say_here()

    def ready(self, address: str = "127.0.0.1") -> tuple[int, dict[str, object]]:
        views._checks.cache_clear()
        answer = Client().get("/health/ready", REMOTE_ADDR=address)
        return answer.status_code, answer.json()

    def test_all_is_well(self) -> None:
        self.assertEqual(Client().get("/health/live").json(), {"ok": True})
        checks = dict.fromkeys(("database", "room", "files", "queue", "workers"), True)
        self.assertEqual(self.ready(), (200, {"ok": True, "checks": checks, "about": []}))

    def test_what_is_away_is_named(self) -> None:
        Worker.objects.update(seen_at=timezone.now() - datetime.timedelta(minutes=1))
        status, told = self.ready()
        self.assertEqual((status, told["about"]), (503, ["Nobody does long work. Start a worker."]))
        say_here()
        with mock.patch.object(health.shutil, "disk_usage", return_value=Usage(9, 9, 5_000_000)):
            self.assertEqual(self.ready()[1]["about"], ["0.01 GB are free on the disk of the data. Make room."])
        nowhere = DiskStore(location=settings.VAR / "secrets.json" / "blobs")
        with mock.patch.object(health, "blobs", return_value=nowhere):
            self.assertIn("Files cannot be kept", str(self.ready()[1]["about"]))
        with (
            mock.patch.object(health.connection, "cursor", side_effect=DatabaseError),
            # A transaction of the test would not outlive it.
            mock.patch.object(health.connection, "close"),
        ):
            status, told = self.ready()
        self.assertEqual((status, told["checks"]["database"]), (503, False))  # type: ignore[index]

    def test_a_database_that_takes_nothing_in(self) -> None:
        cursor = mock.MagicMock()
        cursor.__enter__.return_value.fetchone.return_value = (1,)
        with mock.patch.object(health.connection, "cursor", return_value=cursor):
            self.assertIn("set to be read only", health._database())

    def test_strangers_learn_that_something_is_wrong_and_not_what(self) -> None:
        say_gone()
        status, told = self.ready("203.0.113.9")
        self.assertEqual((status, told["ok"], told["about"]), (503, False, []))
        with override_settings(METRICS_MACHINES=("203.0.113.0/24",)):
            self.assertEqual(len(self.ready("203.0.113.9")[1]["about"]), 1)  # type: ignore[arg-type]

    def test_asking_often_costs_nothing(self) -> None:
        self.ready()
        with mock.patch.object(health, "checks", side_effect=AssertionError):
            self.assertEqual(Client().get("/health/ready").status_code, 200)


class FigureTests(ServerTestCase):
    def figures(self) -> dict[tuple[str, ...], float]:
        answer = Client().get("/metrics")
        self.assertEqual(answer.status_code, 200)
        self.assertTrue(answer["Content-Type"].startswith("text/plain"))
        found = {}
        for family in text_string_to_metric_families(answer.content.decode()):
            for sample in family.samples:
                found[(sample.name, *map(str, sample.labels.values()))] = sample.value
        return found

    def test_requests_jobs_workers_and_the_disk(self) -> None:
        say_here()
        before = self.figures()
        kept(self.project, "waits.ora")
        for _ in range(3):
            self.ada.get("/api/projects")
        Client().get("/api/strange/address")
        after = self.figures()

        def more(*name: str) -> float:
            return after.get(name, 0) - before.get(name, 0)

        self.assertEqual(more("yuplet_requests_total", "GET", "api/projects", "200"), 3)
        self.assertEqual(more("yuplet_requests_total", "GET", "none", "404"), 1)
        self.assertEqual(more("yuplet_request_seconds_count", "api/projects"), 3)
        self.assertEqual(more("yuplet_jobs", "bring-in", "waiting"), 1)
        self.assertGreater(after[("yuplet_disk_free_bytes",)], 0)
        self.assertLess(after[("yuplet_worker_silence_seconds", Worker.objects.get().name)], 60)
        Job.objects.filter(state="waiting").update(created_at=timezone.now() - datetime.timedelta(minutes=5))
        self.assertGreater(self.figures()[("yuplet_queue_oldest_seconds",)], 299)

    def test_nobody_else_may_ask(self) -> None:
        for address, status in (("203.0.113.9", 404), ("127.0.0.1", 200), ("::1", 200), ("10.1.2.3", 200), ("", 404)):
            with override_settings(METRICS_MACHINES=("10.0.0.0/8",)):
                self.assertEqual(Client().get("/metrics", REMOTE_ADDR=address).status_code, status, address)

    def test_one_that_has_been_silent_for_a_day_is_forgotten(self) -> None:
        Worker.objects.create(name="long gone", seen_at=timezone.now() - datetime.timedelta(days=2))
        say_here()
        self.assertNotIn("long gone", Worker.objects.values_list("name", flat=True))


class QueueTests(ServerTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.administrator, _ = add_account("root-of-all", is_administrator=True)
        self.root = Client()
        self.root.force_login(self.administrator)

    def test_what_runs_and_what_waits_of_ones_own_projects(self) -> None:
        asked = hand_overs.ask(self.illustration, self.users["ben"], 1)
        kept(self.project, "a second.ora")
        Job.objects.filter(pk=asked.job_id).update(state=Job.State.RUNNING, stage="write", done=3, total=9)
        told = self.cleo.get("/api/queue").json()
        self.assertEqual(
            [(one["job"]["kind"], one["illustration"], one["asked_by"], one["can_cancel"]) for one in told],
            [("hand-over", "signal post", "ben", False), ("bring-in", "a second", None, False)],
        )
        self.assertEqual((told[0]["project"], told[0]["job"]["done"]), (self.project.name, 3))
        self.assertTrue(all(one["can_cancel"] for one in self.ben.get("/api/queue").json()))
        Job.objects.filter(pk=asked.job_id).update(state=Job.State.DONE)
        self.assertEqual(len(self.ada.get("/api/queue").json()), 1)

    def test_others_see_nothing_and_an_administrator_everything(self) -> None:
        waits = kept(self.project, "a second.ora")
        assert waits.revision.job is not None
        job = waits.revision.job.pk
        stranger = Client()
        stranger.force_login(add_account("stranger")[0])
        self.assertEqual(stranger.get("/api/queue").json(), [])
        self.assertEqual(Client().get("/api/queue").status_code, 403)
        self.assertEqual(stranger.post(f"/api/jobs/{job}/cancel").status_code, 404)
        self.assertEqual(self.cleo.post(f"/api/jobs/{job}/cancel").status_code, 403)
        (one,) = self.root.get("/api/queue").json()
        self.assertEqual((one["illustration"], one["can_cancel"]), ("a second", True))
        self.assertEqual(self.root.post(f"/api/jobs/{job}/cancel").json()["state"], "cancelled")
        # Art is nobody's business but the members'.
        self.assertEqual(self.root.get(f"/api/illustrations/{self.illustration.pk}").status_code, 404)
