"""Keeping in step with a file: one glance after the other, with saves, half saves and doubts in between."""

import hashlib
import subprocess
import sys
import tempfile
import time
import zipfile
from pathlib import Path
from unittest import mock

import numpy as np
from django.conf import settings
from django.db import connection, transaction
from django.test import override_settings
from django.utils import timezone
from PIL import Image

import signal_post
from tests.cases import ServerTestCase, quiet
from yuplet.geometry import Box
from yuplet.illustration.layers import Illustration as Read
from yuplet.illustration.layers import Layer
from yuplet.pixels.spill_file import SpillFile
from yuplet.writing.openraster import write
from yuplet_server.handovers import actions, keeping, watched
from yuplet_server.handovers.models import HandOver, SyncRun, WatchedSource
from yuplet_server.illustrations import actions as illustrations
from yuplet_server.illustrations.models import Revision
from yuplet_server.jobs.models import Job
from yuplet_server.projects.actions import set_role

RECIPE = {"format": "yuplet-recipe", "version": 1, "name": "For the marsh"}


def save(path: Path, shade: int, extra: bool = False) -> None:
    """The signal post with its lamp in another shade, and perhaps a moon in front, saved as a program does it."""
    with SpillFile() as scratch:
        post = signal_post.signal_post(scratch)
        lamp = scratch.whole("lamp").copy()
        lamp[..., 2] = np.where(lamp[..., 3] > 0, shade, 0)
        scratch.put("lamp", lamp)
        layers = post.layers
        if extra:
            scratch.put("moon", np.full((6, 6, 4), 255, np.uint8))
            layers = (*layers, Layer("moon", "moon", Box(80, 4, 86, 10)))
        write(path, Read(post.name, post.canvas, layers, ppi=post.ppi), scratch)


def paint(path: Path, shade: int) -> None:
    """A square of a shade, saved as a picture."""
    path.parent.mkdir(parents=True, exist_ok=True)
    Image.new("RGBA", (20, 20), (shade, 2, 3, 255)).save(path)


