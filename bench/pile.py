"""The page with 53, 500 and 1,000 parts, and with a hundred layers of 4096 × 4096 px, in headless Chromium against a running ./start (software drawing,
no graphics card). `pile.py ADDRESS` measures another one than that of ./start."""

import json
import os
import re
import statistics
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from measure import FOLDER, ROOT, bench_art, table

sys.path.insert(0, str(ROOT))
from playwright.sync_api import Browser, Locator, Page  # noqa: E402

from tests.browser import SCREEN, chromium  # noqa: E402

ADDRESS = sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8600"
VAR = Path(os.environ.get("YUPLET_VAR", ROOT / "var"))
TIMES = 5
FRAMES = """() => {
    const found = []; let last = null, on = true;
    const tick = now => { if (last !== null) found.push(now - last); last = now; if (on) requestAnimationFrame(tick); };
    requestAnimationFrame(tick);
    window.frames = () => { on = false; return found; };
}"""
SINCE_KEY = """condition => {
    window.took = new Promise(resolve => addEventListener('keydown', () => {
        const began = performance.now();
        const look = () => (CONDITION) ? requestAnimationFrame(() => resolve(performance.now() - began)) : requestAnimationFrame(look);
        look();
    }, { once: true, capture: true }));
}"""
SINCE_CLICK = """selector => {
    window.took = new Promise(resolve => addEventListener('pointerup', () => {
        const began = performance.now();
        const look = () => document.querySelector(selector) ? requestAnimationFrame(() => resolve(performance.now() - began)) : requestAnimationFrame(look);
        requestAnimationFrame(look);
    }, { once: true, capture: true }));
}"""

# A part between two others of its group, so that it can go to either side.
BETWEEN = """() => {
    const isPart = row => row?.querySelector('[role=switch][aria-label^=Include]');
    const rows = [...document.querySelectorAll('[data-row]')].sort((one, other) => one.ariaRowIndex - other.ariaRowIndex);
    const at = rows.findIndex((row, n) => [-1, 0, 1].every(by => isPart(rows[n + by]) && rows[n + by].ariaLevel === row.ariaLevel));
    return rows[at].dataset.row;
}"""


@contextmanager
def signed_in(browser: Browser) -> Iterator[Page]:
    """A page of the running application, signed in as 'demo'."""
    password = json.loads((VAR / "secrets.json").read_text())["demo_password"]
    # Without the tests' guard, which would take every request through this process.
    context = browser.new_context(base_url=ADDRESS, viewport=SCREEN)
    page = context.new_page()
    page.goto("/")
    page.get_by_label("Account").fill("demo")
    page.get_by_role("textbox", name="Password").fill(password)
    page.get_by_role("button", name="Sign in").click()
    page.get_by_role("link", name="Brindle").wait_for()
    yield page
    context.close()


def main() -> str:
    with chromium() as browser, signed_in(browser) as page:
        addresses = {
            "53 parts": page.get_by_role("link", name="Brindle").first.get_attribute("href") or "",
            "500 parts": brought_in(page, "five hundred", 500, 1024),
            "1,000 parts": brought_in(page, "one thousand", 1000, 1024),
        }
        columns = {name: measured(page, address) for name, address in addresses.items()}
        rows = [[what, *(column[what] for column in columns.values())] for what in columns["53 parts"]]
        note = (
            f"The median of {TIMES}; 'frame' is the 95th percentile of the times between two frames while something is done. 53 parts are"
            " Brindle; the others are bench art on 1024 × 1024 px, each part about two fifths of the canvas, which is 195 and 390 million"
            " pixels: more than the 512 MiB of a page, so that the whole is shown at 1/2 and 1/4. Software drawing on the two cores on which"
            " the server and the database run too. Before there were halved pictures, packs and runs, on the same machine: all parts on the"
            " screen after 0.9, 9.2 and 12.3 s; hide shown after 76 to 124 ms with 500 parts and 283 ms with 1,000, saved after 0.8 s; another"
            " tab after 0.5 s; rows scrolled with frames of up to 349 ms; peel 150 and 400 ms, apart 117 and 200 ms a frame."
        )
        text = table("The page with many parts", ["what", *columns], rows, note)
        return text + "\n" + large(page)


