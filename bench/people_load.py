"""What many people do, for locust: `people.py` makes who they are, and tells how this is run."""

import itertools
import os
import random
from typing import Any, ClassVar

import gevent
from locust import HttpUser, between, events
from locust.stats import print_percentile_stats
from people import NAME, PASSWORD

PEOPLE = int(os.environ.get("PEOPLE", "50"))
"""Accounts that there are; more people share them."""

_numbers = itertools.count()


class _Person(HttpUser):
    abstract = True

    def on_start(self) -> None:
        self.number = next(_numbers)
        self.client.get("/api/session", name="session")
        self.ask(
            "POST", "/api/session", "sign in", {"username": NAME.format(self.number % PEOPLE), "password": PASSWORD}
        )
        project = max(
            (one for one in self.ask("GET", "/api/projects", "list") if one["name"] == "Load"),
            key=lambda one: one["id"],
        )
        self.listed = f"/api/projects/{project['id']}/illustrations"
        found = sorted(self.ask("GET", self.listed, "list"), key=lambda one: one["id"])
        self.address = f"/api/illustrations/{found[self.number % len(found)]['id']}"
        self.parts: list[str] = []
        self.version = 0
        self.open_it()

    def ask(self, method: str, path: str, name: str, body: Any = None) -> Any:
        token = self.client.cookies.get("csrftoken", "")
        headers = {"X-CSRFToken": token, "Referer": self.host + "/"}
        with self.client.request(method, path, name=name, json=body, headers=headers, catch_response=True) as answer:
            if answer.status_code == 409:
                # Somebody was quicker, as it happens among many: that is an answer, and no error.
                answer.success()
                self.version = self.client.get(f"{self.address}/arrangement", name="open: rows").json()["version"]
                return None
            if answer.status_code >= 400:
                answer.failure(f"{answer.status_code} {answer.text[:120]}")
                return None
            return answer.json() if answer.text[:1] in "[{" else answer.content

    def open_it(self) -> None:
        """What the page asks for when an illustration is opened: itself, its rows, the small picture, and halved images of all layers."""
        whole = self.ask("GET", self.address, "open: illustration")
        arrangement = self.ask("GET", f"{self.address}/arrangement", "open: rows")
        if whole is None or arrangement is None:
            return
        self.preview = whole["preview"]
        self.version = arrangement["version"]
        parts = [row for row in arrangement["rows"] if row["kind"] == "part"]
        self.parts = [row["id"] for row in parts]
        self.images = sorted({piece["image"] for row in parts for frame in row["frames"] for piece in frame["pieces"]})
        self.ask("GET", f"{self.address}/images/{self.preview}", "image")

    def open_again(self) -> None:
        self.open_it()

    def look(self) -> None:
        if getattr(self, "images", None):
            self.ask("GET", f"{self.address}/images/{random.choice(self.images)}", "image")

    def list_them(self) -> None:
        self.ask("GET", self.listed, "list")

    def rename(self) -> None:
        if self.parts:
            names = {random.choice(self.parts): f"name {random.randrange(10**6)}"}
            step = {"version": self.version, "command": {"do": "rename-rows", "names": names}}
            answer = self.ask("POST", f"{self.address}/steps", "rename", step)
            self.version = answer["version"] if answer else self.version

    def plan(self) -> None:
        self.ask("POST", f"{self.address}/plan", "plan", {})

    def hand_over(self) -> None:
        """About each 20 seconds of all people together."""
        if random.random() < 1 / 36:
            self.ask("POST", f"{self.address}/hand-overs", "hand over", {"version": self.version})


class Artist(_Person):
    wait_time = between(1, 4)
    tasks: ClassVar[Any] = {
        _Person.rename: 4, _Person.look: 3, _Person.list_them: 1, _Person.open_again: 1, _Person.plan: 1, _Person.hand_over: 1,
    }  # fmt: skip


class Reader(_Person):
    """Opens a figure about each half minute, and looks at it from near."""

    wait_time = between(5, 25)
    tasks: ClassVar[Any] = {_Person.open_again: 2, _Person.look: 2, _Person.list_them: 1}


@events.spawning_complete.add_listener
def _begin_to_measure(user_count: int, **_: Any) -> None:
    """What everybody does at the same moment when they come is told first, and apart from what they do afterwards."""

    def anew() -> None:
        print_percentile_stats(runner.environment.stats)
        runner.environment.stats.reset_all()

    gevent.spawn_later(_COMING, anew)


_COMING = 30
"""Seconds after the last one has come."""


@events.init.add_listener
def _know(environment: Any, **_: Any) -> None:
    global runner
    runner = environment.runner


runner: Any = None
