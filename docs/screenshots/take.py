"""Takes one picture of each main view from the demo data, while ./start is running.

.venv/bin/python docs/screenshots/take.py [address]
"""

import json
import os
import sys
from pathlib import Path

from playwright.sync_api import Page

HERE = Path(__file__).resolve().parent
sys.path[:0] = [str(HERE.parents[1]), str(HERE.parents[1] / "demo")]
import tin_inspector  # noqa: E402

from tests.browser import chromium, new_context  # noqa: E402

ADDRESS = sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8600"


def main() -> None:
    folder = Path(os.environ.get("YUPLET_VAR", HERE.parents[1] / "var"))
    password = json.loads((folder / "secrets.json").read_text())["demo_password"]
    with chromium() as browser:
        context, _ = new_context(browser, ADDRESS)
        page = context.new_page()
        page.goto("/")
        page.get_by_label("Account").wait_for()
        page.get_by_label("Account").fill("demo")
        page.get_by_role("textbox", name="Password").fill(password)
        page.get_by_role("button", name="Sign in").click()
        page.get_by_role("link", name="Brindle").wait_for()
        shoot(page, "projects")
        page.get_by_role("link", name="Brindle").click()
        opened(page)
        to_step(page, "Bring in")
        page.get_by_role("region", name="Review of revision 2").wait_for()
        shoot(page, "bring-in")
        page.get_by_text("Compare", exact=True).click()
        page.get_by_label("Right picture").select_option(label="Revision 2")
        page.get_by_text("Side by side", exact=True).click()
        page.wait_for_timeout(1500)
        shoot(page, "compare")
        page.get_by_text("Slider", exact=True).first.click()
        page.get_by_text("Flat", exact=True).click()
        to_step(page, "Try out")
        page.locator("[data-shown=true]").wait_for()
        page.get_by_text("Slider", exact=True).click()
        shoot(page, "try-out")
        page.get_by_text("Move", exact=True).click()
        page.get_by_label("Part", exact=True).select_option(label="Brindle / arm left / lower arm")
        page.get_by_role("slider", name="Frame").press("PageUp")
        page.wait_for_timeout(3000)
        shoot(page, "moving")
        page.goto("/")
        page.get_by_role("link", name="Semaphore lamp").click()
        opened(page)
        page.get_by_role("button", name="Display", exact=True).click()
        page.get_by_label("Outlines", exact=True).select_option("all")
        page.keyboard.press("Escape")
        shoot(page, "frames")
        to_step(page, "Take apart")
        to_page(page, "Findings")
        page.get_by_role("button", name="Check all parts").click()
        page.get_by_role("button", name="frame 5 of 6: 1 crumb").click()
        shoot(page, "look-over")
        page.goto("/")
        page.get_by_role("link", name="Reed marsh").click()
        opened(page)
        page.get_by_text("Exploded", exact=True).click()
        shoot(page, "apart")
        page.get_by_text("Flat", exact=True).click()
        in_order(page, "Depth")
        page.get_by_role("button", name="reeds, far", exact=True).click()
        page.get_by_label("The planes from the side").scroll_into_view_if_needed()
        shoot(page, "depth")
        page.goto("/")
        page.get_by_role("link", name="Tin inspector").click()
        opened(page)
        take_apart(page)
        page.goto("/")
        page.get_by_role("link", name="Brindle").click()
        opened(page)
        to_step(page, "Put in order")
        page.locator('[data-row="lamp"]').click()
        shoot(page, "put-in-order")
        in_order(page, "Joints")
        page.get_by_label("Parents and children").get_by_role("button").filter(has_text="arm left / lower arm").click()
        page.get_by_role("button", name="Swing", exact=True).click()
        page.get_by_test_id("swing").wait_for()
        shoot(page, "joints")
        page.get_by_role("button", name="Close", exact=True).click()
        in_order(page, "Sets")
        page.get_by_role("button", name="drenched", exact=True).click()
        shoot(page, "sets")
        page.get_by_role("button", name="dry", exact=True).click()
        in_order(page, "Parts")
        to_step(page, "Hand over")
        page.get_by_role("button", name="Hand over").click()
        page.get_by_role("heading", name="No. 2").wait_for()
        page.wait_for_timeout(1500)
        shoot(page, "hand-over")
        received(page)
        page.get_by_label("Pages").get_by_text("Project", exact=True).click()
        page.get_by_label("Recipe of Lever frame").select_option("Interface pieces")
        page.get_by_role("button", name="Hand over").last.click()
        page.get_by_test_id("together").wait_for(timeout=120_000)
        page.wait_for_timeout(1500)
        shoot(page, "project")
        page.get_by_label("Pages").get_by_text("Plan", exact=True).click()
        page.emulate_media(color_scheme="dark")
        to_step(page, "Put in order")
        page.get_by_role("button", name="Display", exact=True).click()
        page.get_by_label("Background", exact=True).select_option("dark")
        page.keyboard.press("Escape")
        shoot(page, "put-in-order-dim")
        page.emulate_media(color_scheme="light")
        page.goto("/")
        page.get_by_role("link", name="Lever frame").click()
        opened(page)
        to_step(page, "Hand over")
        page.get_by_role("combobox", name="Recipe", exact=True).select_option("game-sheets.json")
        page.locator("[data-file='sheets/1.json']").scroll_into_view_if_needed()
        page.locator("[data-file='sheets/1.png'] img").wait_for()
        shoot(page, "sheets")
        to_step(page, "Try out")
        page.get_by_text("Screens", exact=True).click()
        page.get_by_role("region", name="Screens").locator("canvas").nth(2).wait_for()
        page.wait_for_timeout(2000)
        shoot(page, "screens")


