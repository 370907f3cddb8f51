"""Steps on the motion of a package: carried out once, taken back, beside those of others, and kept from one hand-over to the next."""

import io
import os
import struct
import tempfile
import uuid
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np
from django.core.management import call_command
from django.db import transaction
from PIL import Image

from tests.cases import handed_over, quiet
from tests.test_rehearsals import RehearsalCase, png
from yuplet.errors import YupletError
from yuplet_server.arrangement.models import Row
from yuplet_server.files.store import blobs
from yuplet_server.jobs.models import Job
from yuplet_server.projects.models import Member
from yuplet_server.rehearsals import filming
from yuplet_server.rehearsals.models import Film, Motion, MotionStep, Rehearsal
from yuplet_server.shelf import actions as shelf


class MotionCase(RehearsalCase):
    def setUp(self) -> None:
        super().setUp()
        self.tried = self.carried_out(self.opened()["id"])
        self.paths = {part["name"].split(" / ")[-1]: part["name"] for part in self.tried["result"]["parts"]}
        self.parts = {part["name"].split(" / ")[-1]: part["id"] for part in self.tried["result"]["parts"]}

    def at(self, what: str = "", rehearsal: int | None = None) -> str:
        return f"/api/rehearsals/{rehearsal or self.tried['id']}/motion{what}"

    def step(
        self, command: dict[str, Any], status: int = 200, client: Any = None, version: int | None = None, **more: Any
    ) -> dict[str, Any]:
        seen = version if version is not None else self.cleo.get(self.at()).json()["version"]
        body = {"version": seen, "command": command, **more}
        answer = (client or self.ada).post(self.at("/steps"), body, content_type="application/json")
        self.assertEqual(answer.status_code, status, answer.content)
        return dict(answer.json())

    def turn(self, name: str, degrees: float, **more: Any) -> dict[str, Any]:
        return {"do": "pose", "values": {self.parts[name]: {"rotate": degrees}}, **more}

    def turns(self, said: dict[str, Any], name: str = "lamp") -> list[list[float]]:
        tracks = {(track["target"], track["property"]): track["keys"] for track in said["motion"]["tracks"]}
        return [[key["at"], key["value"]] for key in tracks.get((self.parts[name], "rotate"), [])]


class StepTests(MotionCase):
    def test_a_pose_is_kept_undone_and_done_again(self) -> None:
        self.assertEqual(self.ada.get(self.at()).json()["motion"]["tracks"], [])
        said = self.step(self.turn("lamp", 30))
        self.assertEqual((self.turns(said), said["undo"], said["redo"]), ([[0, 30]], "Turn 'lamp'", None))
        said = self.step(self.turn("lamp", 60, at=1.0, writes_keys=True))
        self.assertEqual(self.turns(said), [[0, 30], [1, 60]])
        for address, wanted, undo, redo in (
            ("/undo", [[0, 30]], "Turn 'lamp'", "Turn 'lamp'"),
            ("/undo", [], None, "Turn 'lamp'"),
            ("/redo", [[0, 30]], "Turn 'lamp'", "Turn 'lamp'"),
        ):
            said = self.ada.post(self.at(address), {}, content_type="application/json").json()
            self.assertEqual((self.turns(said), said["undo"], said["redo"]), (wanted, undo, redo))
        # What was undone is gone once something else is done.
        said = self.step(self.turn("mist", 5))
        self.assertIsNone(said["redo"])
        self.assertEqual(self.turns(self.cleo.get(self.at()).json()), [[0, 30]])

    def test_nothing_to_undo(self) -> None:
        answer = self.ada.post(self.at("/undo"), {}, content_type="application/json")
        self.assertEqual((answer.status_code, answer.json()["detail"]), (409, "There is no step of yours to undo."))

    def test_what_is_sent_twice_is_done_once(self) -> None:
        key = str(uuid.uuid4())
        first = self.step(self.turn("lamp", 30), id=key)
        again = self.step(self.turn("lamp", 30), id=key)
        self.assertEqual((first["version"], again["version"]), (1, 1))
        self.assertEqual(MotionStep.objects.count(), 1)
        key = str(uuid.uuid4())
        for _ in range(2):
            said = self.ada.post(self.at("/undo"), {"id": key}, content_type="application/json").json()
        self.assertEqual((self.turns(said), said["redo"]), ([], "Turn 'lamp'"))

    def test_two_people(self) -> None:
        self.step(self.turn("lamp", 30))
        # Of something else: no obstacle. Of the same, without having seen it: refused.
        self.step(self.turn("mist", 5), client=self.ben, version=0)
        refused = self.step(self.turn("lamp", 10), 409, self.ben, version=0)
        self.assertIn("ada", refused["detail"])
        self.step(self.turn("lamp", 10), client=self.ben)
        answer = self.ada.post(self.at("/undo"), {}, content_type="application/json")
        self.assertEqual(answer.status_code, 409)
        self.assertIn("'Turn 'lamp'' cannot be undone: ben changed the same later", answer.json()["detail"])

    def test_what_cannot_be_is_refused_and_changes_nothing(self) -> None:
        for command, words in (
            ({"do": "wobble"}, "There is no step called 'wobble'"),
            ("turn it", "There is no step called"),
            (self.turn("lamp", 1e9), "rotate"),
            ({"do": "pose", "values": {"nobody": {"rotate": 1}}}, "There is no part 'nobody'"),
            ({"do": "set-stage", "stage_after": {"duration": 3600}}, "600"),
        ):
            self.assertIn(words, self.step(command, 422)["detail"])  # type: ignore[arg-type]
        self.assertFalse(MotionStep.objects.exists())

    def test_a_package_that_is_not_opened_yet(self) -> None:
        Rehearsal.objects.filter(pk=self.tried["id"]).update(result=None)
        refused = self.step(self.turn("lamp", 1), 409, version=0)
        self.assertIn("not opened yet", refused["detail"])


