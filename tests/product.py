"""The whole product as people use it: server, worker and a real browser, on a database of the test's own."""

import os
import subprocess
import sys
import tempfile
from contextlib import ExitStack
from pathlib import Path

from django.conf import settings
from django.core.cache import cache
from django.db import connection
from django.test import LiveServerTestCase
from playwright.sync_api import Browser, Locator, Page, expect

import signal_post
from tests.browser import chromium, new_context
from yuplet_server.accounts.models import User
from yuplet_server.projects.actions import start_project
from yuplet_server.projects.models import Project

ROOT = Path(__file__).resolve().parent.parent
AXE = ROOT / "web" / "node_modules" / "axe-core" / "axe.min.js"
PASSWORD = "reed-marsh-at-night"
STANDARDS = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]

expect.set_options(timeout=15_000)


class ProductTestCase(LiveServerTestCase):
    """One browser and one worker a class; each test gets a context of its own, and an account called 'ada'."""

    browser: Browser
    has_worker = True

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        stack = ExitStack()
        cls.addClassCleanup(stack.close)
        cls.browser = stack.enter_context(chromium())
        folder = Path(stack.enter_context(tempfile.TemporaryDirectory()))
        cls.files = folder
        cls.ora = folder / "signal post.ora"
        signal_post.write(cls.ora)
        if cls.has_worker:
            worker = start_worker()
            stack.callback(end, worker)

    def setUp(self) -> None:
        cache.clear()
        self.user = User.objects.create_user("ada", password=PASSWORD)
        self.project: Project = start_project(self.user, "Marsh Line")
        self.context, self.outside = new_context(self.browser, self.live_server_url)
        self.addCleanup(self.context.close)
        self.page = self.context.new_page()
        self.complaints: list[str] = []
        self.page.on("pageerror", lambda error: self.complaints.append(str(error)))
        self.page.on("console", self._listen)

    def tearDown(self) -> None:
        self.assertEqual(self.outside, [], "the page asked another machine for something")
        self.assertEqual(self.complaints, [], "the page complained on its console")

    def _listen(self, message: object) -> None:
        text, kind = getattr(message, "text", ""), getattr(message, "type", "")
        # The browser itself notes every refused request; that a refusal is shown is tested where it is expected.
        if kind == "error" and "Failed to load resource" not in text:
            self.complaints.append(text)

    def sign_in(self, name: str = "ada", page: Page | None = None) -> None:
        page = page or self.page
        page.goto("/")
        page.get_by_label("Account").fill(name)
        page.get_by_role("textbox", name="Password").fill(PASSWORD)
        page.get_by_role("button", name="Sign in").click()
        expect(page.get_by_role("button", name=name, exact=True)).to_be_visible()

    def bring_in(self, file: Path | None = None) -> None:
        """Choose a file on the page of projects, wait until it is read, and open it."""
        file = file or self.ora
        self.page.locator("input[type=file]").first.set_input_files(file)
        self.page.get_by_role("link", name=file.stem).click()
        self.wait_for_pile()

    def wait_for_pile(self) -> None:
        self.page.locator("[data-drawn=true]").wait_for()

    def row(self, name: str) -> Locator:
        return self.page.locator(f'[data-row="{name}"]')

    def names(self) -> list[str]:
        """The rows of the ledger from top (front) to bottom."""
        rows = self.page.locator("[data-row]").all()
        rows.sort(key=lambda row: int(row.get_attribute("aria-rowindex") or 0))
        return [row.get_attribute("data-row") or "" for row in rows]

    def to_step(self, name: str) -> None:
        self.page.get_by_role("navigation", name="Steps").get_by_role("link", name=name).click()

    def assert_accessible(self, what: str) -> None:
        """No violation of WCAG 2.2 AA that axe-core finds (https://github.com/dequelabs/axe-core)."""
        self.page.evaluate(AXE.read_text())
        found = self.page.evaluate(f"axe.run(document, {{runOnly: {STANDARDS}}})")
        told = [
            f"{violation['id']}: {violation['help']} at {[node['target'] for node in violation['nodes']][:3]}"
            for violation in found["violations"]
        ]
        self.assertEqual(told, [], what)


def start_worker() -> "subprocess.Popen[bytes]":
    """A worker as `./start` runs it, on this test's database."""
    environment = {**os.environ, "YUPLET_DATABASE_NAME": connection.settings_dict["NAME"]}
    manage = Path(settings.ROOT) / "server" / "manage.py"
    return subprocess.Popen([sys.executable, str(manage), "worker"], env=environment, start_new_session=True)


def end(process: "subprocess.Popen[bytes]") -> None:
    process.terminate()
    try:
        process.wait(20)
    except subprocess.TimeoutExpired:
        process.kill()
        process.wait()
