"""Long work is done once, whatever falls over meanwhile."""

import datetime
import errno
import os
import signal
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np
from django.conf import settings
from django.db import connection
from django.db.models.functions import Now
from django.test import Client, TransactionTestCase
from django.utils import timezone
from django_tasks_db.models import DBTaskResult

from tests.cases import brought_in, kept, make_project
from yuplet.geometry import Box, Size
from yuplet.illustration.layers import Illustration as Picture
from yuplet.illustration.layers import Layer
from yuplet.pixels.spill_file import SpillFile
from yuplet.writing import openraster
from yuplet_server.base.errors import NotNow, StoreAway
from yuplet_server.handovers import actions as hand_overs
from yuplet_server.handovers.models import HandOver
from yuplet_server.illustrations.models import Illustration, LayerImage
from yuplet_server.jobs import actions as jobs
from yuplet_server.jobs import turns
from yuplet_server.jobs.models import Job, Worker

CARRY_OUT = "yuplet_server.handovers.actions.carry_out"


def heavy_ora() -> bytes:
    """A picture that takes a while to be handed over: grainy layers, of which nothing can be trimmed."""
    rng = np.random.default_rng(3)
    with tempfile.TemporaryDirectory() as folder, SpillFile() as scratch:
        layers = []
        for number in range(8):
            picture = rng.integers(0, 256, (900, 900, 4)).astype(np.uint8)
            scratch.put(f"l{number}", picture)
            layers.append(Layer(f"l{number}", f"grain {number}", Box(0, 0, 900, 900)))
        path = Path(folder) / "heavy.ora"
        openraster.write(path, Picture("heavy", Size(900, 900), tuple(layers)), scratch)
        return path.read_bytes()


def wait_until(condition: Any, seconds: float) -> float:
    """Wait for a condition; answers how long it took, or fails."""
    began = time.monotonic()
    while not condition():
        if time.monotonic() - began > seconds:
            raise AssertionError(f"not within {seconds} s")
        time.sleep(0.05)
    return time.monotonic() - began


