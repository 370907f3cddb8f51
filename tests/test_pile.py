"""The pile shows what the core computes; and Chromium's canvas as a second opinion on every blend mode."""

import base64
import io
from pathlib import Path

import numpy as np
from PIL import Image
from playwright.sync_api import expect

import signal_post
from tests.product import ROOT, ProductTestCase
from yuplet.geometry import Box
from yuplet.illustration.layers import laid
from yuplet.pixels.blending import MODES
from yuplet.pixels.compositing import Leaf, compose
from yuplet.pixels.scratch import Scratch
from yuplet.reading.choices import Choices
from yuplet.reading.files import read_illustration
from yuplet.writing import png

UNSTABLE = {"color-dodge", "color-burn", "soft-light", "hue", "saturation", "color", "luminosity"}
GREY = np.array([0x9A, 0x9A, 0x97])


class PileTests(ProductTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.sign_in()
        self.bring_in()

    def zoom(self) -> int:
        return int(self.page.get_by_test_id("zoom").inner_text().split()[0])

    def shown(self) -> np.ndarray:
        """What the pile shows of the canvas' 97 x 73 px while it stands at true pixels."""
        frame = self.page.get_by_test_id("pile").bounding_box() or {}
        width, height = round(frame["width"]), round(frame["height"])
        picture = np.frombuffer(self.screen_pixels(), np.uint8).reshape(height, width, 4)
        left, top = (width - 97 + 1) // 2, (height - 73 + 1) // 2
        return picture[top : top + 73, left : left + 97, :3].astype(int)

    def test_the_picture_is_the_one_that_the_core_computes(self) -> None:
        self.page.get_by_role("button", name="True pixels").click()
        self.page.wait_for_timeout(200)
        with Scratch() as scratch:
            exact = compose(laid(signal_post.signal_post(scratch).layers), signal_post.CANVAS, scratch).astype(float)
        alpha = exact[..., 3:] / 255
        wanted = exact[..., :3] * alpha + GREY * (1 - alpha)
        difference = np.abs(self.shown() - wanted)
        # The browser keeps 8 bits of colour times alpha after every layer; we round once at the end.
        self.assertLessEqual(difference.max(), 4)
        self.assertLess(difference.mean(), 0.6)

    def test_zooming_keeps_what_is_under_the_pointer(self) -> None:
        self.page.get_by_role("button", name="True pixels").click()
        expect(self.page.get_by_test_id("zoom")).to_have_text("100 %")
        x, y = self.place_of(44, 14)  # the corner of the mast
        self.page.mouse.move(x, y)
        self.page.wait_for_timeout(150)
        for _ in range(4):
            self.page.mouse.wheel(0, -240)
        expect(self.page.get_by_test_id("zoom")).to_have_text("1600 %")
        self.page.mouse.click(x, y)
        self.assertIn(self.chosen_name(), ("glow", "mast"))
        self.page.mouse.wheel(0, 960)
        expect(self.page.get_by_test_id("zoom")).to_have_text("100 %")

    def chosen_name(self) -> str | None:
        return self.page.locator('[data-row][aria-selected="true"]').get_attribute("data-row")

    def test_panning_and_the_whole_picture_again(self) -> None:
        before = self.screen_pixels()
        x, y = self.place_of(48, 36)
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + 120, y + 60, steps=4)
        self.page.mouse.up()
        self.page.wait_for_timeout(150)
        self.assertGreater(self.differing(before, self.screen_pixels()), 1000)
        self.page.keyboard.press("w")
        self.page.wait_for_timeout(150)
        self.assertEqual(self.differing(before, self.screen_pixels()), 0)

    def test_a_small_picture_is_shown_larger_by_a_whole_number_and_true_when_asked(self) -> None:
        self.assertGreater(self.zoom(), 100)
        self.assertEqual(self.zoom() % 100, 0)
        self.page.get_by_role("button", name="True pixels").click()
        self.assertEqual(self.zoom(), 100)
        self.page.get_by_role("button", name="Zoom in").click()
        self.assertEqual(self.zoom(), 150)
        self.page.get_by_role("button", name="Zoom out").click()
        self.assertEqual(self.zoom(), 100)

    def test_grounds(self) -> None:
        self.row("sky").click()
        self.page.keyboard.press("s")
        seen = set()
        for ground in ("grey", "light", "dark", "pattern"):
            self.page.get_by_label("Ground").select_option(ground)
            self.page.wait_for_timeout(120)
            seen.add(tuple(self.canvas_pixel(90, 5)))
        self.assertGreaterEqual(len(seen), 3)


