"""Trying out: a package as its receiver has it, put together, compared, and what is wrong with it."""

import io
import json
import zipfile
from pathlib import Path

from PIL import Image
from playwright.sync_api import expect

from tests.product import ProductTestCase
from yuplet_server.handovers.actions import ask, zipped
from yuplet_server.handovers.models import HandOver
from yuplet_server.jobs.actions import run
from yuplet_server.projects.models import Project


class TryOutTests(ProductTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.open_picture()

    def handed_over(self) -> HandOver:
        illustration = Project.objects.get(pk=self.project.pk).illustrations.get()
        made = ask(illustration, self.user, 1)
        assert made.job_id is not None
        run(made.job_id)
        made.refresh_from_db()
        self.reload()
        return made

    def changed(self, made: HandOver) -> Path:
        """The package with its lamp taken away, another image in another letter case, and something that nobody asked for."""
        path = self.files / "post changed.zip"
        with zipfile.ZipFile(io.BytesIO(b"".join(zipped(made)))) as old, zipfile.ZipFile(path, "w") as new:
            manifest = json.loads(old.read("manifest.json"))
            files = {part["path"][-1]: part["file"] for part in manifest["parts"]}
            for name in old.namelist():
                if name == files["lamp"]:
                    continue
                new.writestr(name.replace("mast.png", "Mast.PNG"), old.read(name))
            new.writestr("notes.txt", "of mine")
        return path

    def test_before_anything_was_handed_over(self) -> None:
        self.to_step("Try out")
        expect(self.page.get_by_role("region", name="Try out")).to_contain_text("No hand-overs yet.")
        expect(self.page.get_by_text("Nothing is open yet")).to_be_visible()
        self.assert_accessible("Try out, with nothing to try")

    def test_a_hand_over_is_opened_by_itself_put_together_and_compared(self) -> None:
        page = self.page
        self.handed_over()
        self.to_step("Try out")
        expect(page.get_by_test_id("inventory")).to_have_text("13 of 13 files found", timeout=60_000)
        expect(page.get_by_test_id("compared")).to_have_text("0 of 7,081 pixels differ.")
        page.locator("[data-shown=true]").wait_for()
        expect(page.get_by_role("navigation", name="Steps")).to_contain_text("Matches")
        together = self.stage_pixels()
        page.get_by_text("Original", exact=True).click()
        page.wait_for_timeout(200)
        self.assertEqual(self.stage_pixels(), together)
        page.get_by_text("Slider", exact=True).click()
        page.get_by_role("slider", name="Divider").press("End")
        page.get_by_text("Difference", exact=True).click()
        page.wait_for_timeout(200)
        self.assertNotEqual(self.stage_pixels(), together)
        self.assert_accessible("Try out")
        with self.subTest("the parts are there at once when one goes back to them"):
            self.to_step("Put in order")
            expect(page.get_by_text("Loading pictures")).to_have_count(0)
            expect(self.row("lamp")).to_be_visible()

    def test_a_package_from_elsewhere_with_all_that_is_wrong_with_it(self) -> None:
        page = self.page
        made = self.handed_over()
        self.to_step("Try out")
        expect(page.get_by_test_id("inventory")).to_be_visible(timeout=60_000)
        page.get_by_label("A package from elsewhere").set_input_files(self.changed(made))
        expect(page.get_by_test_id("inventory")).to_have_text("11 of 13 files found", timeout=60_000)
        inventory = page.get_by_role("region", name="Inventory")
        for words in ("lamp.png", "Wrong letter case", "mast.png", "notes.txt"):
            expect(inventory).to_contain_text(words)
        expect(page.get_by_role("region", name="Comparison")).to_contain_text("lamp'")
        expect(page.get_by_label("View").get_by_role("radio", name="Difference")).to_be_checked()
        page.get_by_role("button", name="Show").click()
        expect(page.get_by_role("region", name="Stage").get_by_label("Zoom", exact=True)).not_to_have_text("100 %")
        self.assert_accessible("Try out, with trouble")
        with self.subTest("what is missing is found in another file"):
            with zipfile.ZipFile(io.BytesIO(b"".join(zipped(made)))) as package:
                (name,) = (one for one in package.namelist() if one.endswith("lamp.png"))
                lamp = self.files / "LAMP.png"
                lamp.write_bytes(package.read(name))
            page.get_by_label("Files that are missing").set_input_files(lamp)
            expect(page.get_by_test_id("compared")).to_have_text("0 of 7,081 pixels differ.", timeout=60_000)
            expect(inventory).not_to_contain_text("Missing")
        with self.subTest("it can be closed, and what was handed over is there again"):
            page.get_by_role("button", name="Close").click()
            expect(page.get_by_test_id("inventory")).to_have_text("13 of 13 files found")

    def test_a_sheet_is_cut_and_a_count_that_cannot_be_is_refused_with_the_reason(self) -> None:
        page = self.page
        sheet, path = Image.new("RGBA", (90, 40)), self.files / "sheet.png"
        for left in (2, 32, 62):
            sheet.paste((200, 90, 30, 255), (left, 3, left + 26, 37))
        sheet.save(path)
        self.to_step("Try out")
        page.get_by_label("A package from elsewhere").set_input_files(path)
        said = page.get_by_role("region", name="Try out").get_by_role("alert")
        expect(said).to_contain_text("Say how many columns and rows", timeout=60_000)
        page.get_by_label("Columns").fill("2")
        page.get_by_role("button", name="Cut").click()
        expect(said).to_contain_text("With 2 columns the cut at 45 px runs through", timeout=60_000)
        page.get_by_label("Columns").fill("3")
        page.keyboard.press("Enter")
        expect(page.get_by_role("heading", name="3 frames")).to_be_visible(timeout=60_000)
        expect(page.get_by_text("Nothing to compare with.")).to_be_visible()

    def test_loose_images_and_the_one_that_they_are_compared_with(self) -> None:
        page = self.page
        whole, files = Image.new("RGBA", (40, 30)), []
        for at, name in enumerate(("sky", "post")):
            layer = Image.new("RGBA", (40, 30))
            layer.paste((20, 60 + 90 * at, 120, 255), (at * 12, at * 8, 40 - at * 12, 30))
            whole.alpha_composite(layer)
            files.append(self.files / f"{at + 1} {name}.png")
            layer.save(files[-1])
        files.append(self.files / "all of it.png")
        whole.save(files[-1])
        self.to_step("Try out")
        page.get_by_label("A package from elsewhere").set_input_files(files)
        expect(page.get_by_text("Nothing to compare with.")).to_be_visible(timeout=60_000)
        page.get_by_label("Compare with").select_option("all of it.png")
        expect(page.get_by_test_id("compared")).to_have_text("0 of 1,200 pixels differ.", timeout=60_000)
        expect(page.get_by_label("Read as")).to_have_value("whole canvas")
        self.assert_accessible("Try out, loose images")

    def stage_pixels(self) -> str:
        return str(self.page.get_by_test_id("stage").evaluate("canvas => canvas.toDataURL()"))

    def test_loose_images_are_lined_up_by_a_picture_of_the_whole(self) -> None:
        page = self.page
        whole = Image.new("RGBA", (300, 200), (240, 230, 220, 255))
        for number, (name, place) in enumerate({"arm": (30, 40), "leg": (170, 70)}.items()):
            image = Image.new("RGBA", (80, 60), (40, 30, 20, 255))
            image.paste((200, 60 + 90 * number, 40, 255), (5, 6, 62 + number, 50))
            image.paste((20, 60, 240 - 80 * number, 255), (12, 14, 30, 24 + 9 * number))
            image.save(self.files / f"{name}.png")
            whole.alpha_composite(image, place)
        Image.new("RGBA", (40, 40), (0, 200, 0, 255)).save(self.files / "elsewhere.png")
        whole.save(self.files / "whole.png")
        self.to_step("Try out")
        sent = [self.files / f"{name}.png" for name in ("arm", "leg", "elsewhere", "whole")]
        page.get_by_label("A package from elsewhere").set_input_files(sent)
        places = page.get_by_role("region", name="Positions")
        expect(places).to_contain_text("2 of 3 images are placed.", timeout=60_000)
        row = places.get_by_role("listitem")
        expect(row.filter(has_text="arm")).to_contain_text("100 %")
        expect(row.filter(has_text="elsewhere")).to_contain_text("not found")
        self.assert_accessible("loose images lined up")
        with self.subTest("moved by keys, and kept"):
            places.get_by_role("button", name="arm").click()
            expect(places.get_by_label("x, px")).to_have_value("30")
            page.keyboard.press("ArrowRight")
            page.keyboard.press("Shift+ArrowDown")
            expect(places.get_by_label("x, px")).to_have_value("31")
            expect(places.get_by_label("y, px")).to_have_value("50")
            expect(places.get_by_role("status")).to_have_text("Saved", timeout=60_000)
            page.reload()
            places.get_by_role("button", name="arm").click()
            expect(places.get_by_label("y, px")).to_have_value("50")
        with self.subTest("dragged on the picture, and taken back"):
            stage = page.get_by_test_id("stage")
            before = self.stage_pixels()
            box = stage.bounding_box()
            assert box is not None
            x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
            # The leg lies over the middle of the picture.
            page.mouse.move(x + 120, y)
            page.mouse.down()
            page.mouse.move(x + 150, y + 20, steps=4)
            page.mouse.up()
            expect(places.locator("legend")).to_have_text("leg")
            self.assertNotEqual(self.stage_pixels(), before)
            moved = places.get_by_label("x, px").input_value()
            self.assertNotEqual(moved, "170")
            places.get_by_role("button", name="Undo").click()
            expect(places.get_by_label("x, px")).to_have_value("170")
        with self.subTest("taken off, and put where it seems to lie"):
            places.get_by_label("Place leg").uncheck()
            expect(places).to_contain_text("1 of 3 images")
            places.get_by_role("button", name="Place all from 90 %").click()
            expect(places).to_contain_text("2 of 3 images")
        with self.subTest("made a package of"):
            expect(places.get_by_role("status")).to_have_text("Saved", timeout=60_000)
            places.get_by_role("button", name="Make a package").click()
            with page.expect_download(timeout=60_000) as waiting:
                places.get_by_role("link", name="Download the package").click(timeout=60_000)
            with zipfile.ZipFile(waiting.value.path()) as package:
                manifest = json.loads(package.read("manifest.json"))
            self.assertEqual({part["name"] for part in manifest["parts"]}, {"arm", "leg"})
