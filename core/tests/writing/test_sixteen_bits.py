"""Packages of 16 bits a channel: nothing of the source is lost, by our proof, by the documents' reader, and by other decoders."""

import io
import json
import zipfile
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import OpenImageIO
from numpy.typing import NDArray

from tests.packages import FolderTestCase, PackageTestCase, quiet, read_as_documented
from tests.test_recipes import recipe
from yuplet import documents
from yuplet.arrangement.tree import arrangement_of
from yuplet.errors import RecipeNotUnderstood
from yuplet.handover import HandOverReport, hand_over_file
from yuplet.plan.recipe import Images
from yuplet.rehearsal.proof import prove
from yuplet.writing import images, png

LAYERS = (
    ("svg:src-over", 1.0),
    ("svg:multiply", 0.7),
    ("svg:src-over", 0.5),
    ("svg:screen", 1.0),
    ("svg:color-dodge", 1.0),
)
SIDE = 96


def soft(number: int) -> NDArray[np.uint16]:
    """A round patch whose colour and alpha run in steps that 8 bits do not have."""
    y, x = np.mgrid[0:60, 0:70]
    alpha = np.clip(1.1 - np.hypot(x - 35, y - 30) / 35, 0, 1)
    colour = np.dstack([x / 70, y / 60, np.full(x.shape, number / 5)])
    found: NDArray[np.uint16] = np.round(np.dstack([colour, alpha]) * 65535).astype(np.uint16)
    found[found[..., 3] == 0] = 0
    return found


