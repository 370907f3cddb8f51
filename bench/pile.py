"""The pile and the ledger with 500 parts, and looking into it with 200, in headless Chromium against a running ./start (software drawing, no graphics card)."""

import json
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager

from measure import FOLDER, ROOT, bench_art, table

sys.path.insert(0, str(ROOT))
from playwright.sync_api import Page  # noqa: E402

from tests.browser import SCREEN, chromium  # noqa: E402

ADDRESS = "http://127.0.0.1:8600"
LONGEST_FRAME = """async (work) => {
    let longest = 0, last = performance.now(), frames = 0, on = true;
    const tick = now => { longest = Math.max(longest, now - last); last = now; frames += 1; if (on) requestAnimationFrame(tick); };
    requestAnimationFrame(now => { last = now; requestAnimationFrame(tick); });
    window.frames_of = () => { on = false; return [longest, frames]; };
}"""


@contextmanager
def signed_in() -> Iterator[Page]:
    """A page of the running application, signed in as 'demo'."""
    password = json.loads((ROOT / "var" / "secrets.json").read_text())["demo_password"]
    with chromium() as browser:
        # Without the tests' guard, which would take every request through this process.
        page = browser.new_context(base_url=ADDRESS, viewport=SCREEN).new_page()
        page.goto("/")
        page.get_by_label("Account").fill("demo")
        page.get_by_role("textbox", name="Password").fill(password)
        page.get_by_role("button", name="Sign in").click()
        page.get_by_role("link", name="Brindle").wait_for()
        yield page


def main() -> str:
    with signed_in() as page:
        address = brought_in(page, "five hundred", 500)
        began = time.perf_counter()
        page.goto(address)
        page.locator("[data-row]").first.wait_for()
        ledger = time.perf_counter() - began
        page.locator("[data-drawn=true]").wait_for(timeout=120_000)
        whole = time.perf_counter() - began
        rows = [
            ["first rows of the ledger", f"{ledger * 1000:.0f} ms"],
            ["every picture on the pile", f"{whole * 1000:.0f} ms"],
            ["longest frame while panning", f"{pan(page):.0f} ms"],
            ["longest frame while zooming", f"{zoom(page):.0f} ms"],
            ["longest frame while scrolling the ledger", f"{scroll(page):.0f} ms"],
            ["from the key to the changed name", f"{rename(page):.0f} ms"],
            ["from the key to the hidden part on the pile", f"{hide(page):.0f} ms"],
        ]
        rows += all_at_once(page)
        page.goto("/")
        page.goto(brought_in(page, "two hundred", 200))
        page.locator("[data-drawn=true]").wait_for(timeout=120_000)
        rows.append(["200 parts: longest frame while peeling them", f"{peel(page):.0f} ms"])
        page.get_by_text("Apart", exact=True).click()
        page.wait_for_timeout(1500)
        rows.append(["200 parts apart: longest frame while turning them", f"{pan(page):.0f} ms"])
        rows.append(["200 parts apart: longest frame while spreading them", f"{spread(page):.0f} ms"])
    note = (
        "500 and 200 parts on 1024 × 1024 px, in one run; the figures are of this machine and mean something beside each"
        " other."
    )
    return table("The pile and the ledger with 500 parts", ["what", "time"], rows, note)


def brought_in(page: Page, name: str, layers: int) -> str:
    """The address of bench art, brought in where it is not there yet."""
    file = FOLDER / f"{name}.ora"
    if not file.exists():
        bench_art(layers, 1024).rename(file)
    link = page.get_by_role("link", name=name).first
    page.get_by_role("link", name="Brindle").wait_for()
    if not link.count():
        page.get_by_test_id("picture-file").first.set_input_files(file)
    link.wait_for(timeout=120_000)
    return link.get_attribute("href") or ""


def peel(page: Page) -> float:
    page.get_by_role("slider", name="Peel").focus()

    def work() -> None:
        for _ in range(40):
            page.keyboard.press("ArrowRight")

    return longest(page, work)


def spread(page: Page) -> float:
    page.get_by_role("slider", name="Spread").focus()

    def work() -> None:
        for _ in range(30):
            page.keyboard.press("ArrowRight")

    return longest(page, work)


def longest(page: Page, work: "object") -> float:
    page.evaluate(LONGEST_FRAME)
    work()  # type: ignore[operator]
    return float(page.evaluate("window.frames_of()")[0])


def middle(page: Page) -> tuple[float, float]:
    box = page.get_by_test_id("pile").bounding_box() or {}
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def pan(page: Page) -> float:
    x, y = middle(page)

    def work() -> None:
        page.mouse.move(x, y)
        page.mouse.down()
        for step in range(40):
            page.mouse.move(x + 4 * step, y + 2 * step)
        page.mouse.up()

    return longest(page, work)


def zoom(page: Page) -> float:
    page.mouse.move(*middle(page))

    def work() -> None:
        for step in range(40):
            page.mouse.wheel(0, -60 if step < 20 else 60)

    return longest(page, work)


def scroll(page: Page) -> float:
    box = page.locator("[data-ledger]").bounding_box() or {}
    page.mouse.move(box["x"] + 100, box["y"] + 200)

    def work() -> None:
        for _ in range(40):
            page.mouse.wheel(0, 400)

    return longest(page, work)


def all_at_once(page: Page) -> list[list[str]]:
    """Depths for all 500 parts with one button: until the server has answered, and until the page shows it."""
    page.get_by_label("What is put in order").get_by_text("Depth").click()
    page.get_by_role("button", name="Spread all parts evenly").wait_for()
    page.wait_for_timeout(5000)  # what was begun before is done then
    seen = page.get_by_text("Last step: Set the depth of 500 rows")
    began = time.perf_counter()
    with page.expect_response(lambda answer: answer.url.endswith("/steps")) as answered:
        page.get_by_role("button", name="Spread all parts evenly").click()
    timing = answered.value.request.timing
    server = timing["responseStart"] - timing["requestStart"]
    seen.wait_for()
    shown = (time.perf_counter() - began) * 1000
    page.get_by_label("What is put in order").get_by_text("Rows").click()
    return [
        ["depths of all 500 parts in one step, time in the server", f"{server:.0f} ms"],
        ["the same, from the click until the page says so", f"{shown:.0f} ms"],
    ]


def rename(page: Page) -> float:
    page.locator("[data-row]").nth(6).click()
    page.keyboard.press("Enter")
    page.keyboard.type(f"renamed {time.time():.0f}")
    return changed(page, "Enter", "[...document.querySelectorAll('[data-row^=\"renamed\"]')].length > 0")


def hide(page: Page) -> float:
    page.keyboard.press("Escape")
    page.wait_for_timeout(500)
    page.locator('[data-row^="layer"]').nth(2).click()
    return changed(page, "s", "document.querySelector('[aria-selected=true] [role=switch]').ariaChecked === 'false'")


def changed(page: Page, key: str, condition: str) -> float:
    """From a key to the first frame in which something is so."""
    page.evaluate(
        """condition => {
            window.took = new Promise(resolve => addEventListener('keydown', () => {
                const began = performance.now();
                const look = () => eval(condition) ? requestAnimationFrame(() => resolve(performance.now() - began)) : requestAnimationFrame(look);
                look();
            }, { once: true, capture: true }));
        }""".replace("eval(condition)", f"({condition})"),
        condition,
    )
    page.keyboard.press(key)
    return float(page.evaluate("window.took"))


if __name__ == "__main__":
    print(main())