def measured(page: Page, address: str) -> dict[str, str]:
    opened = [opening(page, address) for _ in range(TIMES)]
    found = {
        "flat picture on the screen": seconds(one["picture"] for one in opened),
        "all parts on the screen": seconds(one["parts"] for one in opened),
        "the same as large as the memory allows": seconds(one["settled"] for one in opened),
    }
    page.locator("[data-row]").first.wait_for()
    page.wait_for_timeout(1500)
    page.locator(f'[data-row="{page.evaluate(BETWEEN)}"]').click()
    hidden = [hide(page) for _ in range(TIMES + 1)][1:]
    renamed = [rename(page, n) for n in range(TIMES)]
    moved = [reorder(page, key) for key in "nfnfnf"]
    for what, all_of in (("hide", hidden), ("rename", renamed), ("reorder", moved)):
        found[f"{what}: shown, saved"] = ", ".join(milliseconds(values) for values in zip(*all_of, strict=True))
    found["another tab of the step"] = milliseconds([to_tab(page) for _ in range(TIMES)])
    found["another step"] = milliseconds([to_step(page) for _ in range(TIMES)])
    settle(page)
    found["pan: frame"] = frames(page, pan)
    found["zoom: frame"] = frames(page, zoom)
    page.get_by_role("button", name="Whole picture").click()
    found["scroll the rows: frame"] = frames(page, scroll)
    found["peel: frame"] = frames(page, peel)
    page.get_by_text("Exploded", exact=True).click()
    page.wait_for_timeout(1500)
    found["turn them apart: frame"] = frames(page, pan)
    page.get_by_text("Flat", exact=True).click()
    found["plan, its first image"] = ", ".join(
        milliseconds(values) for values in zip(*[plan(page) for _ in range(3)], strict=True)
    )
    return found


def opening(page: Page, address: str) -> dict[str, float]:
    """Milliseconds from asking for the page until something is seen."""
    page.goto("about:blank")
    page.wait_for_timeout(1000)
    page.goto(address)
    # The page's policy lets nobody evaluate text in it but from here.
    while not page.evaluate("performance.getEntriesByName('pile settled').length"):
        page.wait_for_timeout(100)
    marks = page.evaluate("performance.getEntriesByType('mark').map(mark => [mark.name, mark.startTime])")
    return {name.removeprefix("pile "): at for name, at in reversed(marks)}


def large(page: Page) -> str:
    """A hundred layers of 4096 × 4096 px: how much memory the tab takes, and when it is sharp."""
    address = brought_in(page, "hundred large", 100, 4096)
    opened = opening(page, address)
    rows = [["all parts on the screen", f"{opened['parts'] / 1000:.1f} s", f"{tab_memory():.0f} MB"]]
    page.get_by_role("button", name="100 %").click()
    rows.append(["every pixel at 100 %", f"{until_sharp(page):.1f} s", f"{tab_memory():.0f} MB"])
    pan(page)
    rows.append(["the same after a move of 180 px", f"{until_sharp(page):.1f} s", f"{tab_memory():.0f} MB"])
    note = (
        "Decoded as a whole they would take 6,700 MB. The memory is that of the browser's process for this page, all of it. Until every pixel"
        " is there, what is there is shown enlarged."
    )
    return table("A hundred layers of 4096 × 4096 px", ["what", "after", "memory of the tab"], rows, note)


def until_sharp(page: Page) -> float:
    began = time.perf_counter()
    page.wait_for_timeout(300)
    page.get_by_text("resolution. Zoom in").wait_for(state="hidden", timeout=120_000)
    return time.perf_counter() - began


def tab_memory() -> float:
    """The largest resident size of a page of the browser that was started here, in megabytes."""
    listed = subprocess.run(["ps", "-eo", "rss,args"], check=True, stdout=subprocess.PIPE, text=True).stdout
    return max(int(line.split()[0]) / 1000 for line in listed.splitlines() if "--type=renderer" in line)


def brought_in(page: Page, name: str, layers: int, side: int) -> str:
    """The address of bench art, brought in where it is not there yet."""
    file = FOLDER / f"{name}.ora"
    if not file.exists():
        bench_art(layers, side).rename(file)
    page.goto("/")
    page.get_by_role("link", name="Brindle").wait_for()
    link = page.get_by_role("link", name=name).first
    if not link.count():
        page.get_by_test_id("picture-file").first.set_input_files(file)
    link.wait_for(timeout=400_000)
    address = link.get_attribute("href") or ""
    page.goto(address)
    page.locator("[data-drawn=true]").wait_for(timeout=400_000)
    return address


def settle(page: Page) -> None:
    page.keyboard.press("Escape")
    page.get_by_text("Saving", exact=True).wait_for(state="hidden")
    page.wait_for_timeout(800)


def frames(page: Page, work: Callable[[Page], None]) -> str:
    """The 95th percentile of the times between frames while something is done."""
    found: list[float] = []
    for _ in range(3):
        page.evaluate(FRAMES)
        work(page)
        found.append(statistics.quantiles(page.evaluate("window.frames()"), n=20)[-1])
    return milliseconds(found)


