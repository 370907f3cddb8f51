"""Loose images are lined up by a picture of the whole: where they lie, how, and which of them lies in front."""

import contextlib
import io
import json
import shutil
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image, ImageDraw

from tests.packages import FolderTestCase
from yuplet.__main__ import main
from yuplet.errors import PackageError
from yuplet.geometry import Size
from yuplet.loose_package import package_of
from yuplet.rehearsal.lining_up import Laid, _sorted, laid_from_json
from yuplet.rehearsal.reading import Reading
from yuplet.rehearsal.trying import Trial, try_out


def drawn(seed: int, width: int = 90, height: int = 70) -> Image.Image:
    """A shape with an outline and some marks in it, unlike its mirror image and its turns."""
    chance = np.random.default_rng(seed)
    colour = tuple(int(level) for level in chance.integers(60, 230, 3))
    image = Image.new("RGBA", (width, height))
    draw = ImageDraw.Draw(image)
    corners = [(3, 3), (width - 4, 6), (width - 12, height // 2), (width - 5, height - 5), (width // 3, height - 4)]
    draw.polygon(corners, fill=(*colour, 255), outline=(30, 26, 32, 255), width=3)
    for _ in range(4):
        x, y = int(chance.integers(8, width - 30)), int(chance.integers(8, height - 24))
        mark = tuple(int(level) for level in chance.integers(20, 250, 3))
        draw.ellipse((x, y, x + int(chance.integers(6, 16)), y + int(chance.integers(6, 12))), fill=(*mark, 255))
    alpha = image.getchannel("A")
    inside = Image.new("L", (width, height))
    ImageDraw.Draw(inside).polygon(corners, fill=255)
    image.putalpha(Image.composite(alpha, Image.new("L", (width, height)), inside))
    return image


class LiningUpCase(FolderTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.art = self.folder / "art"
        self.art.mkdir()
        self.whole = Image.new("RGBA", (640, 480), (232, 226, 210, 255))

    def lay(self, name: str, image: Image.Image, x: int, y: int, seen: Image.Image | None = None) -> None:
        """Save an image, and lay it, or what is seen of it, on the picture of the whole."""
        image.save(self.art / name)
        self.whole.alpha_composite(seen or image, (x, y))

    def tried(self, **how: Any) -> Trial:
        self.whole.save(self.art / "whole picture.png")
        scratch, self.out = self.folder / "scratch", self.folder / "out"
        for one in (scratch, self.out):
            shutil.rmtree(one, ignore_errors=True)
            one.mkdir()
        return try_out(self.art, Reading(**how), scratch, self.out)

    def found(self, trial: Trial) -> dict[str, tuple[int, int, bool, int, float] | None]:
        return {
            one.file: one.laid and (one.laid.x, one.laid.y, one.laid.mirrored, one.laid.quarters, one.laid.scale)
            for one in trial.proposals
        }


class LiningUpTests(LiningUpCase):
    def test_uncovered_images_are_found_to_the_pixel_and_one_that_does_not_occur_is_not(self) -> None:
        places = {f"part {n}.png": (30 + 120 * (n % 5), 40 + 150 * (n // 5)) for n in range(10)}
        for number, (name, place) in enumerate(places.items()):
            self.lay(name, drawn(number), *place)
        drawn(77).save(self.art / "somewhere else.png")
        trial = self.tried()
        self.assertEqual((trial.way, trial.reference), ("lined up", "whole picture.png"))
        found = self.found(trial)
        self.assertIsNone(found.pop("somewhere else.png"))
        self.assertEqual(found, {name: (*place, False, 0, 1.0) for name, place in places.items()})
        self.assertEqual({laid.file for laid in trial.places}, set(places), "what is certain is put there")
        for image in trial.images:
            np.testing.assert_array_equal(
                np.array(Image.open(self.out / f"{image.picture}.png")),
                np.array(Image.open(self.art / image.file).convert("RGBA")),
            )

    def test_mirrored_turned_and_at_other_scales(self) -> None:
        ways = {
            "mirrored.png": (drawn(1), True, 0, 1.0),
            "turned.png": (drawn(2), False, 1, 1.0),
            "both.png": (drawn(3), True, 3, 1.0),
            "half.png": (drawn(4, 180, 140), False, 0, 0.5),
            "twice.png": (drawn(5, 60, 50), False, 0, 2.0),
        }
        for number, (name, (image, mirrored, quarters, scale)) in enumerate(ways.items()):
            seen = image.transpose(Image.Transpose.FLIP_LEFT_RIGHT) if mirrored else image
            seen = seen.rotate(-90 * quarters, expand=True)
            size = (round(seen.width * scale), round(seen.height * scale))
            seen = seen.resize(size, Image.Resampling.BOX if scale < 1 else Image.Resampling.NEAREST)
            self.lay(name, image, 20 + 120 * number, 100, seen)
        trial = self.tried()
        for number, (name, (_, mirrored, quarters, scale)) in enumerate(ways.items()):
            with self.subTest(name):
                self.assertEqual(self.found(trial)[name], (20 + 120 * number, 100, mirrored, quarters, scale))
        assert trial.comparison is not None
        self.assertEqual(trial.comparison.largest, 255, "the ground is in no image")

    def test_one_that_is_half_covered_is_found_and_told_to_be_less_certain(self) -> None:
        self.lay("under.png", drawn(1, 160, 120), 200, 150)
        self.lay("over.png", drawn(2, 160, 120), 270, 160)
        trial = self.tried()
        found = {one.file: one for one in trial.proposals}
        self.assertEqual(self.found(trial)["under.png"], (200, 150, False, 0, 1.0))
        self.assertLess(found["under.png"].certainty, found["over.png"].certainty)
        self.assertGreater(found["over.png"].certainty, 0.95)

    def test_an_empty_edge_counts_and_what_is_plain_everywhere_is_not_certain(self) -> None:
        wide = Image.new("RGBA", (200, 160))
        wide.alpha_composite(drawn(6), (70, 41))
        self.lay("wide.png", wide, 300, 200)
        plain = Image.new("RGBA", (30, 30), (10, 120, 90, 255))
        plain.save(self.art / "plain.png")
        for x in (20, 120, 400):
            self.whole.alpha_composite(plain, (x, 30))
        trial = self.tried()
        self.assertEqual(self.found(trial)["wide.png"], (300, 200, False, 0, 1.0))
        (found,) = (one for one in trial.proposals if one.file == "plain.png")
        self.assertLessEqual(found.certainty, 0.5)

    def test_what_lies_in_front_is_in_front(self) -> None:
        names = ["d.png", "a.png", "c.png", "b.png"]
        for number, name in enumerate(names):
            self.lay(name, drawn(number + 20, 150, 110), 100 + 40 * number, 100 + 25 * number)
        trial = self.tried()
        self.assertEqual([laid.file for laid in (one.laid for one in trial.proposals) if laid], names)

    def test_an_order_that_goes_in_circles_leaves_out_the_weakest(self) -> None:
        order = _sorted(["a", "b", "c"], [(9, "a", "b"), (8, "b", "c"), (1, "c", "a")])
        self.assertEqual(order, ["a", "b", "c"])
        self.assertEqual(_sorted(["a", "b"], []), ["a", "b"], "as they come where nothing is known")

    def test_places_that_are_told_are_kept_to_and_nothing_is_proposed(self) -> None:
        self.whole = Image.new("RGBA", (120, 90))
        image = drawn(3)
        self.lay("arm.png", image, 0, 0, Image.new("RGBA", (1, 1)))
        self.whole.alpha_composite(image.transpose(Image.Transpose.ROTATE_270), (5, 0))
        trial = self.tried(way="lined up", places=(Laid(file="arm.png", x=5, y=0, quarters=1),))
        assert trial.comparison is not None
        self.assertEqual((trial.comparison.differing_pixels, trial.proposals), (0, ()))
        (part,) = trial.parts
        self.assertEqual((part.left, part.top, part.width, part.height), (5, 0, 70, 90))
        moved = self.tried(way="lined up", places=(Laid(file="arm.png", x=6, y=0, quarters=1),))
        assert moved.comparison is not None
        assert moved.comparison.worst is not None
        self.assertEqual(moved.comparison.worst["part"], "arm")
        outside = self.tried(way="lined up", places=(Laid(file="arm.png", x=-900, y=-900),))
        self.assertEqual(len(outside.parts), 1)

    def test_places_that_cannot_be(self) -> None:
        self.lay("arm.png", drawn(1), 10, 10)
        twice = (Laid(file="arm.png", x=0, y=0), Laid(file="arm.png", x=1, y=0))
        for places, said in (
            (twice, "more than one place"),
            ((Laid(file="leg.png", x=0, y=0),), "no such image"),
            ((Laid(file="whole picture.png", x=0, y=0),), "no such image"),
        ):
            with self.subTest(said), self.assertRaisesRegex(PackageError, said):
                self.tried(way="lined up", places=places)
        Image.new("RGBA", (900, 900), (1, 2, 3, 255)).save(self.art / "arm.png")
        self.whole = Image.new("RGBA", (901, 901))
        with self.assertRaisesRegex(PackageError, "million pixels at 64 times its size"):
            self.tried(way="lined up", places=(Laid(file="arm.png", x=0, y=0, scale=64),))

    def test_places_of_elsewhere_are_looked_at(self) -> None:
        good = {"file": "arm.png", "x": 3, "y": -4, "mirrored": True, "quarters": 2, "scale": 0.5}
        self.assertEqual(laid_from_json([good]), (Laid(**good),))  # type: ignore[arg-type]
        for changed in (
            {"x": 1.5}, {"x": True}, {"y": 10**9}, {"mirrored": 1}, {"quarters": 4}, {"quarters": -1}, {"scale": 0}, {"scale": float("nan")},
            {"scale": "1"}, {"file": 7}, {"more": 1}, {"x": None}, {"scale": 1e9},
        ):  # fmt: skip
            with self.subTest(changed), self.assertRaises(PackageError):
                laid_from_json([{**good, **changed}])
        for value in (None, {}, "x", [[]], [{"file": "a"}], json.loads('[{"x": 1, "y": 2}]')):
            with self.subTest(value=value), self.assertRaises(PackageError):
                laid_from_json(value)

    def test_images_of_the_size_of_the_canvas_are_first_read_as_that(self) -> None:
        for name in ("a.png", "b.png", "reference.png"):
            Image.new("RGBA", (50, 40), (9, 9, 9, 255)).save(self.art / name)
        shutil.rmtree(self.folder / "out", ignore_errors=True)
        scratch, out = Path(self.folder, "s"), Path(self.folder, "o")
        scratch.mkdir()
        out.mkdir()
        trial = try_out(self.art, Reading(), scratch, out)
        self.assertEqual((trial.way, trial.ways[-1]), ("whole canvas", "lined up"))


class PackageTests(LiningUpCase):
    """What was lined up is handed over with a manifest."""

    def test_it_has_a_manifest_and_comes_back_as_it_was_lined_up(self) -> None:
        self.lay("arm.png", drawn(1), 30, 40)
        turned = drawn(2).transpose(Image.Transpose.ROTATE_270)
        self.lay("leg.png", drawn(2), 300, 200, turned)
        outside = drawn(3)
        self.lay("tail.png", outside, 600, 430)
        places = (*self.tried().places, Laid(file="tail.png", x=600, y=430))
        trial = self.tried(way="lined up", places=places)
        out = self.folder / "package"
        report = package_of(self.art, trial.places, Size(640, 480), out, "Heron", lambda stage, done, total: None)
        self.assertEqual((report.parts, report.proof.ok), (3, True))
        parts = {part["name"]: part for part in json.loads((out / "manifest.json").read_text())["parts"]}
        self.assertEqual((parts["arm"]["box"]["x"], parts["arm"]["box"]["y"]), (33, 43), "without its empty edge")
        self.assertEqual(parts["tail"]["box"]["x"] + parts["tail"]["box"]["width"], 640, "cut off at the canvas")
        scratch, again = self.folder / "s", self.folder / "o"
        scratch.mkdir()
        again.mkdir()
        found = try_out(out, Reading(), scratch, again)
        self.assertEqual((found.way, found.has_manifest, found.ok), ("places", True, True))
        np.testing.assert_array_equal(
            np.array(Image.open(again / "together.png")), np.array(Image.open(self.out / "together.png"))
        )

    def test_by_the_command_line(self) -> None:
        self.lay("arm.png", drawn(1), 30, 40)
        self.whole.save(self.art / "whole picture.png")
        places, out = self.folder / "places.json", self.folder / "package"
        places.write_text(json.dumps([{"file": "arm.png", "x": 5, "y": 6}]))
        printed = io.StringIO()
        with contextlib.redirect_stdout(printed):
            status = main(["try", str(self.art), "--places", str(places), "--package", str(out)])
        said = json.loads(printed.getvalue())
        self.assertEqual((status, said["way"], said["places"][0]["x"]), (1, "lined up", 5), "it differs from the whole")
        self.assertEqual(json.loads((out / "manifest.json").read_text())["parts"][0]["box"]["x"], 8)
        places.write_text('[{"file": "../arm.png", "x": 5, "y": 6}]')
        error = io.StringIO()
        with contextlib.redirect_stderr(error):
            self.assertEqual(main(["try", str(self.art), "--places", str(places)]), 2)
        self.assertIn("no such image", error.getvalue())

    def test_an_image_that_would_be_too_large_is_refused_here_too(self) -> None:
        Image.new("RGBA", (900, 900), (1, 2, 3, 255)).save(self.art / "arm.png")
        places = (Laid(file="arm.png", x=0, y=0, scale=64),)
        with self.assertRaisesRegex(PackageError, "million pixels at 64 times its size"):
            package_of(self.art, places, Size(9, 9), self.folder / "p", "x", lambda stage, done, total: None)

    def test_without_a_place_and_without_the_image(self) -> None:
        for places, said in (((), "No image has a place"), ((Laid(file="../../x.png", x=0, y=0),), "cannot be read")):
            with self.subTest(said), self.assertRaisesRegex(PackageError, said):
                package_of(self.art, places, Size(9, 9), self.folder / "p", "x", lambda stage, done, total: None)