class PackageTests(MotionCase):
    def test_where_everything_is_at_each_picture(self) -> None:
        self.step({"do": "set-stage", "stage_after": {"rate": 10, "duration": 1.0}})
        self.step(self.turn("lamp", 90, at=1.0, writes_keys=True))
        answer = self.cleo.get(self.at("/samples"))
        self.assertEqual((answer["Motion-Version"], answer["Content-Type"]), ("2", "application/octet-stream"))
        times, parts, moving, sets, changes = struct.unpack("<5I", answer.content[:20])
        self.assertEqual((times, parts, moving, sets, changes), (11, 9, 1, 0, 0))
        last = struct.unpack("<7f", answer.content[-28:])
        for number, wanted in zip(last, (0, 1, -1, 0), strict=False):
            self.assertAlmostEqual(number, wanted, 6)

    def test_too_much_to_play(self) -> None:
        rows = self.tried["result"]["parts"] * 20
        Rehearsal.objects.filter(pk=self.tried["id"]).update(result={**self.tried["result"], "parts": rows})
        self.step({"do": "set-stage", "stage_after": {"rate": 120, "duration": 600.0}})
        answer = self.ada.get(self.at("/samples"))
        self.assertEqual(answer.status_code, 409)
        self.assertIn("72,000 pictures of 180 parts are too many", answer.json()["detail"])

    def test_a_new_hand_over_has_the_same_motion_and_what_it_lacks_is_told(self) -> None:
        self.step(self.turn("lamp", 30))
        second = handed_over(self.illustration, self.users["ada"], 1)
        asked = self.post(self.ada, "rehearsals", 201, {"hand_over": second.pk})
        later = self.carried_out(asked["id"])
        said = self.ada.get(self.at(rehearsal=later["id"])).json()
        self.assertEqual((self.turns(said), said["lost"]), ([[0, 30]], []))
        without = [part for part in later["result"]["parts"] if part["id"] != self.parts["lamp"]]
        Rehearsal.objects.filter(pk=later["id"]).update(result={**later["result"], "parts": without})
        said = self.ada.get(self.at(rehearsal=later["id"])).json()
        self.assertEqual((self.turns(said), said["lost"]), ([[0, 30]], [self.paths["lamp"]]))

    def test_what_moved_a_part_moves_the_one_of_its_name_where_that_has_another_id(self) -> None:
        self.step(self.turn("lamp", 30))
        second = handed_over(self.illustration, self.users["ada"], 1)
        later = self.carried_out(self.post(self.ada, "rehearsals", 201, {"hand_over": second.pk})["id"])
        parts = [
            {**one, "id": "other" if one["id"] == self.parts["lamp"] else one["id"]} for one in later["result"]["parts"]
        ]
        Rehearsal.objects.filter(pk=later["id"]).update(result={**later["result"], "parts": parts})
        said = self.ada.get(self.at(rehearsal=later["id"])).json()
        self.assertEqual(([track["target"] for track in said["motion"]["tracks"]], said["lost"]), (["other"], []))

    def test_what_is_otherwise_than_in_the_hand_over_before(self) -> None:
        first = self.ada.get(f"/api/rehearsals/{self.tried['id']}/changes").json()
        self.assertEqual((first["since"], first["same"]), (None, 0))
        lamp = Row.objects.get(arrangement=self.illustration.pk, name="lamp").row
        command = {"do": "set-pivots", "pivots": {lamp: [10.0, 12.0]}}
        self.post(self.ada, "steps", 200, {"version": 1, "command": command})
        second = handed_over(self.illustration, self.users["ada"], 2)
        later = self.carried_out(self.post(self.ada, "rehearsals", 201, {"hand_over": second.pk})["id"])
        found = self.cleo.get(f"/api/rehearsals/{later['id']}/changes").json()
        self.assertEqual(
            (found["since"], found["changed"], found["new"], found["gone"], found["same"]), (1, [], [], [], 8)
        )
        self.assertEqual([name.split(" / ")[-1] for name in found["other_pivot"]], ["lamp"])

    def test_a_package_from_outside_has_a_motion_of_its_own(self) -> None:
        self.step(self.turn("lamp", 30))
        other = self.carried_out(self.outside(("a.png", png(1, 1, 9, 9)), ("b.png", png(4, 2, 15, 8)))["id"])
        self.assertEqual(self.ada.get(self.at(rehearsal=other["id"])).json()["motion"]["tracks"], [])
        part = other["result"]["parts"][0]["id"]
        body = {"version": 0, "command": {"do": "pose", "values": {part: {"opacity": 0.5}}}}
        self.ada.post(self.at("/steps", other["id"]), body, content_type="application/json")
        self.assertEqual(Motion.objects.count(), 2)
        self.assertEqual(len(self.ada.get(self.at(rehearsal=other["id"])).json()["motion"]["tracks"]), 1)
        self.ada.delete(f"/api/rehearsals/{other['id']}")
        self.assertEqual(Motion.objects.count(), 1)

    def test_the_picture_of_each_part_is_the_one_of_the_package(self) -> None:
        for part in self.tried["result"]["parts"]:
            seen = self.picture(self.tried, part["picture"])
            self.assertEqual(seen.shape[:2], (part["height"], part["width"]))
        files = {file["file"]: file["sha256"] for file in self.hand_over.files}
        # Kept by its content, so that nothing is kept twice.
        self.assertIn(self.tried["pictures"][f"{self.tried['result']['parts'][0]['picture']}.png"], files.values())


