"""Bringing in: by choosing and by dropping, with a report, and with a sentence where it cannot be done."""

import base64
from pathlib import Path

import numpy as np
from PIL import Image
from playwright.sync_api import Locator, expect

from tests.product import PASSWORD, ProductTestCase
from yuplet_server.accounts.models import User
from yuplet_server.projects.actions import set_role


class BringInTests(ProductTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.sign_in()

    def drop(self, *files: Path, onto: Locator | None = None) -> None:
        """Drop files on the project or on something else, as from a folder of the desktop."""
        values = [[file.name, base64.b64encode(file.read_bytes()).decode()] for file in files]
        target = onto or self.page.get_by_text("Drop a picture here")
        target.evaluate(
            """(element, files) => {
                const data = new DataTransfer();
                for (const [name, text] of files) {
                    data.items.add(new File([Uint8Array.from(atob(text), c => c.charCodeAt(0))], name));
                }
                for (const kind of ['dragover', 'drop']) {
                    element.dispatchEvent(new DragEvent(kind, { dataTransfer: data, bubbles: true, cancelable: true }));
                }
            }""",
            values,
        )

    def flat(self, name: str) -> Path:
        picture = np.zeros((60, 80, 4), np.uint8)
        picture[10:50, 15:70] = (180, 120, 60, 255)
        Image.fromarray(picture, "RGBA").save(self.files / name)
        return self.files / name

    def test_several_files_dropped_at_once(self) -> None:
        self.drop(self.ora, self.flat("tin inspector.png"))
        self.assert_accessible("what files are to each other")
        self.page.get_by_role("button", name="2 illustrations separately").click()
        expect(self.page.get_by_role("link", name="signal post")).to_be_visible()
        self.page.get_by_role("link", name="tin inspector").click()
        self.wait_for_pile()
        self.assertEqual(self.names(), ["tin inspector"])

    def test_vector_art_is_drawn_at_the_size_that_was_asked_for(self) -> None:
        drawing = self.files / "lever.svg"
        drawing.write_text(
            '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 60 80"><g id="lever"><rect id="rod" x="27" y="10" width="6"'
            ' height="60"/><circle id="knob" cx="30" cy="12" r="9" fill="#a33"/></g><path d="M0 79h60"/></svg>'
        )
        self.page.get_by_label("SVG: longer side, px").fill("400")
        self.page.get_by_test_id("picture-file").set_input_files(drawing)
        self.page.get_by_role("link", name="lever").click()
        self.wait_for_pile()
        self.assertEqual(self.names(), ["shape 1", "lever", "knob", "rod"])
        expect(self.row("rod")).to_contain_text("135, 50")
        expect(self.row("rod")).to_contain_text("30 × 300")
        self.to_step("Bring in")
        report = self.page.get_by_role("region", name="Bring in")
        expect(report).to_contain_text("300 × 400 px")
        expect(report).to_contain_text("shape 1: It has no name in the file.")

    def test_a_file_dropped_on_the_pile_is_brought_into_the_same_project(self) -> None:
        self.bring_in()
        self.drop(self.flat("tin inspector.png"), onto=self.page.get_by_test_id("pile"))
        self.page.get_by_role("button", name="New illustration").click()
        self.page.get_by_role("link", name="tin inspector").click()
        self.wait_for_pile()
        self.assertEqual(self.names(), ["tin inspector"])

    def test_a_file_dropped_beside_a_project_does_not_replace_the_page(self) -> None:
        self.drop(self.ora, onto=self.page.get_by_role("heading", name="Marsh Line"))
        expect(self.page.get_by_text("Drop a picture here")).to_be_visible()
        expect(self.page.get_by_role("link", name="signal post")).to_have_count(0)

    def test_the_report_and_the_original(self) -> None:
        self.bring_in()
        self.to_step("Bring in")
        report = self.page.get_by_role("region", name="Bring in")
        for words in (
            "signal post.ora",
            "97 × 73 px at 72 ppi",
            "equals the file's own merged picture in all 7,081 pixels",
        ):
            expect(report).to_contain_text(words)
        with self.page.expect_download() as waiting:
            self.page.get_by_role("link", name="Download the original").click()
        self.assertEqual(waiting.value.path().read_bytes(), self.ora.read_bytes())
        self.assert_accessible("bring in")

    def test_a_broken_file_is_told_and_can_be_removed(self) -> None:
        broken = self.files / "torn.ora"
        broken.write_bytes(self.ora.read_bytes()[:400])
        self.drop(broken)
        expect(self.page.get_by_role("alert").filter(has_text="'torn.ora' is a damaged archive")).to_be_visible()
        self.assert_accessible("a broken file")
        expect(self.page.get_by_role("button", name="Try again")).to_be_visible()
        self.page.get_by_role("button", name="Remove", exact=True).click()
        expect(self.page.get_by_text("torn.ora")).to_have_count(0)
        with self.subTest("it is in the bin, and can be taken out of it"):
            self.page.get_by_role("button", name="Bin", exact=True).click()
            bin_dialog = self.page.get_by_role("dialog", name="Bin")
            expect(bin_dialog).to_contain_text("Illustration of Marsh Line")
            self.assert_accessible("the bin")
            bin_dialog.get_by_role("button", name="Restore torn").click()
            expect(bin_dialog).to_contain_text("The bin is empty.")
            self.page.keyboard.press("Escape")
            expect(self.page.get_by_text("torn.ora", exact=True)).to_be_visible()

    def test_an_empty_file_is_refused_before_it_is_kept(self) -> None:
        empty = self.files / "nothing.png"
        empty.touch()
        self.drop(empty)
        expect(self.page.get_by_text("'nothing.png' is empty")).to_be_visible()

    def test_what_is_handed_over_follows_the_arrangement(self) -> None:
        self.bring_in()
        self.to_step("Hand over")
        self.page.get_by_role("button", name="Hand over 9 parts").click()
        expect(self.page.get_by_test_id("proof")).to_contain_text("0 of 7,081")
        expect(self.page.locator('[data-file="parts/glow.png"]')).to_contain_text("unchanged")
        self.to_step("Put in order")
        self.row("glow").dblclick()
        self.page.keyboard.type("halo")
        self.page.keyboard.press("Enter")
        self.to_step("Hand over")
        expect(self.page.locator('[data-file="parts/halo.png"]')).to_contain_text("new")
        expect(self.page.get_by_text("Compared with no. 1: 1 new, 8 unchanged, 1 obsolete.")).to_be_visible()
        self.page.get_by_role("button", name="Hand over 9 parts").click()
        expect(self.page.get_by_role("heading", name="No. 2")).to_be_visible()
        expect(self.page.locator('[data-file="parts/halo.png"]')).to_contain_text("unchanged")

    def test_nothing_to_hand_over_is_said(self) -> None:
        self.bring_in(self.flat("one part.png"))
        self.row("one part").click()
        self.page.keyboard.press("i")
        self.to_step("Hand over")
        expect(self.page.get_by_role("alert").filter(has_text="Include at least one part")).to_be_visible()


class ProjectTests(ProductTestCase):
    has_worker = False

    def test_a_project_its_members_and_leaving(self) -> None:
        User.objects.create_user("ben", password=PASSWORD)
        # Who shares a project knows each other by name.
        set_role(self.project, "ben", "viewer")
        page = self.page
        self.sign_in()
        page.get_by_role("button", name="Start project").click()
        page.get_by_label("Name").fill("Lever frame")
        self.assert_accessible("start a project")
        page.get_by_role("button", name="Start", exact=True).click()
        section = page.get_by_role("region", name="Lever frame")
        section.get_by_role("button", name="Members").click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_label("Account").fill("nobody")
        dialog.get_by_role("button", name="Add").click()
        expect(dialog.get_by_role("alert")).to_contain_text("Nobody in your projects is called 'nobody'")
        dialog.get_by_label("Account").fill("ben")
        dialog.get_by_role("button", name="Add").click()
        expect(dialog.get_by_label("Role of ben")).to_have_value("editor")
        self.assert_accessible("members")
        dialog.get_by_label("Role of ada").select_option("viewer")
        expect(dialog.get_by_role("alert")).to_contain_text("only owner")
        page.keyboard.press("Escape")
        page.get_by_role("button", name="ada", exact=True).click()
        page.get_by_role("menuitem", name="Sign out").click()
        expect(page.get_by_role("heading", name="Sign in")).to_be_visible()

    def test_projects_and_illustrations_are_renamed_found_and_sorted(self) -> None:
        for at, name in enumerate(["mast 10", "mast 9", "lever", "lamp", "rail"]):
            file = self.files / f"{name}.png"
            Image.new("RGBA", (8, 8), (40 * at, 90, 120, 255)).save(file)
            self.read_here(file)
        self.sign_in()
        page = self.page
        names = page.get_by_role("region", name="Marsh Line").locator("a strong")
        expect(names).to_have_text(["rail", "lamp", "lever", "mast 9", "mast 10"])
        expect(page.get_by_role("link", name="rail")).to_contain_text("PNG 8 × 8 px")
        page.get_by_label("Order of the illustrations in Marsh Line").select_option("name")
        expect(names).to_have_text(["lamp", "lever", "mast 9", "mast 10", "rail"])
        page.get_by_label("Find an illustration in Marsh Line").fill("mast")
        expect(names).to_have_text(["mast 9", "mast 10"])
        page.get_by_role("button", name="More for mast 9").click()
        page.get_by_role("menuitem", name="Rename").click()
        self.assert_accessible("rename")
        page.get_by_role("textbox", name="Name").fill("mast 11")
        page.keyboard.press("Enter")
        expect(names).to_have_text(["mast 10", "mast 11"])
        page.get_by_label("Find an illustration in Marsh Line").fill("boat")
        expect(page.get_by_text("No illustration contains 'boat'.")).to_be_visible()
        page.get_by_role("button", name="More for project Marsh Line").click()
        self.assert_accessible("the menu of a project", "[role=menu]")
        page.get_by_role("menuitem", name="Rename project").click()
        page.get_by_role("textbox", name="Name").fill("Marsh Line, new")
        page.get_by_role("button", name="Rename", exact=True).click()
        expect(page.get_by_role("region", name="Marsh Line, new")).to_be_visible()

    def test_an_illustration_is_duplicated_and_moved(self) -> None:
        self.read_here(self.ora)
        self.sign_in()
        page = self.page
        names = page.get_by_role("region", name="Marsh Line").locator("a strong")
        more = page.get_by_role("button", name="More for signal post", exact=True)
        more.click()
        page.get_by_role("menuitem", name="Duplicate").click()
        expect(names).to_have_text(["signal post copy", "signal post"])
        # A menu that is just closing is not opened by a click.
        expect(page.get_by_role("menu")).to_have_count(0)
        more.click()
        page.get_by_role("menuitem", name="Move to another project").click()
        dialog = page.get_by_role("dialog")
        expect(dialog).to_contain_text("There is no other project that you may change.")
        page.keyboard.press("Escape")
        expect(dialog).to_have_count(0)
        page.get_by_role("button", name="Start project").click()
        page.get_by_label("Name").fill("Lever frame")
        page.get_by_role("button", name="Start", exact=True).click()
        expect(page.get_by_role("region", name="Lever frame")).to_be_visible()
        # A dialog that is just closing takes the focus back, and with it the menu away.
        expect(dialog).to_have_count(0)
        more.click()
        page.get_by_role("menuitem", name="Move to another project").click()
        expect(dialog.get_by_label("To project").locator("option")).to_have_text(["Lever frame"])
        self.assert_accessible("move")
        dialog.get_by_role("button", name="Move").click()
        expect(names).to_have_text(["signal post copy"])
        page.get_by_role("region", name="Lever frame").get_by_role("link", name="signal post").click()
        self.wait_for_pile()
        expect(self.row("mast")).to_be_visible()

    def test_changing_the_password(self) -> None:
        page = self.page
        self.sign_in()
        page.get_by_role("button", name="ada", exact=True).click()
        page.get_by_role("menuitem", name="Change password").click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_role("textbox", name="Old password").fill(PASSWORD)
        dialog.get_by_role("textbox", name="New password").fill("short")
        dialog.get_by_role("button", name="Change password").click()
        expect(dialog.get_by_role("alert")).to_contain_text("too short")
        dialog.get_by_role("textbox", name="New password").fill("a longer one for the marsh")
        dialog.get_by_role("button", name="Change password").click()
        expect(page.get_by_text("The password is changed")).to_be_visible()
        self.user.refresh_from_db()
        self.assertTrue(self.user.check_password("a longer one for the marsh"))
