"""Joints, sets, depths, fits and notes in the browser, on a jointed figure whose joints are known."""

import math
import random
import re
import tempfile
from pathlib import Path

from paper_signalman import SVG
from PIL import Image
from playwright.sync_api import Locator, expect

from tests.product import ProductTestCase
from yuplet.arrangement.commands import OrderRows, apply
from yuplet.arrangement.tree import Arrangement
from yuplet.parts.part import Part, still


class JointTests(ProductTestCase):
    has_worker = False

    def setUp(self) -> None:
        super().setUp()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        file = Path(folder.name) / "signalman.svg"
        file.write_bytes(SVG)
        self.open_picture(file)

    def set_of(self, name: str) -> None:
        self.page.get_by_role("radiogroup", name="Sets").get_by_text(name, exact=True).click()

    def page_of(self, name: str) -> None:
        self.page.get_by_label("Pages").get_by_text(re.compile(f"^{name}")).click()

    def spot(self, x: float, y: float) -> tuple[float, float]:
        """Where a place of the canvas is on the screen, while the whole picture is shown."""
        frame = self.page.get_by_test_id("pile").bounding_box() or {}
        zoom = float(self.page.get_by_test_id("zoom").inner_text().split()[0]) / 100
        left, top = (
            math.floor((frame[side] - size * zoom) / 2 + 0.5) for side, size in (("width", 300), ("height", 360))
        )
        return frame["x"] + left + x * zoom, frame["y"] + top + y * zoom

    def drag(self, start: tuple[float, float], end: tuple[float, float]) -> None:
        self.page.mouse.move(*self.spot(*start))
        self.page.mouse.down()
        self.page.mouse.move(*self.spot(*end), steps=6)
        self.page.mouse.up()

    def carried(self, name: str) -> Locator:
        return self.page.get_by_label("Parents and children").get_by_role("button").filter(has_text=name)

    def propose(self) -> None:
        self.page_of("Joints")
        self.page.get_by_role("button", name="Propose missing joints").click()
        expect(self.carried("arm left / upper")).to_contain_text("1 child")

    def test_joints_are_proposed_tried_out_and_taken_back(self) -> None:
        self.propose()
        self.assert_accessible("joints")
        self.carried("arm left / upper").click()
        with self.subTest("the chosen part's joint and its neighbours' are marked, all of them when asked for"):
            self.page.wait_for_timeout(200)
            near = self.screen_pixels()
            self.page.get_by_label("Show all joints").check()
            self.page.wait_for_timeout(200)
            self.assertGreater(self.differing(near, self.screen_pixels()), 100)
            self.page.get_by_label("Show all joints").uncheck()
            self.page.wait_for_timeout(200)
        expect(self.page.get_by_label("Parent of 'upper'")).to_have_value(re.compile(".+"))
        expect(self.page.get_by_text(re.compile(r"Round end: centre .*, radius 1[12](\.\d)? px"))).to_be_visible()
        rest = self.screen_pixels()
        # The grip lies as far from the shoulder as the limb's middle does.
        self.drag((170, 120), (140, 150))
        turn = self.page.get_by_role("slider", name="Test angle")
        expect(turn).to_have_attribute("aria-valuenow", re.compile(r"^(7[0-4]|6\d)$"))
        self.page.wait_for_timeout(200)
        self.assertGreater(self.differing(rest, self.screen_pixels()), 2000)
        turn.press("ArrowRight")
        self.page.get_by_role("button", name="Reset").click()
        self.page.wait_for_timeout(200)
        expect(turn).to_have_attribute("aria-valuenow", "0")
        self.page.get_by_role("button", name="Undo").click()
        expect(self.page.get_by_text("9 parts without a parent or a pivot.")).to_be_visible()

    def test_a_parent_is_pointed_at_and_one_that_would_close_a_circle_is_refused(self) -> None:
        self.page_of("Joints")
        # A key does what it says also while one of the pages has the focus.
        self.page.keyboard.press("?")
        expect(self.page.get_by_role("dialog", name="Keys")).to_be_visible()
        self.page.keyboard.press("Escape")
        self.carried("arm left / lower").click()
        self.page.keyboard.press("c")
        self.page.mouse.click(*self.spot(160, 116))
        expect(self.page.get_by_label("Parent of 'lower'").locator("option:checked")).to_have_text("arm left / upper")
        self.carried("arm left / upper").click()
        expect(self.page.get_by_label("Parent of 'upper'").locator("option", has_text="lower")).to_have_count(0)
        self.page.get_by_role("button", name="Pick on picture (C)").click()
        self.page.mouse.click(*self.spot(250, 130))
        expect(self.page.get_by_text("would form a loop")).to_be_visible()
        expect(self.page.get_by_label("Parent of 'upper'")).to_have_value("")

    def test_a_pivot_is_dragged_and_meets_the_centre_of_the_round_end(self) -> None:
        self.propose()
        self.carried("leg left / leg").click()
        at = self.page.get_by_text(re.compile("Round end"))
        expect(at).to_be_visible()
        self.drag((110, 230), (112, 300))
        self.page.keyboard.press("v")
        expect(self.page.get_by_label("Pivot, y")).to_have_value(re.compile(r"^(299|30[01])"))
        self.drag((112, 300), (111, 231.5))
        expect(self.page.get_by_label("Pivot, y")).to_have_value(re.compile(r"^(229\.[5-9]|230)"))
        self.page.get_by_label("Pivot, y").fill("235")
        self.page.keyboard.press("Enter")
        self.page.keyboard.press("Escape")
        self.reload()
        self.page_of("Parts")
        self.row("leg").click()
        self.page.keyboard.press("v")
        expect(self.page.get_by_label("Pivot, y")).to_have_value("235 px")

    def test_a_swing_is_drawn_as_a_curve_and_mended_beside_it(self) -> None:
        self.propose()
        self.carried("leg left / leg").click()
        self.page.get_by_role("button", name="Swing").click()
        said = self.page.get_by_test_id("swing")
        expect(said).to_contain_text("Worst at")
        self.assert_accessible("swing")
        # On another page it is over: the picture is as it was.
        self.page_of("Parts")
        self.page_of("Joints")
        expect(said).to_be_visible()
        self.page.get_by_role("button", name="Close").click()
        self.drag((110, 230), (118, 268))
        expect(self.page.get_by_text("Last step: Set pivot of 'leg'")).to_be_visible()
        self.page.get_by_role("button", name="Swing").click()
        expect(said).to_have_attribute("aria-busy", "false")
        worst = re.search(r"overhang (\d+) px", said.inner_text())
        assert worst is not None
        self.assertGreater(int(worst[1]), 50)
        turn = self.page.get_by_role("slider", name="Test angle")
        turn.press("Home")
        expect(said).to_contain_text("at -30°")
        # Only what lessens what opens is offered.
        expect(self.page.get_by_text("Growing or rounding off the part behind would not close the gap")).to_be_visible()
        expect(self.page.get_by_role("button", name="Grow")).to_have_count(0)

    def test_series_are_asked_about_once_and_what_must_be_there_is_told(self) -> None:
        self.page_of("Sets")
        self.set_of("Pairs and series")
        self.page.get_by_label("Meaning of flag").select_option("alternates")
        self.page_of("Parts")
        expect(self.page.get_by_text("alternates", exact=True)).to_have_count(1)
        # Its page is the one that was open.
        self.page.go_back()
        expect(self.page.get_by_label("Meaning of flag")).to_have_count(0)
        self.page.get_by_role("button", name="Create right twin").click()
        expect(self.page.get_by_role("button", name="Create right twin")).to_have_count(0)
        self.assert_accessible("pairs")
        self.set_of("Required parts")
        self.page.get_by_role("button", name="Add list").click()
        self.page.get_by_label(re.compile("One name a line")).fill("head\nbadge_R\nwhistle\n")
        self.page.get_by_role("button", name="Save list").click()
        expect(self.page.get_by_text("1 of 3 are missing.")).to_be_visible()
        expect(self.page.get_by_label("Required parts").get_by_text("missing")).to_have_count(1)
        self.assert_accessible("sets")
        self.set_of("Looks")
        self.page_of("Findings")
        self.page.get_by_role("button", name="Show list").click()
        expect(self.page.get_by_role("radio", name="Required parts")).to_be_checked()
        self.page_of("Findings")
        # The plan says so too, and it is one finding.
        expect(self.page.get_by_role("navigation", name="Steps")).to_contain_text("Stopped: 1 error")
        expect(self.page.get_by_role("button", name="Required part 'whistle' is missing.")).to_have_count(1)
        self.assert_accessible("notes")

    def test_looks_are_made_of_groups_switched_and_renamed_at_once(self) -> None:
        self.page.get_by_role("button", name="Fold all", exact=True).click()
        self.row("arm left").click()
        self.row("arm right").click(modifiers=["Control"])
        self.make("Make looks")
        self.page_of("Sets")
        expect(self.page.get_by_text("2 parts in 2 looks, 1 gap")).to_be_visible()
        self.page.get_by_role("button", name="arm left", exact=True).click()
        expect(self.page.get_by_role("button", name="arm left", exact=True)).to_have_attribute("aria-pressed", "true")
        self.page.get_by_role("button", name="upper", exact=True).click()
        field = self.page.get_by_label("Name in all looks")
        field.fill("upper arm")
        field.press("Enter")
        expect(self.page.get_by_role("button", name="upper arm in arm right")).to_be_visible()
        expect(self.page.get_by_role("button", name="upper arm in arm left")).to_be_visible()

    def test_depths_are_spread_typed_and_their_contradictions_mended(self) -> None:
        self.page_of("Depth")
        self.page.get_by_role("button", name="Spread all parts evenly").click()
        body = self.page.get_by_label("Depth of body", exact=True)
        expect(body).not_to_have_value("0")
        body.fill("0")
        body.press("Enter")
        self.page.get_by_label("Total travel").fill("40")
        self.page.get_by_label("Total travel").press("Enter")
        expect(self.page.get_by_text("Last step: Set camera travel")).to_be_visible()
        self.assert_accessible("depths")
        self.page_of("Findings")
        # Many of one kind are a line, each of them a click away.
        line = self.page.get_by_role("button", name=re.compile(r"^\d+ parts are in front but deeper"))
        expect(line).to_have_attribute("aria-expanded", "false")
        line.click()
        self.assert_accessible("many notes")
        expect(self.page.get_by_text(re.compile("is in front of .* but deeper")).first).to_be_visible()
        before = self.page.get_by_role("button", name="Match the other depth").count()
        self.page.get_by_role("button", name="Match the other depth").first.click()
        expect(self.page.get_by_role("button", name="Match the other depth")).to_have_count(before - 1)

    def test_what_is_dragged_arrives(self) -> None:
        """A part onto the one that carries it, and a plane to its depth; both are done by keyboard elsewhere here."""
        self.page_of("Joints")
        self.carried("badge_L").drag_to(self.carried("head"))
        expect(self.page.get_by_text("Last step: Set parent of 'badge_L' to 'head'")).to_be_visible()
        self.carried("badge_L").click()
        expect(self.page.get_by_label("Parent of 'badge_L'").locator("option:checked")).to_have_text("head")
        self.page_of("Depth")
        self.page.get_by_label("Depth of head").fill("100")
        self.page.get_by_label("Depth of head").press("Enter")
        side = self.page.get_by_label("The planes from the side")
        self.page.get_by_role("button", name="head", exact=True).click()
        side.scroll_into_view_if_needed()
        plane = side.locator("g").filter(has_text="head, 100 px").locator("line").last
        box = plane.bounding_box() or {}
        start = (box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        self.page.mouse.move(*start)
        self.page.mouse.down()
        self.page.mouse.move(start[0] - 90, start[1], steps=5)
        self.page.mouse.up()
        expect(self.page.get_by_label("Depth of head")).not_to_have_value("100")
        value = float(self.page.get_by_label("Depth of head").input_value())
        self.assertTrue(20 < value < 95, value)

    def test_a_part_is_kept_from_the_drawer_and_what_cannot_be_is_said(self) -> None:
        self.row("head").click()
        self.page.get_by_role("button", name="Picture", exact=True).click()
        self.page.get_by_role("menuitem", name="Keep on the shelf").click()
        expect(self.page.get_by_text("'head' is on your shelf")).to_be_visible()
        self.page_of("Sets")
        self.set_of("Shelf")
        expect(self.page.get_by_label("On the shelf").get_by_role("listitem")).to_have_count(1)
        # It is one's own, and reached from everywhere.
        self.page.goto("/")
        self.page.get_by_role("button", name="ada", exact=True).click()
        self.page.get_by_role("menuitem", name="My shelf").click()
        expect(self.page.get_by_role("heading", name="My shelf")).to_be_visible()
        kept = self.page.get_by_label("On the shelf").get_by_role("listitem")
        expect(kept).to_contain_text("head part")
        self.assert_accessible("my shelf")
        kept.get_by_role("button", name="Remove").click()
        expect(self.page.get_by_text("Nothing is on your shelf yet.")).to_be_visible()

    def test_margins_are_found_dragged_and_roles_said(self) -> None:
        self.row("body").click()
        self.page_of("Role and fit")
        self.page.get_by_label("Role", exact=True).select_option("Press target")
        self.page.get_by_role("button", name="bottom middle").click()
        expect(self.page.get_by_role("button", name="bottom middle")).to_have_attribute("aria-pressed", "true")
        self.page.get_by_role("button", name="Detect").click()
        left = self.page.get_by_label("left", exact=True)
        expect(left).to_have_value("11 px")
        self.drag((71, 170), (90, 170))
        expect(left).to_have_value("30 px")
        self.assert_accessible("role and fit")
        self.page.get_by_role("button", name="Undo").click()
        expect(left).to_have_value("11 px")

    def test_natural_order_is_that_of_the_unicode_collation(self) -> None:
        """Extras ICU, as the browser has it: the Unicode Collation Algorithm (UTS 10) with numbers by their value."""
        choose = random.Random(11)
        words = ["arm", "Arm", "leg", "eye", "mouth", "frame", "zebra", "\xe4pfel", "Zug"]
        wanted = list({f"{choose.choice(words)} {choose.randrange(1, 1200)}" for _ in range(80)})
        # Names that differ in letter case only have no order of their own; numbers decide first.
        wanted = list({name.casefold(): name for name in wanted}.values())
        expected = self.page.evaluate(
            """names => names.sort(new Intl.Collator('en', { numeric: true, sensitivity: 'accent' }).compare)""", wanted
        )
        rows = Arrangement(tuple(Part(str(at), name, still(str(at))) for at, name in enumerate(sorted(wanted))))
        found = [row.name for row in apply(rows, OrderRows(None, "name")).rows]
        self.assertEqual([name for name in found if name.isascii()], [name for name in expected if name.isascii()])

    def test_rows_come_to_lie_beside_what_is_clicked_on_and_in_the_strip(self) -> None:
        self.row("flag-1").click()
        self.page.get_by_role("button", name="Order", exact=True).click()
        self.page.get_by_role("menuitem", name="Directly behind …").click()
        self.page.mouse.click(*self.spot(110, 60))
        expect(self.page.get_by_text("Last step: Reorder 'flag-1'")).to_be_visible()
        names = self.names()
        self.assertEqual(names.index("flag-1"), names.index("head") + 1, "the front-most is listed first")
        self.page.keyboard.press("t")
        strip = self.page.get_by_label("Parts, back to front")
        order = [part.get_attribute("data-part") for part in strip.locator("[data-part]").all()]
        self.assertEqual(order.index("flag-1") + 1, order.index("head"))
        strip.locator('[data-part="flag-2"]').drag_to(
            strip.locator('[data-part="leg"]'), target_position={"x": 4, "y": 20}
        )
        expect(strip.locator("[data-part]").first).to_have_attribute("data-part", "flag-2")
        self.assert_accessible("strip")
        self.page.keyboard.press("Shift+N")
        expect(strip.locator("[data-part]").first).to_have_attribute("data-part", "leg")

    def test_places_and_parts_are_kept_and_used_again(self) -> None:
        self.propose()
        self.row_of("lower")
        self.page_of("Sets")
        self.set_of("Shelf")
        self.page.get_by_label("Name on the shelf").fill("signalman")
        self.page.get_by_role("button", name="Keep template").click()
        expect(self.page.get_by_text("'signalman' is on your shelf.")).to_be_visible()
        self.page.get_by_role("button", name="Keep part").click()
        kept = self.page.get_by_label("On the shelf")
        expect(kept.get_by_role("listitem")).to_have_count(2)
        kept.get_by_role("button", name="Apply").click()
        expect(self.page.get_by_test_id("fit")).to_have_text("9 parts by name, 0 by position.")
        self.page.get_by_role("button", name="Apply pivots and parents").click()
        expect(self.page.get_by_text("Last step: Set joints of")).to_be_visible()
        kept.get_by_role("button", name="Add").click()
        expect(self.page.get_by_text("Last step: Add 'signalman' from the shelf")).to_be_visible()
        self.assert_accessible("shelf")

    def row_of(self, name: str) -> None:
        """Choose a part in the list of who carries whom."""
        self.carried(name).first.click()


class FrameTests(ProductTestCase):
    has_worker = False

    def test_frames_are_timed_stepped_and_seen_with_their_neighbours(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        file = Path(folder.name) / "wink.png"
        frames = [Image.new("RGBA", (40, 30), (0, 0, 0, 0)) for _ in range(4)]
        for at, frame in enumerate(frames):
            frame.paste((200, 80, 20, 255), (5 + 8 * (at % 3), 5, 12 + 8 * (at % 3), 20))
        frames[0].save(file, save_all=True, append_images=frames[1:], duration=100, loop=0)
        self.open_picture(file)
        self.page.locator("[data-row]").first.click()
        row = self.page.get_by_label("Frames of wink")
        expect(row.get_by_text("= 1, 100 ms")).to_be_visible()
        row.get_by_role("button", name="Frame 2").click()
        time = row.get_by_label("Duration of frame 2")
        time.fill("250")
        time.press("Enter")
        expect(row.get_by_text("2, 250 ms")).to_be_visible()
        self.assert_accessible("frames")
        plain = self.screen_pixels()
        row.get_by_label("Neighbours").check()
        self.page.wait_for_timeout(200)
        self.assertGreater(self.differing(plain, self.screen_pixels()), 500)
        row.get_by_role("button", name="Apply to all").click()
        expect(row.get_by_text("250 ms")).to_have_count(4)
        row.get_by_role("button", name="Play").click()
        expect(row.get_by_role("button", name="Frame 4")).to_have_attribute("aria-pressed", "true")
        self.page.keyboard.press("o")
        expect(row.get_by_role("button", name="Play")).to_be_visible()
