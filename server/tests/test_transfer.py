"""Moving house: out, in again, and everything equal."""

import io
import json
import tempfile
import zipfile
from pathlib import Path
from typing import Any
from unittest import mock

from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import call_command
from django.db import transaction
from django.test import Client

from tests.cases import ServerTestCase, handed_over, quiet, zip_of
from yuplet.errors import BrokenFile
from yuplet_server.arrangement.models import Arrangement, Row
from yuplet_server.audit.models import Entry
from yuplet_server.handovers.actions import save_recipe
from yuplet_server.illustrations.models import Illustration
from yuplet_server.jobs.models import Job
from yuplet_server.projects.actions import ProjectFull, require_space, set_role, start_project
from yuplet_server.projects.models import Project
from yuplet_server.transfer import actions
from yuplet_server.transfer.models import Archive
from yuplet_server.transfer.sizes import bytes_of_illustration

OF_THE_MACHINE = {"id", "project", "job", "created_by", "by"}


class MovingTests(ServerTestCase):
    def setUp(self) -> None:
        super().setUp()
        arm, signal = self.row_id("arm"), self.row_id("signal")
        self.step(self.ada, 1, do="rename-rows", names={arm: "blade"})
        self.step(self.ada, 2, do="read-as-frames", rows=[signal])
        self.step(self.ben, 3, do="show-rows", shown={self.row_id("mist"): False})
        credit = {"author": "Ines Marsh", "licence": "CC0-1.0"}
        self.ben.patch(
            f"/api/illustrations/{self.illustration.pk}", {"credit": credit}, content_type="application/json"
        )
        recipe = {"format": "yuplet-recipe", "version": 1, "name": "For the marsh", "images": {"margin": 1}}
        self.recipe = save_recipe(self.project, self.users["ben"], recipe)
        handed_over(self.illustration, self.users["ada"], 4, recipe)

    def packed(self) -> bytes:
        answer = self.ada.post(f"/api/projects/{self.project.pk}/archives")
        self.assertEqual(answer.status_code, 201, answer.content)
        with tempfile.TemporaryDirectory() as folder, transaction.atomic():
            actions.pack(answer.json()["id"], Path(folder), quiet)()
        file = self.ada.get(f"/api/archives/{answer.json()['id']}/file")
        self.assertIn("Marsh Line.zip", file.headers["Content-Disposition"])
        return b"".join(file.streaming_content)

    def moved_in(self, data: bytes) -> Project:
        answer = self.ada.post("/api/projects/move-in", {"file": SimpleUploadedFile("marsh.zip", data)})
        self.assertEqual(answer.status_code, 201, answer.content)
        with tempfile.TemporaryDirectory() as folder, transaction.atomic():
            actions.unpack(answer.json()["id"], Path(folder), quiet)()
        return Project.objects.get(pk=answer.json()["project"])

    def test_a_duplicate_has_the_art_and_the_parts_and_is_an_illustration_of_its_own(self) -> None:
        answer = self.ben.post(self.address("duplicate"))
        self.assertEqual(answer.status_code, 201, answer.content)
        self.assertEqual((answer.json()["name"], answer.json()["state"]), ("signal post copy", "ready"))
        made = Illustration.objects.get(pk=answer.json()["id"])
        self.assertNotEqual(made.uid, self.illustration.uid)
        before, after = self.answers(self.illustration), self.answers(made)
        # Undo is of whoever made the step, and of whoever made the duplicate.
        for name in ("undo", "redo"):
            del before["/arrangement"][name], after["/arrangement"][name]
        self.assertEqual(before["/arrangement"], after["/arrangement"])
        self.assertEqual((len(before["/hand-overs"]), after["/hand-overs"]), (1, []))
        # What is done to one is not done to the other, and each can be undone.
        step = {
            "version": after["/arrangement"]["version"],
            "command": {"do": "rename-rows", "names": {self.row_id("sky"): "other"}},
        }
        answer = self.ben.post(f"/api/illustrations/{made.pk}/steps", step, "application/json")
        self.assertEqual(answer.status_code, 200, answer.content)
        now = self.answers(self.illustration)["/arrangement"]
        self.assertEqual(now["rows"], before["/arrangement"]["rows"])
        package = zip_of(handed_over(made, self.users["ada"], Arrangement.objects.get(pk=made.pk).version))
        self.assertIn(b"other.png", package)
        call_command("count_bytes")
        self.project.refresh_from_db()
        alone = self.illustration.revision.bytes
        self.assertLess(self.project.bytes, 2 * alone + len(package) + 50_000, "the art is kept once")

    def test_an_illustration_moves_to_another_project_with_all_that_it_has(self) -> None:
        self.enterContext(mock.patch("django.db.transaction.on_commit", side_effect=lambda does, **_: does()))
        other = start_project(self.users["ada"], "Other")
        before = self.answers(self.illustration)
        job = self.illustration.revision.job_id

        def move(client: Client, to: int) -> tuple[int, Any]:
            answer = client.post(self.address("move"), {"project": to}, "application/json")
            return answer.status_code, answer.json()

        self.assertEqual(move(self.ben, other.pk)[0], 404, "no member of the other project")
        set_role(other, "ben", "viewer")
        self.assertEqual(move(self.ben, other.pk)[0], 403)
        self.assertEqual(move(self.cleo, self.project.pk)[0], 403, "a viewer moves nothing")
        Job.objects.filter(pk=job).update(state=Job.State.RUNNING)
        self.assertEqual(move(self.ada, other.pk)[1]["code"], "not-now")
        Job.objects.filter(pk=job).update(state=Job.State.DONE)
        whole = bytes_of_illustration(self.illustration)
        self.assertGreater(whole, self.illustration.revision.bytes, "its packages go along")
        with self.settings(PROJECT_BYTES=whole - 1):
            self.assertEqual(move(self.ada, other.pk)[0], 507)
        call_command("count_bytes")
        # It is the same account's before and after: no more of it is needed, however full it is.
        with self.settings(ACCOUNT_BYTES=whole):
            require_space(other, whole, of=self.project)
            with self.assertRaises(ProjectFull):
                require_space(other, whole)
        self.assertEqual(move(self.ada, other.pk)[0], 200)
        self.assertEqual(self.ada.get(f"/api/projects/{self.project.pk}/illustrations").json(), [])
        self.illustration.refresh_from_db()
        after = self.answers(self.illustration)
        self.assertEqual(after[""].pop("project_name"), "Other")
        before[""].pop("project_name")
        self.assertEqual(before, after)
        self.assertEqual(self.cleo.get(self.address("arrangement")).status_code, 404, "who is no member there")
        self.assertEqual(self.cleo.get(f"/api/jobs/{job}").status_code, 404)
        self.assertEqual(self.ben.get(f"/api/jobs/{job}").status_code, 200)
        for one in (self.project, other):
            one.refresh_from_db()
        self.assertEqual(self.project.bytes, 0)
        self.assertGreater(other.bytes, self.illustration.revision.bytes)
        self.assertIn("from 'Marsh Line' to 'Other'", Entry.objects.get(kind="move").about)

    def answers(self, illustration: Illustration) -> dict[str, Any]:
        """All that a page is told of an illustration, without what differs from machine to machine."""
        address = f"/api/illustrations/{illustration.pk}"
        told = {
            rest: self.ada.get(f"{address}{rest}").json() for rest in ("", "/arrangement", "/hand-overs", "/revisions")
        }
        told["/plan"] = self.ada.post(f"{address}/plan", {}, content_type="application/json").json()
        return dict(json.loads(json.dumps(told), object_hook=lambda value: {
            name: one for name, one in value.items() if name not in OF_THE_MACHINE
        }))  # fmt: skip

    def test_everything_is_equal_on_the_other_side(self) -> None:
        before = self.answers(self.illustration)
        project = self.moved_in(self.packed())
        self.assertEqual((project.name, project.illustrations.count()), ("Marsh Line", 1))
        illustration = project.illustrations.get()
        self.assertEqual(illustration.uid, self.illustration.uid)
        self.assertEqual(self.answers(illustration), before)
        made, there = self.illustration.hand_overs.get(), illustration.hand_overs.get()
        self.assertEqual((there.files, there.recipe), (made.files, made.recipe))
        self.assertEqual(zip_of(there), zip_of(made))
        self.assertEqual([one.document for one in project.recipes.all()], [self.recipe.document])
        self.assertEqual(self.ada.get(f"/api/projects/{project.pk}").json()["role"], "owner")

    def test_ones_own_steps_can_still_be_undone(self) -> None:
        project = self.moved_in(self.packed())
        self.illustration = project.illustrations.get()
        view = self.post(self.ada, "undo")
        self.assertIn("blade", [row["name"] for row in view["rows"]])
        self.assertEqual(self.post(self.ada, "undo")["undo"], None)

    def test_packed_again_it_is_the_same(self) -> None:
        first = self.packed()
        self.project = self.moved_in(first)
        second = self.packed()
        inside = [
            {name: archive.read(name) for name in archive.namelist()}
            for archive in (zipfile.ZipFile(io.BytesIO(data)) for data in (first, second))
        ]
        self.assertEqual(set(inside[0]), set(inside[1]))
        index = [json.loads(files.pop("project.json")) for files in inside]
        self.assertEqual(inside[0], inside[1])
        for value in index:
            for step in value["illustrations"][0]["arrangement"]["steps"]:
                step["by"] = None
        self.assertEqual(index[0], index[1])

    def test_archives_that_cannot_be_unpacked(self) -> None:
        data = self.packed()

        def changed(change: Any) -> bytes:
            out = io.BytesIO()
            with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(out, "w") as new:
                for name in old.namelist():
                    content = change(name, old.read(name))
                    if content is not None:
                        new.writestr(name, content)
            return out.getvalue()

        files = [name for name in zipfile.ZipFile(io.BytesIO(data)).namelist() if name.startswith("files/")]
        cases = {
            "lacks the file": changed(lambda name, content: None if name == files[0] else content),
            "is damaged": changed(lambda name, content: b"other" if name == files[0] else content),
            "does not say all": changed(
                lambda name, content: content.replace(b'"rows"', b'"lines"') if name == "project.json" else content
            ),
        }
        rows = Row.objects.count()
        for words, bad in cases.items():
            with self.subTest(words), self.assertRaisesRegex(BrokenFile, words):
                self.moved_in(bad)
        self.assertEqual((Row.objects.count(), Illustration.objects.count()), (rows, 1), "nothing half-made")
        for bad in (b"", b"PK no archive", changed(lambda name, content: b"{}" if name == "project.json" else content)):
            answer = self.ada.post("/api/projects/move-in", {"file": SimpleUploadedFile("x.zip", bad)})
            self.assertEqual((answer.status_code, answer.json()["code"]), (422, "broken-file"))

    def test_only_owners_pack_and_fetch(self) -> None:
        self.packed()
        archive = Archive.objects.get()
        for client, status in ((self.ben, 403), (self.cleo, 403), (self.dora, 404)):
            self.assertEqual(client.post(f"/api/projects/{self.project.pk}/archives").status_code, status)
            self.assertEqual(client.get(f"/api/archives/{archive.pk}/file").status_code, status)
