"""The whole product as people use it: server, worker and a real browser, on a database of the test's own."""

import atexit
import base64
import math
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from functools import cache as once
from pathlib import Path

import numpy as np
from django.conf import settings
from django.core.cache import cache
from django.core.management import CommandError
from django.db import connection
from django.test import Client, LiveServerTestCase, override_settings
from django_tasks_db.models import DBTaskResult
from playwright.sync_api import Browser, Locator, Page, expect

import signal_post
from tests.browser import Tabs, shared
from yuplet_server.accounts.models import User
from yuplet_server.illustrations.actions import keep_upload
from yuplet_server.jobs.actions import do_next, run
from yuplet_server.projects.actions import start_project
from yuplet_server.projects.models import Project

ROOT = Path(__file__).resolve().parent.parent
AXE = ROOT / "web" / "node_modules" / "axe-core" / "axe.min.js"
PASSWORD = "reed-marsh-at-night"
STANDARDS = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]

expect.set_options(timeout=30_000)


@override_settings(PASSWORD_HASHERS=["django.contrib.auth.hashers.MD5PasswordHasher"])
class ProductTestCase(LiveServerTestCase):
    """One browser and one worker for all; each test gets a tab of its own, and an account called 'ada'."""

    browser: Browser
    tabs: Tabs
    has_worker = True

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.browser = shared()
        cls.files = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        cls.ora = cls.files / "signal post.ora"
        signal_post.write(cls.ora)
        cls.tabs = Tabs(cls.browser, cls.live_server_url)
        cls.addClassCleanup(cls.tabs.context.close)
        if cls.has_worker:
            shared_worker()

    def setUp(self) -> None:
        cache.clear()
        self.user = User.objects.create_user("ada", password=PASSWORD)
        self.project: Project = start_project(self.user, "Marsh Line")
        self.page = self.tabs.new()
        self.complaints: list[str] = []
        self.page.on("pageerror", lambda error: self.complaints.append(str(error)))
        self.page.on("console", self._listen)

    def tearDown(self) -> None:
        self.assertEqual(self.tabs.outside, [], "the page asked another machine for something")
        self.assertEqual(self.complaints, [], "the page complained on its console")

    def _fixture_teardown(self) -> None:
        # The worker asks the queue meanwhile: one of the two may be the victim of a deadlock, and then tries again.
        for _ in range(5):
            try:
                super()._fixture_teardown()
            except CommandError:
                time.sleep(0.2)
            else:
                return
        super()._fixture_teardown()

    def _listen(self, message: object) -> None:
        text, kind = getattr(message, "text", ""), getattr(message, "type", "")
        # The browser itself notes every refused request; that a refusal is shown is tested where it is expected.
        if kind == "error" and "Failed to load resource" not in text:
            self.complaints.append(text)

    def give_session(self, name: str = "ada", page: Page | None = None) -> None:
        """Give the browser a session; the form itself is used in the story."""
        client = Client()
        client.force_login(User.objects.get(username=name))
        cookie = client.cookies[settings.SESSION_COOKIE_NAME].value
        (page or self.page).context.add_cookies(
            [{"name": settings.SESSION_COOKIE_NAME, "value": cookie, "url": self.live_server_url}]
        )

    def sign_in(self, name: str = "ada", page: Page | None = None) -> None:
        """With a session, open the page of projects."""
        page = page or self.page
        self.give_session(name, page)
        page.goto("/")
        expect(page.get_by_role("button", name=name, exact=True)).to_be_visible()

    def bring_in(self, file: Path | None = None) -> None:
        """Choose a file on the page of projects, wait until it is read, and open it."""
        file = file or self.ora
        self.page.get_by_test_id("picture-file").set_input_files(file)
        read = self.page.get_by_role("link", name=file.stem)
        expect(read).to_be_visible(timeout=60_000)
        read.click()
        self.wait_for_pile()

    def open_picture(self, file: Path | None = None) -> None:
        """What `sign_in` and `bring_in` come to, without the pages on the way: the picture is read here."""
        number = self.read_here(file or self.ora)
        self.give_session()
        self.page.goto(f"/illustrations/{number}/put-in-order")
        self.wait_for_pile()

    def read_here(self, file: Path) -> int:
        """Bring a picture in without a worker; answers its number."""
        with file.open("rb") as data:
            illustration = keep_upload(self.project, self.user, file.name, file.stat().st_size, data)
        assert illustration.revision.job_id is not None
        run(illustration.revision.job_id)
        return int(illustration.pk)

    def wait_for_pile(self) -> None:
        self.page.locator("[data-drawn=true]").wait_for()

    def reload(self) -> None:
        """Reload once every step has been saved."""
        expect(self.page.get_by_text("Saving", exact=True)).to_have_count(0)
        self.page.reload()
        self.wait_for_pile()

    def row(self, name: str) -> Locator:
        return self.page.locator(f'[data-row="{name}"]')

    def names(self) -> list[str]:
        """The rows of the ledger from top (front) to bottom."""
        # In one go: rows may be replaced between two questions.
        rows: list[list[str]] = self.page.locator("[data-row]").evaluate_all(
            "rows => rows.map(row => [row.getAttribute('aria-rowindex'), row.getAttribute('data-row')])"
        )
        return [name for _, name in sorted(rows, key=lambda row: int(row[0]))]

    def place_of(self, x: float, y: float) -> tuple[float, float]:
        """Where the middle of a canvas pixel is on the screen, while the picture lies in the middle at a whole zoom."""
        frame = self.page.get_by_test_id("pile").bounding_box() or {}
        zoom = int(self.page.get_by_test_id("zoom").inner_text().split()[0]) / 100
        left, top = (
            math.floor((frame[side] - size * zoom) / 2 + 0.5) for side, size in (("width", 97), ("height", 73))
        )
        return frame["x"] + left + (x + 0.5) * zoom, frame["y"] + top + (y + 0.5) * zoom

    def click_pixel(self, x: float, y: float) -> None:
        """Click on the pile where the signal post has this pixel."""
        self.page.mouse.click(*self.place_of(x, y))
        self.page.wait_for_timeout(60)

    def canvas_pixel(self, x: float, y: float) -> list[int]:
        """The colour that the pile shows of a canvas pixel, while the whole picture is shown."""
        frame = self.page.get_by_test_id("pile").bounding_box() or {}
        at = self.place_of(x, y)
        place = [int(at[0] - frame["x"]), int(at[1] - frame["y"])]
        return list(
            self.page.get_by_test_id("pile").evaluate(
                "(canvas, [x, y]) => [...canvas.getContext('2d').getImageData(x, y, 1, 1).data]", place
            )
        )

    def screen_pixels(self) -> bytes:
        """All that the pile shows, as RGBA."""
        text = self.page.get_by_test_id("pile").evaluate(
            """canvas => {
                const { data } = canvas.getContext('2d').getImageData(0, 0, canvas.width, canvas.height);
                let text = '';
                for (let at = 0; at < data.length; at += 32768) {
                    text += String.fromCharCode(...data.subarray(at, at + 32768));
                }
                return btoa(text);
            }"""
        )
        return base64.b64decode(text)

    def differing(self, one: bytes, other: bytes) -> int:
        """How many pixels of two such pictures differ."""
        a, b = (np.frombuffer(data, np.uint32) for data in (one, other))
        self.assertEqual(a.size, b.size)
        return int((a != b).sum())

    def to_step(self, name: str) -> None:
        self.page.get_by_role("navigation", name="Steps").get_by_role("link", name=name).click()

    def display(self, what: str, value: str) -> None:
        """Set what the picture is shown with."""
        self.page.get_by_role("button", name="Display", exact=True).click()
        self.page.get_by_label(what, exact=True).select_option(value)
        self.page.keyboard.press("Escape")

    def make(self, what: str) -> None:
        """Make something of the selection."""
        self.page.get_by_role("button", name="Make", exact=True).click()
        self.page.get_by_role("menuitem", name=what).click()

    def assert_accessible(self, what: str, within: str = "html") -> None:
        """No violation of WCAG 2.2 AA that axe-core finds (https://github.com/dequelabs/axe-core) within what can be seen of this kind."""
        if not self.page.evaluate("'axe' in window"):
            self.page.evaluate(AXE.read_text())
        told = self.page.evaluate(
            """async ([standards, within]) => {
                const seen = [...document.querySelectorAll(within)].find(one => one.checkVisibility());
                const found = await axe.run(seen, { runOnly: standards, resultTypes: ['violations'] });
                return found.violations.map(({ id, help, nodes }) =>
                    `${id}: ${help} at ${nodes.slice(0, 3).map(node => node.target).join(', ')}`);
            }""",
            [STANDARDS, within],
        )
        self.assertEqual(told, [], what)