def middle(page: Page) -> tuple[float, float]:
    box = page.get_by_test_id("pile").bounding_box() or {}
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def pan(page: Page) -> None:
    x, y = middle(page)
    page.mouse.move(x, y)
    page.mouse.down()
    for step in range(40):
        page.mouse.move(x + 4 * step, y + 2 * step)
        page.wait_for_timeout(12)
    page.mouse.up()


def zoom(page: Page) -> None:
    page.mouse.move(*middle(page))
    for step in range(40):
        page.mouse.wheel(0, -60 if step < 20 else 60)
        page.wait_for_timeout(12)


def scroll(page: Page) -> None:
    box = page.locator("[data-ledger]").bounding_box() or {}
    page.mouse.move(box["x"] + 100, box["y"] + 200)
    for step in range(40):
        page.mouse.wheel(0, 400 if step < 20 else -400)
        page.wait_for_timeout(12)


def peel(page: Page) -> None:
    page.get_by_role("slider", name="Peel").focus()
    for step in range(40):
        page.keyboard.press("ArrowRight" if step < 20 else "ArrowLeft")


def saved(page: Page, condition: str, key: str) -> tuple[float, float]:
    """Milliseconds from a key to the first frame in which something is so, and to the server's answer."""
    settle_saving(page)
    page.evaluate(SINCE_KEY.replace("CONDITION", condition))
    began = time.perf_counter()
    with page.expect_response(lambda answer: answer.url.endswith("/steps")):
        page.keyboard.press(key)
    answered = (time.perf_counter() - began) * 1000
    return float(page.evaluate("window.took")), answered


def settle_saving(page: Page) -> None:
    page.get_by_text("Saving", exact=True).wait_for(state="hidden")
    page.wait_for_timeout(500)


def hide(page: Page) -> tuple[float, float]:
    mark = "document.querySelector('[aria-selected=true] [role=switch]').ariaChecked"
    now = page.evaluate(mark)
    return saved(page, f"{mark} !== '{now}'", "s")


def rename(page: Page, n: int) -> tuple[float, float]:
    name = f"renamed {time.time():.0f} {n}"
    page.keyboard.press("Enter")
    page.get_by_role("textbox", name="Name of").wait_for()
    page.keyboard.press("ControlOrMeta+a")
    page.keyboard.type(name)
    try:
        return saved(page, f"document.querySelector('[data-row=\"{name}\"]') !== null", "Enter")
    finally:
        page.keyboard.press("Escape")
        page.locator(f'[data-row="{name}"]').click()


def reorder(page: Page, key: str) -> tuple[float, float]:
    index = "document.querySelector('[aria-selected=true]').ariaRowIndex"
    return saved(page, f"{index} !== '{page.evaluate(index)}'", key)


def clicked(page: Page, link: Locator, selector: str) -> float:
    """Milliseconds from a click to the first frame with what it leads to."""
    page.wait_for_timeout(700)
    page.evaluate(SINCE_CLICK, selector)
    link.click()
    return float(page.evaluate("window.took"))


def to_tab(page: Page) -> float:
    tabs = page.get_by_label("Pages")
    took = clicked(page, tabs.get_by_text("Depth"), "[aria-label='The planes from the side']")
    tabs.get_by_text("Parts").click()
    return took


def to_step(page: Page) -> float:
    steps = page.get_by_role("navigation", name="Steps")
    took = clicked(page, steps.get_by_role("link", name="Take apart"), "[aria-label='Pages']")
    steps.get_by_role("link", name="Put in order").click()
    page.locator("[data-row]").first.wait_for()
    return took


def plan(page: Page) -> tuple[float, float]:
    page.wait_for_timeout(700)
    began = time.perf_counter()
    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Hand over").click()
    page.get_by_role("button", name=re.compile(r"Hand over [\d,]+ parts")).wait_for(timeout=60_000)
    planned = time.perf_counter() - began
    page.locator("[data-file$='.png'] img").first.wait_for(timeout=60_000)
    seen = time.perf_counter() - began
    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Put in order").click()
    page.locator("[data-row]").first.wait_for()
    return planned * 1000, seen * 1000


def seconds(values: Iterator[float]) -> str:
    return f"{statistics.median(values) / 1000:.1f} s"


def milliseconds(values: "list[float] | tuple[float, ...]") -> str:
    return f"{statistics.median(values):.0f} ms"


if __name__ == "__main__":
    print(main())
