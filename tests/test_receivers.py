"""What we hand over in the hands of others: the validator of glTF, three.js, a browser and a checker of HTML; none of them is ours.

Sources: the Khronos Group's glTF validator, three.js and html-validate, from the npm registry; Chromium.
"""

import json
import runpy
import shutil
import subprocess
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import numpy as np
from PIL import Image
from playwright.sync_api import Page, Route

import signal_post
from tests.browser import in_space
from yuplet.arrangement.commands import SetDepths, SetJoints, apply
from yuplet.arrangement.tree import Arrangement, Part, arrangement_of
from yuplet.geometry import Point
from yuplet.handover import hand_over, hand_over_file
from yuplet.pixels.spill_file import SpillFile
from yuplet.plan.recipe import from_json
from yuplet.playable.written import kind_of, write_motion
from yuplet.rehearsal.film import Film
from yuplet.rehearsal.motion.document import Key, Motion, Stage, Track
from yuplet.rehearsal.motion.sampling import sample
from yuplet.rehearsal.motion.timing import directed
from yuplet.rehearsal.proof import prove
from yuplet.rehearsal.reading import Reading
from yuplet.rehearsal.trying import opened_scene
from yuplet.writing.pictures import Sources

WEB = Path(__file__).resolve().parent.parent / "web"
HOME = "http://localhost:9"
VALIDATE = """
const validator = require('gltf-validator');
validator.validateBytes(new Uint8Array(require('fs').readFileSync(process.argv[1])))
  .then((report) => process.stdout.write(JSON.stringify(report.issues)));
"""
FORMATS = WEB.parent / "docs" / "formats"
READER = FORMATS / "reader.ts"
TRANSPILE = """
const { transpileModule } = require('typescript');
const text = require('fs').readFileSync(process.argv[1], 'utf8');
process.stdout.write(transpileModule(text, { compilerOptions: { target: 'ES2022', module: 'ESNext' } }).outputText);
"""
READ = """<!doctype html><title>reader</title><script type="module">
import { draw, images } from '/reader.js';
const manifest = await (await fetch('/manifest.json')).json();
const context = new OffscreenCanvas(manifest.canvas.width, manifest.canvas.height).getContext('2d');
draw(manifest, await images(manifest, ''), context);
window.seen = [...context.getImageData(0, 0, manifest.canvas.width, manifest.canvas.height).data];
</script>"""
VIEW = """<!doctype html><title>model</title>
<script type="importmap">{"imports": {"three": "/modules/three/build/three.module.js"}}</script>
<script type="module">
import * as three from 'three';
import { GLTFLoader } from '/modules/three/examples/jsm/loaders/GLTFLoader.js';
const [width, height] = [97, 73];
const renderer = new three.WebGLRenderer({ preserveDrawingBuffer: true });
renderer.setSize(width, height, false);
renderer.setClearColor(0xffffff, 1);
const { scene, cameras } = await new GLTFLoader().loadAsync('/model.glb');
scene.updateMatrixWorld(true);
renderer.render(scene, cameras[0]);
const gl = renderer.getContext();
const pixels = new Uint8Array(width * height * 4);
gl.readPixels(0, 0, width, height, gl.RGBA, gl.UNSIGNED_BYTE, pixels);
window.seen = { pixels: [...pixels], names: [] };
scene.traverse((node) => window.seen.names.push(node.userData.name ?? node.name));
</script>"""


def plain(arrangement: Arrangement) -> Arrangement:
    """Without anything that mixes otherwise than by being laid over, at depths."""
    mixed = arrangement.changed(
        lambda row: replace(row, blend="normal", opacity=row.opacity if isinstance(row, Part) else 1.0)
    )
    return apply(mixed, SetDepths({"sky": 900.0, "mist": -200.0}))


