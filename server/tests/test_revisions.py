"""The art changes: what is compared, what is taken, and that going back is one step."""

import hashlib
import io
import tempfile
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import transaction
from PIL import Image

import signal_post
from tests.cases import ServerTestCase, brought_in, handed_over, kept, ora, quiet, zip_of
from yuplet.geometry import Box
from yuplet.illustration.layers import Illustration as Read
from yuplet.illustration.layers import Layer
from yuplet.pixels.spill_file import SpillFile
from yuplet.writing.openraster import write
from yuplet_server.illustrations import actions
from yuplet_server.illustrations.models import Illustration, Revision
from yuplet_server.jobs.models import Job
from yuplet_server.projects.actions import start_project


def repainted(extra: bool = False) -> bytes:
    """The signal post with its lamp in another colour, and perhaps a moon in front."""
    with tempfile.TemporaryDirectory() as folder, SpillFile() as scratch:
        post = signal_post.signal_post(scratch)
        lamp = scratch.whole("lamp").copy()
        lamp[..., 0] = 255 - lamp[..., 0]
        scratch.put("lamp", lamp)
        layers = post.layers
        if extra:
            scratch.put("moon", np.full((6, 6, 4), 255, np.uint8))
            layers = (*layers, Layer("moon", "moon", Box(80, 4, 86, 10)))
        path = Path(folder) / "post.ora"
        write(path, Read(post.name, post.canvas, layers, ppi=post.ppi), scratch)
        return path.read_bytes()


