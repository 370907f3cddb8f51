"""A project with one account in each role, and the signal post brought into it."""

import functools
import io
import tempfile
import zipfile
from pathlib import Path
from typing import Any

from django.contrib.auth.hashers import PBKDF2PasswordHasher, make_password
from django.core.cache import cache
from django.db import transaction
from django.test import Client, TestCase, override_settings

import signal_post
from yuplet_server.accounts.models import User
from yuplet_server.arrangement.models import Row
from yuplet_server.handovers import actions as hand_overs
from yuplet_server.handovers.models import HandOver
from yuplet_server.illustrations import actions as illustrations
from yuplet_server.illustrations.models import Illustration
from yuplet_server.jobs.models import Job
from yuplet_server.projects.actions import set_role, start_project
from yuplet_server.projects.models import Project

PASSWORD = "reed-marsh-at-night"
ROLES = {"ada": "owner", "ben": "editor", "cleo": "viewer"}


def quiet(*_: object) -> None:
    """Progress that nobody looks at."""


def ora() -> bytes:
    """The signal post as a file."""
    with tempfile.TemporaryDirectory() as folder:
        signal_post.write(Path(folder) / "post.ora")
        return (Path(folder) / "post.ora").read_bytes()


# Hashing a password takes most of a second, on purpose.
hashed = functools.cache(make_password)


def make_project() -> tuple[Project, dict[str, User]]:
    """'Marsh Line' with its members, and 'dora', who is none."""
    users = {name: User.objects.create(username=name, password=hashed(PASSWORD)) for name in (*ROLES, "dora")}
    project = start_project(users["ada"], "Marsh Line")
    for name, role in ROLES.items():
        set_role(project, name, role)
    return project, users


def kept(project: Project, name: str = "signal post.ora", data: bytes | None = None) -> Illustration:
    """An original that waits to be read."""
    data = ora() if data is None else data
    return illustrations.keep_upload(project, None, name, len(data), io.BytesIO(data))


def brought_in(project: Project, name: str = "signal post.ora", data: bytes | None = None) -> Illustration:
    """The signal post or another file, read at once instead of by a worker."""
    illustration = kept(project, name, data)
    with tempfile.TemporaryDirectory() as folder, transaction.atomic():
        illustrations.bring_in(illustration.revision.pk, Path(folder), quiet)()
    Job.objects.filter(pk=illustration.revision.job_id).update(state=Job.State.DONE)
    illustration.refresh_from_db()
    return illustration


def handed_over(illustration: Illustration, user: User, version: int, recipe: Any = None) -> HandOver:
    """A hand-over, carried out at once."""
    asked = hand_overs.ask(illustration, user, version, recipe)
    with tempfile.TemporaryDirectory() as folder, transaction.atomic():
        hand_overs.carry_out(asked.pk, Path(folder), quiet)()
    Job.objects.filter(pk=asked.job_id).update(state=Job.State.DONE)
    asked.refresh_from_db()
    return asked


def zip_of(made: HandOver) -> bytes:
    """A package as it is downloaded."""
    return b"".join(hand_overs.zipped(made))


class QuickHasher(PBKDF2PasswordHasher):
    """The one that is used, with a thousandth of its work: what it protects is not tested here."""

    iterations = 1_000


@override_settings(PASSWORD_HASHERS=["tests.cases.QuickHasher"])
class ServerTestCase(TestCase):
    project: Project
    users: dict[str, User]
    illustration: Illustration

    @classmethod
    def setUpTestData(cls) -> None:
        cls.project, cls.users = make_project()
        cls.illustration = brought_in(cls.project)

    def setUp(self) -> None:
        cache.clear()
        self.ada, self.ben, self.cleo, self.dora = (self.signed_in(name) for name in ("ada", "ben", "cleo", "dora"))

    def signed_in(self, name: str) -> Client:
        client = Client()
        client.force_login(self.users[name])
        return client

    def address(self, rest: str) -> str:
        return f"/api/illustrations/{self.illustration.pk}/{rest}"

    def arrangement(self, client: Client | None = None) -> dict[str, Any]:
        answer = (client or self.ada).get(self.address("arrangement"))
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()

    def row_id(self, name: str) -> str:
        return Row.objects.get(arrangement=self.illustration.pk, name=name).row

    def step(self, client: Client, version: int, status: int = 200, **command: Any) -> dict[str, Any]:
        """Send a command that was made while looking at a version."""
        return dict(self.post(client, "steps", status, {"version": version, "command": command}))

    def now(self, client: Client, status: int = 200, **command: Any) -> dict[str, Any]:
        """Send a command that was made while looking at the rows as they are."""
        return self.step(client, self.arrangement()["version"], status, **command)

    def plan(self, **wanted: Any) -> dict[str, Any]:
        """What a hand-over would write, as cleo sees it."""
        return dict(self.post(self.cleo, "plan", body=wanted))

    def planned_images(self, **wanted: Any) -> list[dict[str, Any]]:
        """Those of its files that are images of parts."""
        return [file for file in self.plan(**wanted)["files"] if file["kind"] == "image"]

    def package(self, made: HandOver) -> dict[str, bytes]:
        """The files of a package as they are downloaded."""
        with zipfile.ZipFile(io.BytesIO(zip_of(made))) as package:
            return {name: package.read(name) for name in package.namelist()}

    def post(self, client: Client, rest: str, status: int = 200, body: Any = None) -> Any:
        if rest in ("undo", "redo") and body is None:
            body = {"version": 0}
        answer = client.post(self.address(rest), body, content_type="application/json")
        self.assertEqual(answer.status_code, status, answer.content)
        return self.then(client, answer.json())

    def then(self, client: Client, answer: Any) -> Any:
        """What a step answers, which is what has changed, with all that the page has then."""
        if not isinstance(answer, dict) or "made" not in answer:
            return answer
        whole = self.arrangement(client)
        by_id = {row["id"]: row for row in whole["rows"]}
        self.assertEqual([by_id[row["id"]] for row in answer["rows"]], answer["rows"])
        self.assertEqual(
            [{**by_id[row["id"]], **row} for row in answer["decided"]], [by_id[row["id"]] for row in answer["decided"]]
        )
        self.assertIn(answer["order"], (None, list(by_id)))
        return {
            **whole,
            "made": answer["made"],
            "changed": [row["id"] for row in (*answer["rows"], *answer["decided"])],
        }
