"""What all steps share: room for the picture, a drawer that stays where it is, menus, keys and the texts of the interface."""

import re
import subprocess
from pathlib import Path
from tempfile import TemporaryDirectory

from django.test import SimpleTestCase
from playwright.sync_api import expect

from tests.product import ProductTestCase, wait_until

WEB = Path(__file__).parents[1] / "web"
MENUS = ("ada", "Make", "Picture", "Order")


class WorkspaceTests(ProductTestCase):
    has_worker = False

    def setUp(self) -> None:
        super().setUp()
        self.open_picture()

    def size(self, what: str) -> tuple[float, float]:
        box = self.page.locator(what).bounding_box()
        assert box is not None
        return box["width"], box["height"]

    def test_the_panel_is_narrowed_folded_away_and_back(self) -> None:
        page, edge = self.page, self.page.get_by_role("separator", name="Panel width")
        before = self.size("[data-testid=pile]")
        edge.focus()
        for _ in range(3):
            page.keyboard.press("ArrowRight")
        self.assertEqual(self.size("[data-testid=pile]")[0], before[0] - 60)
        for _ in range(4):
            page.keyboard.press("ArrowLeft")
        self.assertEqual(self.size("[data-testid=pile]")[0], before[0] + 20)
        self.reload()
        self.assertEqual(self.size("[data-testid=pile]")[0], before[0] + 20, "it is kept")
        page.locator("body").click(position={"x": 640, "y": 400})
        page.keyboard.press("h")
        expect(page.get_by_role("region", name="Step")).to_have_count(0)
        width, height = self.size("[data-testid=pile]")
        self.assertGreater(width, 1260)
        self.assertGreater(width * height / (1280 * 800), 0.58)
        self.assert_accessible("folded")
        with self.subTest("another step brings it back"):
            self.to_step("Take apart")
            expect(page.get_by_role("region", name="Step")).to_be_visible()
        page.get_by_role("button", name="Panel", exact=True).click()
        page.get_by_role("button", name="Panel", exact=True).click()
        expect(page.get_by_role("region", name="Step")).to_be_visible()

    def test_reloading_and_going_back_lead_to_the_same_page_and_selection(self) -> None:
        page = self.page
        pages = page.get_by_role("radiogroup", name="Pages")
        self.row("lamp").click()
        self.row("arm").click(modifiers=["Control"])
        pages.get_by_text("Joints", exact=True).click()
        self.to_step("Take apart")
        pages.get_by_text("Underlap", exact=True).click()
        expect(page).to_have_url(re.compile(r"take-apart\?page=beneath&parts=[^,]+,[^,]+$"))
        self.reload()
        expect(page.get_by_role("radio", name="Underlap")).to_be_checked()
        self.to_step("Put in order")
        expect(page.get_by_role("radio", name="Parts")).to_be_checked()
        expect(page.locator("[data-row][aria-selected=true]")).to_have_count(2)
        pages.get_by_text("Sets", exact=True).click()
        self.to_step("Take apart")
        expect(page.get_by_role("radio", name="Underlap")).to_be_checked()
        self.to_step("Put in order")
        expect(page.get_by_role("radio", name="Sets")).to_be_checked()
        for was in ("Underlap", "Sets", "Parts"):
            page.go_back()
            expect(page.get_by_role("radio", name=was)).to_be_checked()
        page.goto(f"{self.live_server_url}/illustrations/1/put-in-order?page=nothing&parts=not-there,")
        expect(
            page.get_by_role("link", name="Yuplet, all projects").or_(page.get_by_role("link", name="Go to projects"))
        ).to_be_visible()

    def test_findings_of_all_kinds_are_one_list_with_one_count(self) -> None:
        page = self.page
        self.to_step("Hand over")
        page.get_by_role("radiogroup", name="Pages").get_by_text("Recipe", exact=True).click()
        page.get_by_label("Longest side").fill("64")
        line = page.get_by_role("navigation", name="Steps")
        expect(line.get_by_role("link", name="Hand over")).to_have_text(re.compile(r"Stopped: \d+ errors?$"))
        self.to_step("Put in order")
        before = self.counted()
        page.get_by_role("button", name=re.compile(r"^\d+ findings?$")).click()
        errors = page.get_by_role("region", name="Errors")
        expect(errors).to_contain_text("the target program allows up to 64 px")
        page.get_by_role("button", name="Check all parts").click()
        expect(page.get_by_text("the pixels are not checked yet")).to_have_count(0)
        expect(page.get_by_text("Checking all parts")).to_have_count(0)
        self.assert_accessible("all findings")
        self.assertGreater(self.counted(), before, "what the pixels say is counted too")
        number = (
            errors.get_by_role("heading").inner_text(),
            page.get_by_role("region", name="Warnings").get_by_role("heading").inner_text(),
        )
        self.assertEqual(self.counted(), sum(int(re.sub(r"\D", "", one)) for one in number))
        errors.get_by_role("button", name="Show in plan").first.click()
        expect(page.get_by_role("button", name=re.compile(r"^Hand over \d"))).to_be_disabled()

    def test_windows_of_every_size_have_room_for_the_picture_and_cut_nothing_off(self) -> None:
        page = self.page
        for width, height, least in (
            (1024, 700, 0.4),
            (640, 400, 0.4),
            (1280, 800, 0.58),
            (1920, 1080, 0.58),
            (2560, 1440, 0.58),
        ):
            page.set_viewport_size({"width": width, "height": height})
            for step in ("Put in order", "Take apart", "Hand over", "Bring in"):
                self.to_step(step)
                page.wait_for_timeout(150)
                with self.subTest(step, window=(width, height)):
                    pile = self.size("[data-testid=pile]")
                    self.assertGreater(pile[0] * pile[1] / (width * height), least)
                    beyond = page.evaluate(
                        """() => [...document.querySelectorAll('header *, main button, main input, main select, footer')]
                            .filter(one => one.checkVisibility() && one.getClientRects().length)
                            .filter(one => one.getBoundingClientRect().right > innerWidth + 1)
                            .map(one => one.outerHTML.slice(0, 80))"""
                    )
                    self.assertEqual(beyond, [])
            self.to_step("Put in order")
        with self.subTest("a wide ledger has more columns"):
            page.set_viewport_size({"width": 2560, "height": 1440})
            expect(page.get_by_text("Parent, pivot")).to_be_visible()
            expect(page.get_by_text("Depth, role")).to_be_visible()
        page.set_viewport_size({"width": 1280, "height": 800})
        expect(page.get_by_label("Middle column")).to_be_visible()

    def test_two_fingers_move_and_zoom_the_picture_and_one_picks(self) -> None:
        """Touches as Chromium's own protocol sends them (https://chromedevtools.github.io/devtools-protocol/tot/Input/)."""
        page = self.page
        tools = page.context.new_cdp_session(page)

        def touch(kind: str, *places: tuple[float, float]) -> None:
            points = [{"x": x, "y": y, "id": at} for at, (x, y) in enumerate(places)]
            tools.send("Input.dispatchTouchEvent", {"type": kind, "touchPoints": points})

        def zoom() -> int:
            return int(page.get_by_test_id("zoom").inner_text().split()[0])

        before = zoom()
        one, other = self.place_of(30, 36), self.place_of(60, 36)
        middle = ((one[0] + other[0]) / 2, one[1])
        touch("touchStart", one)
        touch("touchStart", one, other)
        for step in (4, 8, 12):
            touch("touchMove", (one[0] - step * 4, one[1]), (other[0] + step * 4, other[1]))
        touch("touchEnd", (one[0] - 48, one[1]))
        touch("touchEnd")
        page.wait_for_timeout(200)
        wide = other[0] - one[0]
        self.assertAlmostEqual(zoom(), before * (wide + 96) / wide, delta=before * 0.02)
        expect(page.locator("[data-row][aria-selected=true]")).to_have_count(0)
        page.get_by_role("button", name="Whole picture").click()
        touch("touchStart", one, other)
        touch("touchMove", (one[0] + 40, one[1] + 8), (other[0] + 40, other[1] + 8))
        touch("touchEnd")
        page.wait_for_timeout(200)
        self.assertEqual(zoom(), before, "moved, and as large as before")
        touch("touchStart", (middle[0] + 40, middle[1] + 8))
        touch("touchEnd")
        expect(page.locator("[data-row][aria-selected=true]")).to_have_count(1)
        with self.subTest("a second finger ends what the first had begun to draw"):
            self.to_step("Take apart")
            page.get_by_role("radio", name="Rectangle").click()
            page.get_by_role("button", name="Whole picture").click()
            corner, opposite = self.place_of(4, 4), self.place_of(90, 68)
            touch("touchStart", corner)
            touch("touchMove", opposite)
            touch("touchStart", opposite, other)
            touch("touchMove", opposite, (other[0] + 10, other[1]))
            touch("touchEnd")
            expect(page.get_by_text("No selection yet.")).to_be_visible()
            page.get_by_role("button", name="Whole picture").click()
            touch("touchStart", corner)
            touch("touchMove", opposite)
            touch("touchEnd")
            expect(page.get_by_text("px selected")).to_be_visible()

    def test_the_picture_is_described_and_the_selection_moved_by_keys(self) -> None:
        page = self.page
        picture = page.get_by_role("application")
        expect(picture).to_have_accessible_name(re.compile("Nothing is selected"))
        self.row("mast").click()
        expect(picture).to_have_accessible_name(
            re.compile(r"'mast' is selected: 7 × 56 px at \d+, \d+\. In front of it: '")
        )
        x = page.get_by_label("x of mast")
        before = int(x.input_value().split()[0])
        picture.focus()
        page.keyboard.press("ArrowRight")
        page.keyboard.press("Shift+ArrowLeft")
        expect(x).to_have_value(f"{before - 9} px")
        expect(picture).to_be_focused()
        self.reload()
        self.row("mast").click()
        expect(x).to_have_value(f"{before - 9} px")
        self.assert_accessible("described")

    def test_new_parts_fly_to_their_row_and_rows_slide_unless_that_is_not_wished(self) -> None:
        page = self.page
        page.evaluate(
            """() => {
                window.flights = 0;
                new MutationObserver((all) => all.forEach(({ addedNodes }) => addedNodes.forEach((one) => {
                    if (one.dataset?.flying === undefined) return;
                    window.flights += 1;
one.getAnimations()[0].currentTime = 440;
                    window.landed = one.getBoundingClientRect();
                }))).observe(document.body, { childList: true });
            }"""
        )
        slides = "() => document.getAnimations().filter(({ transitionProperty: one }) => one === 'translate').length"
        self.row("lamp").click()
        page.keyboard.press("d")
        expect(self.row("lamp 2")).to_be_visible()
        page.keyboard.press("f")
        self.assertEqual(page.evaluate(slides), 0)
        page.wait_for_timeout(300)
        self.assertEqual(page.evaluate("window.flights"), 0)
        page.emulate_media(reduced_motion="no-preference")
        self.row("mast").click()
        page.keyboard.press("d")
        wait_until(page, lambda: page.evaluate("window.landed") is not None)
        self.assertEqual(page.evaluate("window.flights"), 1)
        row = self.row("mast 2").bounding_box() or {}
        landed = page.evaluate(
            "[window.landed.x + window.landed.width / 2, window.landed.y + window.landed.height / 2]"
        )
        self.assertTrue(
            row["x"] < landed[0] < row["x"] + row["width"] and row["y"] < landed[1] < row["y"] + row["height"]
        )
        expect(page.locator("[data-flying]")).to_have_count(0)
        page.keyboard.press("f")
        wait_until(page, lambda: page.evaluate(slides) > 0)
        expect(page.get_by_text("Saving", exact=True)).to_have_count(0)

    def test_each_step_says_what_is_next_and_a_walk_leads_through_all(self) -> None:
        page, foot = self.page, self.page.get_by_role("contentinfo")
        page.request.patch(
            f"{self.live_server_url}/api/illustrations/{page.url.split('/')[4]}",
            data={"name": "Brindle"},
            headers={"X-CSRFToken": self.token(), "Referer": self.live_server_url},
        )
        expect(foot).to_contain_text("Next: ")
        self.to_step("Hand over")
        expect(foot).to_contain_text("Next: choose a recipe, check the plan, then hand over.")
        self.to_step("Try out")
        expect(foot).to_contain_text("Next: hand over first, or open a package from elsewhere.")
        page.goto("/")
        page.get_by_role("button", name="Walk through Brindle").click()
        walk = page.get_by_role("region", name="Walk")
        expect(walk).to_contain_text("1 of 8 Bring in.")
        self.assert_accessible("walk")
        seen = []
        for at in range(2, 9):
            walk.get_by_role("button", name="Next").click()
            expect(walk).to_contain_text(f"{at} of 8")
            seen.append(page.url.split("/")[-1].split("&")[0])
        self.assertEqual(
            seen,
            [
                "bring-in?page=revisions",
                "take-apart",
                "put-in-order",
                "put-in-order?page=joints",
                "put-in-order?page=notes",
                "try-out",
                "hand-over",
            ],
        )
        expect(walk.get_by_role("button", name="Next")).to_have_count(0)
        self.to_step("Take apart")
        walk.get_by_role("button", name="Show again").click()
        expect(page).to_have_url(re.compile("/hand-over$"))
        walk.get_by_role("button", name="Back").click()
        expect(page).to_have_url(re.compile("/try-out$"))
        page.reload()
        expect(walk).to_contain_text("7 of 8")
        walk.get_by_role("button", name="End walk").click()
        expect(walk).to_have_count(0)

    def token(self) -> str:
        self.page.request.get(f"{self.live_server_url}/api/session")
        return next(one["value"] for one in self.page.context.cookies() if one["name"] == "csrftoken")

    def counted(self) -> int:
        text = self.page.get_by_role("button", name=re.compile(r"^\d+ findings?$")).inner_text()
        return int(text.split()[0])

    def test_the_picture_has_half_of_the_window_and_never_jumps(self) -> None:
        before = self.size("[data-testid=pile]")
        self.assertGreater(before[0] * before[1] / (1280 * 800), 0.48)
        buttons = self.page.get_by_label("Actions for the selection").get_by_role("button")
        names = [re.sub("^(Show|Hide|Ungroup|Group).*", "", one) for one in buttons.all_inner_texts()]
        for row in ("lamp", "arm", "sky"):
            self.row(row).click()
            self.assertEqual(self.size("[data-testid=pile]"), before, row)
            now = [re.sub("^(Show|Hide|Ungroup|Group).*", "", one) for one in buttons.all_inner_texts()]
            self.assertEqual(now, names, "no button comes or goes")

    def test_what_cannot_be_made_says_what_it_needs(self) -> None:
        self.row("lamp").click()
        self.page.get_by_role("button", name="Make", exact=True).click()
        item = self.page.get_by_role("menuitem", name="Split frames into parts")
        expect(item).to_be_disabled()
        expect(item).to_contain_text("Select an animated part")

    def test_menus_and_dialogs_are_accessible_in_both_themes(self) -> None:
        self.row("lamp").click()
        for scheme in ("light", "dark"):
            self.page.emulate_media(color_scheme=scheme)
            for name in MENUS:
                self.page.get_by_role("button", name=name, exact=True).click()
                expect(self.page.get_by_role("menu")).to_be_visible()
                expect(self.page.get_by_role("menuitem").and_(self.page.locator(":focus"))).to_have_count(1)
                # What lies under an open menu is partly covered by it, and that is all it is.
                self.assert_accessible(f"{name}, {scheme}", "[role=menu]")
                self.page.keyboard.press("Escape")
                expect(self.page.get_by_role("menu")).to_have_count(0)
            self.page.get_by_role("button", name="Display").click()
            self.assert_accessible(f"display, {scheme}")
            self.page.keyboard.press("Escape")

    def test_every_page_is_accessible_in_both_themes(self) -> None:
        """All steps with all of their pages, and what is beside them; further states of pages are looked at where they are tested."""
        page = self.page
        # One heading of the first level, and one banner, whatever page it is.
        outline = "[document.querySelectorAll('h1').length, document.querySelectorAll('header').length]"
        self.row("lamp").click()
        address = page.url
        for scheme in ("light", "dark"):
            page.emulate_media(color_scheme=scheme)
            page.goto(address)
            self.wait_for_pile()
            for step in ("Bring in", "Take apart", "Put in order", "Try out", "Hand over"):
                self.to_step(step)
                page.wait_for_timeout(300)
                pages = page.get_by_role("radiogroup", name="Pages").locator("label")
                for name in pages.all_inner_texts() or [""]:
                    pages.get_by_text(name, exact=True).click() if name else None
                    page.wait_for_timeout(150)
                    self.assert_accessible(f"{step}, {name}, {scheme}")
                    self.assertEqual(page.evaluate(outline), [1, 1], f"{step}, {name}")
            for path in ("/", "/shelf", "/queue"):
                page.goto(self.live_server_url + path)
                expect(page.get_by_role("button", name="ada", exact=True)).to_be_visible()
                page.wait_for_timeout(300)
                self.assert_accessible(f"{path}, {scheme}")
                self.assertEqual(page.evaluate(outline), [1, 1], path)

    def test_every_key_is_listed(self) -> None:
        """Each key that a button names on any step and page stands in the list of keys."""
        found: set[str] = set()
        for step in ("Bring in", "Take apart", "Put in order", "Hand over"):
            self.to_step(step)
            self.page.wait_for_timeout(400)
            pages = self.page.get_by_role("radiogroup", name="Pages").locator("label")
            for name in pages.all_inner_texts() or [""]:
                pages.get_by_text(name, exact=True).click() if name else None
                self.page.wait_for_timeout(150)
                named = self.page.locator("[aria-keyshortcuts]").evaluate_all(
                    "all => all.map(one => one.getAttribute('aria-keyshortcuts'))"
                )
                found |= {key for one in named for key in one.split()}
        self.assertGreater(len(found), 20)
        self.page.keyboard.press("?")
        listed = self.page.get_by_role("dialog", name="Keys").inner_text()
        missing = set()
        for key in found:
            *_, letter = key.split("+")
            shown = {"ArrowUp": "↑", "ArrowDown": "↓"}.get(letter, letter)
            if not re.search(rf"(^|\s){re.escape(shown)}(\s|$)", listed):
                missing.add(key)
        self.assertEqual(missing - {str(number) for number in range(1, 10)}, set())


