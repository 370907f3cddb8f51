"""Names, what is shown, what is handed over, and order: by pointer and by keyboard, with every step undone again."""

import re

from playwright.sync_api import Route, expect

from tests.browser import new_context
from tests.product import ProductTestCase
from yuplet_server.accounts.models import User
from yuplet_server.arrangement.models import Arrangement, Step
from yuplet_server.projects.actions import set_role


class PutInOrderTests(ProductTestCase):
    has_worker = False

    def setUp(self) -> None:
        super().setUp()
        self.open_picture()

    def switch(self, what: str, name: str) -> "object":
        return self.page.get_by_role("switch", name=f"{what} {name}", exact=True)

    def chosen(self) -> list[str]:
        rows = self.page.locator('[data-row][aria-selected="true"]').all()
        return [row.get_attribute("data-row") or "" for row in rows]

    def undo(self, title: str) -> None:
        """The button says what it takes back."""
        button = self.page.get_by_role("button", name="Undo")
        expect(button).to_have_attribute("title", title)
        button.click()

    def expect_order(self, *names: str) -> None:
        """These rows follow each other in the ledger, the front-most first."""
        self.page.wait_for_function(
            """wanted => {
                const rows = [...document.querySelectorAll('[data-row]')];
                rows.sort((a, b) => a.ariaRowIndex - b.ariaRowIndex);
                const found = rows.map(row => row.dataset.row);
                const at = found.indexOf(wanted[0]);
                return at >= 0 && wanted.every((name, i) => found[at + i] === name);
            }""",
            arg=list(names),
        )

    def test_a_part_is_picked_by_its_pixels_and_the_next_one_behind_it(self) -> None:
        # The lamp's middle: the glow lies over it, the lamp over the mast, the sky behind all.
        self.click_pixel(47, 18)
        found = [self.chosen()]
        for _ in range(3):
            self.click_pixel(47, 18)
            found.append(self.chosen())
        self.assertEqual(found[:3], [["glow"], ["lamp"], ["arm"]])
        # Within the box of the arm, but beside its slanted board, there is nothing of it.
        self.click_pixel(12, 17)
        self.assertEqual(self.chosen(), ["sky"])

    def test_what_is_chosen_has_an_outline_in_its_colour(self) -> None:
        plain = self.screen_pixels()
        self.row("mast").click()
        self.page.wait_for_timeout(200)
        self.assertGreater(self.differing(plain, self.screen_pixels()), 100)
        self.page.keyboard.press("Escape")
        self.page.wait_for_timeout(200)
        self.assertEqual(self.differing(plain, self.screen_pixels()), 0)

    def test_hide_and_show(self) -> None:
        sky = self.canvas_pixel(5, 5)
        self.row("sky").click()
        self.page.keyboard.press("s")
        expect(self.switch("Show", "sky")).not_to_be_checked()
        self.page.keyboard.press("Escape")
        self.page.wait_for_timeout(150)
        self.assertNotEqual(self.canvas_pixel(5, 5), sky)
        self.undo("Hide 'sky'")
        expect(self.switch("Show", "sky")).to_be_checked()
        self.page.wait_for_timeout(150)
        self.assertEqual(self.canvas_pixel(5, 5), sky)
        self.page.get_by_role("button", name="Redo").click()
        expect(self.switch("Show", "sky")).not_to_be_checked()

    def test_a_group_is_hidden_with_all_that_is_in_it_and_the_rest_keeps_its_state(self) -> None:
        self.switch("Show", "signal").click()
        expect(self.switch("Show", "arm")).to_be_checked()
        expect(self.switch("Show", "arm lowered")).not_to_be_checked()
        self.switch("Show", "signal").click()
        expect(self.switch("Show", "signal")).to_be_checked()

    def test_show_alone_and_all_again(self) -> None:
        sky = self.canvas_pixel(5, 5)
        self.row("arm").click()
        self.page.keyboard.press("a")
        expect(self.row("arm")).to_contain_text("alone")
        self.page.wait_for_timeout(150)
        self.assertNotEqual(self.canvas_pixel(5, 5), sky)
        self.page.keyboard.press("a")
        expect(self.row("arm")).not_to_contain_text("alone")

    def test_include_and_leave_out_a_whole_group(self) -> None:
        self.row("post").click()
        self.page.keyboard.press("i")
        for name in ("mast", "arm", "arm lowered", "lamp"):
            expect(self.switch("Include", name)).not_to_be_checked()
        expect(self.page.get_by_role("link", name="Put in order")).to_contain_text("4 left out")
        self.undo("Leave out 4 parts")
        expect(self.switch("Include", "lamp")).to_be_checked()

    def test_a_locked_part_is_neither_picked_nor_changed(self) -> None:
        self.row("glow").click()
        self.page.keyboard.press("k")
        expect(self.row("glow")).to_contain_text("locked")
        self.click_pixel(47, 18)
        self.assertEqual(self.chosen(), ["lamp"])
        expect(self.page.get_by_text("'glow' is locked. Unlock it (K) to pick it.")).to_be_visible()
        self.row("glow").dblclick()
        self.page.keyboard.type("halo")
        self.page.keyboard.press("Enter")
        expect(self.page.get_by_role("alert").filter(has_text="'glow' is locked. Nothing was changed")).to_be_visible()
        expect(self.row("glow")).to_be_visible()
        self.undo("Lock 'glow'")
        expect(self.row("glow")).not_to_contain_text("locked")

    def test_peeling_takes_the_front_most_parts_away_and_changes_nothing(self) -> None:
        whole = self.screen_pixels()
        peel = self.page.get_by_role("slider", name="Peel")
        peel.focus()
        for _ in range(2):  # the mist, then the glow
            self.page.keyboard.press("ArrowRight")
        self.page.wait_for_timeout(200)
        self.assertGreater(self.differing(whole, self.screen_pixels()), 200)
        self.click_pixel(47, 18)
        self.assertEqual(self.chosen(), ["lamp"])
        expect(self.page.get_by_role("button", name="Undo")).to_be_disabled()
        self.page.keyboard.press("Escape")
        peel.focus()
        self.page.keyboard.press("Home")
        self.page.wait_for_timeout(200)
        self.assertEqual(self.differing(whole, self.screen_pixels()), 0)

    def test_order_by_keys(self) -> None:
        self.expect_order("lamp", "arm lowered", "arm")
        self.row("arm").click()
        self.page.keyboard.press("n")
        self.expect_order("lamp", "arm", "arm lowered")
        self.page.keyboard.press("Shift+N")
        self.expect_order("arm", "lamp", "arm lowered")
        self.page.get_by_role("button", name="Order", exact=True).click()
        expect(self.page.get_by_role("menuitem", name="Nearer")).to_be_disabled()
        self.page.keyboard.press("Escape")
        self.page.keyboard.press("f")
        self.page.keyboard.press("Shift+F")
        self.expect_order("lamp", "arm lowered", "arm")
        for _ in range(4):
            self.undo("Reorder 'arm'")
        self.expect_order("lamp", "arm lowered", "arm")
        self.reload()
        self.expect_order("lamp", "arm lowered", "arm")

    def test_order_by_dragging_between_rows_and_into_a_group(self) -> None:
        self.drag("mist", "post", 0.9)
        self.expect_order("glow", "post", "signal")
        self.drag("glow", "signal", 0.5)
        self.expect_order("signal", "glow", "lamp")
        self.reload()
        self.expect_order("signal", "glow", "lamp")
        self.undo("Reorder 'glow'")
        self.expect_order("glow", "post", "signal")

    def test_a_drag_that_is_given_up_changes_nothing(self) -> None:
        before = self.names()
        source = self.row("mist").locator("[data-grab]").bounding_box() or {}
        self.page.mouse.move(source["x"] + 10, source["y"] + 10)
        self.page.mouse.down()
        self.page.mouse.move(source["x"] + 10, source["y"] + 150, steps=5)
        expect(self.page.get_by_test_id("drop-mark")).to_be_visible()
        self.page.keyboard.press("Escape")
        self.page.mouse.up()
        self.assertEqual(self.names(), before)

    def drag(self, name: str, onto: str, share: float) -> None:
        source = self.row(name).locator("[data-grab]").bounding_box() or {}
        target = self.row(onto).bounding_box() or {}
        self.page.mouse.move(source["x"] + 10, source["y"] + 10)
        self.page.mouse.down()
        self.page.mouse.move(source["x"] + 12, target["y"] + target["height"] * share, steps=6)
        self.page.mouse.up()

    def test_a_name_that_cannot_be_used_is_put_back_with_a_better_one_proposed(self) -> None:
        self.row("arm").click()
        self.page.keyboard.press("Enter")
        self.page.keyboard.type("Lamp")
        self.page.keyboard.press("Enter")
        self.page.keyboard.press("Escape")
        expect(self.page.get_by_role("alert").filter(has_text="taken by another part")).to_be_visible()
        expect(self.row("arm")).to_be_visible()
        self.page.get_by_role("button", name="Use 'Lamp 2'").click()
        expect(self.row("Lamp 2")).to_be_visible()

    def test_escape_leaves_a_name_as_it_was(self) -> None:
        self.row("arm").dblclick()
        self.page.keyboard.type("something")
        self.page.keyboard.press("Escape")
        expect(self.row("arm")).to_be_visible()
        expect(self.page.get_by_role("button", name="Undo")).to_be_disabled()

    def test_many_rows_at_once(self) -> None:
        self.row("mist").click()
        self.row("post").click(modifiers=["Shift"])
        self.row("sky").click(modifiers=["Control"])
        self.assertEqual(set(self.chosen()), {"mist", "glow", "post", "sky"})
        self.page.keyboard.press("s")
        for name in ("mist", "glow", "post", "sky"):
            expect(self.switch("Show", name)).not_to_be_checked()
        self.undo("Hide 3 parts and 1 group")

    def test_folding_and_looking_for_a_name(self) -> None:
        self.row("signal").click()
        self.page.keyboard.press("ArrowLeft")
        expect(self.row("lamp")).to_have_count(0)
        expect(self.row("signal")).to_have_attribute("aria-expanded", "false")
        self.page.keyboard.press("l")
        self.page.keyboard.type("LOWERED")
        expect(self.row("sky")).to_have_count(0)
        self.assertEqual(self.names(), ["post", "signal", "arm lowered"])
        self.page.keyboard.press("Enter")
        self.assertEqual(self.chosen(), ["arm lowered"])
        self.page.keyboard.press("l")
        self.page.keyboard.type("zzz")
        expect(self.page.get_by_text("No name contains")).to_be_visible()
        self.page.keyboard.press("Escape")
        expect(self.row("sky")).to_be_visible()
        self.page.get_by_role("button", name="Fold all", exact=True).click()
        expect(self.row("mast")).to_have_count(0)
        self.page.get_by_role("button", name="Unfold all").click()
        expect(self.row("mast")).to_be_visible()

    def test_a_part_picked_on_the_pile_unfolds_its_groups(self) -> None:
        self.page.get_by_role("button", name="Fold all", exact=True).click()
        self.click_pixel(47, 60)
        self.click_pixel(47, 60)
        self.assertIn(self.chosen()[0], ("mast", "mist", "reeds"))
        expect(self.row(self.chosen()[0])).to_be_visible()

    def test_single_keys_can_be_turned_off(self) -> None:
        self.page.keyboard.press("?")
        dialog = self.page.get_by_role("dialog", name="Keys")
        expect(dialog).to_contain_text("Show or hide")
        self.assert_accessible("keys")
        dialog.get_by_label("Use single-letter keys").uncheck()
        dialog.get_by_role("button", name="Close").click()
        expect(dialog).to_be_hidden()
        self.row("sky").click()
        self.page.keyboard.press("s")
        expect(self.switch("Show", "sky")).to_be_checked()
        self.page.get_by_role("button", name="Hide").click()
        expect(self.switch("Show", "sky")).not_to_be_checked()
        self.page.keyboard.press("Control+z")
        expect(self.switch("Show", "sky")).to_be_checked()

    def test_a_server_that_is_away_is_said_and_the_step_is_put_back(self) -> None:
        self.page.route("**/steps", lambda route: route.abort())
        self.row("sky").click()
        self.page.keyboard.press("s")
        expect(self.switch("Show", "sky")).not_to_be_checked()
        expect(self.page.get_by_role("alert").filter(has_text="cannot be reached")).to_be_visible()
        expect(self.switch("Show", "sky")).to_be_checked()

    def test_an_answer_that_was_lost_is_asked_for_again_and_nothing_is_done_twice(self) -> None:
        lost: list[str] = []

        def lose_the_first(route: Route) -> None:
            answer = route.fetch()  # the server has done it
            if route.request.post_data in lost:
                route.fulfill(response=answer)
            else:
                lost.append(str(route.request.post_data))
                route.abort("connectionreset")

        for address in ("steps", "undo", "redo"):
            self.page.route(f"**/{address}", lose_the_first)
        groups = self.page.locator("[data-row]").filter(has_text="group")
        before = groups.count()
        self.row("arm").click()
        self.row("lamp").click(modifiers=["Control"])
        self.page.get_by_role("button", name="Group", exact=True).click()
        undo, redo = (self.page.get_by_role("button", name=name) for name in ("Undo", "Redo"))
        expect(undo).to_have_attribute("title", "Group 2 parts")
        expect(groups).to_have_count(before + 1)
        self.assertEqual(Step.objects.filter(title="Group 2 parts").count(), 1)
        undo.click()
        expect(groups).to_have_count(before)
        expect(redo).to_have_attribute("title", "Group 2 parts")
        redo.click()
        expect(groups).to_have_count(before + 1)
        self.assertEqual(len(lost), 3)
        self.assertEqual(Arrangement.objects.get().version, 4, "a step, undone once, done again once")

    def test_two_people(self) -> None:
        """The second to change the same name is told, and sees what changed; a viewer changes nothing."""
        for name, role in (("ben", "editor"), ("cleo", "viewer")):
            User.objects.create_user(name, password="reed-marsh-at-night")
            set_role(self.project, name, role)
        context, _ = new_context(self.browser, self.live_server_url)
        self.addCleanup(context.close)
        other = context.new_page()
        self.sign_in("ben", other)
        other.goto(self.page.url)
        other.locator("[data-drawn=true]").wait_for()

        self.row("arm").dblclick()
        self.page.keyboard.type("blade")
        self.page.keyboard.press("Enter")
        expect(self.page.get_by_role("button", name="Undo")).to_be_enabled()

        other.locator('[data-row="arm"]').dblclick()
        other.keyboard.type("board")
        other.keyboard.press("Enter")
        said = other.get_by_role("alert").filter(has_text="ada changed this meanwhile")
        expect(said).to_be_visible()
        expect(other.locator('[data-row="blade"]')).to_be_visible()
        # Both are offered, and neither has to be typed again.
        expect(said.get_by_role("button", name="Keep 'blade'")).to_be_visible()
        said.get_by_role("button", name="Use my 'board'").click()
        expect(other.locator('[data-row="board"]')).to_be_visible()
        expect(said).to_have_count(0)
        expect(self.row("board")).to_be_visible()

        viewing, _ = new_context(self.browser, self.live_server_url)
        self.addCleanup(viewing.close)
        viewer = viewing.new_page()
        self.sign_in("cleo", viewer)
        viewer.goto(self.page.url)
        viewer.locator("[data-drawn=true]").wait_for()
        expect(viewer.get_by_text("You can look and download")).to_be_visible()
        viewer.locator('[data-row="board"]').dblclick()
        expect(viewer.get_by_role("textbox", name=re.compile("Name of"))).to_have_count(0)
        expect(viewer.get_by_role("switch", name="Show board", exact=True)).to_be_disabled()

    def test_rows_are_put_in_a_group_and_out_again(self) -> None:
        self.row("mist").click()
        self.row("glow").click(modifiers=["Shift"])
        self.page.keyboard.press("g")
        expect(self.row("group")).to_be_visible()
        self.row("group").click()
        expect(self.page.get_by_text("group with 2 parts")).to_be_visible()
        self.reload()
        self.row("group").click()
        self.page.keyboard.press("g")
        expect(self.row("group")).to_have_count(0)
        expect(self.row("mist")).to_be_visible()

    def test_a_pivot_is_pointed_at_and_typed(self) -> None:
        self.row("arm").click()
        self.page.keyboard.press("v")
        expect(self.page.get_by_text("Click on the picture where 'arm' turns")).to_be_visible()
        self.assert_accessible("pivot")
        self.click_pixel(30, 25)
        expect(self.page.get_by_label("Pivot, x")).to_have_value("30.5 px")
        self.page.get_by_label("Pivot, x").fill("48")
        self.page.get_by_label("Pivot, y").fill("20.25")
        self.page.get_by_role("button", name="Set pivot").click()
        self.reload()
        self.row("arm").click()
        self.page.keyboard.press("v")
        expect(self.page.get_by_label("Pivot, y")).to_have_value("20.25 px")
        self.page.get_by_role("button", name="Mirror about pivot").click()
        expect(self.row("arm 2")).to_be_visible()
        self.page.get_by_role("button", name="Undo").click()
        expect(self.row("arm 2")).to_have_count(0)

    def test_many_names_at_once_without_the_mouse(self) -> None:
        self.page.keyboard.press("b")
        dialog = self.page.get_by_role("dialog", name="Rename many")
        expect(dialog.get_by_text("0 names of 10 would change.")).to_be_visible()
        self.page.keyboard.press("Tab")
        self.page.keyboard.type("a")
        self.page.keyboard.press("Tab")
        self.page.keyboard.type("e")
        expect(dialog.locator('[data-name="lamp"] td').last).to_have_text("lemp")
        dialog.get_by_label("Change", exact=True).select_option("number")
        expect(dialog.locator('[data-name="sky"] td').last).to_have_text("sky 01")
        self.assert_accessible("names")
        dialog.get_by_label("Change", exact=True).select_option("listed")
        # A letter of another alphabet is told before the name is given.
        dialog.get_by_label("Names, one a line").fill("l\u0430mp")
        expect(dialog.get_by_text("'\u0430' (U+0430) is no 'a'")).to_be_visible()
        dialog.get_by_label("Names, one a line").fill("spare\nmist\nspare")
        expect(dialog.get_by_text("is that of another part in the same group")).to_have_count(1)
        expect(dialog.get_by_role("button", name="Rename", exact=True)).to_be_disabled()
        dialog.get_by_role("button", name="Rename with suggested fixes").click()
        expect(self.row("spare 2")).to_be_visible()
        self.page.get_by_role("button", name="Undo").click()
        expect(self.row("spare 2")).to_have_count(0)
        self.page.keyboard.press("b")
        dialog.get_by_label("Change", exact=True).select_option("letter-case")
        dialog.get_by_label("Letter case").select_option("upper")
        expect(dialog.get_by_text("10 names of 10 would change.")).to_be_visible()
        dialog.get_by_role("button", name="Rename", exact=True).press("Enter")
        expect(self.row("SKY")).to_be_visible()
        self.reload()
        expect(self.row("SKY")).to_be_visible()

    def test_of_alternates_one_is_shown_and_each_has_a_key(self) -> None:
        self.row("signal").click()
        self.make("Make alternates")
        expect(self.page.get_by_role("button", name="2: arm lowered")).to_have_attribute("aria-pressed", "false")
        self.assert_accessible("alternates")
        self.page.keyboard.press("2")
        expect(self.page.get_by_role("button", name="2: arm lowered")).to_have_attribute("aria-pressed", "true")
        self.reload()
        shown = {
            name: self.row(name).get_by_role("switch", name=f"Show {name}") for name in ("arm", "arm lowered", "lamp")
        }
        for name, mark in shown.items():
            expect(mark).to_have_attribute("aria-checked", "true" if name == "arm lowered" else "false")
        self.page.get_by_role("button", name="Undo").click()
        self.page.get_by_role("button", name="Undo").click()
        expect(self.row("signal").get_by_text("one at a time")).to_have_count(0)


class DimThemeTests(ProductTestCase):
    def test_every_screen_keeps_its_contrast(self) -> None:
        self.sign_in()
        self.page.get_by_role("button", name="ada", exact=True).click()
        self.page.get_by_role("menuitem", name="Dim").click()
        expect(self.page.locator("html")).to_have_attribute("data-mantine-color-scheme", "dark")
        self.page.wait_for_timeout(400)
        self.assert_accessible("projects, dim")
        self.bring_in()
        for step in ("Bring in", "Take apart", "Put in order", "Try out", "Hand over"):
            self.to_step(step)
            self.page.wait_for_timeout(300)
            self.assert_accessible(f"{step}, dim")