class SecondOpinionTests(ProductTestCase):
    """Source: the compositing operators of the browser's 2D canvas, which the HTML standard takes from the W3C's."""

    has_worker = False

    def setUp(self) -> None:
        super().setUp()
        self.page.goto("/")

    def test_every_mode_agrees_with_the_canvas(self) -> None:
        rng = np.random.default_rng(9)
        under = rng.integers(0, 256, (16, 32, 4)).astype(np.uint8)
        over = rng.integers(0, 256, (16, 32, 4)).astype(np.uint8)
        # 8-bit colour times a small alpha says little of the colour: half of the pixels are opaque.
        for picture in (under, over):
            picture[..., 3] = np.where(rng.random((16, 32)) < 0.5, 255, np.maximum(picture[..., 3], 64))
        with Scratch() as scratch:
            scratch.put("under", under)
            scratch.put("over", over)
            box = Box(0, 0, 32, 16)
            for mode in MODES:
                ours = compose([Leaf("under", box), Leaf("over", box, 1.0, mode)], box.size, scratch)
                theirs = self.by_canvas(under, over, mode)
                with self.subTest(mode):
                    a, b = ours.astype(float), theirs.astype(float)
                    colour = np.abs(a[..., :3] * a[..., 3:] - b[..., :3] * b[..., 3:]) / 255
                    self.assertLessEqual(np.abs(a[..., 3] - b[..., 3]).max(), 1.01)
                    # Where the canvas keeps colour times alpha in 8 bits, formulas that divide say little.
                    sure = (under[..., 3] == 255) & (over[..., 3] == 255)
                    self.assertLessEqual(colour[sure].max(), 2)
                    if mode not in UNSTABLE:
                        self.assertLessEqual(colour.max(), 3)

    def test_vector_art_looks_as_chromium_draws_it(self) -> None:
        """Our drawings, a scene with all that SVG has, and files of open picture sets (core/tests/golden/world)."""
        world = sorted((ROOT / "core" / "tests" / "golden" / "world").glob("*/*.svg"))
        for file in (*sorted((ROOT / "demo").glob("*.svg")), self.scene(), *world):
            with Scratch() as scratch:
                found, _ = read_illustration(file, scratch, choices=Choices(600))
                ours = compose(laid(found.layers), found.canvas, scratch).astype(float)
            theirs = self.drawn(file, found.canvas).astype(float)
            weighted = np.abs(ours[..., :3] * ours[..., 3:] - theirs[..., :3] * theirs[..., 3:]).max(axis=2) / 255
            # Edges are smoothed differently; surfaces must agree.
            self.assertLess((weighted > 40).mean(), 0.01, file.name)
            self.assertLess(weighted.mean(), 2, file.name)

    def scene(self) -> Path:
        path = self.files / "scene.svg"
        path.write_text(
            """<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 300 200"><style>.a{fill:#357} g > .b{opacity:.6}</style><defs>
            <radialGradient id="r"><stop offset="0" stop-color="#fe9"/><stop offset="1" stop-color="#a30" stop-opacity=".2"/></radialGradient>
            <clipPath id="c"><path d="M40 20h160l-60 150z"/></clipPath>
            <pattern id="p" width="24" height="24" patternUnits="userSpaceOnUse"><rect width="12" height="24" fill="#263"/></pattern></defs>
            <rect class="a" width="300" height="200"/><g clip-path="url(#c)"><rect class="b" width="260" height="190" fill="url(#p)"/>
            <circle cx="120" cy="80" r="70" fill="url(#r)"/></g><g opacity=".5" transform="rotate(12 200 100)"><rect x="170" y="40"
            width="90" height="90" fill="#fff"/><rect x="200" y="80" width="80" height="70" stroke="#000" stroke-width="7"
            stroke-linejoin="round" fill="#c55"/></g><circle cx="230" cy="150" r="40" fill="#48c" style="mix-blend-mode:multiply"/></svg>"""
        )
        return path

    def drawn(self, file: Path, size: tuple[int, int]) -> np.ndarray:
        """A document as the browser draws it, over nothing."""
        address = "data:image/svg+xml;base64," + base64.b64encode(file.read_bytes()).decode()
        text = self.page.evaluate(
            """async ([address, width, height]) => {
                const image = new Image(); image.src = address; await image.decode();
                const canvas = document.createElement('canvas');
                canvas.width = width; canvas.height = height;
                canvas.getContext('2d').drawImage(image, 0, 0, width, height);
                return canvas.toDataURL('image/png');
            }""",
            [address, *size],
        )
        return np.array(Image.open(io.BytesIO(base64.b64decode(text.split(",")[1]))).convert("RGBA"))

    def by_canvas(self, under: np.ndarray, over: np.ndarray, mode: str) -> np.ndarray:
        operator = "source-over" if mode == "normal" else mode
        addresses = ["data:image/png;base64," + base64.b64encode(png.encode(p)).decode() for p in (under, over)]
        text = self.page.evaluate(
            """async ([under, over, operator]) => {
                const canvas = document.createElement('canvas');
                const images = await Promise.all([under, over].map(async address => {
                    const image = new Image(); image.src = address; await image.decode(); return image;
                }));
                canvas.width = images[0].width; canvas.height = images[0].height;
                const context = canvas.getContext('2d');
                context.drawImage(images[0], 0, 0);
                context.globalCompositeOperation = operator;
                context.drawImage(images[1], 0, 0);
                return canvas.toDataURL('image/png');
            }""",
            [*addresses, operator],
        )
        return np.array(Image.open(io.BytesIO(base64.b64decode(text.split(",")[1]))).convert("RGBA"))
