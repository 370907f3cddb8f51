"""What somebody does with Yuplet the first time, from signing in to the package on their disk."""

import io
import json
import zipfile

from playwright.sync_api import expect

from tests.product import PASSWORD, ProductTestCase


class StoryTests(ProductTestCase):
    def test_from_a_layered_picture_to_a_proven_package(self) -> None:
        page = self.page
        page.goto("/")
        self.assert_accessible("sign in")
        page.get_by_label("Account").fill("ada")
        page.get_by_role("textbox", name="Password").fill("not the password")
        page.get_by_role("button", name="Sign in").click()
        expect(page.get_by_role("alert")).to_contain_text("Wrong account name or password")
        page.get_by_role("textbox", name="Password").fill(PASSWORD)
        page.get_by_role("button", name="Sign in").click()
        expect(page.get_by_role("heading", name="Marsh Line")).to_be_visible()
        self.assert_accessible("projects")
        self.bring_in()
        self.assertEqual(self.names()[:4], ["spare", "mist", "glow", "post"])
        self.assert_accessible("put in order")

        with self.subTest("rename in a run, by keyboard"):
            self.row("mist").click()
            page.keyboard.press("Enter")
            page.keyboard.type("fog")
            page.keyboard.press("Enter")
            page.keyboard.type("lamp glow")
            page.keyboard.press("Enter")
            page.keyboard.press("Escape")
            expect(self.row("fog")).to_be_visible()
            expect(self.row("lamp glow")).to_be_visible()

        with self.subTest("leave one out"):
            self.row("reeds").click()
            page.keyboard.press("i")
            expect(page.get_by_role("switch", name="Include reeds")).not_to_be_checked()

        with self.subTest("kept after a reload"):
            expect(page.get_by_role("button", name="Undo")).to_be_enabled()
            self.reload()
            expect(self.row("fog")).to_be_visible()
            expect(page.get_by_role("switch", name="Include reeds")).not_to_be_checked()

        self.to_step("Hand over")
        plan = page.get_by_role("region", name="Hand over")
        expect(plan).to_contain_text("8 images and 4 extra files; 1 part left out; 1 empty part")
        self.assert_accessible("hand over")
        page.get_by_role("button", name="Hand over 8 parts").click()
        expect(page.get_by_test_id("proof")).to_have_text("Rebuilt from the package: 0 of 7,081 pixels differ.")
        self.assert_accessible("handed over")

        with page.expect_download() as waiting:
            page.get_by_role("link", name="Download ZIP").click()
        self.assertEqual(waiting.value.suggested_filename, "signal post hand-over 1.zip")
        with zipfile.ZipFile(io.BytesIO(waiting.value.path().read_bytes())) as package:
            manifest = json.loads(package.read("manifest.json"))
            listed = {part["file"] for part in manifest["parts"]}
            self.assertLessEqual(listed, set(package.namelist()))
        self.assertEqual(manifest["counts"], {"parts": 8, "shown": 7, "hidden": 1, "files": 12})
        self.assertIn("parts/fog.png", listed)
        self.assertNotIn("parts/marsh/reeds.png", listed)