class JobTests(TransactionTestCase):
    def setUp(self) -> None:
        self.project, self.users = make_project()
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.work = Path(holder.name)
        self.enterContext(self.settings(WORK=self.work))

    def ask(self) -> HandOver:
        return hand_overs.ask(brought_in(self.project), self.users["ben"], 1)

    def told(self, of: HandOver) -> dict[str, Any]:
        client = Client()
        client.force_login(self.users["ada"])
        answer: dict[str, Any] = client.get(f"/api/jobs/{of.job_id}").json()
        return answer

    def job(self, of: HandOver | Illustration) -> Job:
        return Job.objects.get(pk=of.job_id if isinstance(of, HandOver) else of.revision.job_id)

    def test_a_job_lands_with_its_result(self) -> None:
        illustration = kept(self.project)
        jobs.run(illustration.revision.job_id)
        self.assertEqual(self.job(illustration).state, Job.State.DONE)
        illustration.refresh_from_db()
        self.assertEqual((illustration.revision.state, illustration.revision.images.count()), ("ready", 9))
        asked = hand_overs.ask(illustration, self.users["ben"], 1)
        jobs.run(asked.job_id)
        asked.refresh_from_db()
        self.assertTrue(asked.report["proof"]["ok"])
        self.assertEqual(list(self.work.iterdir()), [])

    def test_what_an_artist_can_mend_is_told_in_the_job(self) -> None:
        illustration = kept(self.project, "hat.ora", b"PK broken")
        jobs.run(illustration.revision.job_id)
        job = self.job(illustration)
        self.assertEqual((job.state, job.error_code), (Job.State.FAILED, "broken-file"))
        self.assertIn("damaged archive", job.error)

    def test_a_fault_of_ours_is_told_without_its_inside(self) -> None:
        asked = self.ask()
        with (
            mock.patch(CARRY_OUT, side_effect=ZeroDivisionError("secret")),
            self.assertLogs("yuplet_server.base.errors") as log,
        ):
            jobs.run(asked.job_id)
        job = self.job(asked)
        self.assertEqual((job.state, job.error_code), (Job.State.FAILED, "our-fault"))
        self.assertNotIn("secret", job.error)
        number = job.error.rstrip(".").split()[-1]
        self.assertIn(f"fault {number}", log.output[0], "whoever reads the log finds what the page shows")
        self.assertIn("secret", log.output[0])

    def test_while_the_store_is_away_a_job_waits_and_then_goes_on_by_itself(self) -> None:
        asked = self.ask()
        with mock.patch(CARRY_OUT, side_effect=StoreAway):
            jobs.run(asked.job_id)
            job = self.job(asked)
            self.assertEqual((job.state, job.attempts), (Job.State.WAITING, 0))
            Job.objects.filter(pk=job.pk).update(created_at=timezone.now() - 2 * jobs.STORE_AWAY)
            jobs.run(asked.job_id)
        job = self.job(asked)
        self.assertEqual((job.state, job.error_code), (Job.State.FAILED, "store-away"))
        Job.objects.filter(pk=job.pk).update(state=Job.State.WAITING)
        jobs.run(asked.job_id)
        self.assertEqual(self.job(asked).state, Job.State.DONE)

    def test_two_workers_never_do_the_same_job(self) -> None:
        asked = self.ask()
        original, calls = hand_overs.carry_out, []

        def counted(*arguments: Any) -> Any:
            calls.append(threading.get_ident())
            time.sleep(0.5)
            return original(*arguments)

        def work() -> None:
            try:
                jobs.run(asked.job_id)
            finally:
                connection.close()

        with mock.patch(CARRY_OUT, counted):
            threads = [threading.Thread(target=work) for _ in range(4)]
            for thread in threads:
                thread.start()
            for thread in threads:
                thread.join()
        self.assertEqual(len(calls), 1)
        self.assertEqual((self.job(asked).state, self.job(asked).attempts), (Job.State.DONE, 1))

    def test_cancelling_while_it_waits_and_while_it_runs(self) -> None:
        asked = self.ask()
        jobs.cancel(self.job(asked))
        jobs.run(asked.job_id)
        self.assertEqual(self.job(asked).state, Job.State.CANCELLED)
        with self.assertRaises(NotNow):
            jobs.cancel(self.job(asked))

        again = hand_overs.ask(asked.illustration, self.users["ben"], 1)

        def cancelled_meanwhile(subject: int, folder: Path, progress: Any) -> Any:
            jobs.cancel(self.job(again))
            for step in range(100):
                progress("write", step, 100)
                time.sleep(0.05)
            raise AssertionError("it was not stopped")

        with mock.patch(CARRY_OUT, cancelled_meanwhile):
            jobs.run(again.job_id)
        again.refresh_from_db()
        self.assertEqual((self.job(again).state, again.files, again.report), (Job.State.CANCELLED, [], None))

    def test_a_worker_that_lost_its_claim_lands_nothing(self) -> None:
        asked = self.ask()
        original = hand_overs.carry_out

        def taken_over(*arguments: Any) -> Any:
            land = original(*arguments)
            Job.objects.filter(pk=asked.job_id).update(claim="another")
            return land

        with mock.patch(CARRY_OUT, taken_over), self.assertLogs("yuplet_server.jobs.actions"):
            jobs.run(asked.job_id)
        asked.refresh_from_db()
        self.assertIsNone(asked.report)

    def test_a_job_that_ends_its_workers_is_given_up_with_a_sentence(self) -> None:
        asked = self.ask()
        long_ago = timezone.now() - datetime.timedelta(minutes=1)
        Job.objects.filter(pk=asked.job_id).update(
            state="running", claim="x", heartbeat=long_ago, attempts=jobs.ATTEMPTS
        )
        self.assertEqual(jobs.take_up_again(), 1)
        job = self.job(asked)
        self.assertEqual((job.state, job.error_code), (Job.State.FAILED, "worker-ended"))
        self.assertIn("Nothing was changed", job.error)

    def test_a_job_that_the_queue_lost_is_queued_again(self) -> None:
        asked = self.ask()
        DBTaskResult.objects.all().delete()
        Job.objects.filter(pk=asked.job_id).update(queued_at=timezone.now() - datetime.timedelta(minutes=5))
        self.assertEqual(jobs.take_up_again(), 1)
        self.assertEqual(DBTaskResult.objects.count(), 1)
        self.assertEqual(jobs.take_up_again(), 0)
        self.assertEqual(DBTaskResult.objects.get().queue_name, "long")

    def test_a_long_queue_is_not_made_longer_by_looking_after_it(self) -> None:
        for _ in range(30):
            jobs.start(Job.Kind.PACK, self.project.pk, 1, self.users["ada"])
        DBTaskResult.objects.all().delete()
        Job.objects.update(queued_at=timezone.now() - datetime.timedelta(minutes=5))
        with self.settings(WORKERS=4):
            self.assertEqual(jobs.take_up_again(), 30)
        self.assertEqual(DBTaskResult.objects.count(), 4)

    def test_a_clock_that_jumps_takes_no_work_from_anybody(self) -> None:
        asked = self.ask()
        Job.objects.filter(pk=asked.job_id).update(state=Job.State.RUNNING, claim="x", heartbeat=Now())
        for hours in (-5, 5):
            jumped = timezone.now() + datetime.timedelta(hours=hours)
            with mock.patch("django.utils.timezone.now", return_value=jumped):
                jobs.say_here()
                self.assertEqual((jobs.take_up_again(), jobs.held_up()), (0, ""))
        self.assertEqual(self.job(asked).state, Job.State.RUNNING)

    def test_a_worker_of_another_version_begins_nothing(self) -> None:
        asked = self.ask()
        with mock.patch.object(jobs.versions, "_known", return_value=frozenset()), self.assertLogs(jobs.log, "WARNING"):
            jobs.say_here()
        jobs.run_next(Job.Lane.values)
        self.assertEqual(self.job(asked).state, Job.State.WAITING)
        self.assertFalse(Worker.objects.get().fits)
        with self.assertLogs(jobs.log, "WARNING"):
            jobs.say_here()
        jobs.run_next(Job.Lane.values)
        self.assertEqual(self.job(asked).state, Job.State.DONE)

    def test_a_machine_with_a_full_disk_leaves_the_work_to_others(self) -> None:
        asked = self.ask()
        with mock.patch.object(jobs.shutil, "disk_usage", return_value=mock.Mock(free=jobs.ROOM - 1)):
            jobs.say_here()
            jobs.run_next(Job.Lane.values)
        told = self.told(asked)
        self.assertEqual(told["state"], "waiting")
        self.assertIn("The disks of all machines that do long work are full", told["held_up"])
        Worker.objects.create(name="another machine", seen_at=timezone.now(), lanes=["short"])
        self.assertIn("full", self.told(asked)["held_up"], "which does short work only")
        Worker.objects.update(lanes=["long"])
        self.assertEqual(self.told(asked)["held_up"], "")
        jobs.say_here()
        jobs.run_next(Job.Lane.values)
        told = self.told(asked)
        self.assertEqual((told["state"], told["held_up"]), ("done", ""))

    def test_a_disk_that_becomes_full_in_the_middle_is_tried_elsewhere(self) -> None:
        asked = self.ask()
        full = OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        with mock.patch(CARRY_OUT, side_effect=full):
            for times in range(1, jobs.ATTEMPTS):
                jobs.run_next(Job.Lane.values)
                job = self.job(asked)
                self.assertEqual((job.state, job.attempts), (Job.State.WAITING, times))
            jobs.run_next(Job.Lane.values)
        job = self.job(asked)
        self.assertEqual((job.state, job.error_code), (Job.State.FAILED, "no-room"))
        self.assertIn("make room", job.error)