class ShelfTests(MotionCase):
    def keep(self, name: str = "signal up", status: int = 201) -> dict[str, Any]:
        answer = self.cleo.post(self.at("/keep"), {"name": name}, content_type="application/json")
        self.assertEqual(answer.status_code, status, answer.content)
        return dict(answer.json())

    def lay(self, kept: int, rehearsal: int, status: int = 200, **more: Any) -> dict[str, Any]:
        address = self.at(f"/shelf/{kept}/lay", rehearsal)
        answer = self.cleo.post(address, {"version": 0, **more}, content_type="application/json")
        self.assertEqual(answer.status_code, status, answer.content)
        return dict(answer.json())

    def test_a_motion_kept_of_one_figure_moves_another(self) -> None:
        self.assertIn("Nothing of this package moves yet", self.keep(status=422)["detail"])
        self.step(self.turn("lamp", 30, at=0.5, writes_keys=True))
        self.step(self.turn("mast", 5))
        kept = self.keep()
        self.assertEqual((kept["kind"], kept["has_picture"]), ("motion", False))
        # Ben has the role to change what is of the project; the shelf is each one's own.
        self.assertEqual(self.ben.get(self.at(f"/shelf/{kept['id']}/fit")).status_code, 404)
        Member.objects.filter(project=self.project, user=self.users["cleo"]).update(role=Member.Role.EDITOR)
        other = self.carried_out(self.outside(("lamp.png", png(0, 0, 9, 9)), ("rope.png", png(5, 5, 12, 9)))["id"])
        told = self.cleo.get(self.at(f"/shelf/{kept['id']}/fit", other["id"])).json()
        self.assertEqual([(one["name"], one["found_by"]) for one in told["pairs"]], [("lamp", "name")])
        self.assertEqual(told["left"], [self.paths["mast"]])
        key = str(uuid.uuid4())
        said = self.lay(kept["id"], other["id"], id=key)
        (track,) = said["motion"]["tracks"]
        self.assertEqual((track["target"], [one["at"] for one in track["keys"]]), ("lamp", [0.0, 0.5]))
        self.assertEqual(said["undo"], "Lay 'signal up' on the figure")
        self.assertEqual(self.lay(kept["id"], other["id"], id=key)["version"], said["version"], "a repeat does nothing")
        undone = self.cleo.post(self.at("/undo", other["id"]), {}, content_type="application/json").json()
        self.assertEqual(undone["motion"]["tracks"], [])

    def test_what_cannot_be_laid(self) -> None:
        self.step(self.turn("lamp", 30))
        kept = self.keep()
        Member.objects.filter(project=self.project, user=self.users["cleo"]).update(role=Member.Role.EDITOR)
        other = self.carried_out(self.outside(("rope.png", png(0, 0, 9, 9)), ("sail.png", png(5, 5, 12, 9)))["id"])
        refused = self.lay(kept["id"], other["id"], 422)
        self.assertIn("Nothing of 'signal up' has a counterpart", refused["detail"])
        row = {"version": 1}
        refused = self.cleo.post(self.address(f"shelf/{kept['id']}/use"), row, content_type="application/json").json()
        self.assertIn("open Try out, Move", refused["detail"])
        self.keep("", 400)
        with mock.patch.object(shelf, "MOST", 1):
            self.assertIn("holds 1 things already", self.keep("more", 422)["detail"])


