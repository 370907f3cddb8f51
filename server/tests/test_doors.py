"""What comes from outside, at the doors of the server: archives of projects, requests, and rows that somebody has changed."""

import importlib.util
import io
import json
import tempfile
import zipfile
from pathlib import Path
from typing import Any

from django.db import transaction

import mutations
from tests.cases import ServerTestCase, handed_over, quiet, zip_of
from yuplet.errors import BrokenFile, UnsafePath
from yuplet_server.files.store import blobs
from yuplet_server.handovers import actions as hand_overs
from yuplet_server.handovers.models import HandOver
from yuplet_server.illustrations.models import Illustration
from yuplet_server.projects.models import Project
from yuplet_server.transfer import actions
from yuplet_server.transfer.models import Archive


def _bad_paths() -> tuple[str, ...]:
    path = Path(__file__).resolve().parents[2] / "core" / "tests" / "bad_paths.py"
    spec = importlib.util.spec_from_file_location("bad_paths", path)
    assert spec is not None and spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return tuple(module.BAD)


class ArchiveTests(ServerTestCase):
    @classmethod
    def setUpTestData(cls) -> None:
        super().setUpTestData()
        handed_over(cls.illustration, cls.users["ada"], 1)
        archive = actions.ask_to_pack(cls.project, cls.users["ada"])
        with tempfile.TemporaryDirectory() as folder, transaction.atomic():
            actions.pack(archive.pk, Path(folder), quiet)()
        archive.refresh_from_db()
        with blobs().local(archive.sha256) as path:
            cls.data = path.read_bytes()
        with zipfile.ZipFile(io.BytesIO(cls.data)) as opened:
            cls.index = json.loads(opened.read("project.json"))

    def archive(self, index: Any) -> bytes:
        out = io.BytesIO()
        with zipfile.ZipFile(io.BytesIO(self.data)) as old, zipfile.ZipFile(out, "w") as new:
            for name in old.namelist():
                new.writestr(name, json.dumps(index) if name == "project.json" else old.read(name))
        return out.getvalue()

    def moved_in(self, data: bytes) -> Project:
        kept = actions.keep_archive(self.users["dora"], "marsh.zip", len(data), io.BytesIO(data))
        with tempfile.TemporaryDirectory() as folder, transaction.atomic():
            actions.unpack(kept.pk, Path(folder), quiet)()
        return kept.project

    def test_no_file_of_a_package_gets_out_of_its_folder(self) -> None:
        """It overwrote any file that the server may write, when a hand-over was made from what had moved in."""
        with tempfile.TemporaryDirectory() as folder:
            victim = Path(folder, "victim.txt")
            victim.write_text("precious")
            for path in (str(victim), f"../../../../../../../../{victim}", *_bad_paths()):
                index = json.loads(json.dumps(self.index))
                index["illustrations"][0]["hand_overs"][0]["files"][0]["file"] = path
                with self.subTest(path), self.assertRaises(BrokenFile):
                    self.moved_in(self.archive(index))
            self.assertEqual(victim.read_text(), "precious")
        self.assertFalse(Illustration.objects.exclude(pk=self.illustration.pk).exists())

    def test_a_row_that_names_a_file_elsewhere_is_not_followed(self) -> None:
        """Whatever is in the database: what stores takes no such path."""
        made = HandOver.objects.get(illustration=self.illustration)
        with tempfile.TemporaryDirectory() as folder:
            victim = Path(folder, "victim.txt")
            victim.write_text("precious")
            made.files[0]["file"] = str(victim)
            made.save(update_fields=["files"])
            with self.assertRaises(UnsafePath):
                zip_of(made)
            with self.assertRaises(UnsafePath):
                asked = hand_overs.ask(self.illustration, self.users["ada"], 1)
                with tempfile.TemporaryDirectory() as work:
                    hand_overs.carry_out(asked.pk, Path(work), quiet)
            self.assertEqual(victim.read_text(), "precious")

    def test_a_kept_file_replaces_nothing(self) -> None:
        digest = self.illustration.revision.preview
        with tempfile.TemporaryDirectory() as folder:
            from yuplet.paths import PackagePath

            Path(folder, "there.png").write_text("precious")
            with self.assertRaises(FileExistsError):
                blobs().link(digest, Path(folder), PackagePath("there.png"))
            self.assertEqual(Path(folder, "there.png").read_text(), "precious")

    def test_changed_archives_come_in_whole_or_not_at_all(self) -> None:
        """44 of 200 ended as a fault of ours, and some came in and answered with one for ever."""
        came_in = 0
        for said, index in mutations.documents(self.index, 80):
            with self.subTest(said):
                try:
                    sid = transaction.savepoint()
                    project = self.moved_in(self.archive(index))
                except BrokenFile as error:
                    self.assertTrue(str(error).endswith("."), error)
                    self.assertTrue(str(error).isprintable())
                else:
                    came_in += 1
                    self.look_at(project)
                finally:
                    transaction.savepoint_rollback(sid)
        self.assertGreater(came_in, 3, "changes that do no harm are taken")

    def look_at(self, project: Project) -> None:
        """Everything that a page asks for; anything but a fault may be answered."""
        for illustration in project.illustrations.all():
            address = f"/api/illustrations/{illustration.pk}"
            for rest in ("", "/arrangement", "/hand-overs", "/revisions", "/findings", "/order", "/difference"):
                self.assertLess(self.dora.get(address + rest).status_code, 500, rest)
            for rest in ("/plan", "/undo", "/redo", "/joints"):
                answer = self.dora.post(address + rest, {}, content_type="application/json")
                self.assertLess(answer.status_code, 500, rest)
            for made in HandOver.objects.filter(illustration=illustration):
                zip_of(made)

    def test_a_layer_that_is_another_picture_than_it_says(self) -> None:
        """A picture of any size could be put under the digest of a layer, and was decoded in the web process."""
        index = json.loads(json.dumps(self.index))
        revision = index["illustrations"][0]["revisions"][0]
        one, other = revision["images"][0], revision["images"][1]
        one["pixels"], other["pixels"] = other["pixels"], one["pixels"]
        with self.assertRaisesRegex(BrokenFile, "not what it is said to be"):
            self.moved_in(self.archive(index))

    def test_what_is_no_archive(self) -> None:
        for data in (b"", b"PK\3\4", b"null", self.data[:-100], *mutations.files(self.data[:4000], 30)):
            with self.subTest(len(data)), self.assertRaises(BrokenFile):
                self.moved_in(data)
        self.assertEqual(Archive.objects.filter(direction=Archive.Direction.IN).count(), 0)


