"""Opening packages for trying out: ours, and those of somewhere without a manifest; each planted fault is told."""

import base64
import json
import shutil
import struct
import zipfile
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np
from PIL import Image

import signal_post
from tests.packages import FolderTestCase, PackageTestCase
from yuplet.arrangement.tree import arrangement_of
from yuplet.errors import PackageError
from yuplet.pixels.spill_file import SpillFile
from yuplet.plan.recipe import from_json
from yuplet.rehearsal import images, layered, loose_files, trying
from yuplet.rehearsal.reading import Reading
from yuplet.rehearsal.trying import Trial, try_out


class Trying:
    folder: Path
    out: Path

    def tried(self, package: Path, elsewhere: Path | None = None, **how: Any) -> Trial:
        scratch = self.folder / "scratch"
        self.out = self.folder / "out"
        for one in (scratch, self.out):
            shutil.rmtree(one, ignore_errors=True)
            one.mkdir()
        return try_out(package, Reading(**how), scratch, self.out, elsewhere=elsewhere)

    def picture(self, name: str) -> np.ndarray:
        return np.array(Image.open(self.out / name))


class OwnPackageTests(Trying, PackageTestCase):
    def test_it_is_put_together_and_nothing_differs(self) -> None:
        trial = self.tried(self.package)
        assert trial.comparison is not None
        self.assertEqual((trial.way, trial.has_manifest, trial.comparison.differing_pixels), ("places", True, 0))
        self.assertEqual((trial.width, trial.height, len(trial.parts)), (97, 73, 9))
        self.assertEqual((trial.inventory.found, trial.inventory.is_clean), (13, True))
        # Pillow reads what Pillow wrote; the reference was written by the writer.
        np.testing.assert_array_equal(
            self.picture("together.png"),
            np.array(Image.open(self.package / self.manifest()["reference"]["file"]).convert("RGBA")),
        )
        self.assertEqual(self.picture("difference.png").max(), 0)

    def test_a_part_that_lies_elsewhere_is_seen_and_named(self) -> None:
        manifest = self.manifest()
        lamp = self.part(manifest, "lamp")
        lamp["box"]["x"] += 1
        self.rewrite(manifest)
        trial = self.tried(self.package)
        assert trial.comparison is not None
        assert trial.comparison.worst is not None
        self.assertFalse(trial.comparison.ok)
        self.assertTrue(trial.comparison.worst["part"].endswith("lamp"))
        different = self.picture("difference.png")
        self.assertEqual((different > 0).sum(), trial.comparison.differing_pixels)
        worst = trial.comparison.worst
        self.assertEqual(different[worst["y"], worst["x"]], different.max())

    def test_a_missing_picture_keeps_its_place_and_one_in_another_case_is_taken(self) -> None:
        manifest = self.manifest()
        lamp, mast = (self.part(manifest, name)["file"] for name in ("lamp", "mast"))
        (self.package / lamp).unlink()
        (self.package / mast).rename(self.package / mast.replace("mast.png", "Mast.PNG"))
        trial = self.tried(self.package)
        self.assertEqual((trial.inventory.missing, trial.inventory.wrong_case), ([lamp], [mast]))
        assert trial.comparison is not None
        assert trial.comparison.worst is not None
        self.assertTrue(trial.comparison.worst["part"].endswith("lamp"), trial.comparison.worst)
        box = self.part(manifest, "lamp")["box"]
        (gone,) = (part for part in trial.parts if part.is_missing)
        self.assertEqual(
            (gone.left, gone.top, gone.width, gone.height), (box["x"], box["y"], box["width"], box["height"])
        )

    def test_what_is_missing_is_looked_for_elsewhere(self) -> None:
        manifest = self.manifest()
        lamp, mast, arm = (self.part(manifest, name)["file"] for name in ("lamp", "mast", "arm"))
        other = self.folder / "elsewhere"
        (other / "deep").mkdir(parents=True)
        (self.package / lamp).rename(other / "deep" / "LAMP.png")
        (other / mast).parent.mkdir(parents=True)
        (self.package / mast).rename(other / mast)
        trial = self.tried(self.package, elsewhere=other)
        assert trial.comparison is not None
        self.assertEqual((trial.inventory.missing, trial.comparison.differing_pixels), ([], 0))
        with self.subTest("of two that could be meant neither is taken"):
            (self.package / arm).rename(other / "arm.png")
            shutil.copy(other / "arm.png", other / "deep" / "arm.png")
            self.assertEqual(self.tried(self.package, elsewhere=other).inventory.missing, [arm])

    def test_another_scale_and_images_that_are_too_large_for_many(self) -> None:
        scales = [{"factor": 1}, {"factor": 2}]
        value = {"format": "yuplet-recipe", "version": 1, "name": "two sizes", "scales": scales}
        self.hand_over(arrangement_of(self.illustration)[0], recipe=from_json(value), remove_obsolete=True)
        main = self.tried(self.package)
        self.assertEqual(sorted(main.scales.values()), [1.0, 2.0])
        (double,) = (name for name, scale in main.scales.items() if scale == 2)
        with mock.patch.object(trying, "LONGEST", 100):
            trial = self.tried(self.package, manifest=double)
        assert trial.comparison is not None
        self.assertEqual((trial.scale, trial.width, trial.comparison.ok), (2.0, 194, True))
        self.assertTrue(trial.inventory.is_clean, trial.inventory)
        self.assertTrue(any("reference" in name for name in trial.too_large), trial.too_large)
        with self.assertRaisesRegex(PackageError, "has no manifest '../manifest.json'"):
            self.tried(self.package, manifest="../manifest.json")

    def test_a_way_that_the_package_does_not_have_is_refused(self) -> None:
        with self.assertRaisesRegex(PackageError, "cannot be read as 'model'. They can be read as places"):
            self.tried(self.package, way="model")

    def test_places_by_shares_of_the_canvas_and_by_depth_are_the_same_places(self) -> None:
        manifest = self.manifest()
        lamp = self.part(manifest, "lamp")
        distance = manifest["camera"]["distance"]
        lamp["anchor"] = [1, 0]
        lamp["depth"] = {"z": 250, "scale": (distance + 250) / distance}
        self.rewrite(manifest)
        self.assertEqual(self.tried(self.package).ways[-2:], ("interface", "planes"))
        for way in ("interface", "planes"):
            with self.subTest(way):
                trial = self.tried(self.package, way=way)
                assert trial.comparison is not None
                self.assertEqual((trial.comparison.differing_pixels, trial.inventory.faults), (0, []))
        with self.subTest("one that is enlarged too much is larger than it is drawn, and elsewhere"):
            lamp["depth"]["scale"] *= 2
            self.rewrite(manifest)
            trial = self.tried(self.package, way="planes")
            assert trial.comparison is not None
            self.assertFalse(trial.comparison.ok)
            said = " ".join(trial.inventory.faults)
            self.assertIn("how much it is enlarged does not agree with its depth", said)
            self.assertIn(f"would be {lamp['box']['width'] * 2:.1f} x", said)
        with self.subTest("one that is enlarged beyond everything"):
            lamp["depth"]["scale"] = 1e300
            self.rewrite(manifest)
            self.assertIn("leads nowhere", " ".join(self.tried(self.package, way="planes").inventory.faults))
        with self.subTest("one that stands behind the camera"):
            lamp["depth"] = {"z": -distance - 1, "scale": None}
            self.rewrite(manifest)
            self.assertIn("stands behind the camera", " ".join(self.tried(self.package, way="planes").inventory.faults))
        with self.subTest("shares of another size"):
            lamp["fractions"]["canvas"]["x"] += 0.2
            self.rewrite(manifest)
            trial = self.tried(self.package, way="interface")
            assert trial.comparison is not None
            self.assertTrue(str((trial.comparison.worst or {})["part"]).endswith("lamp"))

    def test_what_a_link_leads_to_is_not_there(self) -> None:
        lamp = self.package / self.part(self.manifest(), "lamp")["file"]
        outside = self.folder / "outside.png"
        lamp.rename(outside)
        lamp.symlink_to(outside)
        self.assertEqual(len(self.tried(self.package).inventory.missing), 1)

    def test_too_many_pixels_are_refused_before_one_is_decoded(self) -> None:
        with (
            mock.patch.object(trying, "MOST_PIXELS", 9_000),
            self.assertRaisesRegex(PackageError, "million pixels in all"),
        ):
            self.tried(self.package)