class RevisionTests(ServerTestCase):
    def send(self, data: bytes, name: str = "signal post.ora") -> int:
        """Bring a revision in and let a worker read it; answers its number."""
        answer = self.ben.post(self.address("revisions"), {"file": SimpleUploadedFile(name, data)})
        self.assertEqual(answer.status_code, 201, answer.content)
        self.read_waiting()
        return int(answer.json()["number"])

    def read_waiting(self) -> None:
        revision = Revision.objects.get(state=Revision.State.READING, illustration=self.illustration)
        with tempfile.TemporaryDirectory() as folder, transaction.atomic():
            actions.bring_in(revision.pk, Path(folder), quiet)()
        Job.objects.filter(pk=revision.job_id).update(state=Job.State.DONE)

    def review(self, number: int) -> dict[str, Any]:
        answer = self.cleo.get(self.address(f"revisions/{number}"))
        self.assertEqual(answer.status_code, 200, answer.content)
        return {
            "/".join((match["new"] or match["old"])["path"]): match["changes"] for match in answer.json()["matches"]
        }

    def images(self) -> dict[str, list[str]]:
        rows = self.arrangement()["rows"]
        return {row["name"]: [piece["image"] for frame in row["frames"] for piece in frame["pieces"]] for row in rows}

    def test_a_revision_waits_for_a_review_and_nothing_changes_before(self) -> None:
        before = self.arrangement()
        number = self.send(repainted(extra=True))
        self.assertEqual(self.arrangement(), before)
        found = self.review(number)
        self.assertEqual(found.pop("post/signal/lamp"), ["repainted"])
        self.assertEqual(found.pop("moon"), ["new"])
        self.assertEqual({tuple(changes) for changes in found.values()}, {("kept",)})
        whole = self.ada.get(f"/api/illustrations/{self.illustration.pk}").json()
        self.assertEqual((whole["revision"], whole["waiting"]["number"], whole["waiting"]["state"]), (1, 2, "review"))
        self.ben.post(self.address("revisions"), {"file": SimpleUploadedFile("x.ora", ora())})
        self.assertEqual(Revision.objects.filter(illustration=self.illustration).count(), 2, "one at a time")

    def test_taking_it_keeps_what_was_decided_and_changes_one_file(self) -> None:
        lamp = self.row_id("lamp")
        self.step(self.ada, 1, do="rename-rows", names={lamp: "signal lamp"})
        first = handed_over(self.illustration, self.users["ada"], 2)
        before = self.images()
        number = self.send(repainted())
        view = self.post(self.ben, f"revisions/{number}/take", body={})
        self.assertEqual((view["revision"], view["undo"]), (2, "Take revision 2"))
        after = self.images()
        self.assertEqual({name for name in after if after[name] != before[name]}, {"signal lamp"})
        self.illustration.refresh_from_db()
        changed = [file["file"] for file in self.planned_images() if file["change"] != "same"]
        self.assertEqual(changed, ["parts/post/signal/signal lamp.png"])
        second = handed_over(self.illustration, self.users["ada"], view["version"])
        self.assertTrue(second.report["proof"]["ok"])
        before, after = ({one["file"]: one for one in made.files} for made in (first, second))
        changed = {file for file in before if before[file] != after[file]}
        self.assertEqual(changed, {"parts/post/signal/signal lamp.png", "reference.png", "manifest.json"})

    def test_going_back_is_one_step_and_so_is_undo(self) -> None:
        start = self.arrangement()
        taken = self.post(self.ben, f"revisions/{self.send(repainted(extra=True))}/take", body={})
        self.assertEqual(len(taken["rows"]), len(start["rows"]) + 1)
        self.assertEqual(self.post(self.ben, "undo")["rows"], start["rows"])
        self.assertEqual(self.post(self.ben, "redo")["rows"], taken["rows"])
        back = self.post(self.ada, "go-back")
        self.assertEqual((back["rows"], back["revision"], back["undo"]), (start["rows"], 1, "Go back to revision 1"))
        self.assertEqual(self.post(self.ada, "go-back", status=409)["code"], "not-now")

    def test_what_somebody_corrects_is_obeyed(self) -> None:
        number = self.send(repainted(extra=True))
        matches = self.ada.get(self.address(f"revisions/{number}")).json()["matches"]
        moon = next(match["new"]["id"] for match in matches if match["changes"] == ["new"])
        lamp = next(match for match in matches if match["changes"] == ["repainted"])
        pairs = {moon: lamp["old"]["id"], lamp["new"]["id"]: None}
        view = self.post(self.ben, f"revisions/{number}/take", body={"pairs": pairs})
        by_name = {row["name"]: row for row in view["rows"]}
        self.assertEqual((by_name["lamp"]["box"], by_name["lamp"]["id"]), ([80, 4, 6, 6], self.row_id("lamp")))
        self.assertEqual(
            by_name["lamp 2"]["group"], by_name["lamp"]["group"], "the art's own lamp is a part of its own"
        )

    def test_a_revision_can_be_put_aside_but_not_the_one_that_is_worked_with(self) -> None:
        number = self.send(repainted())
        self.assertEqual(self.ben.delete(self.address(f"revisions/{number}")).status_code, 204)
        self.assertEqual(self.ben.get(self.address(f"revisions/{number}")).status_code, 404)
        self.assertEqual(self.ben.delete(self.address("revisions/1")).status_code, 409)

    def test_every_original_can_be_downloaded(self) -> None:
        data = repainted()
        self.post(self.ben, f"revisions/{self.send(data)}/take", body={})
        first = Revision.objects.get(illustration=self.illustration, number=1).sha256
        second = hashlib.sha256(data).hexdigest()
        for address, wanted in (
            ("original", second),
            ("revisions/1/original", first),
            ("revisions/2/original", second),
        ):
            found = b"".join(self.cleo.get(self.address(address)).streaming_content)
            self.assertEqual(hashlib.sha256(found).hexdigest(), wanted)

    def test_a_placeholder_keeps_its_place_when_finished_art_of_another_size_takes_it(self) -> None:
        def loose(hat: tuple[int, int]) -> bytes:
            out = io.BytesIO()
            with zipfile.ZipFile(out, "w") as archive:
                for name, size in (("coat.png", (60, 40)), ("hat.png", hat)):
                    picture = io.BytesIO()
                    Image.new("RGBA", size, (90, 40, size[0], 255)).save(picture, "PNG")
                    archive.writestr(name, picture.getvalue())
            return out.getvalue()

        self.illustration = brought_in(self.project, "kit.zip", loose((10, 8)))
        hat = self.row_id("hat")
        self.step(self.ada, 1, do="place-parts", offsets={hat: [12, -9]})
        self.post(self.ben, f"revisions/{self.send(loose((20, 14)), 'kit.zip')}/take", body={})
        row = next(row for row in self.arrangement()["rows"] if row["id"] == hat)
        x, y, width, height = row["box"]
        self.assertEqual((x + width / 2, y + height / 2, width, height), (30 + 12, 20 - 9, 20, 14))

    def test_read_again_at_another_size(self) -> None:
        drawing = (
            b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 8 6"><rect id="a" x="1" width="2" height="3"/></svg>'
        )
        self.illustration = brought_in(self.project, "kit.svg", drawing)
        part = self.row_id("a")
        self.step(self.ada, 1, do="place-parts", offsets={part: [2, 1]})
        self.post(self.ben, "read-again", 201, {"longest": 80})
        self.read_waiting()
        view = self.post(self.ben, "revisions/2/take", body={})
        (row,) = view["rows"]
        self.assertEqual((row["offset"], row["box"], row["id"]), ([20, 10], [30, 10, 20, 30], part))
        for choices, words in (
            ({"longest": 0}, "longer side"),
            ({"size": 3}, "no choice"),
            ({"ppi": "x"}, "pixels to the inch"),
        ):
            self.assertIn(words, self.post(self.ben, "read-again", 422, choices)["detail"])


