"""Receivers without an account: what a link shows and gives, for how long, and what is remarked by it."""

import datetime
import io
import zipfile
from typing import Any
from unittest import mock

from django.test import Client
from django.utils import timezone
from PIL import Image

from tests.cases import ServerTestCase, brought_in, handed_over
from yuplet_server.accounts.models import Attempts
from yuplet_server.handovers.models import HandOver
from yuplet_server.projects.actions import remove_project, start_project
from yuplet_server.receivers import actions
from yuplet_server.receivers.models import Delivery, Remark, Visit

RECIPE = {"format": "yuplet-recipe", "version": 1, "name": "For the rig"}


class ReceiverTests(ServerTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.first = handed_over(self.illustration, self.users["ben"], 1, RECIPE)
        self.visitor = Client()

    def made(self, **body: Any) -> str:
        asked = {"to": "Maren, rigging", "days": 14, "recipe": "For the rig", **body}
        answer = self.ben.post(self.address("deliveries"), asked, content_type="application/json")
        self.assertEqual(answer.status_code, 201, answer.content)
        return str(answer.json()["path"]).replace("/receive/", "/api/received/")

    def refused(self, link: str) -> str:
        answers = [self.visitor.get(link), self.visitor.get(f"{link}/picture"), self.visitor.get(f"{link}/package")]
        answers.append(
            self.visitor.post(f"{link}/remarks", {"part": "x", "text": "y"}, content_type="application/json")
        )
        self.assertEqual({(one.status_code, one.json()["code"]) for one in answers}, {(422, "nothing-there")})
        return str(answers[0].json()["detail"])

    def test_what_a_receiver_sees_and_takes(self) -> None:
        link = self.made()
        told = self.visitor.get(link).json()
        self.assertEqual(
            (told["title"], told["to"], told["number"], told["recipe"], told["is_newest"], told["changes"]),
            ("signal post", "Maren, rigging", 1, "For the rig", True, None),
        )
        self.assertEqual((told["width"], told["height"], len(told["parts"])), (97, 73, 9))
        lamp = next(part for part in told["parts"] if part["path"][-1] == "lamp")
        self.assertEqual(lamp["file"], "parts/post/signal/lamp.png")
        picture = Image.open(io.BytesIO(b"".join(self.visitor.get(f"{link}/picture").streaming_content)))
        self.assertEqual(picture.size, (97, 73))
        package = b"".join(self.visitor.get(f"{link}/package").streaming_content)
        with zipfile.ZipFile(io.BytesIO(package)) as archive:
            self.assertEqual(set(archive.namelist()), {file["file"] for file in self.first.files})
        (listed,) = self.cleo.get(self.address("deliveries")).json()
        self.assertEqual((listed["seen"], listed["taken"], listed["number"], listed["is_open"]), (1, 1, None, True))
        self.assertEqual(
            list(Visit.objects.values_list("what", "address")), [("seen", "127.0.0.1"), ("taken", "127.0.0.1")]
        )
        # The token is nowhere kept.
        self.assertNotIn(link.split("/")[-1], str(list(Delivery.objects.values())))

    def test_the_newest_or_always_the_same(self) -> None:
        newest, same = self.made(), self.made(hand_over=self.first.pk)
        self.step(self.ada, 1, do="rename-rows", names={self.row_id("glow"): "halo"})
        second = handed_over(self.illustration, self.users["ben"], 2, RECIPE)
        told = self.visitor.get(newest).json()
        self.assertEqual(told["number"], second.number)
        self.assertEqual(
            told["changes"],
            {"since": 1, "new": ["parts/halo.png"], "changed": ["places.csv"], "gone": ["parts/glow.png"]},
        )
        self.assertEqual(self.visitor.get(same).json()["number"], 1)
        # One that did not come back as it should is nothing for a receiver, and neither is one by another recipe.
        third = handed_over(self.illustration, self.users["ben"], 2, RECIPE)
        third.report["proof"]["ok"] = False
        third.save()
        handed_over(self.illustration, self.users["ben"], 2, {**RECIPE, "name": "Another"})
        self.assertEqual(self.visitor.get(newest).json()["number"], second.number)
        HandOver.objects.filter(pk=self.first.pk).update(files=[])
        self.assertIn("no longer kept", self.refused(same))

    def test_a_link_ends(self) -> None:
        link = self.made()
        (listed,) = self.cleo.get(self.address("deliveries")).json()
        self.assertEqual(self.cleo.delete(f"/api/deliveries/{listed['id']}").status_code, 403)
        self.assertEqual(self.ben.delete(f"/api/deliveries/{listed['id']}").status_code, 204)
        self.assertIn("revoked", self.refused(link))
        self.assertFalse(self.cleo.get(self.address("deliveries")).json()[0]["is_open"])
        link = self.made()
        Delivery.objects.update(ends_at=timezone.now() - datetime.timedelta(seconds=1))
        self.refused(link)
        link = self.made()
        remove_project(self.project, self.users["ada"])
        self.refused(link)
        self.refused("/api/received/guessed")

    def test_what_cannot_be_delivered(self) -> None:
        other = brought_in(start_project(self.users["ben"], "Elsewhere"))
        foreign = handed_over(other, self.users["ben"], 1, RECIPE)
        for body, status in (
            ({"recipe": "Never used"}, 422),
            ({"hand_over": foreign.pk}, 422),
            ({"hand_over": 10**9}, 404),
            ({"days": 0}, 400),
            ({"days": 10_000}, 400),
            ({"to": ""}, 400),
            ({"to": "a\u202eb"}, 400),
        ):
            asked = {"to": "Maren", "days": 14, "recipe": "For the rig", **body}
            answer = self.ben.post(self.address("deliveries"), asked, content_type="application/json")
            self.assertEqual(answer.status_code, status, body)

    def test_a_remark_comes_back_and_is_answered(self) -> None:
        link = self.made()
        part = self.visitor.get(link).json()["parts"][0]
        asked = {"part": part["id"], "text": "More underlap,\nplease"}
        said = self.visitor.post(f"{link}/remarks", asked, content_type="application/json")
        self.assertEqual(said.status_code, 201, said.content)
        (told,) = self.cleo.get(self.address("remarks")).json()
        self.assertEqual(
            (told["to"], told["number"], told["part"], told["text"], told["answer"]),
            ("Maren, rigging", 1, part["id"], "More underlap,\nplease", ""),
        )
        address = f"/api/remarks/{told['id']}/answer"
        self.assertEqual(self.cleo.post(address, {"text": "Done"}, content_type="application/json").status_code, 403)
        self.assertEqual(self.ben.post(address, {"text": "Done"}, content_type="application/json").status_code, 200)
        again = self.ben.post(address, {"text": "Twice"}, content_type="application/json")
        self.assertEqual((again.status_code, again.json()["code"]), (409, "not-now"))
        (seen,) = self.visitor.get(link).json()["remarks"]
        self.assertEqual((seen["answer"], seen["answered_by"]), ("Done", "ben"))
        # By another link nobody reads it.
        self.assertEqual(self.visitor.get(self.made(to="Otto")).json()["remarks"], [])

    def test_remarks_that_are_none(self) -> None:
        link = self.made()
        part = self.visitor.get(link).json()["parts"][0]["id"]
        for asked, status in (
            ({"part": "nobody", "text": "x"}, 422),
            ({"part": part, "text": ""}, 400),
            ({"part": part, "text": "x" * 1001}, 400),
            ({"part": part, "text": "a\u0007b"}, 400),
            ({"text": "x"}, 400),
        ):
            answer = self.visitor.post(f"{link}/remarks", asked, content_type="application/json")
            self.assertEqual(answer.status_code, status, asked)
        self.assertEqual(Remark.objects.count(), 0)
        asked = {"part": part, "text": "x"}
        with mock.patch.object(actions, "MOST_REMARKS", 2):
            status = [
                self.visitor.post(f"{link}/remarks", asked, content_type="application/json").status_code
                for _ in range(3)
            ]
        self.assertEqual(status, [201, 201, 422])
        Attempts.objects.filter(key__startswith="remark:").update(count=60, last=timezone.now())
        answer = self.visitor.post(f"{link}/remarks", asked, content_type="application/json")
        self.assertEqual((answer.status_code, answer.json()["code"]), (429, "too-many-attempts"))

    def test_the_log_of_a_link_does_not_grow_for_ever(self) -> None:
        link = self.made()
        with mock.patch.object(actions, "MOST_VISITS", 3):
            for number in range(5):
                # Looking twice is one visit.
                for _ in range(2):
                    self.visitor.get(link, REMOTE_ADDR=f"203.0.113.{number}")
        self.assertEqual(list(Visit.objects.values_list("address", flat=True)), [f"203.0.113.{at}" for at in (2, 3, 4)])
