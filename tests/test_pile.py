"""The pile shows what the core computes; and Chromium's canvas as a second opinion on every blend mode."""

import base64
import io
from dataclasses import replace
from pathlib import Path

import build
import numpy as np
import tin_inspector
from django.test import override_settings
from PIL import Image
from playwright.sync_api import Route, expect

import signal_post
from tests.product import ROOT, ProductTestCase
from yuplet.geometry import Box, Size
from yuplet.illustration.layers import Illustration, Layer, LayerGroup, composite_tree
from yuplet.pixels.blending import MODES
from yuplet.pixels.compositing import PictureNode, compose
from yuplet.pixels.spill_file import SpillFile
from yuplet.reading.choices import Choices
from yuplet.reading.files import read_illustration
from yuplet.writing import openraster, png

UNSTABLE = {"color-dodge", "color-burn", "soft-light", "hue", "saturation", "color", "luminosity"}
GREY = np.array([0x9A, 0x9A, 0x97])

# Draws each layer of a document alone and answers its bounds, by the number that the reader of SVG counts it by.
BOUNDS_ALONE = """async ([text, width, height, wanted]) => {
    const kinds = ['g', 'svg', 'a', 'switch', 'path', 'rect', 'circle', 'ellipse', 'line', 'polyline', 'polygon', 'text', 'image', 'use'];
    const canvas = new OffscreenCanvas(width, height);
    const context = canvas.getContext('2d', { willReadFrequently: true });
    const found = {};
    for (const source of wanted) {
        const root = new DOMParser().parseFromString(text, 'image/svg+xml').documentElement;
        let count = 0;
        const visit = parent => {
            for (const element of parent.children) {
                if (!kinds.includes(element.localName)) continue;
                count += 1;
                if (`v${count}` === source) element.dataset.alone = 'yes';
                if (!wanted.includes(`v${count}`)) visit(element);
            }
        };
        visit(root);
        const alone = root.querySelector('[data-alone]');
        // What a copy is made of would be seen in the copy too.
        const ids = []; for (let at = alone; at; at = at.parentElement) if (at.id) ids.push('#' + at.id);
        const copies = [...root.querySelectorAll('use')].map(use => use.getAttribute('href') ?? use.getAttribute('xlink:href'));
        if (copies.some(id => ids.includes(id))) { found[source] = null; continue; }
        const own = document.createElementNS('http://www.w3.org/2000/svg', 'style');
        own.textContent = `* { visibility: hidden !important } [data-alone], [data-alone] *, defs *, mask *, pattern *, clipPath * {
            visibility: visible !important } * { opacity: 1 !important; mix-blend-mode: normal !important; display: revert }`;
        root.append(own);
        root.setAttribute('width', width); root.setAttribute('height', height);
        const image = new Image();
        image.src = 'data:image/svg+xml;charset=utf-8,' + encodeURIComponent(new XMLSerializer().serializeToString(root));
        await image.decode();
        context.clearRect(0, 0, width, height);
        context.drawImage(image, 0, 0, width, height);
        const { data } = context.getImageData(0, 0, width, height);
        let [left, top, right, bottom] = [width, height, 0, 0];
        for (let at = 3, y = 0; y < height; y++) for (let x = 0; x < width; x++, at += 4) if (data[at]) {
            left = Math.min(left, x); top = Math.min(top, y); right = Math.max(right, x + 1); bottom = Math.max(bottom, y + 1);
        }
        const soft = alone.closest('[filter]') !== null;
        found[source] = right ? [[left, top, right, bottom], soft] : null;
    }
    return found;
}"""


def hundred_parts(scratch: SpillFile) -> Illustration:
    """Plates on the canvas of the signal post: in groups that change nothing, with modes and opacities, and in one that is laid as a whole."""
    random = np.random.default_rng(20)

    def plate(number: int) -> Layer:
        left, top = random.integers(0, 60), random.integers(0, 45)
        box = Box.at(int(left), int(top), Size(*(int(side) for side in random.integers(6, 30, 2))))
        picture = np.empty((box.height, box.width, 4), np.uint8)
        picture[...] = (*random.integers(0, 256, 3), 255)
        picture[0] = picture[-1] = (*random.integers(0, 256, 3), 120)
        scratch.put(f"p{number}", picture)
        how = {"blend": "multiply"} if number % 17 == 5 else {"opacity": 0.6} if number % 11 == 3 else {}
        return Layer(f"p{number}", f"plate {number}", box, **how)  # type: ignore[arg-type]

    plates = [plate(number) for number in range(120)]
    groups = [
        LayerGroup(f"g{at}", f"group {at}", tuple(plates[at : at + 30]), **how)  # type: ignore[arg-type]
        for at, how in ((0, {}), (30, {}), (60, {"isolated": True, "opacity": 0.8}), (90, {}))
    ]
    return Illustration("many", signal_post.CANVAS, tuple(groups))


