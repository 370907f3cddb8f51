"""A flat picture is taken apart on the page: what is seen stays as it was, and every step can be taken back."""

import numpy as np
import tin_inspector
from PIL import Image, ImageDraw
from playwright.sync_api import expect

from tests.product import ProductTestCase
from yuplet.illustration.records import from_record
from yuplet.parts.part import laid_part
from yuplet.pixels.compositing import compose
from yuplet.pixels.scratch import Scratch
from yuplet_server.arrangement.models import Arrangement
from yuplet_server.arrangement.queries import tree_of
from yuplet_server.illustrations.models import Illustration
from yuplet_server.illustrations.queries import load_pixels

SIZE = (97, 73)
CREAM, RED, BLUE = (240, 228, 200), (190, 50, 40), (40, 70, 170)


class TakeApartTests(ProductTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.sign_in()

    def toy(self, name: str = "toy", mode: str = "RGB") -> None:
        """A coat with a button on a plain ground, or three beads on nothing, at the step in which it is taken apart."""
        image = Image.new(mode, SIZE, CREAM if mode == "RGB" else (0, 0, 0, 0))
        draw = ImageDraw.Draw(image)
        if mode == "RGB":
            draw.rectangle((20, 15, 59, 59), RED)
            draw.ellipse((34, 30, 46, 42), BLUE)
        else:
            for left in (4, 34, 64):
                draw.ellipse((left, 20, left + 24, 50), (*BLUE, 255))
        path = self.files / f"{name}.png"
        image.save(path)
        self.bring_in(path)
        self.to_step("Take apart")
        for label in ("Grow", "Soft edge"):
            self.page.get_by_label(label).fill("0")
        self.page.get_by_role("radio", name="Same colour").click()

    def take_out(self, name: str) -> None:
        self.page.get_by_label("Its name").fill(name)
        self.page.get_by_role("button", name="Take it out").click()
        expect(self.page.get_by_text(f"Take '{name}' out of")).to_be_visible()
        self.wait_for_pile()

    def test_a_part_by_colour_and_one_from_that_again(self) -> None:
        self.toy()
        self.page.get_by_label("Outlines").select_option("none")
        self.page.wait_for_timeout(200)
        before = self.screen_pixels()
        self.click_pixel(25, 20)
        self.page.keyboard.down("Shift")
        self.click_pixel(40, 36)
        self.page.keyboard.up("Shift")
        expect(self.page.get_by_text("1,800 px chosen, 25 % of toy.")).to_be_visible()
        self.assert_accessible("taking apart")
        self.take_out("coat")
        self.page.get_by_label("Take from").select_option(label="coat")
        self.click_pixel(40, 36)
        expect(self.page.get_by_text("of coat.")).to_be_visible()
        self.page.get_by_label("Soft edge").fill("2")
        self.take_out("button")
        self.page.get_by_role("button", name="Compare with what was brought in").click()
        expect(self.page.get_by_test_id("difference")).to_have_text("0 of 7,081 pixels differ.")
        self.page.get_by_role("button", name="Grow it under").click()
        expect(self.page.get_by_role("alert")).to_contain_text("there is nothing to grow under")
        self.page.get_by_label("Outlines").select_option("none")
        self.page.wait_for_timeout(300)
        after = self.screen_pixels()
        # The browser's own canvas rounds colour times alpha to 8 bits.
        one, other = (np.frombuffer(data, np.uint8).astype(int) for data in (before, after))
        self.assertLessEqual(int(np.abs(one - other).max()), 1)
        self.to_step("Put in order")
        expect(self.row("button")).to_be_visible()
        self.assertEqual(self.names(), ["button", "coat", "toy"])
        self.page.get_by_label("Outlines").select_option("none")
        for name in ("coat", "button"):
            self.row(name).click()
            self.page.keyboard.press("s")
        self.page.wait_for_timeout(300)
        self.assertEqual(self.canvas_pixel(40, 36)[:3], list(CREAM), "the ground runs on behind it")
        for _ in range(4):
            self.page.get_by_role("button", name="Undo").click()
        expect(self.row("coat")).to_have_count(0)
        self.reload()
        self.assertEqual(self.names(), ["toy"])
        self.page.get_by_role("button", name="Redo").click()
        expect(self.row("coat")).to_be_visible()

    def test_proposals_are_pointed_at_and_taken(self) -> None:
        self.toy("proposed")
        self.page.get_by_role("radio", name="Proposals").click()
        expect(self.page.get_by_text("Pieces, coarse to fine: 3")).to_be_visible()
        self.page.get_by_label("Outlines").select_option("none")
        self.page.mouse.move(*self.place_of(90, 5))
        self.page.wait_for_timeout(300)
        before = self.screen_pixels()
        self.page.mouse.move(*self.place_of(40, 36))
        self.page.wait_for_timeout(300)
        self.assertGreater(self.differing(before, self.screen_pixels()), 500, "the one under the pointer is shown")
        self.click_pixel(40, 36)
        expect(self.page.get_by_text("px chosen, 2 % of proposed")).to_be_visible()
        self.assert_accessible("proposals")
        self.page.get_by_role("slider", name="Pieces, coarse to fine").press("ArrowLeft")
        expect(self.page.get_by_text("1,800 px chosen, 25 % of proposed")).to_be_visible()
        self.page.get_by_role("slider", name="Pieces, coarse to fine").press("ArrowRight")
        self.page.get_by_role("button", name="Make a part of each but the ground").click()
        expect(self.page.get_by_text("Take 2 parts out of 'proposed'")).to_be_visible()
        self.to_step("Put in order")
        expect(self.row("proposed 2")).to_be_visible()
        self.assertEqual(self.names(), ["proposed 2", "proposed 1", "proposed"])

    def test_the_tin_inspector_in_fewer_than_forty_gestures(self) -> None:
        """docs/guide/taking-apart.md: most of its parts, which is fewer than the guide takes, for the time it needs."""
        path = self.files / "tin inspector.png"
        tin_inspector.write(path)
        self.bring_in(path)
        self.to_step("Take apart")
        self.page.get_by_label("Outlines").select_option("none")
        self.page.get_by_text("Pieces, coarse to fine").wait_for()
        gestures = 0
        wanted = dict(list(tin_inspector.PARTS.items())[:14])
        for name, places in wanted.items():
            for at, place in enumerate(places):
                if at:
                    self.page.keyboard.down("Shift")
                self.page.mouse.click(*self.place_on_inspector(*place))
                self.page.keyboard.up("Shift")
                gestures += 1
            expect(self.page.get_by_text("px chosen")).to_be_visible()
            self.page.get_by_label("Its name").fill(name)
            self.page.get_by_role("button", name="Take it out").click()
            expect(self.page.get_by_text(f"Take '{name}' out of")).to_be_visible()
            self.page.locator("[aria-busy=false]").wait_for()
        self.assertLess(gestures, 40)
        illustration = Illustration.objects.select_related("current").get(name="tin inspector")
        made = from_record(illustration.revision.record)
        sizes = {layer.id: layer.box.size.pixels for layer in made.made if layer.what == "taken" and layer.box}
        self.assertEqual(len(sizes), len(wanted))
        self.assertLess(max(sizes.values()), 0.15 * made.canvas.pixels, "none took the ground along")
        parts = [part for _, part in tree_of(Arrangement.objects.get(pk=illustration.pk)).parts()]
        with Scratch() as scratch:
            load_pixels(
                illustration.revision, {layer for part in parts for layer in part.layers}, scratch, lambda *_: None
            )
            laid = (laid_part(part, made.boxes, made.canvas) for part in parts)
            again = compose([one for one in laid if one is not None], made.canvas, scratch)
        np.testing.assert_array_equal(again, np.array(Image.open(path).convert("RGBA")))

    def place_on_inspector(self, x: float, y: float) -> tuple[float, float]:
        """Where a pixel of the tin inspector (1200 x 1500 px) is on the screen, while the whole picture is shown."""
        frame = self.page.get_by_test_id("pile").bounding_box() or {}
        zoom = min(frame["width"] * 0.96 / 1200, frame["height"] * 0.94 / 1500)
        left, top = (frame["width"] - 1200 * zoom) / 2, (frame["height"] - 1500 * zoom) / 2
        return frame["x"] + left + x * zoom, frame["y"] + top + y * zoom

    def test_an_outline_that_is_drawn_and_what_cannot_be_taken(self) -> None:
        self.toy("drawn")
        self.page.get_by_role("radio", name="Draw round").click()
        self.page.mouse.move(*self.place_of(10, 5))
        self.page.mouse.down()
        for x, y in ((70, 5), (70, 65), (10, 65), (10, 5)):
            self.page.mouse.move(*self.place_of(x, y), steps=6)
        self.page.mouse.up()
        expect(self.page.get_by_text("px chosen")).to_be_visible()
        self.page.get_by_role("radio", name="Same colour").click()
        self.page.keyboard.down("Alt")
        self.click_pixel(14, 8)
        self.page.keyboard.up("Alt")
        expect(self.page.get_by_text("1,800 px chosen")).to_be_visible()
        self.page.get_by_role("button", name="Drop the last choice").click()
        expect(self.page.get_by_text("1,800 px chosen")).to_have_count(0)
        self.page.get_by_role("button", name="Choose nothing").click()
        self.page.get_by_role("radio", name="Point to point").click()
        for x, y in ((0, 0), (96, 0), (96, 72), (0, 72)):
            self.click_pixel(x, y)
        self.page.keyboard.press("Enter")
        expect(self.page.get_by_text("px chosen")).to_be_visible()
        self.page.get_by_label("Grow").fill("4")
        expect(self.page.get_by_text("100 % of drawn")).to_be_visible()
        self.page.get_by_role("button", name="Take it out").click()
        expect(self.page.get_by_role("alert")).to_contain_text("This is all of the part")
        self.to_step("Put in order")
        expect(self.row("drawn")).to_be_visible()
        self.assertEqual(self.names(), ["drawn"])

    def test_all_separate_pieces_at_once(self) -> None:
        self.toy("beads", "RGBA")
        self.page.get_by_role("button", name="Show the pieces").click()
        expect(self.page.get_by_text("3 pieces.")).to_be_visible()
        self.page.get_by_label("Apart by more than").fill("7")
        expect(self.page.get_by_text("1 piece.")).to_be_visible()
        self.page.get_by_label("Apart by more than").fill("2")
        self.page.get_by_role("button", name="Make 3 parts").click()
        expect(self.page.get_by_text("Take 3 parts out of 'beads'")).to_be_visible()
        self.page.get_by_label("Take from").select_option(label="beads 1")
        self.page.get_by_label("Grow", exact=True).fill("0")
        self.page.get_by_label("Behind it comes").select_option("empty")
        self.page.get_by_role("radio", name="Point to point").click()
        for x, y in ((2, 15), (16, 15), (16, 55), (2, 55)):
            self.click_pixel(x, y)
        self.page.keyboard.press("Enter")
        self.take_out("half")
        self.page.get_by_label("By up to").fill("3")
        self.page.get_by_role("button", name="Grow it under").click()
        expect(self.page.get_by_text("Grow 'beads 1' under its neighbours by 3 px")).to_be_visible()
        self.page.get_by_role("button", name="Compare with what was brought in").click()
        expect(self.page.get_by_test_id("difference")).to_have_text("0 of 7,081 pixels differ.")
        self.page.get_by_role("button", name="Undo").click()
        self.page.get_by_role("button", name="Undo").click()
        self.to_step("Put in order")
        expect(self.row("beads 3")).to_be_visible()
        self.assertEqual(self.names(), ["beads 3", "beads 2", "beads 1"])
