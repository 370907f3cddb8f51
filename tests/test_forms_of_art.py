"""Every form of art in one drop: loose images, frames, sheets, packages, whole projects; and who made them."""

import io
import json
import re
import zipfile
import zlib
from pathlib import Path
from typing import Any

from PIL import Image
from playwright.sync_api import expect

from tests.product import ProductTestCase


def figure(colour: tuple[int, int, int], size: tuple[int, int] = (40, 30), at: int = 4) -> Image.Image:
    """A block of one colour on a transparent ground."""
    image = Image.new("RGBA", size)
    image.paste((*colour, 255), (at, 5, at + 12, 25))
    return image


class FormsOfArtTests(ProductTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.sign_in()

    def save(self, image: Image.Image, name: str, **options: Any) -> Path:
        image.save(self.files / name, **options)
        return self.files / name

    def choose(self, *files: Path) -> None:
        self.page.get_by_test_id("picture-file").set_input_files(list(files))

    def open(self, name: str) -> None:
        self.page.get_by_role("link", name=name).click()
        self.wait_for_pile()

    def test_loose_images_are_parts_placed_by_a_reference(self) -> None:
        hat, coat = figure((200, 30, 30), (20, 30), 2), figure((30, 120, 60), (26, 30), 6)
        whole = Image.new("RGBA", (90, 60), (240, 230, 210, 255))
        whole.alpha_composite(coat, (40, 22))
        whole.alpha_composite(hat, (10, 12))
        files = [
            self.save(coat.crop(coat.getbbox() or (0, 0, 1, 1)), "badger 1 coat.png"),
            self.save(hat.crop(hat.getbbox() or (0, 0, 1, 1)), "badger 2 hat.png"),
            self.save(whole, "reference.png"),
        ]
        self.choose(*files)
        self.page.get_by_label("Illustration name").fill("badger")
        self.page.get_by_role("button", name="Parts of one picture").click()
        self.open("badger")
        self.assertEqual(self.names(), ["reference", "badger 2 hat", "badger 1 coat"])
        expect(self.row("badger 2 hat")).to_contain_text("12, 17")
        expect(self.row("badger 1 coat")).to_contain_text("46, 27")
        self.to_step("Bring in")
        report = self.page.get_by_role("region", name="Bring in")
        expect(report).to_contain_text("100% of its pixels agree with the reference")
        # A line of the report leads to its layer, which can be nudged and put back.
        report.get_by_role("button", name="badger 1 coat").click()
        self.to_step("Put in order")
        x = self.page.get_by_label("x of badger 1 coat")
        x.focus()
        self.page.keyboard.press("ArrowUp")
        expect(self.row("badger 1 coat")).to_contain_text("47, 27")
        self.page.keyboard.press("Shift+ArrowDown")
        expect(self.row("badger 1 coat")).to_contain_text("37, 27")
        self.reload()
        expect(self.row("badger 1 coat")).to_contain_text("37, 27")
        self.page.get_by_role("button", name="Undo").click()
        expect(self.row("badger 1 coat")).to_contain_text("47, 27")

    def test_an_animated_file_is_one_part_whose_frames_can_be_looked_at_and_read_as_parts(self) -> None:
        frames = [
            figure(colour, at=4 + 8 * n) for n, colour in enumerate(((200, 30, 30), (30, 120, 60), (40, 60, 190)))
        ]
        file = self.save(frames[0], "lamp.png", save_all=True, append_images=frames[1:], duration=[80, 90, 100])
        self.choose(file)
        self.open("lamp")
        expect(self.row("lamp")).to_contain_text("3 frames")
        before = self.screen_pixels()
        self.page.get_by_role("slider", name="Frame").focus()
        self.page.keyboard.press("ArrowRight")
        self.page.wait_for_timeout(200)
        self.assertGreater(self.differing(before, self.screen_pixels()), 1000)
        self.page.keyboard.press("ArrowLeft")
        self.row("lamp").click()
        self.make("Split frames into parts")
        expect(self.row("lamp 3")).to_be_visible()
        self.assertEqual(self.names(), ["lamp", "lamp 3", "lamp 2", "lamp 1"])
        self.row("lamp").click()
        self.make("Combine as frames")
        expect(self.row("lamp 3")).to_have_count(0)
        self.to_step("Hand over")
        expect(self.page.get_by_role("region", name="Hand over")).to_contain_text("3 images and 4 extra files")
        # Its pictures are seen as they will be written, one after the other for their times.
        self.page.get_by_role("button", name="Show '1.png' at full size").click()
        viewer = self.page.get_by_role("dialog", name="Preview of the file")
        viewer.get_by_role("button", name="Play").click()
        for number in (2, 3, 1, 2):
            viewer.get_by_role("img", name=f"parts/lamp/{number}.png").wait_for()
        viewer.get_by_role("button", name="Pause").click()
        expect(viewer.get_by_role("img", name="parts/lamp/1.png")).to_be_visible()
        self.page.keyboard.press("Escape")
        self.page.get_by_role("button", name="Hand over 1 part").click()
        expect(self.page.get_by_test_id("proof")).to_contain_text("0 of 1,200")

    def test_a_sheet_is_cut_after_its_cuts_were_seen(self) -> None:
        sheet = Image.new("RGBA", (240, 30))
        for n in range(6):
            sheet.alpha_composite(figure((30 * n, 90, 60)), (40 * n, 0))
        self.choose(self.save(sheet, "walk.png"))
        self.open("walk")
        self.to_step("Bring in")
        panel = self.page.get_by_role("region", name="Bring in")
        expect(panel).to_contain_text("6 cells of 40 × 30 px found. Cut into frames?")
        panel.get_by_role("button", name="Cut into frames").click()
        expect(panel).to_contain_text("6 frames: no frame is cut off or empty.")
        panel.get_by_label("Columns").fill("8")
        expect(panel).to_contain_text("is cut through at its")
        panel.get_by_label("Columns").fill("6")
        panel.get_by_label("Cell width").fill("41")
        expect(panel).to_contain_text("need a sheet of 246 x 30 px")
        panel.get_by_label("Cell width").fill("40")
        expect(panel).to_contain_text("no frame is cut off or empty")
        self.assert_accessible("cutting a sheet")
        panel.get_by_role("button", name="Cut into 6 frames").click()
        expect(self.page.get_by_text("1 part becomes 6 frames: 'walk'.")).to_be_visible()
        self.page.get_by_role("button", name="Accept revision 2").click()
        self.to_step("Put in order")
        expect(self.row("walk")).to_contain_text("6 frames")
        self.assertEqual(self.names(), ["walk"], "no empty part is left of the sheet")
        expect(self.page.get_by_role("navigation", name="Steps")).to_contain_text("40 × 30 px")

    def test_who_made_it_is_in_the_package_and_the_package_comes_in_again(self) -> None:
        self.bring_in()
        self.to_step("Bring in")
        self.page.get_by_role("radiogroup", name="Pages").get_by_text("Credit", exact=True).click()
        self.page.get_by_label("Author").fill("Ines Marsh")
        self.page.get_by_role("combobox", name="Licence").fill("CC-BY-4")
        self.page.get_by_role("option", name="CC-BY-4.0").click()
        self.page.get_by_role("button", name="Save credit").click()
        expect(self.page.get_by_label("Attribution")).to_have_value("yes")
        self.assert_accessible("credit")
        self.to_step("Hand over")
        self.page.get_by_role("button", name="Hand over 9 parts").click()
        with self.page.expect_download() as waiting:
            self.page.get_by_role("link", name="Download ZIP").click()
        package = self.files / "post package.zip"
        package.write_bytes(waiting.value.path().read_bytes())
        with zipfile.ZipFile(package) as archive:
            self.assertIn("Author: Ines Marsh", archive.read("CREDITS.txt").decode())
            self.assertEqual(json.loads(archive.read("manifest.json"))["credit"]["licence"], "CC-BY-4.0")
        self.page.goto("/")
        self.choose(package)
        expect(self.page.get_by_text("It is a package of 'signal post', which is already here.")).to_be_visible()
        expect(self.page.get_by_role("link", name="signal post")).to_have_count(1)
        self.open("signal post")
        expect(self.page.get_by_role("navigation", name="Steps")).to_contain_text("Review revision 2")

    def test_a_project_moves_house(self) -> None:
        self.bring_in()
        self.row("arm").dblclick()
        self.page.keyboard.type("blade")
        self.page.keyboard.press("Enter")
        self.page.keyboard.press("Escape")
        expect(self.page.get_by_text("Last step: Rename 'arm'")).to_be_visible()
        self.page.goto("/")
        self.page.get_by_role("button", name=re.compile("^More for project")).click()
        self.page.get_by_role("menuitem", name="Pack project").click()
        self.page.get_by_role("button", name="Pack into one file").click()
        with self.page.expect_download() as waiting:
            self.page.get_by_role("link", name="download").click()
        self.assert_accessible("taking a project elsewhere")
        packed = self.files / "Marsh Line.zip"
        packed.write_bytes(waiting.value.path().read_bytes())
        self.page.keyboard.press("Escape")
        self.page.get_by_test_id("project-file").set_input_files(packed)
        expect(self.page.get_by_role("link", name="signal post")).to_have_count(2)
        self.page.get_by_role("link", name="signal post").last.click()
        self.wait_for_pile()
        expect(self.row("blade")).to_be_visible()
        self.page.get_by_role("button", name="Undo").click()
        expect(self.row("arm")).to_be_visible()
        self.page.goto("/")
        packed.write_bytes(b"no archive")
        self.page.get_by_test_id("project-file").set_input_files(packed)
        expect(self.page.get_by_text("'Marsh Line.zip' is a damaged archive")).to_be_visible()

    def test_a_connection_that_is_lost_is_said_and_nothing_is_kept(self) -> None:
        file = self.save(figure((1, 2, 3)), "hat.png")
        address = "**/api/projects/*/illustrations"
        self.page.route(address, lambda route: route.abort() if route.request.method == "POST" else route.fallback())
        self.choose(file)
        expect(self.page.get_by_text("'hat.png' did not arrive: the connection was lost.")).to_be_visible()
        self.assertEqual(self.project.illustrations.count(), 0)
        self.page.unroute(address)
        self.complaints.clear()
        self.choose(file)
        self.open("hat")

    def test_what_is_too_large_is_said_before_it_is_sent(self) -> None:
        self.page.get_by_test_id("picture-file").evaluate(
            """input => {
                const file = new File(['x'], 'huge.ora');
                Object.defineProperty(file, 'size', { value: 3 * 1024 ** 3 });
                const data = new DataTransfer(); data.items.add(file);
                Object.defineProperty(input, 'files', { value: [file], configurable: true });
                input.dispatchEvent(new Event('change', { bubbles: true }));
            }"""
        )
        expect(self.page.get_by_text("'huge.ora' has 3221.2 MB; Yuplet takes up to 2 GiB.")).to_be_visible()

    def test_a_bomb_of_an_archive_is_refused_with_a_sentence(self) -> None:
        out = io.BytesIO()
        # Zeros packed once, and laid one after the other: packing all of them takes longer than the test.
        packer = zlib.compressobj(1, zlib.DEFLATED, -15)
        zeros = packer.compress(bytes(4 << 20)) + packer.flush(zlib.Z_FULL_FLUSH)
        with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
            archive.writestr("a.png", zeros * 1100)
            entry = archive.getinfo("a.png")
            entry.compress_type, entry.file_size = zipfile.ZIP_DEFLATED, 1100 * (4 << 20)
        (self.files / "bomb.zip").write_bytes(out.getvalue())
        self.choose(self.files / "bomb.zip")
        expect(
            self.page.get_by_role("alert").filter(has_text="unpacks to 4.3 GiB; Yuplet takes up to 4 GiB")
        ).to_be_visible()
