"""What we hand over in the hands of others: the validator of glTF, three.js, a browser and a checker of HTML; none of them is ours.

Sources: the Khronos Group's glTF validator, three.js and html-validate, from the npm registry; Chromium.
"""

import json
import subprocess
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image
from playwright.sync_api import Browser, Page, Route

import signal_post
from tests.browser import FLAGS, chromium
from yuplet.arrangement.commands import SetJoints, apply
from yuplet.arrangement.tree import Arrangement, Part, arrangement_of
from yuplet.geometry import Point
from yuplet.handover import hand_over
from yuplet.pixels.spill_file import SpillFile
from yuplet.plan.recipe import from_json
from yuplet.writing.pictures import Sources

WEB = Path(__file__).resolve().parent.parent / "web"
HOME = "http://localhost:9"
VALIDATE = """
const validator = require('gltf-validator');
validator.validateBytes(new Uint8Array(require('fs').readFileSync(process.argv[1])))
  .then((report) => process.stdout.write(JSON.stringify(report.issues)));
"""
VIEW = """<!doctype html><title>model</title>
<script type="importmap">{"imports": {"three": "/modules/three/build/three.module.js"}}</script>
<script type="module">
import * as three from 'three';
import { GLTFLoader } from '/modules/three/examples/jsm/loaders/GLTFLoader.js';
const [width, height, unit] = [97, 73, 50];
const renderer = new three.WebGLRenderer({ preserveDrawingBuffer: true });
renderer.setSize(width, height, false);
renderer.setClearColor(0xffffff, 1);
const camera = new three.OrthographicCamera(0, width / unit, height / unit, 0, -100, 100);
const { scene } = await new GLTFLoader().loadAsync('/model.glb');
renderer.render(scene, camera);
const gl = renderer.getContext();
const pixels = new Uint8Array(width * height * 4);
gl.readPixels(0, 0, width, height, gl.RGBA, gl.UNSIGNED_BYTE, pixels);
window.seen = { pixels: [...pixels], names: [] };
scene.traverse((node) => window.seen.names.push(node.userData.name ?? node.name));
</script>"""


def plain(arrangement: Arrangement) -> Arrangement:
    """Without anything that mixes otherwise than by being laid over."""
    return arrangement.changed(
        lambda row: replace(row, blend="normal", opacity=row.opacity if isinstance(row, Part) else 1.0)
    )


class ReceiverTests(unittest.TestCase):
    browser: Browser

    @classmethod
    def setUpClass(cls) -> None:
        # Pictures in space are drawn without a graphics card.
        flags = [flag for flag in FLAGS if flag != "--disable-gpu"]
        cls.browser = cls.enterClassContext(
            chromium([*flags, "--use-angle=swiftshader", "--enable-unsafe-swiftshader"])
        )
        cls.folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        cls.mixed = cls.handed_over("mixed", lambda one: one)
        cls.plain = cls.handed_over("plain", plain)

    @classmethod
    def handed_over(cls, name: str, change: Any) -> Path:
        target = cls.folder / name
        with SpillFile() as scratch:
            art = signal_post.signal_post(scratch)
            start, _ = arrangement_of(art)
            joints = SetJoints({"lamp": "mast", "arm": "mast"}, {"mast": Point(47, 70), "arm": Point(45, 20)})
            beside = {"page": True, "layers": True, "model": {"pixels_per_unit": 50}}
            recipe = from_json({"format": "yuplet-recipe", "version": 1, "name": "all", "beside": beside})
            arrangement = change(apply(start, joints))
            hand_over(art, arrangement, Sources(scratch), target, "", lambda *_: None, recipe=recipe)
        return target

    def page_of(self, package: Path, view: str = "") -> Page:
        """A page that finds the files of a package, and modules, at an address of its own."""
        context = self.browser.new_context(viewport={"width": 97, "height": 73})
        self.addCleanup(context.close)

        def answer(route: Route) -> None:
            path = route.request.url.removeprefix(f"{HOME}/").split("?")[0]
            if path == "view":
                route.fulfill(body=view, content_type="text/html")
            else:
                modules = path.startswith("modules/")
                file = (
                    WEB / "node_modules" / path.removeprefix("modules/")
                    if modules
                    else package / path.replace("%20", " ")
                )
                route.fulfill(path=file) if file.is_file() else route.abort()

        context.route("**/*", answer)
        return context.new_page()

    def reference(self, package: Path) -> np.ndarray:
        """The reference picture on white."""
        with Image.open(package / "reference.png") as image:
            ground = Image.new("RGBA", image.size, "white")
            return np.array(Image.alpha_composite(ground, image.convert("RGBA")))[..., :3].astype(int)

    def test_the_validator_finds_nothing_in_the_model(self) -> None:
        for package in (self.mixed, self.plain):
            run = subprocess.run(
                ["node", "-e", VALIDATE, str(package / "model.glb")],
                cwd=WEB,
                check=True,
                capture_output=True,
                text=True,
            )
            issues = json.loads(run.stdout)
            # It mentions sides that are no powers of two, which is a matter of the recipe.
            found = [message for message in issues["messages"] if message["severity"] < 2]
            self.assertEqual((issues["numErrors"], issues["numWarnings"], found), (0, 0, []))

    def test_three_shows_the_picture_and_knows_the_names(self) -> None:
        page = self.page_of(self.plain, VIEW)
        page.goto(f"{HOME}/view")
        page.wait_for_function("window.seen", timeout=30_000)
        seen = page.evaluate("window.seen")
        picture = np.array(seen["pixels"]).reshape(73, 97, 4)[::-1, :, :3]
        difference = np.abs(picture - self.reference(self.plain))
        # It rounds to 8 bits after every part.
        self.assertLessEqual(difference.max(), 4)
        self.assertLess(difference.mean(), 0.5)
        self.assertLessEqual({"signal post", "sky", "mast", "arm lowered"}, set(seen["names"]))

    def test_a_browser_shows_the_page_as_it_must_look(self) -> None:
        page = self.page_of(self.mixed)
        page.goto(f"{HOME}/index.html")
        page.wait_for_load_state("networkidle")
        shot = self.folder / "page.png"
        page.screenshot(path=shot)
        with Image.open(shot) as image:
            difference = np.abs(np.array(image.convert("RGB")).astype(int) - self.reference(self.mixed))
        self.assertLessEqual(difference.max(), 6)
        self.assertLess(difference.mean(), 0.6)
        # At twice the size every part is twice as large, in its place.
        page.set_viewport_size({"width": 194, "height": 146})
        page.add_style_tag(content=".picture { max-width: none !important; }")
        box = page.locator("[alt=mast]").bounding_box()
        part = next(
            one for one in json.loads((self.mixed / "manifest.json").read_text())["parts"] if one["name"] == "mast"
        )
        assert box is not None
        for side, (name, value) in {"x": ("x", box["x"]), "width": ("width", box["width"])}.items():
            self.assertAlmostEqual(value, 2 * part["box"][name], delta=0.1, msg=side)

    def test_the_page_is_valid(self) -> None:
        settings = self.folder / "html-validate.json"
        settings.write_text(json.dumps({"root": True, "extends": ["html-validate:standard"]}))
        command = ["npx", "--no-install", "html-validate", "--config", str(settings), str(self.mixed / "index.html")]
        run = subprocess.run(command, cwd=WEB, check=False, capture_output=True, text=True)
        self.assertEqual(run.returncode, 0, run.stdout + run.stderr)