class WordsTests(SimpleTestCase):
    def test_the_rules_of_words_can_fail(self) -> None:
        wrong = {
            "save it": "begins with a capital",
            "Remove it": "names its thing",
            "Grow by 12px": "a space before a unit",
            "Rename Many Parts": "sentence case",
            "Parts that were laid over": "say: blended",
            "No name holds “a”": "single quotes",
        }
        texts = [*wrong, "Rename many"]
        with TemporaryDirectory() as folder:
            words, page = Path(folder) / "words.ts", Path(folder) / "Extra.tsx"
            lines = "".join(f"  text{at}: '{text}',\n" for at, text in enumerate(texts))
            words.write_text(f"export const extra = {{\n{lines}}};\n")
            buttons = "".join(f"<button aria-label={{words.text{at}}} />" for at in range(len(texts)))
            page.write_text(
                "import { extra as words } from './words';\n"
                f"export const Extra = () => <p title={{'Go on'}}>Stray text{buttons}</p>;\n"
            )
            found = subprocess.run(
                ["node", "words.mjs", words, page], cwd=WEB, capture_output=True, text=True, check=False
            )
        self.assertEqual(found.returncode, 1)
        for text, fault in wrong.items():
            self.assertRegex(found.stderr, f"(?m)'{re.escape(text)}': .*{fault}")
        self.assertNotIn("Rename many", found.stderr)
        for stray in ("Go on", "Stray text"):
            self.assertIn(f"'{stray}': the texts of a folder stand in its words.ts", found.stderr)
