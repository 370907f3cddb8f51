"""What a project may take: told before it hurts, refused with a sentence, counted anew by the sweep."""

from unittest import mock

from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import call_command

from tests.cases import ServerTestCase, handed_over, ora
from yuplet_server.handovers.models import HandOver
from yuplet_server.projects.actions import set_role
from yuplet_server.projects.models import Project


class RoomTests(ServerTestCase):
    def setUp(self) -> None:
        super().setUp()
        # What is counted after a transaction is counted in the middle of the test's own.
        self.enterContext(mock.patch("django.db.transaction.on_commit", side_effect=lambda does, **_: does()))
        call_command("count_bytes")

    def told(self) -> tuple[int, int | None]:
        answer = self.cleo.get(f"/api/projects/{self.project.pk}").json()
        return answer["bytes"], answer["most_bytes"]

    def test_what_comes_is_added_and_counted_anew(self) -> None:
        self.assertEqual(self.told(), (self.illustration.revision.bytes, None))
        first = handed_over(self.illustration, self.users["ada"], 1)
        again = handed_over(self.illustration, self.users["ada"], 1)
        package = {file["sha256"]: file["bytes"] for one in (first, again) for file in one.files}
        whole = self.illustration.revision.bytes + sum(package.values())
        self.assertEqual(self.told()[0], whole, "what both packages have is there once")
        Project.objects.update(bytes=5)
        call_command("count_bytes")
        self.assertEqual(self.told()[0], whole)
        HandOver.objects.all().delete()
        call_command("count_bytes")
        self.assertEqual(self.told()[0], self.illustration.revision.bytes)

    def test_a_full_project_takes_nothing_more_and_loses_nothing(self) -> None:
        used, size = self.told()[0], len(ora())
        with self.settings(PROJECT_BYTES=used + size - 1):
            self.assertEqual(self.told()[1], used + size - 1)
            for path in (
                f"/api/projects/{self.project.pk}/illustrations",
                self.address("revisions"),
                self.address("rehearsals/outside"),
            ):
                name = "package.zip" if "outside" in path else "more.ora"
                answer = self.ada.post(path, {"file": SimpleUploadedFile(name, ora())})
                self.assertEqual((answer.status_code, answer.json()["code"]), (507, "project-full"), path)
                self.assertIn("'Marsh Line' takes", answer.json()["detail"])
            self.assertEqual(self.told()[0], used)
            self.assertEqual(
                self.ada.post(self.address("hand-overs"), {"version": 1}, "application/json").status_code, 201
            )
        with self.settings(PROJECT_BYTES=used):
            refused = self.ada.post(self.address("hand-overs"), {"version": 1}, "application/json")
            self.assertEqual((refused.status_code, refused.json()["code"]), (507, "project-full"))
        with self.settings(PROJECT_BYTES=used + size):
            answer = self.ada.post(
                f"/api/projects/{self.project.pk}/illustrations", {"file": SimpleUploadedFile("b.ora", ora())}
            )
            self.assertEqual(answer.status_code, 201)
        self.assertEqual(self.told()[0], used + size)

    def test_an_account_has_a_limit_with_all_of_its_projects(self) -> None:
        """A project counts for whoever has owned it longest; another owner who has none is not held back by it."""
        other = Project.objects.get(
            pk=self.ada.post("/api/projects", {"name": "Other"}, "application/json").json()["id"]
        )
        Project.objects.filter(pk=other.pk).update(bytes=1000)
        used, size = self.told()[0] + 1000, len(ora())
        self.assertEqual(self.ada.get("/api/room").json(), {"bytes": used, "most_bytes": None})
        to_other, to_first = (f"/api/projects/{number}/illustrations" for number in (other.pk, self.project.pk))
        with self.settings(ACCOUNT_BYTES=used + size - 1):
            self.assertEqual(self.ada.get("/api/room").json()["most_bytes"], used + size - 1)
            for path in (to_other, to_first, "/api/projects/move-in"):
                answer = self.ada.post(path, {"file": SimpleUploadedFile("more.ora", ora())})
                self.assertEqual((answer.status_code, answer.json()["code"]), (507, "project-full"), path)
                self.assertIn("The projects of 'ada' take", answer.json()["detail"])
            set_role(self.project, "ben", "owner")
            self.assertEqual(self.ben.get("/api/room").json()["bytes"], 0, "the first owner's it stays")
            self.assertEqual(self.ben.post(to_first, {"file": SimpleUploadedFile("b.ora", ora())}).status_code, 507)
            own = self.ben.post("/api/projects", {"name": "Own"}, "application/json").json()["id"]
            answer = self.ben.post(f"/api/projects/{own}/illustrations", {"file": SimpleUploadedFile("b.ora", ora())})
            self.assertEqual(answer.status_code, 201)
            self.assertEqual(self.ben.get("/api/room").json()["bytes"], size)
        Project.objects.filter(pk=other.pk).delete()
        self.assertEqual(self.ada.get("/api/room").json()["bytes"], used - 1000)

    def test_a_project_that_moves_in_is_no_way_round_it(self) -> None:
        with self.settings(PROJECT_BYTES=100):
            answer = self.ada.post("/api/projects/move-in", {"file": SimpleUploadedFile("marsh.zip", b"x" * 101)})
        self.assertEqual((answer.status_code, answer.json()["code"]), (507, "project-full"))