class PileTests(ProductTestCase):
    has_worker = False

    def setUp(self) -> None:
        super().setUp()
        self.open_picture()

    def zoom(self) -> int:
        return int(self.page.get_by_test_id("zoom").inner_text().split()[0])

    def shown(self, canvas: Size = signal_post.CANVAS) -> np.ndarray:
        """What the pile shows of a canvas, by default of the signal post's, while it stands at true pixels: its middle, where it is larger than the screen."""
        frame = self.page.get_by_test_id("pile").bounding_box() or {}
        width, height = round(frame["width"]), round(frame["height"])
        picture = np.frombuffer(self.screen_pixels(), np.uint8).reshape(height, width, 4)
        left, top = (width - canvas.width + 1) // 2, (height - canvas.height + 1) // 2
        inside = picture[max(top, 0) : top + canvas.height, max(left, 0) : left + canvas.width, :3]
        return inside.astype(int)

    def test_the_picture_is_the_one_that_the_core_computes(self) -> None:
        self.page.get_by_role("button", name="100 %").click()
        self.page.wait_for_timeout(200)
        self.assert_as_computed()

    def assert_as_computed(self) -> None:
        with SpillFile() as scratch:
            exact = compose(
                composite_tree(signal_post.signal_post(scratch).layers), signal_post.CANVAS, scratch
            ).astype(float)
        alpha = exact[..., 3:] / 255
        wanted = exact[..., :3] * alpha + GREY * (1 - alpha)
        difference = np.abs(self.shown() - wanted)
        # The browser keeps 8 bits of colour times alpha after every layer; we round once at the end.
        self.assertLessEqual(difference.max(), 4)
        self.assertLess(difference.mean(), 0.6)

    def test_the_demo_pictures_are_those_that_the_core_computes(self) -> None:
        """At 100 %, what is on the screen of each: layers with modes, groups, opacities, and shapes as pixels."""
        build.brindle(self.files / "brindle.ora")
        tin_inspector.write(self.files / "tin inspector.png")
        drawn = [ROOT / "demo" / f"{name}.svg" for name in ("lever-frame", "reed-marsh", "waybill-stamps")]
        for file in (self.files / "brindle.ora", self.files / "tin inspector.png", *drawn):
            with self.subTest(file=file.name), SpillFile() as scratch:
                read, _ = read_illustration(file, scratch)
                exact = compose(composite_tree(read.layers), read.canvas, scratch)
                self.open_picture(file)
                self.page.get_by_role("button", name="100 %").click()
                expect(self.page.get_by_test_id("pile")).to_have_attribute("data-halved", "0")
                self.page.wait_for_timeout(300)
                shown = self.shown(read.canvas)
                height, width = shown.shape[:2]
                top, left = (read.canvas.height - height) // 2, (read.canvas.width - width) // 2
                self.assert_near(exact[top : top + height, left : left + width], shown)

    def test_with_little_memory_only_what_is_looked_at_closely_has_every_pixel(self) -> None:
        with override_settings(PAGE_PICTURES=120_000):
            self.page.reload()
            pile = self.page.get_by_test_id("pile")
            # The whole picture fits the screen several times enlarged, so even there every pixel is wanted.
            expect(pile).to_have_attribute("data-drawn", "true")
            expect(pile).to_have_attribute("data-halved", "0")
            self.page.get_by_role("button", name="100 %").click()
            expect(pile).to_have_attribute("data-halved", "0")
            self.page.wait_for_timeout(400)
            self.assert_as_computed()
            # What is hidden and shown again, and a view that was moved, have every pixel too.
            self.row("mast").click()
            for _ in range(2):
                self.page.keyboard.press("s")
                self.page.wait_for_timeout(300)
            self.page.keyboard.press("Escape")
            self.page.wait_for_timeout(300)
            self.assert_as_computed()
        with override_settings(PAGE_PICTURES=80_000):
            self.page.reload()
            expect(pile).to_have_attribute("data-drawn", "true")
            self.page.get_by_role("button", name="100 %").click()
            expect(self.page.get_by_text("resolution. Zoom in")).to_be_visible()
            self.assertGreater(int(pile.get_attribute("data-halved") or 0), 0)

    def test_where_there_is_more_room_or_less_all_pictures_come_anew(self) -> None:
        pile = self.page.get_by_test_id("pile")
        # The whole fits when the sky, which is as large as the canvas, is not there.
        with override_settings(PAGE_PICTURES=160_000), SpillFile() as scratch:
            layers = signal_post.signal_post(scratch).layers
            self.page.reload()
            self.wait_for_pile()
            self.page.get_by_role("button", name="100 %").click()
            self.display("Outlines", "none")
            self.page.get_by_text("Exploded", exact=True).click()
            expect(pile).to_have_attribute("data-halved", "1")
            self.row("sky").click()
            self.page.keyboard.press("r")
            expect(self.row("sky")).to_have_count(0)
            expect(pile).to_have_attribute("data-halved", "0")
            self.page.get_by_text("Flat", exact=True).click()
            self.page.wait_for_timeout(400)
            self.assert_near(compose(composite_tree(layers[1:]), signal_post.CANVAS, scratch))
            self.page.get_by_role("button", name="Undo").click()
            expect(self.row("sky")).to_be_visible()
            self.page.wait_for_timeout(900)
            self.assert_as_computed()

    def test_pictures_that_were_lost_on_the_way_are_asked_for_again(self) -> None:
        lost: list[str] = []

        def lose(route: Route) -> None:
            if len(lost) < 2:
                lost.append(route.request.url)
                route.abort("connectionreset")
            else:
                route.fallback()

        self.page.route("**/pack?of=*", lose)
        self.page.reload()
        self.wait_for_pile()
        self.assertEqual(len(lost), 2)
        expect(self.page.get_by_text("Not loaded")).to_have_count(0)
        self.page.get_by_role("button", name="100 %").click()
        self.page.wait_for_timeout(300)
        self.assert_as_computed()

    def test_of_many_parts_what_changes_is_drawn_as_if_all_were(self) -> None:
        """They are drawn in runs: a part that is hidden, shown or moved, at its run's end or within, must leave the rest as it is."""
        file = self.files / "many.ora"
        with SpillFile() as scratch:
            many = hundred_parts(scratch)
            openraster.write(file, many, scratch)
            self.open_picture(file)
            self.page.get_by_role("button", name="100 %").click()
            self.page.wait_for_timeout(300)
            layers = list(many.layers)
            self.assert_near(compose(composite_tree(layers), many.canvas, scratch))
            group = layers[3]
            assert isinstance(group, LayerGroup)
            members = list(group.members)
            for at in (28, 25, 20, 16):
                self.row(members[at].name).click()
                self.page.keyboard.press("s")
                members[at] = replace(members[at], visible=False)
            self.row(members[22].name).click()
            self.page.keyboard.press("n")
            members[22:24] = members[23:21:-1]
            expect(self.page.get_by_text("Saving", exact=True)).to_have_count(0)
            layers[3] = replace(group, members=tuple(members))
            self.page.keyboard.press("Escape")
            self.page.wait_for_timeout(400)
            self.assert_near(compose(composite_tree(layers), many.canvas, scratch))

    def assert_near(self, exact: np.ndarray, shown: np.ndarray | None = None) -> None:
        shown = self.shown() if shown is None else shown
        alpha = exact[..., 3:].astype(float) / 255
        difference = np.abs(shown - (exact[..., :3] * alpha + GREY * (1 - alpha)))
        self.assertLessEqual(difference.max(), 6)
        self.assertLess(difference.mean(), 0.9)

    def test_zooming_keeps_what_is_under_the_pointer(self) -> None:
        self.page.get_by_role("button", name="100 %").click()
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
        # Turns that come faster than they are drawn are all counted.
        self.page.get_by_test_id("pile").evaluate(
            """canvas => {
                const { left, top } = canvas.getBoundingClientRect();
                const turn = { deltaY: -240, clientX: left + 99, clientY: top + 99, bubbles: true, cancelable: true };
                for (let turns = 0; turns < 3; turns += 1) canvas.dispatchEvent(new WheelEvent('wheel', turn));
            }"""
        )
        expect(self.page.get_by_test_id("zoom")).to_have_text("800 %")

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
        self.page.get_by_role("button", name="100 %").click()
        self.assertEqual(self.zoom(), 100)
        self.page.get_by_role("button", name="Zoom in").click()
        self.assertEqual(self.zoom(), 150)
        self.page.get_by_role("button", name="Zoom out").click()
        self.assertEqual(self.zoom(), 100)

    def test_grounds(self) -> None:
        self.row("sky").click()
        self.page.keyboard.press("s")
        seen = set()
        for ground in ("grey", "light", "dark", "pattern", "white", "black", "orange"):
            self.display("Background", ground)
            self.page.wait_for_timeout(120)
            seen.add(tuple(self.canvas_pixel(90, 5)))
        self.assertGreaterEqual(len(seen), 6)

    def test_vector_art_is_drawn_anew_when_it_is_enlarged(self) -> None:
        drawing = self.files / "disc.svg"
        drawing.write_text(
            """<svg xmlns="http://www.w3.org/2000/svg" width="97" height="73"><rect id="ground" width="97" height="73" fill="#fff"/>
            <circle id="disc" cx="48.5" cy="36.5" r="20"/></svg>"""
        )
        self.open_picture(drawing)
        zoom = self.zoom() // 100
        self.assertGreaterEqual(zoom, 4)
        self.page.locator("[data-sharp=true]").wait_for()
        self.display("Outlines", "none")

        def far_off() -> int:
            """How many pixels of the screen are on the wrong side of the circle's edge by more than two of them."""
            frame = self.page.get_by_test_id("pile").bounding_box() or {}
            size = self.page.get_by_test_id("pile").evaluate("canvas => [canvas.height, canvas.width]")
            shown = np.frombuffer(self.screen_pixels(), np.uint8).reshape(*size, 4)[..., 0]
            left, top = (at - frame[side] for at, side in zip(self.place_of(48, 36), "xy", strict=True))
            y, x = np.mgrid[: size[0], : size[1]] + 0.5
            away = np.hypot(x - left, y - top)
            return int(
                (shown[away < 20 * zoom - 2] > 9).sum()
                + (shown[(away > 20 * zoom + 2) & (away < 30 * zoom)] < 240).sum()
            )

        self.assertEqual(far_off(), 0)
        self.display("Vectors when zoomed in", "pixels")
        self.page.locator("[data-sharp=false]").wait_for()
        self.assertGreater(far_off(), 20)


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
        with SpillFile() as scratch:
            scratch.put("under", under)
            scratch.put("over", over)
            box = Box(0, 0, 32, 16)
            for mode in MODES:
                ours = compose([PictureNode("under", box), PictureNode("over", box, 1.0, mode)], box.size, scratch)
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
            with SpillFile() as scratch:
                found, _ = read_illustration(file, scratch, choices=Choices(600))
                ours = compose(composite_tree(found.layers), found.canvas, scratch).astype(float)
            theirs = self.drawn(file, found.canvas).astype(float)
            weighted = np.abs(ours[..., :3] * ours[..., 3:] - theirs[..., :3] * theirs[..., 3:]).max(axis=2) / 255
            # Edges are smoothed differently; surfaces must agree.
            self.assertLess((weighted > 40).mean(), 0.01, file.name)
            self.assertLess(weighted.mean(), 2, file.name)

    def test_each_shape_lies_where_chromium_draws_it(self) -> None:
        """The bounds of every layer of vector art alone; the page hides everything else."""
        world = sorted((ROOT / "core" / "tests" / "golden" / "world").glob("*/*.svg"))
        away: list[int] = []
        for file in (*sorted((ROOT / "demo").glob("*.svg")), self.scene(), *world):
            with SpillFile() as scratch:
                found, _ = read_illustration(file, scratch, choices=Choices(300))
            layers = {layer.source: layer.box for layer in found.leaves() if layer.source}
            theirs = self.page.evaluate(BOUNDS_ALONE, [file.read_text(), *found.canvas, list(layers)])
            for source, box in layers.items():
                other = theirs[source]
                if box is None or other is None:
                    continue  # what one of them takes for nothing is a hair, and seen in the pictures
                bounds, is_soft = other
                far = max(abs(ours - its) for ours, its in zip(box, bounds, strict=True))
                # Where a blur or the tip of a needle ends is a matter of rounding.
                self.assertLessEqual(far, 8 if is_soft else 4, (file.name, source, tuple(box), bounds))
                if not is_soft:
                    away.append(far)
        self.assertGreater(len(away), 300)
        self.assertGreater(np.mean(np.array(away) <= 1), 0.98)

    def test_colours_of_profiles_are_those_that_chromium_shows(self) -> None:
        """Profiles of Pillow's tests; Chromium's colour engine shares nothing with the one that the core uses."""
        rng = np.random.default_rng(1)
        colours = rng.integers(0, 256, (16, 16, 3), dtype=np.uint8)
        greys = np.arange(256, dtype=np.uint8).reshape(16, 16)
        profiles = sorted((ROOT / "core" / "tests" / "golden" / "world" / "icc").glob("*.icc"))
        self.assertEqual(len(profiles), 3)
        for profile in profiles:
            path = self.files / f"{profile.stem}.png"
            Image.fromarray(greys if "Grey" in profile.stem else colours).save(path, icc_profile=profile.read_bytes())
            with SpillFile() as scratch:
                found, _ = read_illustration(path, scratch)
                ours = scratch.whole("l1").astype(int)
            theirs = self.drawn(path, found.canvas, "image/png").astype(int)
            away = np.abs(ours - theirs)
            # A table of colours is interpolated in one way by one engine and in another by the other.
            is_table = len(profile.read_bytes()) > 10_000
            self.assertLessEqual(away.max(), 12 if is_table else 1, profile.stem)
            self.assertLess(away.mean(), 1.5, profile.stem)

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

    def drawn(self, file: Path, size: tuple[int, int], kind: str = "image/svg+xml") -> np.ndarray:
        """A picture as the browser draws it, over nothing."""
        address = f"data:{kind};base64," + base64.b64encode(file.read_bytes()).decode()
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