class LooseFilesTests(Trying, FolderTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.package = self.folder / "loose"
        self.package.mkdir()

    def image(self, name: str, *boxes: tuple[int, int, int, int], size: tuple[int, int] = (40, 30)) -> None:
        """An image with opaque rectangles, the n-th of them red n * 40 + the number of letters in its name."""
        picture = Image.new("RGBA", size)
        for number, box in enumerate(boxes):
            picture.paste((number * 40 + len(name), 90, 30, 255), box)
        picture.save(self.package / name)

    def test_whole_images_lie_at_0_0_in_the_order_of_their_numbers(self) -> None:
        # By letters, 10 would come before 9.
        self.image("9 back.png", (0, 0, 30, 20))
        self.image("10 front one.png", (10, 5, 40, 30))
        trial = self.tried(self.package)
        self.assertEqual((trial.way, [part.id for part in trial.parts]), ("whole canvas", ["9 back", "10 front one"]))
        self.assertIsNone(trial.comparison)
        self.assertEqual(self.picture("together.png")[10, 20].tolist(), [len("10 front one.png"), 90, 30, 255])
        with self.subTest("with a picture of the whole it is compared"):
            Image.fromarray(self.picture("together.png")).save(self.package / "reference.png")
            again = self.tried(self.package)
            assert again.comparison is not None
            self.assertEqual((again.comparison.differing_pixels, len(again.parts)), (0, 2))
        with self.subTest("one that is chosen"):
            chosen = self.tried(self.package, reference="9 back.png")
            assert chosen.comparison is not None
            self.assertFalse(chosen.comparison.ok)
            self.assertEqual(chosen.reference, "9 back.png")
            self.assertEqual(chosen.references, ("10 front one.png", "9 back.png", "reference.png"))

    def test_numbered_images_are_a_flip_book_and_so_is_one_that_moves(self) -> None:
        for number in range(1, 4):
            self.image(f"blink_{number:03}.png", (number, 0, number + 5, 9))
        trial = self.tried(self.package)
        self.assertEqual((trial.way, [part.shown for part in trial.parts]), ("flip-book", [True, False, False]))
        self.assertEqual(trial.ways, ("flip-book", "whole canvas", "planes"))
        frames = [Image.open(path) for path in sorted(self.package.iterdir())]
        shutil.rmtree(self.package)
        self.package.mkdir()
        frames[0].save(self.package / "blink.png", save_all=True, append_images=frames[1:], duration=80)
        moving = self.tried(self.package)
        self.assertEqual((moving.way, len(moving.parts)), ("flip-book", 3))

    def test_by_names_alone_folders_are_groups_and_states_are_alternates(self) -> None:
        for name in ("01_sky.png", "02_Mouth_wide.png", "03_mouth rest.png", "04_slot 1.png", "05_slot 2.png"):
            self.image(name, (0, 0, 30, 20))
        (self.package / "face").mkdir()
        for name in ("eye closed left", "eye closed right", "eye open left", "eye open right"):
            self.image(f"face/{name}.png", (3, 3, 9, 9))
        self.assertIn("names", self.tried(self.package).ways)
        trial = self.tried(self.package, way="names")
        sets = {group.path: group.is_set for group in trial.groups}
        self.assertEqual(sets, {"mouth": True, "face": False, "face/eye left": True, "face/eye right": True})
        shown = [part.name.rpartition(" / ")[2] for part in trial.parts if part.shown]
        self.assertEqual(shown, ["sky", "mouth rest", "slot 1", "slot 2", "eye open left", "eye open right"])
        (wide,) = (part for part in trial.parts if part.name == "Mouth_wide")
        self.assertEqual((wide.is_on, trial.groups[wide.group or 0].name), (False, "mouth"))

    def test_planes_stand_an_even_step_behind_each_other(self) -> None:
        for at in (1, 2, 3):
            self.image(f"{at} plane.png", (0, 0, 40, 30))
        trial = self.tried(self.package, way="planes", step=250.0, distance=1500.0)
        self.assertEqual([part.depth for part in trial.parts], [500.0, 250.0, 0.0])
        self.assertEqual(trial.distance, 1500.0)
        for wrong in ({"step": 0.0}, {"distance": float("nan")}, {"step": float("inf")}, {"distance": 1e9}):
            with self.subTest(wrong), self.assertRaisesRegex(PackageError, "Planes stand a step"):
                self.tried(self.package, way="planes", **wrong)

    def test_a_sheet_is_cut_by_columns_and_rows_and_a_count_that_cannot_be_is_refused(self) -> None:
        # Three columns of 40 px and two rows of 30 px, in each frame something that nearly fills it.
        boxes = [(x * 40 + 3, y * 30 + 3, x * 40 + 37, y * 30 + 27) for y in range(2) for x in range(3)]
        self.image("sheet.png", *boxes, size=(120, 60))
        with self.assertRaisesRegex(PackageError, "Say how many columns and rows"):
            self.tried(self.package)
        trial = self.tried(self.package, grid=(3, 2))
        self.assertEqual((trial.width, trial.height, len(trial.parts)), (40, 30, 6))
        self.assertEqual(self.picture("together.png")[15, 20, 0], len("sheet.png"))
        for grid, words in (
            ((7, 2), "120 px wide, which 7 columns do not divide"),
            ((3, 7), "60 px high, which 7 rows do not divide"),
            ((4, 2), "With 4 columns the cut at 30 px runs through"),
            ((3, 4), "With 4 rows the cut at 15 px runs through"),
            ((0, 2), "0 columns do not divide"),
            ((120, 60), "more than 4,096"),
        ):
            with self.subTest(grid), self.assertRaisesRegex(PackageError, words):
                self.tried(self.package, grid=grid)

    def test_a_layered_file_alone(self) -> None:
        signal_post.write(self.package / "post.ora")
        trial = self.tried(self.package)
        self.assertEqual((trial.way, trial.width, trial.height), ("layers", 97, 73))
        with SpillFile() as scratch:
            self.assertEqual(len(trial.parts), len(list(signal_post.signal_post(scratch).leaves())))

    def test_a_drawing_needs_to_know_the_size_of_the_canvas(self) -> None:
        drawing = (
            '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 4 3"><rect width="2" height="3" fill="#f00"/></svg>'
        )
        (self.package / "post.svg").write_text(drawing)
        with self.assertRaisesRegex(PackageError, "how large the canvas is, is not said"):
            self.tried(self.package)
        picture = Image.new("RGBA", (40, 30))
        picture.paste((255, 0, 0, 255), (0, 0, 20, 30))
        picture.save(self.package / "reference.png")
        trial = self.tried(self.package, way="scene")
        assert trial.comparison is not None
        self.assertTrue(trial.comparison.ok)

    def test_what_is_there_and_cannot_be_used_is_told(self) -> None:
        self.image("1.png", (0, 0, 9, 9))
        self.image("2.png")
        (self.package / "3.png").write_bytes(b"\x89PNG\r\n\x1a\n torn")
        (self.package / "notes.txt").write_text("hello")
        inventory = self.tried(self.package).inventory
        self.assertEqual(
            (inventory.unreadable, inventory.empty, inventory.extra), (["3.png"], ["2.png"], ["notes.txt"])
        )

    def test_nothing_that_belongs_together(self) -> None:
        with self.assertRaisesRegex(PackageError, "There is nothing in"):
            self.tried(self.package)
        (self.package / "notes.txt").write_text("hello")
        with self.assertRaisesRegex(PackageError, "Nothing says how these files belong together"):
            self.tried(self.package)
        self.image("arm.png", (0, 0, 5, 5), size=(10, 10))
        self.image("leg.png", (0, 0, 5, 5), size=(12, 9))
        with self.assertRaisesRegex(PackageError, "the images have different sizes"):
            self.tried(self.package)
        with self.assertRaisesRegex(PackageError, "no file '../etc/passwd' to compare with"):
            self.tried(self.package, reference="../etc/passwd")
        with mock.patch.object(loose_files, "MOST_FILES", 1), self.assertRaisesRegex(PackageError, "There are 3 files"):
            self.tried(self.package)


class HostileTests(Trying, FolderTestCase):
    """Files of somewhere that reach for what is not theirs."""

    def setUp(self) -> None:
        super().setUp()
        self.package = self.folder / "hostile"
        self.package.mkdir()
        Image.new("RGBA", (8, 8), (9, 99, 9, 255)).save(self.package / "reference.png")
        self.secret = self.folder / "secret.png"
        Image.new("RGBA", (8, 8), (200, 0, 0, 255)).save(self.secret)

    def refused(self, way: str, words: str) -> None:
        with self.assertRaisesRegex(PackageError, words):
            self.tried(self.package, way=way)
        self.assertFalse((self.out / "together.png").exists())

    def test_a_page_that_names_a_file_of_the_machine(self) -> None:
        (self.package / "style.css").write_text("#a { left: 0%; top: 0%; width: 100%; height: 100% }")
        for source in (str(self.secret), "../secret.png", "%2e%2e/secret.png", "x/../../secret.png"):
            page = f'<main><img class="part" id="a" alt="a" src="{source}"></main>'
            (self.package / "index.html").write_text(page)
            with self.subTest(source):
                self.refused("page", "cannot be rebuilt")
        (self.package / "index.html").write_text('<main><img class="part" id="a" alt="a" src="reference.png"></main>')
        trial = self.tried(self.package, way="page")
        assert trial.comparison is not None
        self.assertEqual(trial.comparison.differing_pixels, 0, "one of its own is shown")

    def test_a_drawing_that_names_a_file_of_the_machine(self) -> None:
        inner = base64.b64encode(
            f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 8 8"><image href="{self.secret}" width="8" height="8"/></svg>'.encode()
        ).decode()
        for element in (
            f'<image href="{self.secret}" width="8" height="8"/>',
            f'<image xmlns:x="http://www.w3.org/1999/xlink" x:href="file://{self.secret}" width="8" height="8"/>',
            f'<image href=" &#47;{str(self.secret)[1:]}" width="8" height="8"/>',
            f'<filter id="f"><feImage href="{self.secret}"/></filter><rect width="8" height="8" filter="url(#f)"/>',
            '<use href="other.svg#a"/>',
        ):
            with self.subTest(element):
                drawing = f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 8 8">{element}</svg>'
                (self.package / "a.svg").write_text(drawing)
                self.refused("scene", "refers to another file")
        with self.subTest("one within one shows nothing of it"):
            nested = f'<image href="data:image/svg+xml;base64,{inner}" width="8" height="8"/>'
            (self.package / "a.svg").write_text(
                f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 8 8">{nested}</svg>'
            )
            self.tried(self.package, way="scene")
            self.assertEqual(self.picture("together.png").max(), 0)

    def test_a_small_file_that_stands_for_a_great_deal(self) -> None:
        with self.subTest("a layered file"):
            with zipfile.ZipFile(self.package / "a.ora", "w", zipfile.ZIP_DEFLATED) as archive:
                archive.writestr("mimetype", b"image/openraster", zipfile.ZIP_STORED)
                archive.writestr("stack.xml", b" " * 5000)
            with mock.patch.object(layered, "MOST_UNPACKED", 4000):
                self.refused("layers", "unpacks to more than")
        with self.subTest("a page with one image very often"):
            (self.package / "style.css").write_text("#a { left: 0%; top: 0%; width: 100%; height: 100% }")
            part = '<img class="part" id="a" alt="a" src="reference.png">'
            (self.package / "index.html").write_text(f"<main>{part * 30}</main>")
            with mock.patch.object(images, "MOST_BYTES", 20 * 8 * 8 * 4):
                self.refused("page", "million pixels in all")
        with self.subTest("a model whose nodes hold each other"):
            text = json.dumps(
                {
                    "extras": {"pixels_per_unit": 1},
                    "scene": 0,
                    "scenes": [{"nodes": [0]}],
                    "meshes": [{}],
                    "nodes": [{"mesh": 0, "children": [min(at + 1, 39)] * 2} for at in range(40)],
                }
            ).encode()
            text += b" " * (-len(text) % 4)
            head = struct.pack("<4sII", b"glTF", 2, 28 + len(text)) + struct.pack("<I4s", len(text), b"JSON")
            (self.package / "a.glb").write_bytes(head + text + struct.pack("<I4s", 0, b"BIN\0"))
            self.refused("model", "cannot be rebuilt")
