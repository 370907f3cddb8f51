"""How many actions the main journeys take: a click, a key, a text that is typed and a file that is chosen are one each.

`test_take_apart` counts those of a flat figure. The figures are in docs/measurements.md.
"""

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PIL import Image
from playwright.sync_api import Locator, expect

from tests.product import ProductTestCase
from tests.test_revisions import second


class ActionTests(ProductTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.actions = 0

    def do(self, action: Callable[..., Any], *values: Any) -> None:
        self.actions += 1
        action(*values)

    def button(self, name: str) -> Locator:
        return self.page.get_by_role("button", name=name)

    def steps(self) -> Locator:
        return self.page.get_by_role("navigation", name="Steps")

    def test_from_a_layered_file_to_a_package_and_a_film_of_it(self) -> None:
        page = self.page
        self.sign_in()
        self.do(page.get_by_test_id("picture-file").set_input_files, self.ora)
        card = page.get_by_role("link", name="signal post")
        expect(card).to_be_visible(timeout=60_000)
        self.do(card.click)
        self.wait_for_pile()
        self.do(self.steps().get_by_role("link", name="Hand over").click)
        self.do(self.button("Hand over 9 parts").click)
        expect(page.get_by_test_id("proof")).to_have_text("Rebuilt from the package: 0 of 7,081 pixels differ.")
        with page.expect_download():
            self.do(page.get_by_role("link", name="Download ZIP").click)
        self.assertLessEqual(self.actions, 5, "a layered file to a ZIP")

        self.actions = 0
        self.do(self.steps().get_by_role("link", name="Try out").click)
        expect(page.get_by_test_id("compared")).to_have_text("0 of 7,081 pixels differ.", timeout=60_000)
        self.do(page.get_by_text("Move", exact=True).click)
        page.locator("[data-pictures='9']").wait_for()
        self.do(
            page.get_by_label("Part", exact=True).select_option,
            page.get_by_label("Part", exact=True).locator("option", has_text="lamp").get_attribute("value"),
        )
        self.do(page.get_by_label("Write keys").check)
        self.do(page.get_by_role("slider", name="Frame").press, "End")
        self.do(page.get_by_label("Turn, °").fill, "25")
        self.do(page.get_by_label("Turn, °").press, "Enter")
        self.do(self.button("Write film").click)
        film = page.get_by_role("link", name="Animated PNG")
        expect(film).to_be_visible(timeout=60_000)
        with page.expect_download():
            self.do(film.click)
        self.assertLessEqual(self.actions, 9, "a hand-over to a film of two keys")

    def test_sixty_names(self) -> None:
        names = [f"signal {number}" for number in range(60, 0, -1)]
        sheet = Image.new("RGBA", (100, 60))
        for at in range(60):
            sheet.paste(
                (40 + at * 3, 90, 120, 255), (at % 10 * 10 + 2, at // 10 * 10 + 2, at % 10 * 10 + 8, at // 10 * 10 + 8)
            )
        path = Path(self.files) / "sixty.png"
        sheet.save(path)
        self.open_picture(path)
        self.to_step("Take apart")
        self.page.get_by_text("Split into islands").click()
        self.button("Preview islands").click()
        self.button("Make 60 parts").click()
        self.do(self.button("Name them").click)
        self.do(self.page.get_by_label("Names, one a line").fill, "\n".join(names))
        self.do(self.page.get_by_role("dialog").get_by_role("button", name="Rename", exact=True).click)
        self.assertLessEqual(self.actions, 3, "sixty names")
        self.to_step("Put in order")
        self.page.get_by_label("Find by name").fill("signal")
        expect(self.page.get_by_role("treegrid")).to_have_attribute("aria-rowcount", "60")

    def test_a_revision_is_taken(self) -> None:
        self.open_picture()
        second(self.files / "second.ora")
        self.do(self.steps().get_by_role("link", name="Bring in").click)
        self.do(self.page.get_by_text("Revisions", exact=True).click)
        self.do(self.page.get_by_test_id("revision-file").set_input_files, self.files / "second.ora")
        self.do(self.button("Accept revision 2").click)
        expect(self.page.get_by_text("Revision 2, current")).to_be_visible()
        self.assertLessEqual(self.actions, 4, "a revision")