class RequestTests(ServerTestCase):
    def test_bodies_that_are_no_objects(self) -> None:
        for body in (
            "null",
            "[]",
            '"x"',
            "3",
            "[" * 20_000,
            '{"a": NaN}',
            '{"version": "\\ud800"}',
            "{",
            '{"a":' * 250 + "1" + "}" * 250,
        ):
            for path in (
                "steps",
                "plan",
                "selection",
                "undo",
                "read-again",
                "sheet",
                "hand-overs",
                "names",
            ):
                with self.subTest(body[:20], path=path):
                    answer = self.ada.generic("POST", self.address(path), body, content_type="application/json")
                    self.assertIn(answer.status_code, (400, 422), answer.content)
        for body in ("null", "[]", "[" * 20_000):
            answer = self.client.generic("POST", "/api/session", body, content_type="application/json")
            self.assertEqual(answer.status_code, 400)
            self.assertIn("Nothing was changed", answer.json()["detail"])

    def test_names_that_show_themselves_otherwise_than_they_are(self) -> None:
        for name in ("a\nb", "a\x07b", "gnp.\u202egpj", "a\u2028b"):
            for address in (f"/api/illustrations/{self.illustration.pk}", f"/api/projects/{self.project.pk}"):
                with self.subTest(name, address=address):
                    answer = self.ada.patch(address, {"name": name}, content_type="application/json")
                    self.assertEqual(answer.status_code, 400)
                    self.assertIn("invisible characters", str(answer.json()))
