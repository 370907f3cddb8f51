"""Handing over in the browser: recipes, names, the plan before, and what came of it, on the signal post."""

import io
import json
import re
import zipfile
from pathlib import Path

from PIL import Image
from playwright.sync_api import Locator, expect

from tests.product import ProductTestCase


class HandOverTests(ProductTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.open_picture()
        self.to_step("Hand over")
        expect(self.button("Hand over 9 parts")).to_be_enabled()

    def button(self, name: str) -> Locator:
        return self.page.get_by_role("button", name=name, exact=True)

    def page_of(self, name: str) -> None:
        self.page.get_by_label("Pages").get_by_text(name, exact=True).click()

    def file(self, name: str) -> Locator:
        return self.page.locator(f'[data-file="{name}"]')

    def downloaded(self) -> zipfile.ZipFile:
        with self.page.expect_download() as waiting:
            self.page.get_by_role("link", name="Download ZIP").first.click()
        return zipfile.ZipFile(io.BytesIO(waiting.value.path().read_bytes()))

    def test_a_recipe_is_changed_seen_in_the_plan_saved_and_carried_out(self) -> None:
        page = self.page
        expect(page.get_by_role("combobox", name="Recipe", exact=True)).to_have_value("cut-out-rig.json")
        expect(self.file("parts/post/mast.png")).to_contain_text("7 × 56")
        self.page_of("Recipe")
        page.get_by_label("Margin").first.fill("2")
        page.get_by_label("Pad sides to").first.select_option("even")
        self.button("Add scale").click()
        page.get_by_label("Recipe name").fill("For the marsh")
        self.button("Add table of positions").click()
        page.get_by_label("Origin").select_option(label="Centre of the canvas, y up")
        page.get_by_label("Plain background colour").check()
        page.get_by_role("textbox", name="Background colour").fill("#204060")
        page.get_by_label("Total").fill("0.9")
        self.assert_accessible("recipe")
        self.page_of("Plan")
        expect(self.file("parts/post/mast.png")).to_contain_text("12 × 60")
        expect(self.file("parts-2x/post/mast.png")).to_contain_text("18 × 116")
        expect(page.get_by_text("18 images at 2 scales and 8 extra files; 1 empty part")).to_be_visible()
        # What is seen in the plan is the image as it will be written.
        self.file("parts/post/mast.png").scroll_into_view_if_needed()
        thumbnail = self.file("parts/post/mast.png").locator("img")
        expect(thumbnail).to_be_visible()
        # Until it is there, the earlier one is shown.
        expect(thumbnail).to_have_js_property("naturalWidth", 12)
        expect(thumbnail).to_have_js_property("naturalHeight", 60)
        expect(self.file("parts/post/mast.png")).to_contain_text(re.compile(r"12 × 60 \d+ B"))
        expect(page.get_by_role("combobox", name="Recipe", exact=True)).to_contain_text(
            "For the marsh (changed, not saved)"
        )
        self.page_of("Recipe")
        self.button("Save in the project").click()
        expect(page.get_by_text("The recipe is saved in this project.")).to_be_visible()
        self.page_of("Plan")
        self.button("Hand over 9 parts").click()
        expect(page.get_by_test_id("proof")).to_contain_text("0 of 7,081")
        expect(page.get_by_text("2 ×: ")).to_contain_text("are allowed")
        self.assert_accessible("handed over at two sizes")
        with self.downloaded() as package:
            self.assertEqual(Image.open(package.open("parts-2x/post/mast.png")).size, (18, 116))
            self.assertEqual(json.loads(package.read("manifest.json"))["recipe"], "For the marsh")
            table = json.loads(package.read("places-centre-up-from-centre.json"))
            self.assertEqual((table["zero"], table["y"]), ("centre", "up"))
            reference = Image.open(package.open("reference.png"))
            self.assertEqual(reference.convert("RGBA").getpixel((96, 72))[3], 255)
        self.page_of("History")
        expect(page.get_by_text("26 files,")).to_contain_text("26 written, 0 unchanged")
        # The last recipe is the one that is worked with next.
        self.reload()
        # Reloading leads to the page that was open.
        expect(page.get_by_role("radio", name="History")).to_be_checked()
        self.page_of("Plan")
        expect(page.get_by_role("combobox", name="Recipe", exact=True)).to_contain_text("For the marsh")

    def test_an_image_of_the_plan_is_seen_at_its_full_size(self) -> None:
        page = self.page
        page.get_by_role("button", name="Show 'mast.png' at full size").click()
        viewer = page.get_by_role("dialog", name="Preview of the file")
        image = viewer.get_by_role("img", name="parts/post/mast.png")
        expect(image).to_have_js_property("naturalWidth", 7)
        expect(image).to_have_js_property("clientWidth", 7)
        expect(viewer.get_by_role("status")).to_contain_text(re.compile(r"7 × 56 px, \d+ B, \d+ of \d+"))
        viewer.get_by_label("Size").select_option("800 %")
        expect(image).to_have_js_property("clientWidth", 56)
        expect(image).to_have_css("image-rendering", "pixelated")
        viewer.get_by_label("Background").select_option("Black background")
        expect(viewer.get_by_label("The image")).to_have_css("background-color", "rgb(0, 0, 0)")
        self.assert_accessible("an image of the plan")
        order = page.locator("[data-file]").evaluate_all("rows => rows.map((row) => row.dataset.file)")
        files = [file for file in order if file.endswith(".png")]
        at = files.index("parts/post/mast.png")
        page.keyboard.press("ArrowRight")
        expect(viewer.get_by_role("img", name=files[at + 1])).to_be_visible()
        page.keyboard.press("ArrowLeft")
        page.keyboard.press("ArrowLeft")
        expect(viewer.get_by_role("img", name=files[at - 1])).to_be_visible()
        page.keyboard.press("Escape")
        expect(viewer).to_have_count(0)
        # What is as large as the canvas too.
        page.get_by_role("button", name="Show 'reference.png' at full size").click()
        expect(viewer.get_by_role("img", name="reference.png")).to_have_js_property("naturalWidth", 97)

    def test_names_of_pieces_by_pointer_and_keyboard_and_what_clashes(self) -> None:
        page = self.page
        self.page_of("Names")
        names = page.get_by_label("All names").get_by_role("listitem")
        expect(names.first).to_have_text("parts/mist.png")
        page.get_by_label("Folders").select_option("flat")
        page.get_by_label("Pieces of a name").get_by_role("button", name="part").click()
        self.button("Text").click()
        page.get_by_label("Text").fill("post")
        pieces = page.get_by_label("Pieces of a name").get_by_role("button")
        pieces.first.click()
        self.button("Remove piece").click()
        expect(names.first).to_have_text("parts/post.png twice")
        self.page_of("Plan")
        expect(page.get_by_label("Findings")).to_contain_text("would both be written as 'parts/post.png'")
        expect(self.button("Hand over 9 parts")).to_be_disabled()
        self.page_of("Names")
        self.button("Number").click()
        expect(names.first).to_have_text("parts/post09.png")
        # Moved to the front by the keyboard, with the focus on it.
        pieces.nth(1).press("ArrowLeft")
        expect(names.first).to_have_text("parts/09post.png")
        expect(pieces.first).to_be_focused()
        # By buttons, for those who have neither keys nor a mouse.
        self.button("Move later").click()
        expect(names.first).to_have_text("parts/post09.png")
        expect(self.button("Move later")).to_be_disabled()
        self.button("Move earlier").click()
        expect(names.first).to_have_text("parts/09post.png")
        # And back by the pointer.
        pieces.first.drag_to(pieces.nth(1))
        expect(names.first).to_have_text("parts/post09.png")
        page.get_by_label("Count").select_option("front")
        expect(names.first).to_have_text("parts/post01.png")
        self.assert_accessible("names")
        self.page_of("Plan")
        self.button("Hand over 9 parts").click()
        expect(page.get_by_test_id("proof")).to_contain_text("0 of 7,081")
        with self.downloaded() as package:
            self.assertIn("parts/post01.png", package.namelist())

    def test_parts_are_included_beside_the_plan_and_its_rows_reached_by_keyboard(self) -> None:
        page = self.page
        page.get_by_text("Included: 10 of 10 parts").click()
        group = page.locator('[data-included="signal"]').get_by_role("checkbox")
        part = page.locator('[data-included="lamp"]').get_by_role("checkbox")
        expect(group).to_be_checked()
        part.press("Space")
        expect(page.get_by_text("Included: 9 of 10 parts")).to_be_visible()
        expect(group).to_have_js_property("indeterminate", True)
        expect(self.button("Hand over 8 parts")).to_be_enabled()
        expect(self.file("parts/post/signal/lamp.png")).to_have_count(0)
        self.assert_accessible("included parts")
        # Some of a group: all of it first, and then none.
        group.press("Space")
        expect(self.file("parts/post/signal/lamp.png")).to_be_visible()
        group.press("Space")
        expect(group).not_to_be_checked()
        expect(page.get_by_role("navigation", name="Steps")).to_contain_text("left out")
        page.get_by_role("button", name="Undo").click()
        expect(self.button("Hand over 9 parts")).to_be_enabled()
        rows = page.locator("[data-plan-row]")
        rows.first.focus()
        for _ in range(40):
            page.keyboard.press("ArrowDown")
            if page.evaluate("document.activeElement.textContent.includes('signal')"):
                break
        page.keyboard.press("ArrowLeft")
        expect(page.locator(":focus")).to_have_attribute("aria-expanded", "false")
        expect(self.file("parts/post/signal/lamp.png")).to_have_count(0)
        page.keyboard.press("ArrowRight")
        page.keyboard.press("ArrowDown")
        page.keyboard.press("Enter")
        page.wait_for_url("**/hand-over?parts=*")

    def test_only_what_is_chosen_and_a_ground_in_another_format(self) -> None:
        page = self.page
        self.page_of("Recipe")
        self.button("Add exception").click()
        expect(page.get_by_text("JPEG, opaque").last).to_be_attached()
        page.get_by_role("combobox", name="Parts, groups or roles").fill("lamp")
        page.get_by_role("combobox", name="Parts, groups or roles").press("Enter")
        self.page_of("Plan")
        expect(page.get_by_label("Findings")).to_contain_text(
            "'post / signal / lamp' has transparency, and JPEG has none"
        )
        page.get_by_label("Findings").get_by_role("button", name="Show").click()
        page.get_by_label("Selected parts only (1)").check()
        expect(self.file("parts/post/signal/lamp.jpg")).to_be_visible()
        expect(self.button("Hand over 1 part")).to_be_disabled()
        expect(self.file("parts/sky.png")).to_have_count(0)
        # Also a sheet is shown as it will be: with that part alone.
        page.get_by_role("combobox", name="Recipe", exact=True).select_option("game-sheets.json")
        sheet = self.file("sheets/1.png")
        picture = sheet.locator("img")
        expect(picture).to_be_visible()
        size = picture.evaluate("image => [image.naturalWidth, image.naturalHeight]")
        expect(sheet).to_contain_text(f"{size[0]} × {size[1]}")
        self.assertLessEqual(max(size), 32)

    def test_again_only_what_has_changed_is_compared_or_all_of_it(self) -> None:
        page, report = self.page, self.page.get_by_role("region", name="No. ")
        unchanged = page.get_by_text("The picture is unchanged since the last check.")
        for number, is_short in ((1, False), (2, True), (3, False)):
            if number == 3:
                page.get_by_label("Verify unchanged parts too").check()
            self.button("Hand over 9 parts").click()
            expect(report.get_by_role("heading", name=f"No. {number}")).to_be_visible()
            expect(page.get_by_test_id("proof")).to_contain_text("0 of 7,081")
            expect(unchanged).to_have_count(int(is_short))

    def test_a_sheet_is_seen_before_it_is_written_and_another_recipe_begins_anew(self) -> None:
        page = self.page
        self.button("Hand over 9 parts").click()
        expect(page.get_by_test_id("proof")).to_contain_text("0 of 7,081")
        page.get_by_role("combobox", name="Recipe", exact=True).select_option("game-sheets.json")
        sheet = self.file("sheets/1.png")
        picture = sheet.locator("img")
        expect(self.button("Hand over 9 parts")).to_be_enabled()
        sheet.scroll_into_view_if_needed()
        expect(picture).to_be_visible()
        expect(sheet).to_contain_text("new")
        # Files of the other recipe's package are not called unwanted.
        expect(page.get_by_text("obsolete")).to_have_count(0)
        size = picture.evaluate("image => [image.naturalWidth, image.naturalHeight]")
        told = sheet.get_by_text("×").inner_text()
        self.assertIn(f"{size[0]} × {size[1]}", told)
        self.button("Hand over 9 parts").click()
        expect(page.get_by_text("No. 2, Sheets for a game")).to_be_visible()
        with self.downloaded() as package:
            written = package.read("sheets/1.png")
            self.assertEqual(list(Image.open(io.BytesIO(written)).size), size)
        expect(self.file("sheets/1.png")).to_contain_text("unchanged")

    def test_a_recipe_comes_from_a_file_and_a_wrong_one_is_refused(self) -> None:
        page = self.page
        self.page_of("Recipe")
        file = Path(self.files) / "recipe.json"
        for text, said in (
            ("nothing", "'recipe.json' is not JSON."),
            ('{"format": "yuplet-recipe", "version": 1, "name": "x", "images": {"margin": -1}}', "'images.margin'"),
        ):
            file.write_text(text)
            page.locator('input[type="file"][accept*="json"]').set_input_files(file)
            expect(page.get_by_text(said)).to_be_visible()
        file.write_text('{"format": "yuplet-recipe", "version": 1, "name": "Brought", "images": {"extent": "canvas"}}')
        page.locator('input[type="file"][accept*="json"]').set_input_files(file)
        expect(page.get_by_role("combobox", name="Recipe", exact=True)).to_contain_text("Brought")
        # Its line moves the buttons.
        expect(page.get_by_text("The recipe is saved in this project.")).to_be_visible()
        expect(page.get_by_label("Image area")).to_have_value("canvas")
        with page.expect_download() as waiting:
            self.button("Download").click()
        self.assertEqual(json.loads(waiting.value.path().read_text())["images"]["extent"], "canvas")
        self.page_of("Plan")
        expect(self.file("parts/post/mast.png")).to_contain_text("97 × 73")
        self.button("Hand over 9 parts").click()
        expect(page.get_by_text("All at 0, 0, 1 ×: 0 of 7,081 pixels differ")).to_be_visible()

    def test_a_limit_of_the_receiver_stops_it_and_one_click_keeps_to_it(self) -> None:
        page = self.page
        self.page_of("Recipe")
        page.get_by_label("Longest side").fill("64")
        self.page_of("Plan")
        notes = page.get_by_label("Findings")
        expect(notes).to_contain_text("'sky' is 97 × 73 px at 1x; the target program allows up to 64 px.")
        expect(self.button("Hand over 9 parts")).to_be_disabled()
        notes.get_by_role("button", name="Hand over at scale 0.659").first.click()
        expect(self.button("Hand over 9 parts")).to_be_enabled()
        expect(self.file("parts/sky.png")).to_contain_text("64 × 49")

    def test_what_is_written_beside_the_images_is_told_and_proven(self) -> None:
        page = self.page
        self.page_of("Recipe")
        page.get_by_label("Layered file (OpenRaster)").check()
        page.get_by_label("Page (HTML and CSS)").check()
        page.get_by_label("3D planes (glTF)").check()
        self.button("Add flat picture").click()
        page.get_by_label("Flat picture").fill("no lamp")
        hidden = page.get_by_role("combobox", name="Hidden parts")
        hidden.fill("lamp")
        hidden.press("Enter")
        hidden.press("Escape")
        self.assert_accessible("beside the images")
        self.page_of("Plan")
        expect(page.get_by_label("Findings")).to_contain_text("The glTF model has no blend modes")
        expect(self.file("combinations/no lamp.png")).to_contain_text("97 × 73")
        self.button("Hand over 9 parts").click()
        expect(page.get_by_text("Layered file, 1 ×: 0 of 7,081 pixels differ")).to_be_visible()
        expect(page.get_by_text("Page, 1 ×: 0 of 7,081 pixels differ")).to_be_visible()
        with self.downloaded() as package:
            self.assertLessEqual({"layers.ora", "model.glb", "index.html", "style.css"}, set(package.namelist()))
        self.page_of("Watched file")
        expect(page.get_by_text("An administrator opens folders")).to_be_visible()

    def test_the_project_in_one_go(self) -> None:
        page = self.page
        crate = self.files / "crate.png"
        Image.new("RGBA", (40, 30), "peru").save(crate)
        self.read_here(crate)
        # What is changed of the recipe and not saved counts.
        self.page_of("Recipe")
        page.get_by_label("Share sheets across the project").check()
        page.get_by_label("Longest side").first.fill("128")
        self.page_of("Project")
        expect(page.get_by_text("Not handed over yet")).to_have_count(2)
        page.get_by_label("Recipe of crate").select_option("Sheets for a game")
        self.assert_accessible("project")
        self.button("Hand over 2 illustrations").click()
        said = page.get_by_test_id("together")
        expect(said).to_contain_text("2 packages, 10 parts", timeout=60_000)
        expect(said).to_contain_text("every picture verified")
        with page.expect_download() as waiting:
            page.get_by_role("link", name="Download ZIP of all").click()
        with zipfile.ZipFile(waiting.value.path()) as package:
            index = json.loads(package.read("project.json"))
            self.assertEqual([one["folder"] for one in index["packages"]], ["crate", "signal post"])
            self.assertEqual(
                {one["recipe"] for one in index["packages"]}, {"Cut-out rig, trimmed", "Sheets for a game"}
            )
            self.assertTrue(index["sheets"])
            self.assertTrue(all(max(one["width"], one["height"]) <= 128 for one in index["sheets"]))
            self.assertTrue({"crate/manifest.json", "signal post/manifest.json"} <= set(package.namelist()))
        # Nothing has changed, so nothing is done again; one is left out.
        expect(page.get_by_text("With this recipe")).to_have_count(2)
        expect(self.button("Only changed (0)")).to_be_disabled()
        page.get_by_role("checkbox", name="crate").uncheck()
        self.button("Hand over 1 illustration").click()
        expect(said).to_contain_text("1 package, 9 parts", timeout=60_000)
        expect(page.get_by_text("unchanged since hand-over no. 1)")).to_have_count(1)
        expect(page.get_by_role("heading", name="Earlier hand-overs")).to_be_visible()
        self.page_of("History")
        expect(page.get_by_text("No. 1", exact=True)).to_have_count(1)