class TurnsTests(TransactionTestCase):
    """Everybody has the same turns, however much one of them has asked for."""

    def setUp(self) -> None:
        self.project, self.users = make_project()
        self.addCleanup(jobs.register, Job.Kind.PACK, jobs._work[Job.Kind.PACK])
        jobs.register(Job.Kind.PACK, lambda *_: lambda: None)

    def ask(self, who: str | None, lane: Job.Lane = Job.Lane.LONG, after: Job | None = None) -> Job:
        user = self.users[who] if who else None
        return jobs.start(Job.Kind.PACK, self.project.pk, 1, user, after, lane)

    def order(self, lanes: Any = Job.Lane.values) -> list[int]:
        """Which jobs are done, one after the other, until nothing waits."""
        found = []
        while (number := turns.next_in(lanes)) is not None:
            found.append(number)
            jobs.run_next(lanes)
        return found

    def test_two_hundred_of_one_person_do_not_stop_the_others(self) -> None:
        many = [self.ask("ada").pk for _ in range(200)]
        few = [self.ask("ben").pk, self.ask("ben").pk]
        nobodys = self.ask(None).pk
        self.assertEqual(self.order()[:7], [many[0], few[0], nobodys, many[1], few[1], many[2], many[3]])

    def test_whoever_has_less_running_is_next(self) -> None:
        for _ in range(3):
            Job.objects.filter(pk=self.ask("ada").pk).update(state=Job.State.RUNNING)
        Job.objects.filter(pk=self.ask("ben").pk).update(state=Job.State.RUNNING)
        first, second = self.ask("ada"), self.ask("ben")
        self.assertEqual(turns.next_in(["long"]), second.pk)
        with self.settings(JOBS_EACH=1):
            self.assertIsNone(turns.next_in(["long"]))
        with self.settings(JOBS_EACH=2):
            self.assertEqual(turns.next_in(["long"]), second.pk)
            jobs.run(second.pk)
            self.assertIsNone(turns.next_in(["long"]), "ada has three already")
        self.assertEqual(turns.next_in(["long"]), first.pk)

    def test_whoever_may_have_more_is_woken_up_for(self) -> None:
        first = self.ask("ada")
        DBTaskResult.objects.all().delete()
        with self.settings(JOBS_EACH=1):
            jobs.run(first.pk)
        self.assertEqual(DBTaskResult.objects.count(), 1)

    def test_short_work_has_a_lane_of_its_own(self) -> None:
        long, short = self.ask("ada"), self.ask("ada", Job.Lane.SHORT)
        self.assertEqual(turns.next_in(["short"]), short.pk)
        self.assertEqual(self.order(["short"]), [short.pk])
        self.assertEqual(self.order(), [long.pk])
        small, large = kept(self.project), kept(self.project, "heavy.ora", heavy_ora())
        lanes = [Job.objects.get(pk=one.revision.job_id).lane for one in (small, large)]
        self.assertEqual(lanes, ["short", "long"])

    def test_what_waits_for_others_has_no_turn_before_them(self) -> None:
        last = self.ask("ada")
        before = [self.ask("ada", after=last).pk, self.ask("ada", after=last).pk]
        self.assertEqual(self.order(), [*before, last.pk])


