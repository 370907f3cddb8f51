"""What goes wrong outside of us is told in a sentence, without where the server's files are."""

import datetime
import errno
import os
import tempfile
import threading
from contextlib import suppress
from pathlib import Path
from typing import Any
from unittest import mock

from django.conf import settings
from django.db import IntegrityError, OperationalError, connection, transaction
from django.test import TransactionTestCase, override_settings
from django.utils import timezone

from tests.cases import ServerTestCase, kept
from yuplet.errors import WriteError
from yuplet_server.accounts.models import User
from yuplet_server.base.errors import without_paths
from yuplet_server.base.transactions import tried
from yuplet_server.illustrations.models import Illustration
from yuplet_server.jobs import actions as jobs
from yuplet_server.jobs.models import Job


class TriedTests(TransactionTestCase):
    def test_who_had_to_give_way_tries_again(self) -> None:
        does = mock.Mock(
            side_effect=[OperationalError(1213, "Deadlock found"), OperationalError(1205, "Lock wait"), "done"]
        )
        self.assertEqual(tried(does), "done")
        for error in (OperationalError(2006, "gone away"), *[OperationalError(1213, "Deadlock found")] * 6):
            does = mock.Mock(side_effect=error)
            with self.assertRaises(OperationalError):
                tried(does)
        self.assertEqual(does.call_count, 6)

    def test_in_the_middle_of_a_transaction_it_is_tried_once(self) -> None:
        does = mock.Mock(side_effect=OperationalError(1213, "Deadlock found"))
        with self.assertRaises(OperationalError), transaction.atomic():
            tried(does)
        does.assert_called_once()

    def test_two_that_wait_for_each_other_both_get_through(self) -> None:
        for name in ("one", "two"):
            User.objects.create(username=name)
        both = threading.Barrier(2)
        done = []

        def rename(first: str, second: str) -> None:
            def does() -> None:
                User.objects.filter(username=first).update(last_name="x")
                with suppress(threading.BrokenBarrierError):
                    both.wait(2)
                User.objects.filter(username=second).update(first_name="y")

            tried(does)
            done.append(first)
            connection.close()

        threads = [threading.Thread(target=rename, args=order) for order in (("one", "two"), ("two", "one"))]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join(30)
        self.assertEqual(sorted(done), ["one", "two"])


class ErrorTests(ServerTestCase):
    def told(self, error: Exception) -> tuple[int, str, str]:
        with mock.patch("yuplet_server.arrangement.queries.page_payload", side_effect=error):
            answer = self.ada.get(self.address("arrangement"))
        value: dict[str, Any] = answer.json()
        return answer.status_code, value["code"], value["detail"]

    def test_a_full_disk_is_not_called_a_silent_database(self) -> None:
        for error in (
            OperationalError(1021, "Disk full (/tmp/#sql); waiting for someone to free some space..."),
            OperationalError(1114, "The table 'x' is full"),
            OSError(errno.ENOSPC, os.strerror(errno.ENOSPC)),
        ):
            status, code, said = self.told(error)
            self.assertEqual((status, code), (507, "no-room"))
            self.assertIn("disk of the server is full", said)
        self.assertEqual(self.told(OperationalError(2003, "Can't connect"))[:2], (503, "database-away"))

    def test_a_fault_of_ours_has_a_number_that_the_log_has_too(self) -> None:
        for error in (ZeroDivisionError("secret"), MemoryError(), FileNotFoundError(2, "No such file", "/srv/secret")):
            with self.assertLogs("yuplet_server.base.errors") as log:
                status, code, said = self.told(error)
            self.assertEqual((status, code), (500, "our-fault"))
            self.assertNotIn("secret", said)
            number = said.rstrip(".").split()[-1]
            self.assertIn(f"GET {self.address('arrangement')}: fault {number}", log.output[0])
            self.assertIn(type(error).__name__, log.output[0])

    def test_what_is_removed_while_a_request_runs_is_not_there(self) -> None:
        for error in (Illustration.DoesNotExist(), IntegrityError(1452, "Cannot add or update a child row")):
            self.assertEqual(self.told(error)[:2], (404, "refused"))

    def test_no_folder_of_the_server_is_named(self) -> None:
        path = Path(settings.VAR) / "work" / "job-7" / "parts" / "lamp.png"
        _, _, said = self.told(WriteError(f"'{path}' cannot be written: No space left on device. Make room for it."))
        self.assertEqual(said, "a file of the server cannot be written: No space left on device. Make room for it.")
        self.assertEqual(without_paths("'/srv/art/x.png' is open to you."), "'/srv/art/x.png' is open to you.")
        waiting = kept(self.project)
        with mock.patch("yuplet_server.illustrations.actions.bring_in", side_effect=WriteError(f"'{path}' is full.")):
            jobs.run(waiting.revision.job_id)
        self.assertEqual(Job.objects.get(pk=waiting.revision.job_id).error, "a file of the server is full.")

    def test_folders_of_killed_work_are_cleared(self) -> None:
        with tempfile.TemporaryDirectory() as name, override_settings(WORK=Path(name)):
            job = Job.objects.create(
                project=self.project,
                kind=Job.Kind.PACK,
                subject=1,
                state=Job.State.RUNNING,
                claim="abc",
                heartbeat=timezone.now(),
            )
            Job.objects.filter(pk=job.pk).update(heartbeat=timezone.now() - datetime.timedelta(seconds=1))
            for folder in (f"job-{job.pk}-abc", f"job-{job.pk}-before", "job-999999-x", "something else"):
                (Path(name) / folder).mkdir()
            jobs.clear_work_folders()
            self.assertEqual(
                sorted(path.name for path in Path(name).iterdir()), [f"job-{job.pk}-abc", "something else"]
            )
