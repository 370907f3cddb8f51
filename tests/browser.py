"""Debian's Chromium, started so that it speaks to this machine only."""

import atexit
import shutil
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from functools import cache
from urllib.parse import urlsplit

from playwright.sync_api import Browser, BrowserContext, Page, Playwright, Request, sync_playwright

FLAGS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync", "--force-color-profile=srgb",
    "--host-resolver-rules=MAP * ~NOTFOUND, EXCLUDE 127.0.0.1, EXCLUDE localhost",
]  # fmt: skip
HOME = {"127.0.0.1", "localhost"}
SCREEN = {"width": 1280, "height": 800}


@contextmanager
def chromium(flags: Sequence[str] = FLAGS) -> Iterator[Browser]:
    """A headless browser with a new profile."""
    browser = _launched(flags)
    try:
        yield browser
    finally:
        browser.close()


@cache
def shared() -> Browser:
    """One browser for all that this process tests; it ends with the process."""
    return _launched(FLAGS)


@cache
def in_space() -> Browser:
    """The same, which draws pictures in space without a graphics card."""
    flags = [flag for flag in FLAGS if flag != "--disable-gpu"]
    flags += ["--use-angle=swiftshader", "--enable-unsafe-swiftshader"]
    return _launched(flags)


def _launched(flags: Sequence[str]) -> Browser:
    # The shell is the same engine without the window around it: a tenth less work for each page.
    program = shutil.which("chromium-headless-shell") or shutil.which("chromium")
    return _playwright().chromium.launch(executable_path=program, args=list(flags))


@cache
def _playwright() -> Playwright:
    started = sync_playwright().start()
    atexit.register(started.stop)
    return started


def new_context(browser: Browser, base_url: str, scheme: str = "light") -> tuple[BrowserContext, list[str]]:
    """A context of its own, and the list that every address outside of this machine is noted in (none is reached)."""
    context = browser.new_context(base_url=base_url, viewport=SCREEN, color_scheme=scheme, reduced_motion="reduce")
    outside: list[str] = []

    # The browser finds no other machine; looking at each request on its way here would take longer than the request.
    def note(request: Request) -> None:
        url = urlsplit(request.url)
        if url.scheme not in ("data", "blob") and url.hostname not in HOME:
            outside.append(request.url)

    context.on("request", note)
    return context, outside


class Tabs:
    """One new tab after another, in a context of their own. It keeps only what it has fetched, as a browser does.

    All are opened by a page that stays, so that one process of the browser draws them all: half of the time that a tab of
    another process takes for its first page. No address is used twice (flushing the database goes on counting its rows), so
    nothing that was fetched can be shown to a later test.
    """

    def __init__(self, browser: Browser, base_url: str) -> None:
        self._origin = base_url
        self.context, self.outside = new_context(browser, base_url)
        self._opener = self.context.new_page()
        self._opener.goto("/icon.svg")
        self._tools = self.context.new_cdp_session(self._opener)

    def new(self) -> Page:
        for page in self.context.pages:
            if page != self._opener:
                page.close()
        self.context.clear_cookies()
        self._tools.send("Storage.clearDataForOrigin", {"origin": self._origin, "storageTypes": "all"})
        self.outside.clear()
        with self._opener.expect_popup() as opened:
            self._opener.evaluate("void window.open('about:blank')")
        return opened.value
