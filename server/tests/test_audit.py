"""The audit log: each deed that somebody may ask about later, by whom, from where; for administrators only, and the same in a file."""

import datetime
import json
import logging
import tempfile
from pathlib import Path

from django.conf import settings
from django.test import Client
from django.utils import timezone

from tests.cases import PASSWORD, ServerTestCase, handed_over
from yuplet_server.accounts.models import User
from yuplet_server.audit import actions, views
from yuplet_server.audit.models import Entry
from yuplet_server.base import logs


class AuditTests(ServerTestCase):
    def setUp(self) -> None:
        super().setUp()
        User.objects.filter(username="dora").update(is_staff=True)
        Entry.objects.all().delete()
        self.path = Path(self.enterContext(tempfile.TemporaryDirectory())) / "audit.jsonl"
        handler = logging.FileHandler(self.path)
        formatter = logging.config.DictConfigurator(settings.LOGGING).configure_formatter(  # type: ignore[attr-defined]
            dict(settings.LOGGING["formatters"]["lines"])
        )
        handler.setFormatter(formatter)
        handler.addFilter(logs.OfRequest())
        self.addCleanup(handler.close)
        actions.log.addHandler(handler)
        self.addCleanup(actions.log.removeHandler, handler)

    def entries(self, **asked: object) -> list[dict[str, object]]:
        """What dora, an administrator, is shown, the newest first."""
        answer = self.dora.get("/api/audit", asked)
        self.assertEqual(answer.status_code, 200, answer.content)
        return list(answer.json())

    def test_what_people_do_is_written_down(self) -> None:
        visitor = Client(REMOTE_ADDR="203.0.113.7")
        visitor.post("/api/session", {"username": "ben", "password": "wrong"}, "application/json")
        visitor.post("/api/session", {"username": "ben", "password": PASSWORD}, "application/json")
        made = handed_over(self.illustration, self.users["ben"], 1)
        self.ben.get(f"/api/hand-overs/{made.pk}/package")
        self.ben.get(self.address("original"))
        project = f"/api/projects/{self.project.pk}"
        self.ada.post(f"{project}/members", {"username": "cleo", "role": "editor"}, "application/json")
        self.ada.delete(f"{project}/members/{self.users['cleo'].pk}")
        link = {"to": "Maren", "days": 7, "hand_over": made.pk, "recipe": ""}
        token = self.ada.post(self.address("deliveries"), link, "application/json").json()["path"].rpartition("/")[2]
        visitor.get(f"/api/received/{token}/package")
        self.ada.delete(self.address("").rstrip("/"))
        told = [(one["account"], one["kind"], one["about"]) for one in reversed(self.entries())]
        name = self.illustration.name
        package = f"{name} hand-over {made.number}.zip"
        self.assertEqual(
            told,
            [
                ("ben", "sign-in-failed", "a sign-in failed"),
                ("ben", "sign-in", ""),
                ("ben", "hand-over", package),
                ("ben", "download", package),
                ("ben", "download", f"original 'signal post.ora' of '{name}'"),
                ("ada", "member", "'cleo' of 'Marsh Line': editor"),
                ("ada", "member", "'cleo' is no member of 'Marsh Line' any more"),
                ("ada", "link", f"made, to '{name}' for 'Maren'"),
                ("", "download", f"{package}, by the link for 'Maren'"),
                ("ada", "remove", f"illustration '{name}'"),
            ],
        )
        self.assertEqual({one["address"] for one in self.entries(kind="sign-in")}, {"203.0.113.7"})
        self.assertNotIn(token, json.dumps(self.entries()))
        in_file = [json.loads(line) for line in self.path.read_text().splitlines()]
        self.assertEqual([(one["account"], one["kind"], one["about"]) for one in in_file], told)
        self.assertEqual(
            {one["request"] for one in in_file if one["kind"] == "sign-in"},
            {self.entries(kind="sign-in")[0]["request"]},
        )

    def test_nobody_else_sees_it(self) -> None:
        for client in (self.ada, self.cleo, Client()):
            self.assertEqual(client.get("/api/audit").status_code, 403)

    def test_it_is_searched_and_paged(self) -> None:
        for number in range(views.MOST + 20):
            actions.record(Entry.Kind.DOWNLOAD, f"film {number}", account="ben" if number % 2 else "cleo")
        first = self.entries()
        rest = self.entries(before=first[-1]["id"])
        self.assertEqual((len(first), len(rest)), (views.MOST, 20))
        self.assertEqual([one["about"] for one in self.entries(text="film 7")][-1], "film 7")
        self.assertEqual({one["account"] for one in self.entries(text="CLEO")}, {"cleo"})
        self.assertEqual(self.entries(kind="remove"), [])
        self.assertEqual(self.dora.get("/api/audit", {"kind": "anything"}).status_code, 400)

    def test_what_a_name_hides_is_shown_and_old_entries_are_forgotten(self) -> None:
        actions.record(Entry.Kind.SIGN_IN_FAILED, account="eve\u202e" + "x" * 400)
        actions.record(Entry.Kind.REMOVE, "line\nbreak")
        self.assertEqual(str(self.entries()[1]["account"])[:12], "eve\\u202exxx", "nothing turns the line round")
        self.assertEqual(len(str(self.entries()[1]["account"])), 150)
        long = "a name that is long enough for nothing else " * 4
        actions.record(Entry.Kind.LINK, long)
        self.assertEqual(self.entries()[0]["about"], long)
        self.assertNotIn("\n", self.entries(kind="remove")[0]["about"])  # type: ignore[arg-type]
        Entry.objects.filter(kind="remove").update(at=timezone.now() - datetime.timedelta(days=400))
        actions.forget_old()
        self.assertEqual(Entry.objects.filter(kind="remove").count(), 0)
