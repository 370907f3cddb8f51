"""A flat picture is taken apart on the page: what is seen stays as it was, and every step can be taken back."""

import base64
import io
import json
import re
from collections.abc import Callable
from typing import Any

import numpy as np
import tin_inspector
from PIL import Image, ImageDraw
from playwright.sync_api import Response, expect

from tests.product import ROOT, ProductTestCase, wait_until
from yuplet.editing.art import covered_in
from yuplet.geometry import Box, Size
from yuplet.illustration.derived import Cut
from yuplet.illustration.layers import Illustration as Picture
from yuplet.illustration.layers import Layer
from yuplet.parts.part import part_node
from yuplet.pixels.compositing import compose
from yuplet.pixels.spill_file import SpillFile
from yuplet.selecting.masks import distance_to
from yuplet.writing import openraster
from yuplet_server.arrangement.models import Arrangement
from yuplet_server.arrangement.queries import tree_of
from yuplet_server.illustrations.layers import StoredLayers
from yuplet_server.illustrations.models import Illustration
from yuplet_server.illustrations.queries import read_of

SIZE = (97, 73)
CREAM, RED, BLUE = (240, 228, 200), (190, 50, 40), (40, 70, 170)


class TakeApartTests(ProductTestCase):
    has_worker = False

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
            draw.line((90, 70, 91, 70), (*BLUE, 255))
        path = self.files / f"{name}.png"
        image.save(path)
        self.open_picture(path)
        self.to_step("Take apart")
        self.page.get_by_text("Edge and fill").click()
        for label in ("Grow", "Soft edge"):
            self.page.get_by_label(label).fill("0")
        self.page.get_by_role("radio", name="Same colour").click()

    def to_page(self, name: str) -> None:
        self.page.get_by_role("radiogroup", name="Pages").get_by_text(name, exact=True).click()

    def drag(self, *places: tuple[float, float]) -> None:
        """Press on the first of some pixels and draw to the others."""
        first, *others = places
        self.page.mouse.move(*self.place_of(*first))
        self.page.mouse.down()
        for place in others:
            self.page.mouse.move(*self.place_of(*place), steps=6)
        self.page.mouse.up()

    def assert_nothing_differs(self) -> None:
        self.to_page("Findings")
        self.page.get_by_role("button", name="Compare").click()
        expect(self.page.get_by_test_id("difference")).to_have_text("0 of 7,081 pixels differ.")

    def take_out(self, name: str) -> None:
        self.page.get_by_label("Part name").fill(name)
        self.page.get_by_role("button", name="Take out", exact=True).click()
        expect(self.page.get_by_text(f"Take '{name}' out of")).to_be_visible()
        self.wait_for_pile()

    def test_a_part_by_colour_and_one_from_that_again(self) -> None:
        self.toy()
        self.display("Outlines", "none")
        self.page.wait_for_timeout(200)
        before = self.screen_pixels()
        self.click_pixel(25, 20)
        self.page.keyboard.down("Shift")
        self.click_pixel(40, 36)
        self.page.keyboard.up("Shift")
        expect(self.page.get_by_text("1,800 px selected, 25 % of 'toy'.")).to_be_visible()
        self.assert_accessible("taking apart")
        self.take_out("coat")
        self.page.get_by_label("Take from").select_option(label="coat")
        self.click_pixel(40, 36)
        expect(self.page.get_by_text("of 'coat'.")).to_be_visible()
        self.page.get_by_label("Soft edge").fill("2")
        self.take_out("button")
        self.assert_nothing_differs()
        self.to_page("Underlap")
        self.page.get_by_role("button", name="Grow under").click()
        expect(self.page.get_by_role("alert")).to_contain_text("there is nothing to grow under")
        self.display("Outlines", "none")
        self.page.wait_for_timeout(300)
        after = self.screen_pixels()
        # The browser's own canvas rounds colour times alpha to 8 bits.
        one, other = (np.frombuffer(data, np.uint8).astype(int) for data in (before, after))
        self.assertLessEqual(int(np.abs(one - other).max()), 1)
        self.to_step("Put in order")
        expect(self.row("button")).to_be_visible()
        self.assertEqual(self.names(), ["button", "coat", "toy"])
        self.display("Outlines", "none")
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

    def test_a_part_by_clicks(self) -> None:
        self.toy("clicked")
        self.page.get_by_role("radio", name="Part", exact=True).click()
        self.display("Outlines", "none")
        self.click_pixel(40, 36)
        expect(self.page.get_by_text("px selected, 2 % of 'clicked'")).to_be_visible()
        self.page.keyboard.down("Shift")
        self.click_pixel(25, 50)
        self.page.keyboard.up("Shift")
        expect(self.page.get_by_text("px selected, 25 % of 'clicked'.")).to_be_visible()
        self.assert_accessible("parts by clicks")
        self.page.keyboard.down("Alt")
        self.click_pixel(40, 36)
        self.page.keyboard.up("Alt")
        expect(self.page.get_by_text("px selected, 24 % of 'clicked'.")).to_be_visible()
        self.page.get_by_role("button", name="Remove last mark").click()
        expect(self.page.get_by_text("px selected, 25 % of 'clicked'.")).to_be_visible()
        # Taken away from what another tool chose, one after the other.
        self.page.get_by_role("radio", name="Rectangle").click()
        self.drag((10, 5), (70, 65))
        expect(self.page.get_by_text("px selected, 5")).to_be_visible()
        self.page.get_by_role("radio", name="Part", exact=True).click()
        self.page.keyboard.down("Alt")
        self.click_pixel(40, 36)
        expect(self.page.get_by_text("px selected, 50 % of 'clicked'.")).to_be_visible()
        self.click_pixel(25, 50)
        expect(self.page.get_by_text("px selected, 2")).to_be_visible()
        self.page.keyboard.up("Alt")
        self.page.get_by_role("button", name="Clear selection").click()
        self.click_pixel(40, 36)
        for _ in range(8):
            self.page.get_by_role("button", name="Larger region").click()
        expect(self.page.get_by_text("100 % of 'clicked'.")).to_be_visible()
        for _ in range(8):
            self.page.get_by_role("button", name="Smaller region").click()
        expect(self.page.get_by_text("px selected, 2 % of 'clicked'")).to_be_visible()
        self.take_out("button")
        # What is left is divided as it was, so the coat comes without its button.
        self.page.get_by_label("Take from").select_option(label="clicked")
        self.click_pixel(25, 50)
        expect(self.page.get_by_text("px selected, 2")).to_be_visible()
        self.take_out("coat")
        self.assert_nothing_differs()
        self.to_step("Put in order")
        expect(self.row("coat")).to_be_visible()
        self.assertEqual(self.names(), ["button", "coat", "clicked"])

    def test_proposals_are_pointed_at_and_taken(self) -> None:
        self.toy("proposed")
        self.page.get_by_role("radio", name="Proposals").click()
        expect(self.page.get_by_text("Detail: 3")).to_be_visible()
        self.display("Outlines", "none")
        self.page.mouse.move(*self.place_of(90, 5))
        self.page.wait_for_timeout(300)
        before = self.screen_pixels()
        self.page.mouse.move(*self.place_of(40, 36))
        self.page.wait_for_timeout(300)
        self.assertGreater(self.differing(before, self.screen_pixels()), 500, "the one under the pointer is shown")
        self.click_pixel(40, 36)
        expect(self.page.get_by_text("px selected, 2 % of 'proposed'")).to_be_visible()
        self.assert_accessible("proposals")
        self.page.get_by_role("slider", name="Detail").press("ArrowLeft")
        expect(self.page.get_by_text("1,800 px selected, 25 % of 'proposed'")).to_be_visible()
        self.page.get_by_role("slider", name="Detail").press("ArrowRight")
        self.page.get_by_role("button", name="Take out all but the background").click()
        expect(self.page.get_by_text("Take 2 parts out of 'proposed'")).to_be_visible()
        self.page.get_by_role("button", name="Name them").click()
        dialog = self.page.get_by_role("dialog", name="Rename many")
        expect(dialog.locator("[data-name] img")).to_have_count(2)
        self.assert_accessible("names of what was taken out")
        self.page.keyboard.type("board\nlamp")
        dialog.get_by_role("button", name="Rename").click()
        self.to_step("Put in order")
        expect(self.row("board")).to_be_visible()
        self.assertEqual(self.names(), ["board", "lamp", "proposed"])

    def test_the_tin_inspector_in_about_two_gestures_a_part(self) -> None:
        """docs/guide/taking-apart.md: most of its parts, which is fewer than the guide takes, for the time it needs."""
        path = self.files / "tin inspector.png"
        tin_inspector.write(path)
        self.open_picture(path)
        self.to_step("Take apart")
        self.display("Outlines", "none")
        self.page.get_by_role("radio", name="Proposals").click()
        self.page.get_by_text("Detail").wait_for()
        on_screen = self.places_of(1200, 1500)
        gestures = 0
        wanted = dict(list(tin_inspector.PARTS.items())[:9])
        for name, places in wanted.items():
            for at, place in enumerate(places):
                if at:
                    self.page.keyboard.down("Shift")
                self.page.mouse.click(*on_screen(*place))
                self.page.keyboard.up("Shift")
                gestures += 1
            expect(self.page.get_by_text("px selected")).to_be_visible()
            self.page.get_by_label("Part name").fill(name)
            self.page.get_by_role("button", name="Take out", exact=True).click()
            expect(self.page.get_by_text(f"Take '{name}' out of")).to_be_visible()
            self.page.locator("[aria-busy=false]").wait_for()
        self.assertLess(gestures, 20)
        illustration = Illustration.objects.select_related("current").get(name="tin inspector")
        made = read_of(illustration.revision)
        sizes = [
            layer.box.size.pixels
            for layer in made.made
            if isinstance(layer.derivation, Cut) and layer.derivation.keeps == "taken" and layer.box
        ]
        self.assertEqual(len(sizes), len(wanted))
        self.assertLess(max(sizes), 0.15 * made.canvas.pixels, "none took the ground along")
        parts = [part for _, part in tree_of(Arrangement.objects.get(pk=illustration.pk)).parts()]
        layers = StoredLayers(illustration.revision)
        with layers.pixels({layer for part in parts for layer in part.layers}) as pixels:
            laid = (part_node(part, made.boxes, made.canvas) for part in parts)
            again = compose([one for one in laid if one is not None], made.canvas, pixels)
        np.testing.assert_array_equal(again, np.array(Image.open(path).convert("RGBA")))

    def test_a_figure_of_fourteen_parts_by_click_and_name(self) -> None:
        """core/tests/golden/flat/figure14.png at half its size: no more than 35 actions, and behind the parts nothing but ground."""
        folder = ROOT / "core" / "tests" / "golden" / "flat"
        with Image.open(folder / "figure14.png") as image:
            picture = image.convert("RGB").resize((1024, 1024), Image.Resampling.BOX)
        path = self.files / "figure.png"
        picture.save(path)
        owner = np.array(Image.open(folder / "figure14-parts.png"))[::2, ::2]
        names = json.loads((folder / "figure14.json").read_text())
        self.open_picture(path)
        self.to_step("Take apart")
        expect(self.page.get_by_text("1 part. Left in 'figure': 100 % of the picture.")).to_be_visible()
        place = self.places_of(1024, 1024)
        said: list[dict[str, Any]] = []
        self.page.on("response", lambda answer: said.append(answer.json()) if _is_of_a_click(answer) else None)
        actions = 0
        for number in range(len(names), 0, -1):
            wanted = owner == number
            got = np.zeros_like(wanted)
            for attempt in range(4):
                missing, extra = deepest(wanted & ~got), deepest(got & ~wanted)
                is_less = attempt > 0 and extra[0] > missing[0]
                key = "Alt" if is_less else "Shift"
                if attempt:
                    self.page.keyboard.down(key)
                before = len(said)
                self.page.mouse.click(*place(*(extra if is_less else missing)[1:]))
                self.page.keyboard.up(key)
                actions += 1
                wait_until(self.page, lambda before=before: len(said) > before)  # type: ignore[misc]
                got = mask_of(said[-1], wanted.shape)
                # What lies in the selection is seen: one would not go on with another part in it.
                others = [owner == other for other in range(1, number)]
                along = any((got & other).sum() > 0.5 * other.sum() for other in others)
                if not along and (got & wanted).sum() > 0.85 * (got | wanted).sum():
                    break
            # The name has the focus. The click on the next part takes this one out.
            self.page.keyboard.type(names[number - 1])
            actions += 1
        self.page.keyboard.press("Enter")
        actions += 1
        expect(self.page.get_by_text(f"Take '{names[0]}' out of")).to_be_visible()
        self.assertLessEqual(actions, 35)
        expect(self.page.get_by_text("15 parts. Left in 'figure'")).to_be_visible()
        self.page.mouse.move(*place(*deepest(owner == names.index("hair") + 1)[1:]))
        expect(self.page.get_by_text("'hair' lies in front here.")).to_be_visible()
        self.page.get_by_label("Hatch the remainder of 'figure'").check()
        self.assert_accessible("what is left")
        illustration = Illustration.objects.select_related("current").get(name="figure")
        layers = StoredLayers(illustration.revision)
        parts = [part for _, part in tree_of(Arrangement.objects.get(pk=illustration.pk)).parts()]
        self.assertEqual([part.name for part in parts][1:], names)
        rest = layers.content(parts[0].pieces[0].layer)
        assert rest is not None
        ground = np.array(picture)[2, 2]
        rubbish = np.abs(rest.picture[..., :3].astype(int) - ground).max(axis=2) > 8
        # Lines that were in no selection are left over; nothing of them was continued behind the parts.
        front = covered_in(tree_of(Arrangement.objects.get(pk=illustration.pk)), layers, parts[0].id, rest.box)
        self.assertEqual(int((rubbish & rest.all_added & front).sum()), 0, "behind the parts is ground")
        self.assertLess(int(rubbish.sum()), 0.0015 * rubbish.size)
        self.to_page("Findings")
        self.page.get_by_role("button", name="Compare").click()
        expect(self.page.get_by_test_id("difference")).to_have_text("0 of 1,048,576 pixels differ.")

    def places_of(self, width: int, height: int) -> Callable[[float, float], tuple[float, float]]:
        """Where pixels of a picture are on the screen, while the whole of it is shown."""
        frame = self.page.get_by_test_id("pile").bounding_box() or {}
        zoom = min(frame["width"] * 0.96 / width, frame["height"] * 0.94 / height)
        left = frame["x"] + (frame["width"] - width * zoom) / 2
        top = frame["y"] + (frame["height"] - height * zoom) / 2
        return lambda x, y: (left + (x + 0.5) * zoom, top + (y + 0.5) * zoom)

    def test_an_outline_that_is_drawn_and_what_cannot_be_taken(self) -> None:
        self.toy("drawn")
        self.page.get_by_role("radio", name="Draw round").click()
        self.drag((10, 5), (70, 5), (70, 65), (10, 65), (10, 5))
        expect(self.page.get_by_text("px selected")).to_be_visible()
        self.page.get_by_role("radio", name="Same colour").click()
        self.page.keyboard.down("Alt")
        self.click_pixel(14, 8)
        self.page.keyboard.up("Alt")
        expect(self.page.get_by_text("1,800 px selected")).to_be_visible()
        self.page.get_by_role("button", name="Remove last mark").click()
        expect(self.page.get_by_text("1,800 px selected")).to_have_count(0)
        self.page.get_by_role("button", name="Clear selection").click()
        self.page.get_by_role("radio", name="Point to point").click()
        for x, y in ((0, 0), (96, 0), (96, 72), (0, 72)):
            self.click_pixel(x, y)
        self.page.keyboard.press("Enter")
        expect(self.page.get_by_text("px selected")).to_be_visible()
        self.page.get_by_label("Grow").fill("4")
        expect(self.page.get_by_text("100 % of 'drawn'")).to_be_visible()
        self.page.get_by_role("button", name="Take out", exact=True).click()
        expect(self.page.get_by_role("alert")).to_contain_text("This is all of the part")
        self.to_step("Put in order")
        expect(self.row("drawn")).to_be_visible()
        self.assertEqual(self.names(), ["drawn"])

    def test_marks_and_shapes_choose_and_the_part_is_completed_and_touched_up(self) -> None:
        self.toy("marked")
        self.page.get_by_role("radio", name="Scribble").click()
        self.page.get_by_role("slider", name="Size, px").press("Home")
        self.drag((24, 20), (54, 20), (54, 55))
        expect(self.page.get_by_role("alert")).to_contain_text("There is no mark outside of what you mean")
        self.page.keyboard.down("Alt")
        self.drag((10, 5), (80, 5), (80, 65))
        self.drag((40, 33), (40, 39))
        self.page.keyboard.up("Alt")
        expect(self.page.get_by_text("px selected, 2")).to_be_visible()
        self.page.get_by_role("radio", name="Ellipse").click()
        self.page.keyboard.down("Shift")
        self.drag((33, 29), (47, 43))
        self.page.keyboard.up("Shift")
        expect(self.page.get_by_text("1,800 px selected, 25 % of 'marked'.")).to_be_visible()
        self.take_out("coat")
        self.page.get_by_label("Take from").select_option(label="coat")
        self.page.get_by_role("radio", name="Rectangle").click()
        self.drag((0, 0), (96, 25))
        self.page.get_by_label("Fill behind").select_option("empty")
        self.take_out("collar")
        self.page.get_by_label("Take from").select_option(label="coat")
        self.to_page("Underlap")
        self.page.get_by_role("radio", name="Round off an end").click()
        self.click_pixel(39, 27)
        expect(self.page.get_by_label("Radius")).not_to_have_value("")
        self.page.get_by_role("button", name="Round off").click()
        expect(self.page.get_by_text("Last step: Round off 'coat'")).to_be_visible()
        self.page.get_by_label("Highlight on picture").check()
        expect(self.page.get_by_text("px that were added, not drawn.")).to_be_visible()
        self.assert_accessible("what lies beneath")
        self.page.get_by_role("button", name="Remove added pixels").click()
        expect(self.page.get_by_text("'coat' has no added pixels.")).to_be_visible()
        self.page.get_by_role("radio", name="Paint under").click()
        self.drag((30, 22), (50, 22))
        self.page.get_by_role("button", name="Fill, 1 stroke").click()
        expect(self.page.get_by_text("Last step: Fill 'coat' under its neighbours")).to_be_visible()
        self.to_page("Edge and colour")
        self.drag((70, 50), (72, 50))
        self.page.get_by_role("button", name="Apply, 1 stroke").click()
        expect(self.page.get_by_text("Last step: Touch up edge of 'coat'")).to_be_visible()
        self.assert_nothing_differs()
        self.page.get_by_label("Show", exact=True).select_option(label="This part alone")
        self.page.wait_for_timeout(300)
        self.assertEqual(self.canvas_pixel(71, 50)[:3], list(CREAM), "the part has what was painted over")
        self.to_page("Edge and colour")
        self.page.get_by_label("Keep shading").uncheck()
        self.page.get_by_role("textbox", name="Colour", exact=True).fill("#2f6f8f")
        self.assert_accessible("edge and colour")
        self.page.get_by_role("button", name="Fill", exact=True).click()
        expect(self.page.get_by_text("Last step: Fill 'coat'")).to_be_visible()
        self.wait_for_pile()
        self.page.wait_for_timeout(300)
        self.assertEqual(self.canvas_pixel(25, 40)[:3], [0x2F, 0x6F, 0x8F])

    def test_equal_findings_are_one_line_with_a_fix_for_all(self) -> None:
        layers = []
        with SpillFile() as scratch:
            for number in range(5):
                picture = np.zeros((30, 30, 4), np.uint8)
                picture[2:20, 2:20] = (40 * number, 90, 120, 255)
                picture[28, 28] = (200, 40, 40, 255)
                scratch.put(f"l{number}", picture)
                layers.append(Layer(f"l{number}", f"block {number}", Box(12 * number, 4, 12 * number + 30, 34)))
            file = self.files / "blocks.ora"
            openraster.write(file, Picture("blocks", Size(97, 73), tuple(layers)), scratch)
        self.open_picture(file)
        page = self.page
        page.get_by_role("button", name=re.compile("^(Findings|[0-9]+ findings?)$")).click()
        page.get_by_role("button", name="Check all parts").click()
        line = page.get_by_role("button", name="5 places with crumbs")
        expect(line).to_have_attribute("aria-expanded", "false")
        line.click()
        expect(page.locator("[data-severity]").filter(has_text="1 crumb")).to_have_count(3)
        page.get_by_role("button", name="Show all 5").click()
        expect(page.locator("[data-severity]").filter(has_text="1 crumb")).to_have_count(5)
        page.get_by_role("button", name="Sweep all", exact=True).click()
        expect(page.get_by_text("Last step: Sweep crumbs out of 'block")).to_be_visible()
        expect(page.locator("[data-severity]").filter(has_text="crumb")).to_have_count(0)
        expect(page.get_by_role("alert").filter(has_text="crumb")).to_have_count(0)

    def test_all_separate_pieces_at_once(self) -> None:
        self.toy("beads", "RGBA")
        self.to_page("Findings")
        self.page.get_by_role("button", name="Check all parts").click()
        self.page.get_by_role("button", name="'beads': 1 crumb, 2 px.").click()
        self.assert_accessible("notes in the margin")
        self.page.get_by_role("button", name="Sweep", exact=True).click()
        expect(self.page.get_by_role("button", name="'beads': 1 crumb")).to_have_count(0)
        self.to_page("Take out")
        self.page.get_by_text("Split into islands").click()
        self.page.get_by_role("button", name="Preview islands").click()
        expect(self.page.get_by_text("3 islands.")).to_be_visible()
        self.page.get_by_label("Gap tolerance").fill("7")
        expect(self.page.get_by_text("1 island.")).to_be_visible()
        self.page.get_by_label("Gap tolerance").fill("2")
        expect(self.page.get_by_role("button", name="Make 3 parts")).to_be_enabled()
        self.click_pixel(16, 35)
        expect(self.page.get_by_role("button", name="Make 2 parts")).to_be_visible()
        self.click_pixel(16, 35)
        self.page.keyboard.down("Shift")
        self.click_pixel(16, 35)
        self.click_pixel(46, 35)
        expect(self.page.get_by_role("button", name="Make 2 parts")).to_be_visible()
        self.click_pixel(46, 35)
        self.page.keyboard.up("Shift")
        self.page.get_by_role("button", name="Make 3 parts").click()
        expect(self.page.get_by_text("Take 3 parts out of 'beads'")).to_be_visible()
        self.to_page("Findings")
        self.page.get_by_role("button", name="3 parts are the same drawing").click()
        self.page.get_by_role("button", name="Share one image").click()
        expect(self.page.get_by_role("button", name="3 parts are the same drawing")).to_have_count(0)
        self.page.get_by_role("button", name="Undo").click()
        self.to_page("Take out")
        self.page.get_by_label("Take from").select_option(label="beads 1")
        self.page.get_by_text("Edge and fill").click()
        self.page.get_by_label("Grow", exact=True).fill("0")
        self.page.get_by_label("Fill behind").select_option("empty")
        self.page.get_by_role("radio", name="Point to point").click()
        for x, y in ((2, 15), (16, 15), (16, 55), (2, 55)):
            self.click_pixel(x, y)
        self.page.keyboard.press("Enter")
        self.take_out("half")
        self.to_page("Underlap")
        self.page.get_by_label("Grow by").fill("3")
        self.page.get_by_role("button", name="Grow under").click()
        expect(self.page.get_by_text("Grow 'beads 1' under its neighbours by 3 px")).to_be_visible()
        self.page.get_by_role("button", name="Undo").click()
        self.page.get_by_role("button", name="Undo").click()
        self.to_page("Edge and colour")
        self.page.get_by_role("button", name="Add backdrop").click()
        self.to_step("Put in order")
        expect(self.row("beads 3")).to_be_visible()
        expect(self.row("half")).to_have_count(0)
        expect(self.row("backdrop")).to_be_visible()
        self.assertEqual(self.names(), ["beads 3", "beads 2", "beads 1", "backdrop"])
        self.row("beads 1").click()
        self.page.keyboard.press("m")
        expect(self.row("beads 1 2")).to_be_visible()
        self.page.keyboard.press("d")
        expect(self.row("beads 1 2 2")).to_be_visible()
        self.page.keyboard.press("r")
        expect(self.row("beads 1 2 2")).to_have_count(0)
        self.reload()
        self.assertEqual(self.names(), ["beads 3", "beads 2", "beads 1 2", "beads 1", "backdrop"])


def deepest(mask: np.ndarray) -> tuple[float, int, int]:
    """How deep the deepest pixel of a mask lies in it, and where (x, y)."""
    depth = distance_to(~np.pad(mask, 1))[1:-1, 1:-1]
    y, x = np.unravel_index(int(depth.argmax()), mask.shape)
    return float(depth[y, x]), int(x), int(y)


def _is_of_a_click(answer: Response) -> bool:
    """Whether it says what a click selects, not what one would select where the pointer is."""
    if not answer.url.endswith("/selection") or not answer.ok:
        return False
    asked = answer.request.post_data_json
    return bool(asked and asked["edge"]["grow"])


def mask_of(said: dict[str, Any], shape: tuple[int, ...]) -> np.ndarray:
    """What is selected, on the whole picture."""
    x, y, width, height = said["box"]
    whole = np.zeros(shape, bool)
    with Image.open(io.BytesIO(base64.b64decode(said["mask"]))) as image:
        whole[y : y + height, x : x + width] = np.array(image.convert("RGBA"))[..., 3] >= 128
    return whole
