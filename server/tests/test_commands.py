"""Django's own command line: accounts, the demo, and what a worker tidies up."""

import io
import os
import signal
import tempfile
import time
from collections.abc import Callable
from io import StringIO
from pathlib import Path
from unittest import mock

import backups
from django.conf import settings
from django.core.management import CommandError, call_command
from django.test import TransactionTestCase
from django.utils import timezone

from tests.cases import kept, make_project
from yuplet.editing.looking_over import away_from_original
from yuplet_server.accounts.models import User
from yuplet_server.arrangement.models import Row
from yuplet_server.arrangement.pixel_queries import looked_at, order_of
from yuplet_server.files.disk import DiskStore
from yuplet_server.illustrations.models import Illustration
from yuplet_server.jobs.management.commands import worker
from yuplet_server.rehearsals.models import Motion
from yuplet_server.transfer.management.commands import load_demo, sweep_files


class CommandTests(TransactionTestCase):
    def test_an_account_with_a_first_password_that_works(self) -> None:
        out = StringIO()
        call_command("add_account", "ben", stdout=out)
        password = out.getvalue().split("Password: ")[1].strip()
        self.assertGreaterEqual(len(password), 12)
        self.assertTrue(User.objects.get(username="ben").check_password(password))
        with self.assertRaisesRegex(CommandError, "already"):
            call_command("add_account", "ben")

    def test_the_demo_is_loaded_once(self) -> None:
        mark = Path(self.enterContext(tempfile.TemporaryDirectory())) / "loaded"
        self.enterContext(mock.patch.object(load_demo, "_mark", return_value=mark))
        call_command("load_demo", stdout=StringIO())
        brindle = Illustration.objects.get(name="Brindle")
        self.assertEqual((brindle.name, brindle.revision.state, brindle.revision.width), ("Brindle", "ready", 2048))
        self.assertEqual(brindle.revision.report["merged"]["differing"], 0)
        rows = Row.objects.filter(arrangement=brindle.pk)
        self.assertEqual((rows.filter(kind="part").count(), rows.filter(kind="group").count()), (53, 21))
        self.assertGreaterEqual(rows.filter(pivot_x__isnull=False, parent__isnull=False).count(), 48)
        found = order_of(brindle)
        self.assertEqual(found["findings"], [])
        self.assertEqual([look["name"] for look in found["looks"][0]["looks"]], ["dry", "drenched"])
        self.assertTrue(all(one["row"] for one in found["required"]))
        self.assertLessEqual(int(away_from_original(*looked_at(brindle)).max()), 2, "what is seen is what was drawn")
        self.assertGreaterEqual(rows.filter(kind="part", shown=False).count(), 5)
        self.assertGreaterEqual(rows.filter(blend="multiply").count(), 3)
        self.assertTrue(User.objects.get(username="demo").check_password(settings.DEMO_PASSWORD))
        call_command("load_demo", "--anyway", stdout=StringIO())
        found = {one.name: one for one in Illustration.objects.all()}
        names = ["Brindle", "Lever frame", "Reed marsh", "Semaphore lamp", "Tin inspector", "Waybill stamps"]
        self.assertEqual(sorted(found), names)
        for one in found.values():
            self.assertEqual((one.credit["author"], one.credit["licence"]), ("The Marsh Line studio", "MIT"), one.name)
        self.assertEqual([revision.state for revision in brindle.revisions.order_by("number")], ["ready", "review"])
        self.assertEqual(found["Semaphore lamp"].revision.report["counts"]["frames"], 22)
        self.assertEqual(len(order_of(found["Reed marsh"])["covers"]), 7)
        self.assertEqual(Row.objects.filter(arrangement=found["Lever frame"].pk, role="press-target").count(), 4)
        self.assertEqual(found["Waybill stamps"].revision.report["counts"]["layers"], 108)
        with self.subTest("each has a motion, of parts that are there"):
            motions = {one.illustration.name: one.document for one in Motion.objects.select_related("illustration")}
            self.assertEqual(sorted(motions), names)
            self.assertEqual([len(motions[name]["tracks"]) for name in names], [7, 1, 1, 1, 1, 1])
            self.assertEqual([len(motions[name]["paths"]) for name in names], [0, 0, 0, 1, 0, 1])

    def test_files_that_nothing_refers_to_are_swept_when_they_are_old(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            storage = DiskStore(location=name)
            project, users = make_project()
            with (
                mock.patch("yuplet_server.illustrations.actions.blobs", return_value=storage),
                mock.patch.object(sweep_files, "blobs", return_value=storage),
            ):
                kept(project, "a.ora", b"an original that is kept")
                gone = kept(project, "b.ora", b"an original that is removed")
                young = storage.keep(io.BytesIO(b"a file that somebody is about to refer to"))
                long_ago = time.time() - 2 * sweep_files.OLD
                for path in Path(name).glob("??/*"):
                    if path.name != young:
                        os.utime(path, (long_ago, long_ago))
                call_command("sweep_files", verbosity=0)
                self.assertEqual(len(list(Path(name).glob("??/*"))), 3)
                gone.delete()
                with backups.no_sweeping(settings.VAR):
                    call_command("sweep_files", verbosity=0)
                self.assertEqual(len(list(Path(name).glob("??/*"))), 3, "a backup was being made")
                out = StringIO()
                call_command("sweep_files", stdout=out)
                self.assertIn("1 files that nothing refers to", out.getvalue())
                left = {path.read_bytes() for path in Path(name).glob("??/*")}
                self.assertEqual(left, {b"an original that is kept", b"a file that somebody is about to refer to"})

    def test_a_worker_goes_on_when_looking_after_others_fails(self) -> None:
        """What is in the way of a sweep is in the log; work that somebody waits for is done all the same."""
        told: dict[int, Callable[..., None]] = {}
        rounds = []

        def fails_once() -> None:
            rounds.append(len(rounds))
            if len(rounds) == 1:
                raise FileNotFoundError("taken away by another process")
            told[signal.SIGTERM]()

        with (
            mock.patch.object(worker.signal, "signal", side_effect=lambda number, does: told.update({number: does})),
            mock.patch.object(worker, "_Slot"),
            mock.patch.object(worker, "ROUND", 0),
            mock.patch.object(worker.actions, "take_up_again", side_effect=fails_once),
            mock.patch.object(worker.actions, "shut_down"),
            self.assertLogs(worker.log, "ERROR") as logs,
        ):
            call_command("worker")
        self.assertEqual(rounds, [0, 1])
        self.assertIn("taken away by another process", logs.output[0])

    def test_what_was_left_unfinished_long_ago_is_removed(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            old, young, kept = (Path(name) / found for found in (".new-old", ".new-young", "ab"))
            for path in (old, young, kept):
                path.touch()
            long_ago = time.time() - 2 * worker.STALE.total_seconds()
            for path in (old, kept):
                os.utime(path, (long_ago, long_ago))
            DiskStore(location=name).clear_unfinished(timezone.now() - worker.STALE)
            self.assertEqual(sorted(path.name for path in Path(name).iterdir()), [".new-young", "ab"])