def ora() -> bytes:
    """Soft patches in several modes over a ground, all with 16 bits a channel; one with 8."""
    rows, files = [], {}
    ramp = np.indices((SIDE, SIDE)).sum(axis=0) * 300
    files["ground"] = png.encode_deep(
        np.dstack([ramp, ramp // 2, ramp // 3, np.full(ramp.shape, 65535)]).astype(np.uint16)
    )
    rows.append('<layer name="ground" src="data/ground.png"/>')
    for number, (mode, opacity) in enumerate(LAYERS):
        files[f"soft {number}"] = png.encode_deep(soft(number))
        place = f'x="{number * 5}" y="{number * 7}" opacity="{opacity}" composite-op="{mode}"'
        rows.append(f'<layer name="soft {number}" src="data/soft {number}.png" {place}/>')
    files["plain"] = png.encode(np.full((9, 9, 4), 200, np.uint8))
    rows.append('<layer name="plain" src="data/plain.png" x="3" y="3"/>')
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as file:
        file.writestr("mimetype", "image/openraster")
        stack = "".join(reversed(rows))
        file.writestr("stack.xml", f'<image version="0.0.3" w="{SIDE}" h="{SIDE}"><stack>{stack}</stack></image>')
        for name, data in files.items():
            file.writestr(f"data/{name}.png", data)
    return out.getvalue()


def by_openimageio(path: Path) -> NDArray[np.uint16]:
    """As straight values, by a decoder that nothing of ours uses."""
    said = OpenImageIO.ImageSpec()
    said.attribute("oiio:UnassociatedAlpha", 1)
    file = OpenImageIO.ImageInput.open(str(path), said)
    return np.asarray(file.read_image("uint16"), np.uint16)


class SixteenBitTests(FolderTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.file = self.folder / "soft.ora"
        self.file.write_bytes(ora())
        self.package = self.folder / "package"

    def by(self, **said: Any) -> HandOverReport:
        said["images"] = {"bits": 16, **said.get("images", {})}
        report, _, _ = hand_over_file(self.file, self.package, quiet, remove_obsolete=True, recipe=recipe(**said))
        documents.require(json.loads((self.package / "manifest.json").read_text()), "package")
        read_as_documented(self, self.package, report)
        return report

    def differing(self, report: HandOverReport) -> dict[tuple[str, float], int]:
        self.assertTrue(report.proof.ok, report.proof)
        return {(one.way, one.scale): one.differing_pixels for one in report.proof.comparisons}

    def test_every_value_of_the_source_is_in_the_files(self) -> None:
        for kind, ending in (("png", "png"), ("tiff", "tif")):
            report = self.by(images={"format": kind})
            self.assertEqual(self.differing(report), {("places", 1): 0})
            for number in range(len(LAYERS)):
                wanted = soft(number)
                box = np.argwhere((wanted[..., 3] + 128) // 257 > 0)
                (top, left), (bottom, right) = box.min(axis=0), box.max(axis=0) + 1
                found = by_openimageio(self.package / f"parts/soft {number}.{ending}")
                np.testing.assert_array_equal(found, wanted[top:bottom, left:right])
            # What 8 bits say is written with 8, and so smaller.
            plain = cv2.imread(str(self.package / f"parts/plain.{ending}"), cv2.IMREAD_UNCHANGED)
            self.assertEqual(plain.dtype, np.uint8)
        manifest = json.loads((self.package / "manifest.json").read_text())
        self.assertEqual(manifest["bits"], 16)
        reference = by_openimageio(self.package / "reference.png")
        self.assertGreater(len(np.unique(reference)), 5000)

    def test_sheets_margins_grounds_and_sizes(self) -> None:
        sheets = {"turn": True, "repeat_edge": 2, "spacing": 1}
        self.assertEqual(self.differing(self.by(images={"stored": "sheets"}, sheets=sheets)), {("places", 1): 0})
        bled = {"margin": 3, "under": "bleed", "sides": "power-of-two"}
        self.assertEqual(self.differing(self.by(images=bled, reference={"ground": [9, 8, 7]})), {("places", 1): 0})
        found = self.by(images={"extent": "canvas"}, scales=[{"factor": 1}, {"factor": 0.5}])
        self.assertEqual(
            set(self.differing(found)), {(way, scale) for way in ("places", "whole canvas") for scale in (1, 0.5)}
        )
        enlarged = self.by(smooth=False, scales=[{"factor": 2}])
        self.assertEqual(self.differing(enlarged), {("places", 2): 0})

    def test_openexr_has_all_of_it_and_files_of_8_bits_what_they_can(self) -> None:
        beside = {"openexr": True, "layers": True, "page": True, "model": {}, "scene": True}
        report = self.by(beside=beside)
        found = self.differing(report)
        self.assertEqual((found["places", 1], found["openexr", 1]), (0, 0))
        rounded = {one.way: one for one in report.proof.comparisons}
        self.assertLessEqual(rounded["layers"].largest, 4)
        self.assertLess(rounded["layers"].mean, 0.5)

    def test_one_level_of_65535_is_found(self) -> None:
        self.by()
        path = self.package / "parts/soft 2.png"
        pixels = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
        pixels[30, 30, 0] += 1
        cv2.imwrite(str(path), pixels)
        proof = prove(self.package, quiet)
        self.assertFalse(proof.ok)
        self.assertTrue(any("soft 2" in fault and "other pixels" in fault for fault in proof.faults), proof.faults)

    def test_a_package_that_comes_in_again_has_them_still(self) -> None:
        for said in ({"format": "tiff"}, {"stored": "sheets"}):
            self.by(images=said, sheets={"turn": True})
            before = (self.package / "reference.png").read_bytes()
            with zipfile.ZipFile(self.folder / "again.zip", "w") as file:
                for path in self.package.rglob("*.*"):
                    file.write(path, path.relative_to(self.package).as_posix())
            again = self.folder / f"again {len(said)}"
            report, _, _ = hand_over_file(
                self.folder / "again.zip", again, quiet, recipe=recipe(images={"bits": 16}), remove_obsolete=True
            )
            self.assertEqual(self.differing(report), {("places", 1): 0})
            self.assertEqual((again / "reference.png").read_bytes(), before)

    def test_nothing_is_written_again(self) -> None:
        self.by()
        self.assertEqual(
            set(self.by().kept) & {"reference.png", "parts/soft 1.png"}, {"reference.png", "parts/soft 1.png"}
        )

    def test_without_it_all_is_as_it_was(self) -> None:
        report, _, _ = hand_over_file(self.file, self.package, quiet, recipe=recipe())
        self.assertEqual(self.differing(report), {("places", 1): 0})
        self.assertEqual(cv2.imread(str(self.package / "parts/soft 1.png"), cv2.IMREAD_UNCHANGED).dtype, np.uint8)

    def test_what_has_no_16_bits(self) -> None:
        for said in ({"format": "webp"}, {"format": "jpeg"}, {"moving": "apng"}):
            with self.assertRaisesRegex(RecipeNotUnderstood, "16 bits a channel are written as PNG or TIFF"):
                recipe(images={"bits": 16, **said})
        with self.assertRaisesRegex(RecipeNotUnderstood, "the same for all parts"):
            recipe(images_for=[{"of": ["a"], "images": {"bits": 16}}])

    def test_resolution_and_colour_are_said(self) -> None:
        deep = soft(1)
        self.assertIn(b"sRGB", images.encode(deep, Images(bits=16), 300.0)[:60])
        self.assertIn(b"pHYs", images.encode(deep, Images(bits=16), 300.0)[:80])
        path = self.folder / "one.tif"
        path.write_bytes(images.encode(deep, Images(format="tiff", bits=16), 300.0))
        self.assertEqual(OpenImageIO.ImageInput.open(str(path)).spec()["XResolution"], 300.0)


class ArtOf8BitsTests(PackageTestCase):
    def test_nothing_is_made_larger(self) -> None:
        plain = self.report
        report = self.hand_over(
            arrangement_of(self.illustration)[0], recipe=recipe(images={"bits": 16}), remove_obsolete=True
        )
        self.assertEqual(report.proof.differing_pixels, 0)
        parts = [name for name in plain.files if name.startswith("parts/")]
        self.assertEqual(
            {name: report.file_bytes[name] for name in parts}, {name: plain.file_bytes[name] for name in parts}
        )