class KilledWorkerTests(TransactionTestCase):
    def setUp(self) -> None:
        self.project, self.users = make_project()

    def worker(self) -> "subprocess.Popen[bytes]":
        environment = {**os.environ, "YUPLET_DATABASE_NAME": connection.settings_dict["NAME"], "YUPLET_APART": "1"}
        command = [sys.executable, str(Path(settings.ROOT) / "server/manage.py"), "worker"]
        process = subprocess.Popen(command, env=environment, start_new_session=True)
        self.addCleanup(lambda: (process.kill(), process.wait()))
        return process

    def test_a_worker_killed_in_the_middle_leaves_no_half_package_and_another_finishes(self) -> None:
        data = heavy_ora()
        illustration = kept(self.project, "heavy.ora", data)
        first = self.worker()
        wait_until(lambda: Illustration.objects.get(pk=illustration.pk).revision.state == "ready", 90)
        self.assertEqual(LayerImage.objects.filter(revision=illustration.revision).count(), 8)
        asked = hand_overs.ask(Illustration.objects.get(pk=illustration.pk), self.users["ben"], 1)
        row = Job.objects.filter(pk=asked.job_id)
        wait_until(lambda: row.get().stage == "write", 60)
        first.send_signal(signal.SIGKILL)
        first.wait()
        killed_at = time.monotonic()
        self.assertEqual(row.get().state, Job.State.RUNNING)
        asked.refresh_from_db()
        self.assertEqual((asked.files, asked.report), ([], None))

        # Two new workers at once: the one takes it up, the other does not disturb.
        self.worker()
        self.worker()
        wait_until(lambda: row.get().state == Job.State.DONE, 60)
        self.assertLess(time.monotonic() - killed_at, 60)
        asked.refresh_from_db()
        self.assertEqual((row.get().attempts, asked.report["proof"]["ok"]), (2, True))
        wait_until(lambda: not list(Path(settings.WORK).glob(f"job-{asked.job_id}-*")), 10)