class StepTests(ServerTestCase):
    def test_a_stack_is_read_as_frames_and_back(self) -> None:
        start = self.arrangement()
        signal = self.row_id("signal")
        view = self.step(self.ada, 1, do="read-as-frames", rows=[signal])
        row = next(row for row in view["rows"] if row["id"] == signal)
        self.assertEqual((row["kind"], len(row["frames"])), ("part", 3))
        frames = [one["file"] for one in self.planned_images() if one["parts"] == [signal]]
        self.assertEqual(frames, [f"parts/post/signal/{number}.png" for number in (1, 2, 3)])
        made = handed_over(self.illustration, self.users["ada"], view["version"])
        self.assertTrue(made.report["proof"]["ok"], made.report["proof"])
        self.step(self.ada, view["version"], do="read-as-parts", row=signal)
        for _ in range(2):
            view = self.post(self.ada, "undo")
        self.assertEqual(view["rows"], start["rows"])

    def test_rows_are_not_replaced_from_outside(self) -> None:
        answer = self.ada.post(
            self.address("steps"),
            {"version": 1, "command": {"do": "replace-rows", "remove": [], "put": [], "what": "x", "revision": None}},
            content_type="application/json",
        )
        self.assertEqual(answer.status_code, 422)


class PackageAgainTests(ServerTestCase):
    def test_a_package_of_an_illustration_that_is_there_updates_it(self) -> None:
        made = handed_over(self.illustration, self.users["ada"], 1)
        data = zip_of(made)
        answer = self.ben.post(
            f"/api/projects/{self.project.pk}/illustrations", {"file": SimpleUploadedFile("package.zip", data)}
        )
        self.assertEqual((answer.status_code, answer.json()["id"]), (201, self.illustration.pk))
        self.assertEqual(self.project.illustrations.count(), 1)
        elsewhere = start_project(self.users["ben"], "Elsewhere")
        copy = kept(elsewhere, "package.zip", data)
        self.assertEqual(Illustration.objects.filter(uid=copy.uid).count(), 2)


class CreditTests(ServerTestCase):
    def test_it_is_said_kept_and_handed_over(self) -> None:
        credit = {"author": "Ines Marsh", "licence": "https://creativecommons.org/licenses/by/4.0/"}
        address = f"/api/illustrations/{self.illustration.pk}"
        answer = self.ben.patch(address, {"credit": credit}, content_type="application/json")
        self.assertEqual(answer.status_code, 200, answer.content)
        self.assertEqual(
            {name: value for name, value in answer.json()["credit"].items() if value},
            {"author": "Ines Marsh", "licence": "CC-BY-4.0", "attribution": True},
        )
        self.illustration.refresh_from_db()
        made = handed_over(self.illustration, self.users["ada"], 1)
        text = self.package(made)["CREDITS.txt"].decode()
        self.assertIn("Author: Ines Marsh\nLicence: Creative Commons Attribution 4.0 International (CC-BY-4.0)", text)

    def test_the_list_of_licences(self) -> None:
        listed = {one["id"]: one["name"] for one in self.cleo.get("/api/licences").json()}
        self.assertEqual(listed["CC0-1.0"], "Creative Commons Zero v1.0 Universal")
        self.assertNotIn("GPL-3.0", listed, "deprecated")
        self.assertGreater(len(listed), 500)
