"""Debian's Chromium, started so that it speaks to this machine only."""

import atexit
import shutil
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from functools import cache
from urllib.parse import urlsplit

from playwright.sync_api import Browser, BrowserContext, Playwright, Request, sync_playwright

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
    browser = _playwright().chromium.launch(executable_path=shutil.which("chromium"), args=list(flags))
    try:
        yield browser
    finally:
        browser.close()


@cache
def shared() -> Browser:
    """One browser for all that this process tests; it ends with the process."""
    return _playwright().chromium.launch(executable_path=shutil.which("chromium"), args=FLAGS)


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
