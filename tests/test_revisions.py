"""A changed file on top of the old one, and looking at what has changed: by hand, in the browser."""

from pathlib import Path

import numpy as np
from playwright.sync_api import expect

import signal_post
from tests.product import ProductTestCase
from yuplet.geometry import Box
from yuplet.illustration.layers import Illustration, Layer
from yuplet.pixels.spill_file import SpillFile
from yuplet.writing import openraster


def second(path: Path) -> None:
    """The signal post with its sky turned green, its mist gone, and a moon."""
    with SpillFile() as scratch:
        post = signal_post.signal_post(scratch)
        sky = scratch.whole("sky").copy()
        sky[..., :3] = (20, 140, 60)
        scratch.put("sky", sky)
        scratch.put("moon", np.full((8, 8, 4), 255, np.uint8))
        layers = tuple(node for node in post.layers if node.id != "mist")
        layers = (*layers, Layer("moon", "moon", Box(80, 4, 88, 12)))
        openraster.write(path, Illustration(post.name, post.canvas, layers), scratch)


class RevisionTests(ProductTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.open_picture()
        self.row("sky").dblclick()
        self.page.keyboard.type("night")
        self.page.keyboard.press("Enter")
        self.page.keyboard.press("Escape")
        self.to_step("Bring in")
        self.page.get_by_role("radiogroup", name="Pages").get_by_text("Revisions", exact=True).click()
        second(self.files / "second.ora")
        self.page.get_by_test_id("revision-file").set_input_files(self.files / "second.ora")
        self.review = self.page.get_by_role("region", name="Review of revision 2")
        expect(self.review).to_contain_text("8 layers are unchanged")

    def test_it_is_reviewed_taken_and_taken_back(self) -> None:
        for words in ("skyrepainted", "moonnew", "Removed from the art"):
            expect(self.review).to_contain_text(words)
        self.assert_accessible("a review")
        # Both states are on the picture, and what ends the review is in sight.
        expect(self.page.get_by_role("radio", name="Compare")).to_be_checked()
        expect(self.page.get_by_label("Right picture").locator("option:checked")).to_have_text("Revision 2")
        self.assertEqual(self.canvas_pixel(90, 20)[:3], [20, 140, 60])
        expect(self.review.get_by_role("button", name="Accept revision 2")).to_be_in_viewport(ratio=1)
        self.assertNotIn("moon", self.names())
        self.review.get_by_role("checkbox", name="Remove part 'mist'").check()
        self.review.get_by_role("button", name="Accept revision 2").click()
        expect(self.page.get_by_text("Revision 2, current")).to_be_visible()
        self.to_step("Put in order")
        expect(self.row("moon")).to_be_visible()
        self.assertNotIn("mist", self.names())
        self.assertIn("night", self.names(), "the part keeps its name")
        self.assertEqual(self.canvas_pixel(90, 20)[:3], [20, 140, 60])
        self.page.get_by_role("button", name="Undo").click()
        expect(self.row("mist")).to_be_visible()
        expect(self.row("moon")).to_have_count(0)
        self.wait_for_pile()
        self.page.get_by_role("button", name="Redo").click()
        expect(self.row("moon")).to_be_visible()
        self.to_step("Bring in")
        self.page.get_by_role("radiogroup", name="Pages").get_by_text("Revisions", exact=True).click()
        self.page.get_by_role("button", name="Go back to previous revision").click()
        expect(self.page.get_by_text("Revision 1, current")).to_be_visible()

    def test_what_is_proposed_can_be_corrected_or_put_aside(self) -> None:
        self.review.get_by_label("What moon was before").select_option(label="Was mist")
        expect(self.review).not_to_contain_text("Removed from the art")
        self.review.get_by_label("What moon was before").select_option(label="Was sky")
        expect(self.review.get_by_label("What sky was before")).to_have_value("")
        self.review.get_by_role("button", name="Discard revision 2").click()
        self.page.get_by_role("dialog").get_by_role("button", name="Discard revision 2").click()
        expect(self.page.get_by_text("Bring in a changed file as a new revision.")).to_be_visible()
        expect(self.page.get_by_role("navigation", name="Steps")).to_contain_text("97 × 73 px")

    def test_two_states_are_compared_with_a_slider_and_side_by_side(self) -> None:
        self.page.get_by_text("Flat", exact=True).click()
        self.page.get_by_text("Compare", exact=True).click()
        self.page.get_by_label("Right picture").select_option(label="Revision 2")
        self.page.wait_for_timeout(500)
        self.assertEqual(self.canvas_pixel(90, 20)[:3], [20, 140, 60])
        self.assertNotEqual(self.canvas_pixel(10, 5)[:3], [20, 140, 60])
        self.assert_accessible("comparing")
        self.page.get_by_role("slider", name="Divider").focus()
        self.page.keyboard.press("Home")
        self.page.wait_for_timeout(200)
        self.assertEqual(self.canvas_pixel(10, 5)[:3], [20, 140, 60])
        slider = self.screen_pixels()
        self.page.get_by_text("Side by side", exact=True).click()
        self.page.wait_for_timeout(200)
        self.assertGreater(self.differing(slider, self.screen_pixels()), 1000)

    def test_the_pile_apart_in_depth(self) -> None:
        self.page.get_by_text("Flat", exact=True).click()
        self.page.wait_for_timeout(200)
        flat = self.screen_pixels()
        self.page.get_by_text("Exploded", exact=True).click()
        self.page.wait_for_timeout(300)
        apart = self.screen_pixels()
        self.assertGreater(self.differing(flat, apart), 10_000)
        self.assert_accessible("apart")
        self.page.get_by_role("slider", name="Turn").focus()
        self.page.keyboard.press("Home")
        self.page.wait_for_timeout(200)
        self.assertGreater(self.differing(apart, self.screen_pixels()), 1000)
        self.page.get_by_role("slider", name="Spread").focus()
        self.page.keyboard.press("Home")
        self.page.wait_for_timeout(200)
        # Neither turned nor apart, a click finds what lies there: the lamp's glow is in front of the mast.
        self.to_step("Put in order")
        frame = self.page.get_by_test_id("pile").bounding_box() or {}
        self.page.mouse.click(frame["x"] + frame["width"] / 2, frame["y"] + frame["height"] / 2)
        self.page.wait_for_timeout(100)
        chosen = self.page.locator('[data-row][aria-selected="true"]')
        self.assertIn(chosen.get_attribute("data-row"), ("mist", "mast", "arm lowered", "shade"))

    def test_a_group_is_made_one_part_and_split_again(self) -> None:
        self.to_step("Put in order")
        self.page.keyboard.press("Escape")
        self.display("Outlines", "none")
        self.page.wait_for_timeout(300)
        before = self.screen_pixels()
        self.row("marsh").click()
        self.make("Make one part")
        expect(self.row("shade")).to_have_count(0)
        expect(self.row("marsh")).to_contain_text("multiply")
        self.make("Split into layers")
        expect(self.row("marsh 2")).to_be_visible()
        for _ in range(2):
            self.page.get_by_role("button", name="Undo").click()
        expect(self.row("shade")).to_be_visible()
        self.page.wait_for_timeout(300)
        self.assertEqual(self.differing(before, self.screen_pixels()), 0)

    def test_outlines_of_all_and_rows_of_one_kind(self) -> None:
        plain = self.screen_pixels()
        self.page.get_by_text("Flat", exact=True).click()
        self.display("Outlines", "all")
        self.page.wait_for_timeout(300)
        self.assertGreater(self.differing(plain, self.screen_pixels()), 1000)
        self.to_step("Put in order")
        self.page.get_by_label("Filter").select_option(label="Hidden (1)")
        self.assertEqual(self.names(), ["post", "signal", "arm lowered"])
        self.page.get_by_label("Filter").select_option(label="Empty (1)")
        self.assertEqual(self.names(), ["spare"])
