"""Keeping in step in the browser: a file that is saved on the server's machine is handed over, and the page says what was done."""

import re
from pathlib import Path

import numpy as np
from django.test import override_settings
from PIL import Image
from playwright.sync_api import expect

import signal_post
from tests.product import ProductTestCase, end, shared_worker, start
from yuplet.illustration.layers import Illustration
from yuplet.pixels.spill_file import SpillFile
from yuplet.writing.openraster import write


class InStepTests(ProductTestCase):
    """With a watcher beside the worker, and a folder that the administrator has opened."""

    root: Path

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.root = shared_worker()
        cls.enterClassContext(override_settings(ROOTS=[("ada", cls.root)]))
        cls.addClassCleanup(end, start("keep_in_step", YUPLET_ROOTS=f"ada={cls.root}"))

    def setUp(self) -> None:
        super().setUp()
        self.sign_in()
        self.art = self.root / "art" / "signal post.ora"
        self.art.parent.mkdir(exist_ok=True)
        self.save(10)
        self.bring_in(self.art)
        self.to_step("Hand over")
        self.page.get_by_label("Pages").get_by_text("Watched file", exact=True).click()

    def save(self, shade: int) -> None:
        """The signal post with its lamp in another shade."""
        with SpillFile() as scratch:
            post = signal_post.signal_post(scratch)
            lamp = scratch.whole("lamp").copy()
            lamp[..., 2] = np.where(lamp[..., 3] > 0, shade, 0)
            scratch.put("lamp", lamp)
            write(self.art, Illustration(post.name, post.canvas, post.layers, ppi=post.ppi), scratch)

    def test_a_saved_file_is_handed_over_by_itself(self) -> None:
        page, target = self.page, self.root / "game" / "post"
        keep = page.get_by_role("button", name="Watch", exact=True)
        expect(keep).to_be_disabled()
        page.get_by_label("File or folder of images on the server").fill(str(self.root / "art/nothing.ora"))
        page.get_by_role("combobox", name="Recipes").click(force=True)
        page.get_by_role("option", name="Cut-out rig", exact=False).click()
        page.keyboard.press("Escape")
        page.get_by_label("Also write to folder").fill(str(target))
        keep.click()
        expect(page.get_by_text("There is no file and no folder")).to_be_visible()
        page.get_by_label("File or folder of images on the server").fill(str(self.art))
        self.assert_accessible("in step, before")
        keep.click()
        expect(page.get_by_text("State at the start")).to_be_visible(timeout=60_000)
        expect(page.get_by_text("Revision 1", exact=True)).to_be_visible()
        self.assertTrue((target / "manifest.json").is_file(), "handed over once, although nothing was saved")
        self.save(200)
        expect(page.get_by_text("Revision 2", exact=True)).to_be_visible(timeout=60_000)
        expect(page.get_by_text("1 layer repainted")).to_be_visible()
        lamp = next(target.rglob("lamp.png"))
        self.assertEqual(int(np.array(Image.open(lamp).convert("RGBA"))[..., 2].max()), 200)
        self.assert_accessible("in step, after a pass")
        with self.subTest("a package that is moved goes on with what was saved, and nothing of it is touched"):
            self.to_step("Try out")
            page.get_by_text("Move", exact=True).click()
            page.locator("[data-pictures='9']").wait_for()
            parts = page.get_by_label("Part", exact=True)
            lamp = parts.locator("option", has_text=re.compile("lamp", re.IGNORECASE)).first
            parts.select_option(lamp.get_attribute("value"))
            page.get_by_label("Turn, °").fill("30")
            page.get_by_label("Turn, °").press("Enter")
            expect(page.get_by_role("status").filter(has_text="Last step: Turn")).to_be_visible()
            page.get_by_role("slider", name="Frame").focus()
            page.keyboard.press("PageUp")
            before = page.get_by_test_id("stage").evaluate("canvas => canvas.toDataURL()")
            self.save(90)
            page.wait_for_function(
                "before => document.querySelector('[data-testid=stage]').toDataURL() !== before",
                arg=before,
                timeout=60_000,
            )
            expect(page.get_by_label("Package")).to_have_value(re.compile("hand-over"))
            expect(page.get_by_role("option", name="Hand-over no. 3")).to_have_count(1)
            # What was chosen, the time and the pose are as before.
            expect(page.get_by_label("Turn, °")).to_have_value("30")
            expect(page.get_by_role("slider", name="Frame")).to_have_attribute("aria-valuetext", "1.00 s")
            self.to_step("Hand over")
            page.get_by_label("Pages").get_by_text("Watched file", exact=True).click()
        page.get_by_role("button", name="Stop watching").click()
        expect(keep).to_be_visible()