class FilmTests(MotionCase):
    def film(self, status: int = 201, **asked: Any) -> dict[str, Any]:
        address = f"/api/rehearsals/{self.tried['id']}/films"
        answer = self.ada.post(address, asked, content_type="application/json")
        self.assertEqual(answer.status_code, status, answer.content)
        return dict(answer.json())

    def drawn(self, film: int) -> None:
        job = Film.objects.get(pk=film).job
        assert job is not None
        with tempfile.TemporaryDirectory() as folder, transaction.atomic():
            filming.carry_out(film, Path(folder), quiet)()
        Job.objects.filter(pk=job.pk).update(state=Job.State.DONE)

    def test_a_motion_is_written_down_as_it_was_when_it_was_asked_for(self) -> None:
        self.step({"do": "set-stage", "stage_after": {"rate": 10, "duration": 0.5}})
        self.step(self.turn("lamp", 90, at=0.5, writes_keys=True))
        made = self.film(kind="apng", width=194)
        self.step({"do": "reset"})
        self.drawn(made["id"])
        (listed,) = self.cleo.get(f"/api/rehearsals/{self.tried['id']}/films").json()
        self.assertEqual((listed["pictures"], listed["job"]["state"]), (5, "done"))
        answer = self.cleo.get(f"/api/films/{made['id']}/file")
        self.assertIn('filename="signal post film.png"', answer["Content-Disposition"])
        data = b"".join(answer.streaming_content)
        self.assertEqual(len(data), listed["bytes"])
        with Image.open(io.BytesIO(data)) as opened:
            self.assertEqual((opened.size, opened.n_frames), ((194, 146), 5))
            first = np.array(opened.convert("RGBA"))
            opened.seek(4)
            self.assertFalse(np.array_equal(first, np.array(opened.convert("RGBA"))))

    def test_what_plays_the_motion_is_read_back(self) -> None:
        self.step({"do": "set-stage", "stage_after": {"rate": 10, "duration": 0.5}})
        self.step(self.turn("lamp", 90, at=0.5, writes_keys=True))
        for kind, begin in (("page", b"<!DOCTYPE html>"), ("drawing", b"<?xml"), ("model", b"glTF"), ("motion", b"{")):
            with self.subTest(kind):
                made = self.film(kind=kind)
                self.drawn(made["id"])
                newest = self.cleo.get(f"/api/rehearsals/{self.tried['id']}/films").json()[0]
                self.assertEqual((newest["kind"], newest["replay"]["ok"]), (kind, True), newest)
                answer = self.cleo.get(f"/api/films/{made['id']}/file")
                self.assertIn('filename="signal post motion.', answer["Content-Disposition"])
                # A page of ours with what others drew is never shown at our address.
                self.assertIn("attachment", answer["Content-Disposition"])
                self.assertIn("sandbox", answer["Content-Security-Policy"])
                self.assertTrue(b"".join(answer.streaming_content).startswith(begin))

    def test_one_at_a_time_and_the_oldest_goes(self) -> None:
        first = self.film(kind="png")
        self.assertIn("is being written", self.film(409, kind="gif")["detail"])
        self.drawn(first["id"])
        for _ in range(filming.MOST_FILMS):
            made = self.film(kind="gif", width=10)
            Job.objects.filter(pk=made["job"]["id"]).update(state=Job.State.DONE)
        self.assertEqual(Film.objects.count(), filming.MOST_FILMS)
        self.assertFalse(Film.objects.filter(pk=first["id"]).exists())
        self.assertEqual(self.ada.delete(f"/api/films/{made['id']}").status_code, 204)
        self.assertEqual(self.cleo.get(f"/api/films/{made['id']}/file").status_code, 404)

    def test_what_cannot_be_written_is_said(self) -> None:
        for asked in ({"kind": "mp4"}, {"kind": "gif", "width": 0}, {"kind": "gif", "width": 1 << 20}, {}):
            self.film(400, **asked)
        self.step({"do": "set-stage", "stage_after": {"rate": 120, "duration": 600.0}})
        made = self.film(kind="webp")
        with self.assertRaisesRegex(YupletError, "72,000 pictures; up to 20,000"):
            self.drawn(made["id"])

    def test_its_file_is_not_swept(self) -> None:
        made = self.film(kind="png")
        self.drawn(made["id"])
        digest = Film.objects.get(pk=made["id"]).file
        os.utime(blobs().path(digest), (0, 0))
        call_command("sweep_files", verbosity=0)
        self.assertTrue(blobs().exists(digest))
