"""Packages by recipe: what is written is put together again, and a planted fault of each kind is found."""

import json
import subprocess
import sys
from dataclasses import replace
from fractions import Fraction
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

import signal_post
from tests.packages import READER, FolderTestCase, PackageTestCase, quiet, read_as_documented
from yuplet.arrangement.commands import MoveRows, Place, RenameRows, apply
from yuplet.arrangement.tree import Arrangement, arrangement_of
from yuplet.errors import AnotherPackage, PlanError
from yuplet.geometry import Box, Size
from yuplet.handover import HandOverReport, hand_over, hand_over_file
from yuplet.illustration.layers import Illustration, Layer
from yuplet.parts.part import Part, still
from yuplet.pixels.spill_file import SpillFile
from yuplet.plan.recipe import FORMAT, Recipe, from_json
from yuplet.rehearsal.proof import prove
from yuplet.writing.images import encode
from yuplet.writing.pictures import Sources


def recipe(**said: Any) -> Recipe:
    return from_json({"format": FORMAT, "version": 1, "name": "a test", **said})


class RecipeTests(PackageTestCase):
    """The signal post, handed over to another folder by many recipes."""

    def setUp(self) -> None:
        super().setUp()
        self.package = self.folder / "by recipe"
        self.start = arrangement_of(self.illustration)[0]

    def by(self, arrangement: Arrangement | None = None, **said: Any) -> HandOverReport:
        return self.hand_over(arrangement or self.start, recipe=recipe(**said))

    def places(self) -> dict[str, tuple[Box, Box, Size]]:
        """Box, trim and size of the image of each part."""

        def box(said: dict[str, int]) -> Box:
            return Box.at(said["x"], said["y"], Size(said["width"], said["height"]))

        return {
            part["name"]: (box(part["box"]), box(part["trim"]), Size(*self.pixels(part["file"]).shape[1::-1]))
            for part in self.manifest()["parts"]
        }

    def test_margin_and_padding_change_the_box_and_not_the_content(self) -> None:
        plain = self.by()
        tight = {name: trim for name, (_, trim, _) in self.places().items()}
        self.assertEqual({name: box for name, (box, _, _) in self.places().items()}, tight)
        self.assertTrue(plain.proof.ok)
        for sides in ("any", "even", "power-of-two"):
            report = self.by(images={"margin": 3, "sides": sides})
            self.assertTrue(report.proof.ok, report.proof)
            for name, (box, trim, size) in self.places().items():
                self.assertEqual(trim, tight[name])
                self.assertEqual((box.left, box.top, box.size), (trim.left - 3, trim.top - 3, size))
                if sides == "power-of-two":
                    self.assertEqual([side & (side - 1) for side in size], [0, 0])

    def test_whole_canvas_images_come_back_at_0_0_too(self) -> None:
        report = self.by(images={"extent": "canvas"})
        self.assertEqual([one.way for one in report.proof.comparisons], ["places", "whole canvas"])
        self.assertTrue(report.proof.ok, report.proof)
        self.assertEqual({size for _, _, size in self.places().values()}, {self.illustration.canvas})
        # The planted fault: one part moved by a pixel within its image.
        arm = next(part for part in self.manifest()["parts"] if part["name"] == "arm")
        picture = np.roll(self.pixels(arm["file"]), 1, axis=1)
        Image.fromarray(picture, "RGBA").save(self.package / arm["file"])
        found = self.prove()
        self.assertFalse(found.ok)
        self.assertEqual([one.ok for one in found.comparisons], [False, False])
        self.assertIn("arm", str(found.worst))

    def test_a_common_box_for_some_and_a_trimmed_one_for_the_rest(self) -> None:
        report = self.by(images_for=[{"of": ["signal"], "images": {"extent": "common"}}])
        self.assertTrue(report.proof.ok, report.proof)
        boxes = {name: box for name, (box, _, _) in self.places().items()}
        self.assertEqual(boxes["arm"], boxes["lamp"])
        self.assertEqual(boxes["arm"], boxes["arm lowered"])
        self.assertNotEqual(boxes["mast"], boxes["arm"])

    def test_a_threshold_cuts_off_what_is_fainter(self) -> None:
        self.by()
        before = self.places()["glow"][0]
        self.by(images={"threshold": 200})
        box, trim, _ = self.places()["glow"]
        self.assertEqual(box, trim)
        alpha = self.scratch.whole("glow")[..., 3] > 200
        rows, columns = np.flatnonzero(alpha.any(axis=1)), np.flatnonzero(alpha.any(axis=0))
        self.assertEqual(box.size, Size(int(np.ptp(columns)) + 1, int(np.ptp(rows)) + 1))
        self.assertLess(box.size.pixels, before.size.pixels)

    def test_every_scale_has_its_manifest_in_its_own_pixels(self) -> None:
        report = self.by(scales=[{"factor": 1}, {"factor": 2}, {"factor": 0.5}, {"longest": 200}])
        self.assertEqual([one.scale for one in report.proof.comparisons][:3], [1, 2, 0.5])
        self.assertTrue(report.proof.ok, report.proof)
        self.assertEqual(report.proof.differing_pixels, 0)
        main = {part["id"]: part for part in self.manifest()["parts"]}
        for label, factor in (("2x", Fraction(2)), ("0.5x", Fraction(1, 2)), ("200px", Fraction(200, 97))):
            other = json.loads((self.package / f"manifest-{label}.json").read_text())
            self.assertEqual(other["canvas"]["width"], -(-97 * factor.numerator // factor.denominator))
            for part in other["parts"]:
                x, width = main[part["id"]]["box"]["x"], main[part["id"]]["box"]["width"]
                self.assertEqual(part["box"]["x"], x * factor.numerator // factor.denominator)
                right = -(-(x + width) * factor.numerator // factor.denominator)
                self.assertEqual(part["box"]["x"] + part["box"]["width"], right)
        self.assertEqual(len(report.files), 1 + 4 * (3 + 9))

    def test_a_part_moved_at_one_scale_is_found(self) -> None:
        self.by(scales=[{"factor": 1}, {"factor": 2}], tolerance={"largest": 160, "mean": 1.5})
        self.assertTrue(self.prove().ok, self.prove())
        path = self.package / "manifest-2x.json"
        value = json.loads(path.read_text())
        mast = self.part(value, "mast")
        mast["box"]["x"] += 9
        path.write_text(json.dumps(value))
        found = self.prove()
        self.assertEqual([one.ok for one in found.comparisons], [True, False])

    def test_pixel_art_comes_back_to_the_pixel_at_every_scale(self) -> None:
        report = self.by(smooth=False, scales=[{"factor": 1}, {"factor": 3}])
        self.assertEqual([one.differing_pixels for one in report.proof.comparisons], [0, 0])
        self.assertEqual([one.allowed_largest for one in report.proof.comparisons], [0, 0])
        self.assertTrue(report.proof.ok)

    def test_every_format_is_proven_exactly_or_within_its_tolerance(self) -> None:
        for said, exact in (
            ({"format": "png", "effort": "quick"}, True),
            ({"format": "tiff"}, True),
            ({"format": "webp"}, True),
            ({"format": "webp", "lossless": False, "quality": 90}, False),
            ({"format": "avif", "quality": 95}, False),
        ):
            with self.subTest(said=said):
                report = self.by(images=said, tolerance={"largest": 90, "mean": 2.0})
                self.assertEqual(report.proof.differing_pixels == 0, exact)
                self.assertTrue(report.proof.ok, report.proof)

    def test_an_opaque_format_for_what_is_not_opaque_is_refused_before(self) -> None:
        """The picture could not come back: the lamp would be a black square."""
        jpeg = {"format": "jpeg", "ground": [9, 9, 9]}
        with self.assertRaisesRegex(
            PlanError, "'post / signal / lamp' has transparency, and JPEG has none.*Choose PNG"
        ):
            self.by(images_for=[{"of": ["sky", "lamp"], "images": jpeg}])
        report = self.by(images_for=[{"of": ["sky"], "images": jpeg}])
        self.assertEqual((report.warnings, report.proof.ok), ([], True), report.proof)
        self.assertTrue((self.package / "parts/sky.jpg").is_file())

    def test_at_the_very_back_a_ground_is_right_that_is_that_of_the_reference(self) -> None:
        """Shown alone, the lamp in JPEG on white comes back on white."""
        alone = self.start.changed(
            lambda row: replace(row, included=row.name == "lamp") if isinstance(row, Part) else row
        )
        said = {"images": {"format": "jpeg", "quality": 95}, "reference": {"ground": [255, 255, 255]}}
        report = self.hand_over(alone, recipe=recipe(**said), remove_obsolete=True)
        self.assertTrue(report.proof.ok, report.proof)
        self.assertIn("has transparency", " ".join(report.warnings))

    def test_what_differs_by_more_than_a_format_does_is_a_fault(self) -> None:
        """Without a tolerance of its own a recipe allows what was measured for the format and its quality (bench/lossy.py)."""
        report = self.by(images={"format": "webp", "lossless": False, "quality": 80})
        self.assertTrue(report.proof.ok, report.proof)
        (main, *_) = report.proof.comparisons
        self.assertEqual((main.allowed_largest, main.allowed_mean), (105, 2.5))
        finer = self.by(images={"format": "webp", "lossless": False, "quality": 95})
        self.assertLess(finer.proof.comparisons[0].allowed_mean, main.allowed_mean)
        sky = self.package / "parts" / "sky.webp"
        with Image.open(sky) as image:
            pixels = np.array(image.convert("RGBA"))
        pixels[..., :3] = np.minimum(pixels[..., :3].astype(int) + 6, 255)
        Image.fromarray(pixels).save(sky, quality=95)
        faulty = [one for one in self.prove().comparisons if not one.ok]
        self.assertEqual([one.way for one in faulty], ["places"], "six levels everywhere were allowed before")
        own = self.by(images={"format": "webp", "lossless": False}, tolerance={"mean": 9})
        self.assertEqual(own.proof.comparisons[0].allowed_mean, 9)

    def test_colour_on_under_what_is_not_seen(self) -> None:
        self.by(images={"margin": 2, "under": "bleed", "reach": 2})
        mast = self.pixels("parts/post/mast.png")
        frame = np.ones(mast.shape[:2], bool)
        frame[2:-2, 2:-2] = False
        self.assertFalse(mast[frame][:, 3].any())
        # Three pixels at each corner are farther away than two pixels.
        self.assertEqual(int((mast[frame][:, :3].sum(axis=1) > 0).sum()), int(frame.sum()) - 12)
        self.by(images={"margin": 2})
        mast = self.pixels("parts/post/mast.png")
        self.assertFalse(mast[mast[..., 3] == 0].any())

    def test_a_coloured_ground_behind_the_reference_picture(self) -> None:
        report = self.by(reference={"ground": [40, 90, 160]})
        self.assertEqual(report.proof.differing_pixels, 0)
        self.assertTrue((self.pixels("reference.png")[..., 3] == 255).all())

    def test_limits_of_the_receiver_stop_the_hand_over(self) -> None:
        with self.assertRaisesRegex(PlanError, "allows up to 64 px. It would fit at scale 0.659"):
            self.by(limits={"longest": 64})
        with self.assertRaisesRegex(PlanError, "There are 9 images; the target program allows up to 8"):
            self.by(limits={"count": 8})
        with self.assertRaisesRegex(PlanError, "the target program allows up to 1,000. Nothing was kept."):
            self.by(limits={"bytes": 1000})
        self.assertFalse(self.package.exists())


class OnlyWhatChangedTests(PackageTestCase):
    """Handed over again after something has changed."""

    def stamps(self) -> dict[str, tuple[int, bytes]]:
        return {
            path.relative_to(self.package).as_posix(): (path.stat().st_mtime_ns, path.read_bytes())
            for path in self.package.rglob("*")
            if path.is_file()
        }

    def again(self, arrangement: Arrangement, **options: Any) -> tuple[set[str], HandOverReport]:
        """Which files have another time or other bytes."""
        before = self.stamps()
        report = self.hand_over(arrangement, **options)
        self.assertTrue(report.proof.ok, report.proof)
        after = self.stamps()
        same = {name for name in after if after[name] == before.get(name)}
        self.assertEqual(set(report.kept), same - set(report.obsolete))
        return {name for name in after if after[name] != before.get(name)}, report

    def setUp(self) -> None:
        super().setUp()
        self.start = arrangement_of(self.illustration)[0]
        self.hand_over(self.start)

    def test_nothing(self) -> None:
        self.assertEqual(self.again(self.start)[0], set())

    def test_one_part_repainted(self) -> None:
        mast = self.scratch.whole("mast")
        mast[:4] = (1, 2, 3, 255)
        self.scratch.put("mast", mast)
        self.assertEqual(self.again(self.start)[0], {"parts/post/mast.png", "reference.png", "manifest.json"})

    def test_order_changes_the_manifest_the_table_and_the_picture(self) -> None:
        moved = apply(self.start, MoveRows((Place("mist", None, 0),)))
        self.assertEqual(self.again(moved)[0], {"reference.png", "manifest.json", "places.csv"})

    def test_a_new_name_is_a_new_file(self) -> None:
        changed, report = self.again(apply(self.start, RenameRows({"mast": "pole"})))
        self.assertEqual(changed, {"parts/post/pole.png", "manifest.json", "places.csv"})
        self.assertEqual(report.obsolete, ["parts/post/mast.png"])

    def test_another_recipe_writes_all_of_it(self) -> None:
        changed, _ = self.again(self.start, recipe=recipe(images={"margin": 1}))
        self.assertEqual(len(changed), 9 + 2)

    def test_the_package_of_another_illustration_is_not_taken_for_an_old_one(self) -> None:
        self.hand_over(self.start, illustration_id="one")
        before = self.stamps()
        with self.assertRaisesRegex(AnotherPackage, "a package of another illustration, 'signal post'"):
            self.hand_over(self.start, illustration_id="another")
        self.assertEqual(self.stamps(), before)
        self.hand_over(self.start, illustration_id="one")

    def test_what_somebody_has_changed_is_put_right(self) -> None:
        (self.package / "parts/sky.png").write_bytes(b"not a picture")
        self.assertEqual(self.again(self.start)[0], {"parts/sky.png"})


class SameDrawingTests(FolderTestCase):
    @settings(max_examples=12, deadline=None)
    @given(sides=st.sampled_from(["any", "even", "power-of-two"]), margin=st.integers(0, 3), factor=st.integers(1, 3))
    def test_one_image_lies_right_in_every_turn_with_any_padding(self, sides: str, margin: int, factor: int) -> None:
        from yuplet.derivation.turning import turn_picture
        from yuplet.illustration.derived import DerivedLayer, Turn, Turned

        picture = np.random.default_rng(5).integers(0, 256, (5, 9, 4), dtype=np.uint8)
        picture[..., 3] |= 128
        turns = [Turn(mirrored, quarters) for mirrored in (False, True) for quarters in range(4)]
        with SpillFile() as scratch:
            made, parts = [], []
            scratch.put("a", picture)
            parts.append(Part("a", "a", still("a")))
            for number, turn in enumerate(turns):
                turned = turn_picture(picture, turn)
                box = Box.at(12 * number + 10, 14, Size(turned.shape[1], turned.shape[0]))
                scratch.put(f"t{number}", turned)
                made.append(DerivedLayer(f"t{number}", "a", Turned(turn, (box.left, box.top)), box))
                parts.append(Part(f"t{number}", f"t{number}", still(f"t{number}")))
            art = Illustration("turns", Size(120, 40), (Layer("a", "a", Box.at(0, 0, Size(9, 5))),), made=tuple(made))
            target = self.folder / f"{sides} {margin} {factor}"
            said = recipe(images={"sides": sides, "margin": margin}, scales=[{"factor": factor}], smooth=False)
            report = hand_over(art, Arrangement(tuple(parts)), Sources(scratch), target, "", quiet, recipe=said)
        self.assertTrue(report.proof.ok, report.proof)
        self.assertEqual(len([file for file in report.files if file.startswith("parts/")]), 1)


class VectorTests(FolderTestCase):
    SVG = """<svg xmlns="http://www.w3.org/2000/svg" width="40" height="30" viewBox="0 0 40 30">
      <circle id="disc" cx="15" cy="15" r="9.3" fill="#b43"/>
      <path id="bar" d="M18 3 L37 8 L30 27 Z" fill="#269" fill-opacity="0.7"/></svg>"""

    def test_shapes_are_drawn_anew_at_each_scale(self) -> None:
        source = self.folder / "shapes.svg"
        source.write_text(self.SVG)
        target = self.folder / "out"
        scales = [{"factor": 1}, {"factor": 4}, {"factor": 0.75}]
        report, _, _ = hand_over_file(source, target, quiet, recipe=recipe(scales=scales))
        self.assertEqual([one.differing_pixels for one in report.proof.comparisons], [0, 0, 0])
        self.assertTrue(report.proof.ok, report.proof)
        # Drawn anew, the edge of the disc is as soft as that of any drawing at that size: a ring about one pixel wide.
        disc = np.array(Image.open(target / "parts-4x/disc.png").convert("RGBA"))[..., 3]
        soft = int(((disc > 0) & (disc < 255)).sum())
        self.assertLess(soft, 2 * np.pi * 9.3 * 4 * 1.6)

    def test_what_is_seen_at_a_large_scale_only_is_written_again(self) -> None:
        source, target = self.folder / "shapes.svg", self.folder / "again"
        by = recipe(scales=[{"factor": 1}, {"factor": 8}])
        # The disc grows by less than its pixels at scale 1 tell.
        for radius in ("9.3", "9.3004"):
            source.write_text(self.SVG.replace("9.3", radius))
            report, _, _ = hand_over_file(source, target, quiet, recipe=by)
        fresh = {file for file in report.files if file not in report.kept and "parts" in file}
        self.assertEqual({file for file in fresh if "8x" in file}, {"parts-8x/disc.png"})

    def test_straight_alpha(self) -> None:
        # Pure red at half coverage is (255, 0, 0, 128), in every format without loss.
        half = np.array([[[255, 0, 0, 128]]], np.uint8)
        for format_ in ("png", "tiff", "webp"):
            path = self.folder / f"half.{format_}"
            path.write_bytes(encode(half, recipe(images={"format": format_}).images))
            self.assertEqual(Image.open(path).convert("RGBA").getpixel((0, 0)), (255, 0, 0, 128))


class ShippedTests(FolderTestCase):
    def test_every_shipped_recipe_hands_the_signal_post_over(self) -> None:
        from yuplet.plan.recipe import shipped

        for file, one in shipped().items():
            with self.subTest(file), SpillFile() as scratch:
                art = signal_post.signal_post(scratch)
                target = self.folder / file
                report = hand_over(art, arrangement_of(art)[0], Sources(scratch), target, "", quiet, recipe=one)
                self.assertTrue(report.proof.ok, report.proof)
                self.assertEqual(prove(target, quiet).ok, True)
                read_as_documented(self, target, report)

    def test_the_reader_in_the_documents_is_a_command(self) -> None:
        with SpillFile() as scratch:
            art = signal_post.signal_post(scratch)
            hand_over(art, arrangement_of(art)[0], Sources(scratch), self.folder, "", quiet)
        self.assertNotIn("import yuplet", READER.read_text())
        picture = self.folder / "picture.png"
        command = [sys.executable, "-I", str(READER), str(self.folder), "--out", str(picture)]
        run = subprocess.run(command, check=True, capture_output=True, text=True)
        self.assertTrue(run.stdout.startswith("0 pixels differ"), run.stdout)
        np.testing.assert_array_equal(
            np.array(Image.open(picture)), np.array(Image.open(self.folder / "reference.png").convert("RGBA"))
        )
        manifest = json.loads((self.folder / "manifest.json").read_text())
        manifest["parts"][3]["box"]["x"] += 1
        (self.folder / "manifest.json").write_text(json.dumps(manifest))
        self.assertEqual(subprocess.run(command, check=False, capture_output=True).returncode, 1)
