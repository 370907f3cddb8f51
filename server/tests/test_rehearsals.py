"""Packages that are tried out: hand-overs, and what comes from outside."""

import io
import json
import os
import tempfile
import zipfile
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import call_command
from django.db import transaction
from PIL import Image

from tests.cases import ServerTestCase, brought_in, handed_over, quiet, zip_of
from yuplet.errors import YupletError
from yuplet_server.files.store import blobs
from yuplet_server.jobs.models import Job
from yuplet_server.rehearsals import actions
from yuplet_server.rehearsals.models import Rehearsal


def zipped(files: dict[str, bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for name, data in files.items():
            archive.writestr(name, data)
    return out.getvalue()


def png(*box: int, size: tuple[int, int] = (20, 10)) -> bytes:
    picture, out = Image.new("RGBA", size), io.BytesIO()
    picture.paste((200, 60, 20, 255), box)
    picture.save(out, "png")
    return out.getvalue()


class RehearsalCase(ServerTestCase):
    @classmethod
    def setUpTestData(cls) -> None:
        super().setUpTestData()
        cls.hand_over = handed_over(cls.illustration, cls.users["ada"], 1)

    def carried_out(self, rehearsal: int) -> dict[str, Any]:
        """Done as a worker does it, and what the page is told then."""
        job = Rehearsal.objects.get(pk=rehearsal).job
        assert job is not None
        try:
            with tempfile.TemporaryDirectory() as folder, transaction.atomic():
                actions.carry_out(rehearsal, Path(folder), quiet)()
        finally:
            Job.objects.filter(pk=job.pk).update(state=Job.State.DONE)
        return dict(self.cleo.get(f"/api/rehearsals/{rehearsal}").json())

    def opened(self, **reading: Any) -> dict[str, Any]:
        return dict(self.post(self.ada, "rehearsals", 201, {"hand_over": self.hand_over.pk, **reading}))

    def outside(self, *files: tuple[str, bytes], status: int = 201) -> dict[str, Any]:
        sent = [SimpleUploadedFile(name.split("/")[-1], data) for name, data in files]
        answer = self.ada.post(self.address("rehearsals/outside"), {"file": sent, "path": [name for name, _ in files]})
        self.assertEqual(answer.status_code, status, answer.content)
        return dict(answer.json())

    def picture(self, rehearsal: dict[str, Any], name: str) -> np.ndarray:
        address = f"/api/rehearsals/{rehearsal['id']}/pictures/{name}/{rehearsal['pictures'][name + '.png']}"
        answer = self.cleo.get(address)
        self.assertEqual((answer.status_code, answer["Content-Type"]), (200, "image/png"))
        return np.array(Image.open(io.BytesIO(b"".join(answer.streaming_content))))


class RehearsalTests(RehearsalCase):
    def test_a_hand_over_is_opened_once_and_nothing_differs(self) -> None:
        first = self.opened()
        done = self.carried_out(first["id"])
        self.assertEqual((done["number"], done["result"]["ok"], done["result"]["way"]), (1, True, "places"))
        self.assertEqual(done["result"]["comparison"]["differing_pixels"], 0)
        self.assertEqual(len(done["result"]["parts"]), 9)
        np.testing.assert_array_equal(self.picture(done, "together"), self.picture(done, "reference"))
        self.assertEqual(self.picture(done, "difference").max(), 0)
        self.assertEqual(self.opened()["id"], first["id"])
        self.assertEqual(Rehearsal.objects.count(), 1)
        with self.subTest("in another way it is opened again"):
            again = self.opened(way="whole canvas")
            self.assertEqual((again["id"], again["job"]["state"]), (first["id"], "waiting"))
            with self.assertRaisesRegex(YupletError, "cannot be read as 'whole canvas'"):
                self.carried_out(first["id"])

    def test_the_list_is_short_and_the_picture_has_one_address(self) -> None:
        done = self.carried_out(self.opened()["id"])
        (listed,) = self.cleo.get(self.address("rehearsals")).json()
        self.assertNotIn("result", listed)
        other = f"/api/rehearsals/{done['id']}/pictures/together/{'0' * 64}"
        self.assertEqual(self.cleo.get(other).status_code, 404)

    def test_where_parts_lie_on_other_screens(self) -> None:
        opened = self.opened()["id"]
        address = f"/api/rehearsals/{opened}/screens"
        self.assertEqual(self.cleo.get(f"{address}?size=97x73").status_code, 409, "it is not open yet")
        parts = self.carried_out(opened)["result"]["parts"]
        same, twice = self.cleo.get(f"{address}?size=97x73&size=194x146").json()
        self.assertEqual([place["left"] for place in same["places"]], [part["left"] for part in parts])
        self.assertEqual([place["width"] for place in twice["places"]], [2 * part["width"] for part in parts])
        self.assertEqual((twice["width"], twice["findings"]), (194, []))
        for wrong, words in (
            ("size=97", "is no size of a screen"),
            ("size=97x9999999", "is no size of a screen"),
            ("size=97x99999", "cannot be looked at"),
            ("&".join(["size=97x73"] * 13), "more than 12"),
        ):
            answer = self.cleo.get(f"{address}?{wrong}")
            self.assertEqual(answer.status_code, 422, answer.content)
            self.assertIn(words, answer.json()["detail"])
        self.assertEqual(self.cleo.get(address).json(), [])
        with self.subTest("a package that was opened by an earlier version"):
            kept = Rehearsal.objects.get(pk=opened)
            for part in kept.result["parts"]:  # type: ignore[index]
                for name in ("role", "anchor", "margins"):
                    del part[name]
            kept.save()
            self.assertEqual(self.cleo.get(f"{address}?size=97x73").json(), [same])
            self.assertEqual(self.cleo.get(f"/api/rehearsals/{opened}").json()["result"]["parts"], parts)

    def test_planes_of_somewhere_stand_behind_each_other(self) -> None:
        made = self.outside(("1 back.png", png(0, 0, 9, 9)), ("2 front.png", png(5, 5, 12, 9)))
        again = {"way": "planes", "step": 300, "distance": 900}
        self.carried_out(made["id"])
        answer = self.ada.put(f"/api/rehearsals/{made['id']}", again, content_type="application/json")
        self.assertEqual(answer.status_code, 200, answer.content)
        result = self.carried_out(made["id"])["result"]
        self.assertEqual(([part["depth"] for part in result["parts"]], result["distance"]), ([300.0, 0.0], 900.0))
        answer = self.ada.put(f"/api/rehearsals/{made['id']}", {"step": 0}, content_type="application/json")
        self.assertEqual(answer.status_code, 400)

    def test_a_hand_over_of_another_illustration_is_not_found(self) -> None:
        other = handed_over(brought_in(self.project, "other.ora"), self.users["ada"], 1)
        self.post(self.ada, "rehearsals", 404, {"hand_over": other.pk})
        self.post(self.ada, "rehearsals", 404, {"hand_over": 10**9})

    def test_files_that_are_no_longer_kept_are_said_to_be_gone(self) -> None:
        self.hand_over.files = []
        self.hand_over.save()
        refused = self.post(self.ada, "rehearsals", 409, {"hand_over": self.hand_over.pk})
        self.assertIn("hand-over no. 1 are not there", refused["detail"])

    def test_a_package_of_ours_comes_back_from_outside(self) -> None:
        for name, data in (
            ("as it is", zip_of(self.hand_over)),
            ("in a folder", zipped({f"brindle/{name}": data for name, data in self.package(self.hand_over).items()})),
            (
                "with what a system adds",
                zipped({**self.package(self.hand_over), "__MACOSX/._x": b"", ".DS_Store": b"x"}),
            ),
        ):
            with self.subTest(name):
                done = self.carried_out(self.outside(("package.zip", data))["id"])
                self.assertEqual((done["number"], done["name"], done["result"]["ok"]), (None, "package.zip", True))

    def test_loose_files_and_another_way(self) -> None:
        made = self.outside(("back 1.png", png(0, 0, 9, 9)), ("back 2.png", png(5, 5, 12, 9)))
        done = self.carried_out(made["id"])
        self.assertEqual((done["result"]["way"], done["result"]["comparison"]), ("flip-book", None))
        again = self.ada.put(f"/api/rehearsals/{made['id']}", {"way": "whole canvas"}, content_type="application/json")
        self.assertEqual(again.status_code, 200)
        self.assertEqual(sum(part["shown"] for part in self.carried_out(made["id"])["result"]["parts"]), 2)

    def test_what_is_missing_is_looked_for_in_other_files(self) -> None:
        files = self.package(self.hand_over)
        (lamp,) = (name for name in files if name.endswith("lamp.png"))
        picture = files.pop(lamp)
        made = self.carried_out(self.outside(("package.zip", zipped(files)))["id"])
        self.assertEqual(made["result"]["inventory"]["missing"], [lamp])
        sent = SimpleUploadedFile("LAMP.PNG", picture)
        answer = self.ada.post(f"/api/rehearsals/{made['id']}/missing", {"file": sent})
        self.assertEqual(answer.status_code, 201, answer.content)
        again = self.carried_out(made["id"])
        self.assertEqual((again["result"]["inventory"]["missing"], again["result"]["ok"]), ([], True))
        with self.subTest("sent twice it is one"):
            picture_again = SimpleUploadedFile("LAMP.PNG", picture)
            self.ada.post(f"/api/rehearsals/{made['id']}/missing", {"file": picture_again})
        (more,) = Rehearsal.objects.get(pk=made["id"]).more
        os.utime(blobs().path(more["archive"]), (0, 0))
        call_command("sweep_files", verbosity=0)
        self.assertTrue(blobs().exists(more["archive"]))

    def test_a_sheet_is_asked_for_its_columns(self) -> None:
        made = self.outside(("sheet.png", png(1, 1, 9, 9)))
        with self.assertRaisesRegex(YupletError, "Say how many columns"):
            self.carried_out(made["id"])
        self.ada.put(f"/api/rehearsals/{made['id']}", {"columns": 2, "rows": 1}, content_type="application/json")
        self.assertEqual(self.carried_out(made["id"])["result"]["width"], 10)
        for wrong in (
            {"columns": 0},
            {"columns": 10**9},
            {"way": "by magic"},
            {"rows": "x"},
            {"reference": "x" * 1000},
        ):
            answer = self.ada.put(f"/api/rehearsals/{made['id']}", wrong, content_type="application/json")
            self.assertEqual(answer.status_code, 400, wrong)

    def test_hostile_archives_are_refused_with_a_sentence_and_write_nothing_elsewhere(self) -> None:
        bomb = io.BytesIO()
        with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("a.png", bytes(3 << 20))
        for data, words in (
            (zipped({"../../escaped.png": png(0, 0, 2, 2)}), "leaves it"),
            (zipped({"/etc/escaped.png": png(0, 0, 2, 2)}), "leaves it"),
            (zipped({"con/a.png": png(0, 0, 2, 2)}), "cannot be unpacked"),
            (zipped({"a.png": png(0, 0, 2, 2), "a.png/b.png": b"x"}), "another one is where its folder would be"),
            (b"PK\x03\x04 torn", "damaged archive"),
            (zipped({"manifest.json": b"{"}), "manifest.json"),
            (zipped({"manifest.json": b'{"canvas": {"width": 1e9, "height": 1}}'}), "manifest.json"),
            (zipped({}), "There is nothing in"),
        ):
            with self.subTest(words):
                made = self.outside(("package.zip", data))
                with self.assertRaisesRegex(YupletError, words):
                    self.carried_out(made["id"])
                self.assertIsNone(Rehearsal.objects.get(pk=made["id"]).result)
        with self.subTest("more than it may unpack to"):
            made = self.outside(("package.zip", bomb.getvalue()))
            with (
                mock.patch.object(actions, "MOST_UNPACKED", 1 << 20),
                self.assertRaisesRegex(YupletError, "unpacks to"),
            ):
                self.carried_out(made["id"])
        with self.subTest("nothing at all"):
            self.assertIn("is empty", str(self.outside(("package.zip", b""), status=400)["file"]))

    def test_one_that_is_closed_is_gone_and_its_job_ends(self) -> None:
        made = self.opened()
        self.assertEqual(self.ada.delete(f"/api/rehearsals/{made['id']}").status_code, 204)
        self.assertEqual(Job.objects.get(pk=made["job"]["id"]).state, Job.State.CANCELLED)
        self.assertEqual(self.cleo.get(f"/api/rehearsals/{made['id']}").status_code, 404)

    def test_while_it_is_opened_it_is_not_opened_in_another_way(self) -> None:
        made = self.opened()
        answer = self.ada.put(f"/api/rehearsals/{made['id']}", {"way": "model"}, content_type="application/json")
        self.assertEqual(answer.status_code, 409)

    def test_what_is_kept_for_it_is_not_swept(self) -> None:
        done = self.carried_out(self.outside(("package.zip", zip_of(self.hand_over)))["id"])
        rehearsal = Rehearsal.objects.get(pk=done["id"])
        kept = (rehearsal.archive, *rehearsal.pictures.values())
        # The archive, three pictures of the whole, and one of each part.
        self.assertEqual(len(kept), 13)
        for digest in kept:
            os.utime(blobs().path(digest), (0, 0))
        call_command("sweep_files", verbosity=0)
        for digest in kept:
            self.assertTrue(blobs().exists(digest))


class LiningUpTests(RehearsalCase):
    """Loose images are lined up by a picture of the whole: proposed, moved by hand, kept."""

    def setUp(self) -> None:
        super().setUp()
        whole = Image.new("RGBA", (120, 80), (240, 230, 220, 255))
        files = {}
        for number, (name, place) in enumerate({"arm": (10, 12), "leg": (60, 30)}.items()):
            image = Image.new("RGBA", (31, 26), (40, 30, 20, 255))
            image.paste((200, 60 + 90 * number, 40, 255), (3, 4, 25 + number, 20))
            image.paste((20, 60, 240 - 80 * number, 255), (6, 8, 12, 13 + 3 * number))
            whole.alpha_composite(image, place)
            files[f"{name}.png"] = image
        self.sent = {name: self._bytes(image) for name, image in {**files, "whole.png": whole}.items()}

    def _bytes(self, image: Image.Image) -> bytes:
        out = io.BytesIO()
        image.save(out, "png")
        return out.getvalue()

    def test_they_are_proposed_moved_and_kept(self) -> None:
        made = self.outside(*self.sent.items())
        done = self.carried_out(made["id"])
        result = done["result"]
        self.assertEqual((result["way"], result["reference"]), ("lined up", "whole.png"))
        proposed = {one["file"]: (one["laid"]["x"], one["laid"]["y"], one["certainty"]) for one in result["proposals"]}
        self.assertEqual(proposed, {"arm.png": (10, 12, 1.0), "leg.png": (60, 30, 1.0)})
        for image in result["images"]:
            self.assertEqual(
                self.picture(done, image["picture"]).tolist(),
                np.array(Image.open(io.BytesIO(self.sent[image["file"]]))).tolist(),
            )
        places = [{**laid, "x": laid["x"] + 3} for laid in result["places"]]
        asked = self.ada.put(
            f"/api/rehearsals/{made['id']}", {"way": "lined up", "places": places}, content_type="application/json"
        )
        self.assertEqual(asked.status_code, 200, asked.content)
        with mock.patch("yuplet.rehearsal.loose_files.propose") as propose:
            moved = self.carried_out(made["id"])["result"]
        propose.assert_not_called()
        self.assertEqual(moved["places"], places)
        self.assertEqual(moved["proposals"], result["proposals"], "what was proposed stays")
        self.assertGreater(moved["comparison"]["differing_pixels"], 0)
        self.assertEqual(self.cleo.get(f"/api/rehearsals/{made['id']}/package").status_code, 404)
        self.ada.put(
            f"/api/rehearsals/{made['id']}",
            {"way": "lined up", "places": places, "package": True},
            content_type="application/json",
        )
        self.carried_out(made["id"])
        answer = self.cleo.get(f"/api/rehearsals/{made['id']}/package")
        with zipfile.ZipFile(io.BytesIO(b"".join(answer.streaming_content))) as package:
            manifest = json.loads(package.read("manifest.json"))
        self.assertEqual({part["name"]: part["box"]["x"] for part in manifest["parts"]}, {"arm": 13, "leg": 63})
        self.assertEqual(self.dora.get(f"/api/rehearsals/{made['id']}/package").status_code, 404)
        self.ada.put(
            f"/api/rehearsals/{made['id']}", {"way": "lined up", "places": None}, content_type="application/json"
        )
        self.assertEqual(self.carried_out(made["id"])["result"]["places"], result["places"], "proposed anew")

    def test_places_that_cannot_be_are_refused_at_the_door_and_those_of_files_that_are_not_there_by_the_job(
        self,
    ) -> None:
        made = self.outside(*self.sent.items())
        self.carried_out(made["id"])
        good = {"file": "arm.png", "x": 1, "y": 2, "mirrored": False, "quarters": 0, "scale": 1}
        for wrong in (
            {"x": 10**7},
            {"x": "left"},
            {"quarters": 4},
            {"scale": 0},
            {"scale": 1e9},
            {"file": ""},
            {"y": None},
        ):
            with self.subTest(wrong):
                answer = self.ada.put(
                    f"/api/rehearsals/{made['id']}", {"places": [{**good, **wrong}]}, content_type="application/json"
                )
                self.assertEqual(answer.status_code, 400, answer.content)
        asked = self.ada.put(
            f"/api/rehearsals/{made['id']}",
            {"way": "lined up", "places": [{**good, "file": "../../etc/passwd"}]},
            content_type="application/json",
        )
        self.assertEqual(asked.status_code, 200)
        with self.assertRaisesRegex(YupletError, "no such image"):
            self.carried_out(made["id"])