class KeepingTests(ServerTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.root = Path(self.enterContext(tempfile.TemporaryDirectory())).resolve()
        self.enterContext(override_settings(ROOTS=[(f"project {self.project.pk}", self.root)]))
        self.file, self.target = self.root / "art" / "signal post.ora", self.root / "game" / "post"
        self.file.parent.mkdir()
        save(self.file, 10)
        body = {"file": str(self.file), "recipes": [RECIPE], "folder": str(self.target)}
        answer = self.ben.put(self.address("in-step"), body, content_type="application/json")
        self.assertEqual(answer.status_code, 200, answer.content)

    def glance(self, times: int = 1) -> WatchedSource:
        for _ in range(times):
            keeping.check(WatchedSource.objects.select_related("illustration__current", "user").get())
        return WatchedSource.objects.get()

    def work(self) -> None:
        """Do what a worker would do."""
        for revision in Revision.objects.filter(state=Revision.State.READING):
            with tempfile.TemporaryDirectory() as folder, transaction.atomic():
                illustrations.bring_in(revision.pk, Path(folder), quiet)()
            Job.objects.filter(pk=revision.job_id).update(state=Job.State.DONE)
        for asked in HandOver.objects.filter(report__isnull=True):
            with tempfile.TemporaryDirectory() as folder, transaction.atomic():
                actions.carry_out(asked.pk, Path(folder), quiet)()
            Job.objects.filter(pk=asked.job_id).update(state=Job.State.DONE)

    def follow(self) -> WatchedSource:
        """Glance and work until nothing more happens."""
        for _ in range(4):
            self.glance(2)
            self.work()
        return self.glance(2)

    def times(self) -> dict[str, int]:
        files = (path for path in self.target.rglob("*") if path.is_file())
        return {path.relative_to(self.target).as_posix(): path.stat().st_mtime_ns for path in files}

    def test_a_saved_change_is_handed_over_and_nothing_else_is_written(self) -> None:
        one = self.follow()
        self.assertEqual((one.state, one.said), ("watching", ""))
        before = self.times()
        self.assertIn("parts/post/signal/lamp.png", before)
        save(self.file, 200)
        self.follow()
        after = self.times()
        fresh = {file for file in after if after[file] != before.get(file)}
        self.assertEqual(fresh, {"parts/post/signal/lamp.png", "reference.png", "manifest.json"})
        self.assertEqual(HandOver.objects.count(), 2)
        told = self.cleo.get(self.address("in-step")).json()[0]
        newest = told["passes"][0]
        self.assertEqual((newest["revision"], newest["changes"]["repainted"], newest["hand_overs"]), (3, 1, [2]))
        self.assertEqual(self.arrangement()["revision"], 3)

    def test_what_was_brought_in_is_handed_over_once_when_it_is_set_up(self) -> None:
        """Nothing was saved since, and nobody waits for the first change to see whether it works."""
        WatchedSource.objects.update(seen=hashlib.sha256(self.file.read_bytes()).hexdigest())
        one = self.follow()
        self.assertEqual((one.state, one.said, HandOver.objects.count()), ("watching", "", 1))
        self.assertTrue((self.target / "manifest.json").is_file())
        (only,) = self.cleo.get(self.address("in-step")).json()[0]["passes"]
        self.assertEqual((only["revision"], only["changes"], only["hand_overs"]), (1, {}, [1]))
        self.follow()
        self.assertEqual(HandOver.objects.count(), 1)
        save(self.file, 200)
        self.follow()
        self.assertEqual(HandOver.objects.count(), 2)

    def test_what_stops_the_first_hand_over_is_said_and_it_is_tried_again(self) -> None:
        WatchedSource.objects.update(seen=hashlib.sha256(self.file.read_bytes()).hexdigest())
        self.now(self.ada, do="decide", decisions={"required": ["hat"]})
        one = self.follow()
        self.assertEqual((one.state, HandOver.objects.count()), ("blocked", 0))
        self.assertIn("Required part 'hat' is missing", one.said)
        self.now(self.ada, do="decide", decisions={"required": []})
        WatchedSource.objects.update(again_at=None)
        self.assertEqual((self.follow().state, HandOver.objects.count()), ("watching", 1))

    def test_a_file_that_is_still_being_saved_is_waited_for(self) -> None:
        self.follow()
        whole = self.root / "whole.ora"
        save(whole, 99)
        data = whole.read_bytes()
        for share in (0.2, 0.5, 0.8):
            self.file.write_bytes(data[: int(len(data) * share)])
            self.assertEqual(self.glance().state, "watching")
        self.assertEqual(Revision.objects.count(), 2)
        self.file.write_bytes(data)
        self.follow()
        self.assertEqual(HandOver.objects.count(), 2)

    def test_a_file_that_cannot_be_read_is_told_and_the_next_one_is_taken(self) -> None:
        self.follow()
        self.file.write_bytes(b"PK not a picture")
        self.glance(2)
        revision = Revision.objects.get(state=Revision.State.READING)
        Job.objects.filter(pk=revision.job_id).update(state=Job.State.FAILED, error="It is damaged.")
        one = self.glance()
        self.assertEqual((one.state, one.said), ("watching", "The file could not be read: It is damaged."))
        self.file.unlink()
        self.assertIn("cannot be read", self.glance().said)
        save(self.file, 77)
        self.follow()
        self.assertEqual(SyncRun.objects.count(), 2)

    def test_nothing_is_read_or_kept_again_while_something_stands_in_the_way(self) -> None:
        self.follow()
        self.ben.post(self.address("read-again"), {"longest": 300}, content_type="application/json")
        save(self.file, 50)
        with (
            mock.patch.object(keeping, "keep_revision", side_effect=AssertionError("it was kept")),
            mock.patch.object(watched, "opened", side_effect=AssertionError("it was read")),
        ):
            one = self.glance(3)
        self.assertEqual((one.state, one.tries), ("blocked", 1))
        self.assertIn("is waiting", one.said)
        WatchedSource.objects.update(again_at=timezone.now())
        self.assertEqual(self.glance(3).tries, 2, "later and later")
        Revision.objects.filter(state=Revision.State.READING).delete()
        self.assertEqual(self.glance().state, "blocked", "until it is time")
        WatchedSource.objects.update(again_at=timezone.now())
        one = self.glance()
        self.assertEqual((one.state, one.said, one.tries), ("reading", "", 0))

    def test_what_is_saved_again_is_looked_at_at_once(self) -> None:
        self.follow()
        self.file.unlink()
        one = self.glance(2)
        self.assertEqual((one.state, one.tries), ("blocked", 1))
        save(self.file, 61)
        self.follow()
        self.assertEqual(WatchedSource.objects.get().state, "watching")

    def test_a_change_that_wants_a_decision_stops_and_goes_on_after_it(self) -> None:
        self.follow()
        save(self.file, 10, extra=True)
        self.glance(2)
        self.work()
        one = self.glance(3)
        self.assertEqual(one.state, "deciding")
        self.assertIn("1 layer is new", one.said)
        self.assertEqual(HandOver.objects.count(), 1)
        self.post(self.ben, f"revisions/{one.number}/take", body={})
        self.glance()
        self.work()
        self.assertEqual((self.glance().state, HandOver.objects.count()), ("watching", 2))
        self.assertIn("parts/moon.png", self.times())
        save(self.file, 10)
        self.glance(2)
        self.work()
        one = self.glance(2)
        self.ben.delete(self.address(f"revisions/{one.number}"))
        one = self.glance()
        self.assertEqual((one.state, one.said), ("watching", "The change was discarded."))

    def test_what_stops_a_hand_over_is_said_and_tried_again(self) -> None:
        self.follow()
        version = self.arrangement()["version"]
        self.step(self.ada, version, do="decide", decisions={"required": ["hat"]})
        save(self.file, 55)
        self.glance(2)
        self.work()
        self.assertIn("Required part 'hat' is missing", self.glance().said)
        self.step(self.ada, self.arrangement()["version"], do="decide", decisions={"required": []})
        self.follow()
        self.assertEqual((HandOver.objects.count(), WatchedSource.objects.get().said), (2, ""))

    def test_who_may_not_change_the_project_any_more_changes_nothing(self) -> None:
        set_role(self.project, "ben", "viewer")
        save(self.file, 44)
        one = self.glance(3)
        self.assertIn("ben can no longer change this project", one.said)
        self.assertEqual(Revision.objects.count(), 1)

    def test_only_files_in_opened_folders(self) -> None:
        for body, code in (
            ({"file": "/etc/hostname", "recipes": [RECIPE]}, "folder-not-allowed"),
            ({"file": str(self.file), "recipes": [RECIPE], "folder": "/tmp/elsewhere"}, "folder-not-allowed"),
            ({"file": str(self.root / "art/nothing.ora"), "recipes": [RECIPE]}, "not-now"),
            ({"file": str(self.file), "recipes": []}, "not-now"),
        ):
            answer = self.ben.put(self.address("in-step"), body, content_type="application/json")
            self.assertIn(answer.status_code, (409, 422))
            self.assertEqual(answer.json()["code"], code)
        self.assertEqual(self.ben.delete(self.address("in-step")).status_code, 204)
        self.assertEqual(self.cleo.get(self.address("in-step")).json(), [])

    def test_a_folder_of_images_is_followed_when_all_of_them_are_saved(self) -> None:
        art = self.root / "pieces"
        for name, shade in (("arm.png", 10), ("lamp/glass.png", 20), (".hidden.png", 1)):
            paint(art / name, shade)
        (art / "elsewhere.png").symlink_to("/etc/hostname")
        self.follow()
        body = {"file": str(art), "recipes": [RECIPE], "folder": str(self.root / "game" / "pieces")}
        self.assertEqual(self.ben.put(self.address("in-step"), body, content_type="application/json").status_code, 200)
        self.assertEqual(self.glance(4).state, "watching", "it was saved a moment ago")
        self.enterContext(mock.patch.object(watched, "QUIET", 0.0))
        one = self.glance(2)
        self.work()
        # The pieces are not what the signal post was made of.
        one = self.glance(2)
        self.assertEqual(one.state, "deciding", one.said)
        self.post(self.ben, f"revisions/{one.number}/take", body={})
        self.glance()
        self.work()
        self.assertEqual(self.glance(3).said, "")
        names = {row["name"] for row in self.arrangement()["rows"]}
        self.assertLessEqual({"arm", "lamp"}, names)
        self.assertEqual(Revision.objects.count(), 3, "nothing was saved since")
        paint(art / "lamp" / "glass.png", 90)
        self.follow()
        self.assertEqual(Revision.objects.count(), 4)
        newest = self.cleo.get(self.address("in-step")).json()[0]["passes"][0]
        self.assertEqual((newest["changes"]["repainted"], len(newest["hand_overs"])), (1, 1))
        # An equal picture saved again is no change.
        (art / "arm.png").touch()
        self.follow()
        self.assertEqual(Revision.objects.count(), 4)

    def test_a_folder_that_cannot_be_followed_is_refused(self) -> None:
        art = self.root / "pieces"
        paint(art / "arm.png", 10)
        for folder in (art, art / "out", self.root):
            body = {"file": str(art), "recipes": [RECIPE], "folder": str(folder)}
            answer = self.ben.put(self.address("in-step"), body, content_type="application/json")
            self.assertIn(answer.json()["code"], ("not-now", "folder-not-allowed"))
        with mock.patch.object(watched, "MOST", 0):
            answer = self.ben.put(
                self.address("in-step"), {"file": str(art), "recipes": [RECIPE]}, content_type="application/json"
            )
        self.assertIn("up to 0 are read", answer.json()["detail"])

    def test_two_that_watch_do_not_take_the_same_save_twice(self) -> None:
        other = connection.copy()
        self.addCleanup(other.close)
        name = f"{connection.settings_dict['NAME']} watching"
        with other.cursor() as cursor:
            cursor.execute("SELECT GET_LOCK(%s, 0)", [name])
        before = Revision.objects.count()
        for _ in range(4):
            keeping.check_all()
        self.assertEqual(Revision.objects.count(), before)
        with other.cursor() as cursor:
            cursor.execute("SELECT RELEASE_LOCK(%s)", [name])
        for _ in range(4):
            keeping.check_all()
        self.assertEqual(Revision.objects.count(), before + 1)
        with other.cursor() as cursor:
            cursor.execute("SELECT GET_LOCK(%s, 0)", [name])
            self.assertEqual(cursor.fetchone(), (1,), "it is given back after each glance")

    def test_the_command_ends_when_it_is_told_to(self) -> None:
        command = [sys.executable, str(Path(settings.ROOT) / "server" / "manage.py"), "keep_in_step"]
        process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        self.addCleanup(process.communicate)
        self.addCleanup(process.kill)
        assert process.stdout is not None
        self.assertIn("Watching", process.stdout.readline())
        time.sleep(1)
        self.assertIsNone(process.poll())
        process.terminate()
        self.assertEqual(process.wait(15), 0)


class RootTests(ServerTestCase):
    """Any account could follow any file below a root, and read it through the kept original."""

    def setUp(self) -> None:
        super().setUp()
        self.root = Path(self.enterContext(tempfile.TemporaryDirectory())).resolve()
        paint(self.root / "art.png", 9)

    def watch(self, name: str, file: str = "art.png", status: int = 200) -> str:
        body = {"file": str(self.root / file), "recipes": [RECIPE]}
        answer = self.signed_in(name).put(self.address("in-step"), body, content_type="application/json")
        self.assertEqual(answer.status_code, status, answer.content)
        return answer.content.decode()

    def test_a_root_of_an_account_is_of_that_account_alone(self) -> None:
        with override_settings(ROOTS=[("ada", self.root)]):
            self.assertIn("not open to you", self.watch("ben", status=422))
            self.assertEqual(self.ben.get("/api/roots").json(), {"roots": []})
            self.watch("ada")
            self.assertEqual(self.ada.get("/api/roots").json(), {"roots": [str(self.root)]})

    def test_a_root_of_a_project_is_of_those_who_may_change_it(self) -> None:
        with override_settings(ROOTS=[(f"project {self.project.pk}", self.root)]):
            self.watch("ben")
            self.assertEqual(self.cleo.get("/api/roots").json(), {"roots": []})
            self.assertEqual(self.dora.get("/api/roots").json(), {"roots": []})
        with override_settings(ROOTS=[(f"project {self.project.pk + 1}", self.root)]):
            self.watch("ben", status=422)

    def test_nothing_is_kept_of_what_is_no_picture(self) -> None:
        from yuplet_server.files.store import blobs

        secret = b"<?xml version='1.0'?><passwords>precious</passwords>"
        (self.root / "secret.xml").write_bytes(secret)
        (self.root / "secret.txt").write_bytes(b"precious")
        with zipfile.ZipFile(self.root / "letter.zip", "w") as archive:
            archive.writestr("letter.txt", "precious")
        before = Revision.objects.count()
        with override_settings(ROOTS=[("ada", self.root)]):
            for file in ("secret.xml", "secret.txt", "letter.zip"):
                self.assertIn("Nothing was kept", self.watch("ada", file, 409))
            with self.subTest("a picture that becomes something else"):
                self.watch("ada")
                (self.root / "art.png").write_bytes(secret)
                for _ in range(4):
                    keeping.check(WatchedSource.objects.select_related("illustration__current", "user").get())
                self.assertIn("Nothing was kept", WatchedSource.objects.get().said)
        self.assertEqual(Revision.objects.count(), before)
        self.assertFalse(Path(blobs().path(hashlib.sha256(secret).hexdigest())).exists())