class ReceiverCase(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.browser = in_space()
        cls.folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        cls.plain = cls.handed_over("plain", plain)

    @classmethod
    def handed_over(cls, name: str, change: Any, camera: str = "perspective", **said: Any) -> Path:
        target = cls.folder / name
        with SpillFile() as scratch:
            art = signal_post.signal_post(scratch)
            start, _ = arrangement_of(art)
            joints = SetJoints({"lamp": "mast", "arm": "mast"}, {"mast": Point(47, 70), "arm": Point(45, 20)})
            beside = {"page": True, "layers": True, "scene": True, "model": {"pixels_per_unit": 50, "camera": camera}}
            recipe = from_json({"format": "yuplet-recipe", "version": 1, "name": "all", "beside": beside, **said})
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
            elif path == "reader.js":
                command = ["node", "-e", TRANSPILE, str(READER)]
                script = subprocess.run(command, cwd=WEB, check=True, capture_output=True, text=True).stdout
                route.fulfill(body=script, content_type="text/javascript")
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

    def validated(self, model: Path) -> None:
        """The validator finds no error and warns of nothing."""
        run = subprocess.run(["node", "-e", VALIDATE, str(model)], cwd=WEB, check=True, capture_output=True, text=True)
        issues = json.loads(run.stdout)
        # It mentions sides that are no powers of two, which is a matter of the recipe.
        found = [message for message in issues["messages"] if message["severity"] < 2]
        self.assertEqual((issues["numErrors"], issues["numWarnings"], found), (0, 0, []))


class PackageTests(ReceiverCase):
    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.mixed = cls.handed_over("mixed", lambda one: one)

    def reference(self, package: Path) -> np.ndarray:
        """The reference picture on white."""
        with Image.open(package / "reference.png") as image:
            ground = Image.new("RGBA", image.size, "white")
            return np.array(Image.alpha_composite(ground, image.convert("RGBA")))[..., :3].astype(int)

    def test_the_validator_finds_nothing_in_the_model(self) -> None:
        for package in (self.mixed, self.plain):
            self.validated(package / "model.glb")

    def test_three_shows_the_picture_by_the_camera_and_knows_the_names(self) -> None:
        """With parts at depths before a perspective camera, and by an orthographic one."""
        flat = self.handed_over("flat", plain, "orthographic")
        for package in (self.plain, flat):
            with self.subTest(package.name):
                page = self.page_of(package, VIEW)
                page.goto(f"{HOME}/view")
                page.wait_for_function("window.seen", timeout=30_000)
                seen = page.evaluate("window.seen")
                picture = np.array(seen["pixels"]).reshape(73, 97, 4)[::-1, :, :3]
                difference = np.abs(picture - self.reference(package))
                # It rounds to 8 bits after every part.
                self.assertLessEqual(difference.max(), 4)
                self.assertLess(difference.mean(), 0.5)
                self.assertLessEqual({"signal post", "sky", "mast", "arm lowered", "camera"}, set(seen["names"]))

    def shown(self, package: Path, file: str, size: tuple[int, int] = (97, 73)) -> Any:
        """What a browser shows of a file."""
        page = self.page_of(package)
        page.set_viewport_size({"width": size[0], "height": size[1]})
        page.goto(f"{HOME}/{file}")
        page.wait_for_load_state("networkidle")
        shot = self.folder / "shown.png"
        page.screenshot(path=shot)
        with Image.open(shot) as image:
            return np.array(image.convert("RGB")).astype(int)

    def test_a_browser_and_the_proof_agree_about_modes(self) -> None:
        """What CSS has is right in both, what it does not have is wrong in both; on the page by about as many pixels."""
        for mode, is_right in (
            ("lighter", True),
            ("luminosity", True),
            ("destination-out", False),
            ("destination-in", False),
        ):
            package = self.handed_over(
                mode,
                lambda start, mode=mode: start.changed(
                    lambda row: replace(row, blend=mode) if row.name == "mast" else row
                ),
            )
            proof = {one.way: one for one in prove(package, lambda *_: None).comparisons}
            wanted = self.reference(package)
            for file, way in (("index.html", "page"), ("scene.svg", "scene")):
                with self.subTest(mode, file=file):
                    difference = np.abs(self.shown(package, file) - wanted).max(axis=2)
                    self.assertEqual(proof[way].ok, is_right)
                    self.assertEqual(bool(difference.max() <= 6), is_right, difference.max())
                    if not is_right and way == "page":
                        wrong = int((difference > 6).sum())
                        self.assertAlmostEqual(proof[way].differing_pixels, wrong, delta=0.1 * wrong + 40)

    def test_a_browser_shows_the_page_as_it_must_look(self) -> None:
        difference = np.abs(self.shown(self.mixed, "index.html") - self.reference(self.mixed))
        self.assertLessEqual(difference.max(), 6)
        self.assertLess(difference.mean(), 0.6)
        # At twice the size every part is twice as large, in its place.
        page = self.page_of(self.mixed)
        page.goto(f"{HOME}/index.html")
        page.set_viewport_size({"width": 194, "height": 146})
        page.add_style_tag(content=".picture { max-width: none !important; }")
        box = page.locator("[alt=mast]").bounding_box()
        part = next(
            one for one in json.loads((self.mixed / "manifest.json").read_text())["parts"] if one["name"] == "mast"
        )
        assert box is not None
        for side, (name, value) in {"x": ("x", box["x"]), "width": ("width", box["width"])}.items():
            self.assertAlmostEqual(value, 2 * part["box"][name], delta=0.1, msg=side)

    def test_the_reader_in_the_documents_draws_every_mode_and_what_lies_turned_on_sheets(self) -> None:
        sheets = self.handed_over("sheets", plain, images={"stored": "sheets"}, sheets={"turn": True})
        manifest = json.loads((sheets / "manifest.json").read_text())
        self.assertTrue(any(part["within"]["turned"] for part in manifest["parts"]))
        turned = self.folder / "turned"
        shutil.copytree(sheets, turned)
        for number, part in enumerate(manifest["parts"]):
            part["turn"] = {"mirrored": number % 8 > 3, "quarters": number % 4}
            if number % 2:
                box = part["box"]
                part["box"] = {**box, "width": box["height"], "height": box["width"]}
        (turned / "manifest.json").write_text(json.dumps(manifest))
        packages = [self.mixed, sheets, turned]
        read = runpy.run_path(str(FORMATS / "reader.py"))["read"]
        for mode in ("lighter", "destination-in", "destination-out", "destination-atop", "source-atop", "hue"):
            packages.append(
                self.handed_over(
                    f"read {mode}",
                    lambda start, mode=mode: start.changed(
                        lambda row: replace(row, blend=mode) if row.name == "mast" else row
                    ),
                    reference={"ground": [20, 60, 90]},
                )
            )
        for package in packages:
            with self.subTest(package.name):
                page = self.page_of(package, READ)
                page.goto(f"{HOME}/view")
                page.wait_for_function("window.seen", timeout=30_000)
                seen = np.array(page.evaluate("window.seen"), np.uint8).reshape(73, 97, 4)
                told, _, _ = read(package)
                weighed = [np.dstack([one[..., :3] * (one[..., 3:] / 255), one[..., 3]]) for one in (seen, told)]
                difference = np.abs(weighed[0] - weighed[1])
                # It rounds to 8 bits after every part.
                self.assertLessEqual(difference.max(), 6)
                self.assertLess(difference.mean(), 0.6)

    def test_the_reader_in_the_documents_has_sound_types(self) -> None:
        strict = ["--noEmit", "--strict", "--noUncheckedIndexedAccess", "--skipLibCheck", "--target", "ES2022"]
        command = ["npx", "--no-install", "tsc", *strict, "--lib", "ES2022,DOM", str(READER)]
        run = subprocess.run(command, cwd=WEB, check=False, capture_output=True, text=True)
        self.assertEqual(run.returncode, 0, run.stdout)

    def test_a_browser_draws_shapes_as_they_must_look(self) -> None:
        """The scene, and every symbol by its address where the manifest says that it lies."""
        source, package = WEB.parent / "demo" / "lever-frame.svg", self.folder / "shapes"
        said = {"format": "yuplet-recipe", "version": 1, "name": "s", "beside": {"scene": True, "vector": "symbols"}}
        hand_over_file(source, package, lambda *_: None, recipe=from_json(said))
        manifest = json.loads((package / "manifest.json").read_text())
        names = {
            str(one.get("data-part")): one.get("id") for one in ElementTree.parse(package / "symbols.svg").getroot()
        }
        placed = "".join(
            f'<use href="symbols.svg#{names[part["id"]]}" '
            + " ".join(f'{side}="{part["box"][side]}"' for side in ("x", "y", "width", "height"))
            + f' opacity="{part["opacity"]}"/>'
            for part in manifest["parts"]
            if part["shown"]
        )
        (package / "symbols.html").write_text(
            f'<!doctype html><style>body {{margin: 0}}</style><svg width="1280" height="720">{placed}</svg>'
        )
        for file in ("scene.svg", "symbols.html"):
            with self.subTest(file):
                difference = np.abs(self.shown(package, file, (1280, 720)) - self.reference(package))
                # Edges are smoothed in another way than by the library that drew the reference.
                self.assertLess(difference.mean(), 0.5)
                self.assertLess((difference.max(axis=2) > 48).mean(), 0.001)

    def test_the_page_is_valid(self) -> None:
        settings = self.folder / "html-validate.json"
        settings.write_text(json.dumps({"root": True, "extends": ["html-validate:standard"]}))
        command = ["npx", "--no-install", "html-validate", "--config", str(settings), str(self.mixed / "index.html")]
        run = subprocess.run(command, cwd=WEB, check=False, capture_output=True, text=True)
        self.assertEqual(run.returncode, 0, run.stdout + run.stderr)


MOVING = """<!doctype html><title>motion</title>
<script type="importmap">{"imports": {"three": "/modules/three/build/three.module.js"}}</script>
<script type="module">
import * as three from 'three';
import { GLTFLoader } from '/modules/three/examples/jsm/loaders/GLTFLoader.js';
const { scene, animations } = await new GLTFLoader().loadAsync('/motion.glb');
const mixer = new three.AnimationMixer(scene);
mixer.clipAction(animations[0]).play();
window.at = (time) => {
  mixer.setTime(time);
  scene.updateMatrixWorld(true);
  const found = {};
  scene.traverse((mesh) => {
    if (!mesh.isMesh) return;
    let part = mesh;
    while (part && !part.userData.id) part = part.parent;
    const places = mesh.geometry.attributes.position;
    found[part.userData.id] = Array.from({ length: places.count }, (_, corner) => {
      const { x, y } = new three.Vector3().fromBufferAttribute(places, corner).applyMatrix4(mesh.matrixWorld);
      return [x * 100, y * 100];
    });
  });
  return found;
};
window.ready = true;
</script>"""
PLAYED = """(time) => {
    const found = {};
    for (const animation of document.getAnimations()) { animation.pause(); animation.currentTime = time * 1000; }
    for (const part of document.querySelectorAll('[data-part]')) {
        const { transform, visibility } = getComputedStyle(part);
        const { a, b, c, d, e, f } = new DOMMatrix(transform === 'none' ? '' : transform);
        found[part.dataset.part] = { map: [a, b, c, d, e, f], isSeen: visibility === 'visible' };
    }
    return found;
}"""
VIDEO = """<!doctype html><video muted></video><script>
const video = document.querySelector('video');
// As a whole: it is sought in, which the answers of this test cannot.
fetch('/film.webm').then((answer) => answer.blob()).then((blob) => { video.src = URL.createObjectURL(blob); });
window.at = async (time) => {
  await new Promise((done) => { video.onseeked = done; video.currentTime = time; });
  const canvas = new OffscreenCanvas(video.videoWidth, video.videoHeight);
  const context = canvas.getContext('2d');
  context.drawImage(video, 0, 0);
  return [...context.getImageData(0, 0, canvas.width, canvas.height).data];
};
</script>"""


class MotionTests(ReceiverCase):
    """A motion written down, played by Chromium and by three.js; what they show is beside what our film shows."""

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        scratch = cls.folder / "scratch"
        scratch.mkdir()
        cls.scene, cls.rig = opened_scene(cls.plain, Reading(), scratch)
        ids = {part.name: part.id for part in cls.rig.parts}
        cls.motion = Motion(stage=Stage(rate=12, duration=1.0, direction="alternate")).with_tracks(
            {
                track.place: track
                for track in (
                    Track(ids["mast"], "rotate", (Key(0, 0.0, "ease-in-out"), Key(1, 50.0))),
                    Track(ids["arm"], "rotate", (Key(0, 0.0), Key(0.5, 120.0), Key(1, -40.0))),
                    Track(ids["lamp"], "scale", (Key(0, (1.0, 1.0)), Key(1, (0.5, 1.8)))),
                    Track(ids["lamp"], "translate", (Key(0, (0.0, 0.0)), Key(1, (6.0, -4.5)))),
                    Track(ids["reeds"], "opacity", (Key(0, 1.0), Key(1, 0.25))),
                )
            }
        )
        cls.times = [number / 12 for number in (0, 3, 7, 11, 12, 16, 23)]
        for name in ("motion.html", "motion.svg", "motion.glb", "film.webm"):
            write_motion(cls.scene, cls.rig, cls.motion, kind_of(Path(name)), cls.folder / name)

    def told(self, time: float) -> np.ndarray:
        """Where everything is at a time, (P, 6)."""
        moments = directed(np.array([time]), 1.0, None, "alternate", "both")
        return np.asarray(sample(self.motion, self.rig, moments).maps[0])

    def film(self, time: float) -> np.ndarray:
        """A picture of our own film on white."""
        picture = Image.fromarray(Film(self.scene, self.rig, self.motion).picture(round(time * 12) % 24), "RGBA")
        return np.array(Image.alpha_composite(Image.new("RGBA", picture.size, "white"), picture))[..., :3].astype(int)

    def test_a_browser_plays_the_page_and_the_drawing(self) -> None:
        for name in ("motion.html", "motion.svg"):
            page = self.page_of(self.folder)
            page.goto(f"{HOME}/{name}")
            # Pictures are decoded for the first one.
            page.screenshot()
            for time in self.times:
                with self.subTest(name, time=time):
                    seen = page.evaluate(PLAYED, time)
                    for part, told in zip(self.rig.parts, self.told(time), strict=True):
                        if part.id in seen:
                            np.testing.assert_allclose(seen[part.id]["map"], told, atol=2e-3)
                    self.assertEqual(sum(one["isSeen"] for one in seen.values()), 8)
                    shot = self.folder / "shot.png"
                    page.screenshot(path=shot)
                    with Image.open(shot) as image:
                        difference = np.abs(np.array(image.convert("RGB")).astype(int) - self.film(time))
                    # Both take turned parts from four pixels, each with its own rounding at edges.
                    self.assertLess(difference.mean(), 1.0)
                    self.assertLess((difference.max(axis=2) > 24).mean(), 0.01)

    def test_three_plays_the_model(self) -> None:
        self.validated(self.folder / "motion.glb")
        page = self.page_of(self.folder, MOVING)
        page.goto(f"{HOME}/view")
        page.wait_for_function("window.ready", timeout=30_000)
        where = {part.id: at for at, part in enumerate(self.rig.parts)}
        for time in self.times:
            seen = page.evaluate("time => window.at(time)", time)
            self.assertEqual(len(seen), 8)
            told = self.told(time)
            for part, corners in seen.items():
                left, top, width, height = self.rig.by_id[part].box
                rest = [(left, top + height), (left + width, top + height), (left + width, top), (left, top)]
                a, b, c, d, e, f = told[where[part]]
                wanted = [(a * x + c * y + e, 73 - (b * x + d * y + f)) for x, y in rest]
                np.testing.assert_allclose(corners, wanted, atol=0.02, err_msg=f"{part} at {time}")

    def test_a_browser_shows_the_video(self) -> None:
        page = self.page_of(self.folder, VIDEO)
        page.goto(f"{HOME}/view")
        page.wait_for_function("document.querySelector('video').readyState >= 2", timeout=30_000)
        size = page.evaluate(
            "(({ videoWidth, videoHeight, duration }) => [videoWidth, videoHeight, duration])(document.querySelector('video'))"
        )
        self.assertEqual(size[:2], [98, 74], "sides are even")
        self.assertAlmostEqual(size[2], 2.0, delta=0.1)
        for time in self.times:
            # In the middle of a picture, so that no rounding of times takes its neighbour.
            seen = np.array(page.evaluate("time => window.at(time)", time + 1 / 24)).reshape(74, 98, 4)[:73, :97, :3]
            beside = {by: np.abs(seen.astype(int) - self.film(time + by / 12)).mean() for by in (-1, 0, 1)}
            self.assertLess(beside[0], 4.0, f"at {time}")
            # There and back: what is seen at the turn is seen again.
            self.assertEqual(min(beside, key=lambda by: (round(beside[by], 3), abs(by))), 0, beside)