def received(page: Page) -> None:
    """The package as somebody without an account sees it, with a remark on a part."""
    page.get_by_role("button", name="Link for a recipient").click()
    page.get_by_placeholder("Recipient, to tell links apart").fill("Maren, rigging")
    page.get_by_role("button", name="Create link").click()
    link = page.get_by_role("textbox", name="Link").input_value()
    other = page.context.new_page()
    other.goto(link)
    other.get_by_placeholder("Search names").fill("arm")
    other.get_by_role("complementary", name="Parts").get_by_role("listitem").get_by_role("button").nth(1).click()
    other.get_by_label("Remark to the artist").fill("More underlap at the elbow, please: it opens at 40°.")
    other.get_by_role("button", name="Send remark").click()
    other.get_by_text("No answer yet").wait_for()
    shoot(other, "receive")
    other.close()


def take_apart(page: Page) -> None:
    """The tin inspector with one part clicked and another one under the pointer; then all of its parts as the guide takes them out."""
    to_step(page, "Take apart")
    page.get_by_test_id("remainder").wait_for()
    frame = page.get_by_test_id("pile").bounding_box() or {}
    zoom = min(frame["width"] * 0.96 / 1200, frame["height"] * 0.94 / 1500)
    left = frame["x"] + (frame["width"] - 1200 * zoom) / 2
    top = frame["y"] + (frame["height"] - 1500 * zoom) / 2
    page.mouse.click(left + 1025 * zoom, top + 683 * zoom)
    page.get_by_text("px selected").wait_for()
    page.keyboard.type("key")
    page.mouse.move(left + 370 * zoom, top + 670 * zoom)
    page.wait_for_timeout(1500)
    shoot(page, "take-apart")
    page.keyboard.press("Escape")
    page.get_by_role("radio", name="Proposals").click()
    page.get_by_text("Detail:").wait_for()
    for name, places in tin_inspector.PARTS.items():
        for at, (x, y) in enumerate(places):
            if at:
                page.keyboard.down("Shift")
            page.mouse.click(left + x * zoom, top + y * zoom)
            page.keyboard.up("Shift")
        page.get_by_text("px selected").wait_for()
        page.get_by_label("Part name").fill(name)
        page.get_by_role("button", name="Take out", exact=True).click()
        page.get_by_text(f"Take '{name}' out of").wait_for()
        page.locator("[aria-busy=false]").wait_for()
    page.get_by_text("Exploded", exact=True).click()
    shoot(page, "../guide/pictures/taken-apart")


def in_order(page: Page, name: str) -> None:
    page.get_by_label("Pages").get_by_text(name).click()


def to_page(page: Page, name: str) -> None:
    page.get_by_role("radiogroup", name="Pages").get_by_text(name, exact=True).click()


def to_step(page: Page, name: str) -> None:
    page.get_by_role("navigation", name="Steps").get_by_role("link", name=name).click()


def opened(page: Page) -> None:
    page.locator("[data-drawn=true]").wait_for()


def shoot(page: Page, name: str) -> None:
    page.wait_for_timeout(700)
    # Not `wait_for_function`, which the page's own policy forbids.
    while not page.evaluate("[...document.images].every(image => image.complete)"):
        page.wait_for_timeout(100)
    page.screenshot(path=HERE / f"{name}.png")


if __name__ == "__main__":
    main()