@once
def shared_worker() -> Path:
    """One worker for all classes that this process tests; answers the folder that the administrator has opened to 'ada'."""
    folder = tempfile.TemporaryDirectory()
    atexit.register(folder.cleanup)
    opened = Path(folder.name).resolve() / "opened"
    opened.mkdir()
    # With unfinished work of its own: a worker tidies up what its database does not know.
    atexit.register(end, start("worker", YUPLET_WORK=f"{folder.name}/work", YUPLET_ROOTS=f"ada={opened}"))
    # Until it takes work: starting may take longer than a test waits. There is no such job, so that it is done at once.
    asked = do_next.enqueue("none")
    deadline = time.monotonic() + 120
    while not DBTaskResult.objects.filter(pk=asked.id, finished_at__isnull=False).exists():
        if time.monotonic() > deadline:
            raise AssertionError("the worker takes no work")
        time.sleep(0.2)
    return opened


def start(command: str, **settings_of_it: str) -> "subprocess.Popen[bytes]":
    """A process that `./start` runs beside the server, on this test's database; it ends when this one does."""
    here = {"YUPLET_DATABASE_NAME": connection.settings_dict["NAME"], "YUPLET_APART": "1", **settings_of_it}
    manage = Path(settings.ROOT) / "server" / "manage.py"
    command_line = ["setpriv", "--pdeathsig", "TERM", sys.executable, str(manage), command]
    return subprocess.Popen(command_line, env={**os.environ, **here}, start_new_session=True)


def end(process: "subprocess.Popen[bytes]") -> None:
    process.terminate()
    try:
        process.wait(20)
    except subprocess.TimeoutExpired:
        process.kill()
        process.wait()


def wait_until(page: Page, is_so: Callable[[], bool]) -> None:
    for _ in range(200):
        if is_so():
            return
        page.wait_for_timeout(50)
    raise AssertionError("It did not come.")
