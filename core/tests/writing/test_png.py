"""What we write is a PNG that other readers read, and every value comes back.

Source: PNG Specification, third edition. Readers of others: Pillow, OpenCV, imagecodecs, pypng, and pngjs of the web's world; and pngcheck, which
looks at every chunk (Debian's package of that name).
"""

import io
import json
import shutil
import struct
import subprocess
import tempfile
import unittest
import zlib
from pathlib import Path

import cv2
import imagecodecs
import numpy as np
import png as pypng
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays
from PIL import Image

from yuplet.geometry import Size
from yuplet.writing import banded_png, png

WEB = Path(__file__).resolve().parents[3] / "web"
READ_WITH_PNGJS = """
const { PNG } = require('pngjs'); const fs = require('fs');
const image = PNG.sync.read(fs.readFileSync(process.argv[1]));
process.stdout.write(JSON.stringify([image.width, image.height, [...image.data]]));
"""

_kinds = st.sampled_from(["rgba", "rgb", "grey", "grey and alpha"])
_pictures = st.tuples(st.integers(1, 19), st.integers(1, 19)).flatmap(
    lambda size: arrays(np.uint8, (*size, 4), elements=st.sampled_from([0, 1, 2, 127, 128, 200, 254, 255]))
)


def of_kind(picture: np.ndarray, kind: str) -> np.ndarray:
    picture = picture.copy()
    if kind.startswith("grey"):
        picture[..., 1] = picture[..., 2] = picture[..., 0]
    if kind in ("rgb", "grey"):
        picture[..., 3] = 255
    return picture


def chunks(data: bytes) -> list[tuple[bytes, bytes]]:
    """The chunks of a PNG; fails where a length or check sum is wrong (section 5.3)."""
    found, at = [], 8
    while at < len(data):
        (length,) = struct.unpack(">I", data[at : at + 4])
        kind, body = data[at + 4 : at + 8], data[at + 8 : at + 8 + length]
        assert struct.unpack(">I", data[at + 8 + length : at + 12 + length]) == (zlib.crc32(kind + body),)
        found.append((kind, body))
        at += 12 + length
    return found


@unittest.skipUnless(shutil.which("pngcheck"), "pngcheck is not there; ./test installs it")
class CheckedTests(unittest.TestCase):
    """What pngcheck says of each kind of file that we write."""

    def check(self, data: bytes) -> str:
        with tempfile.NamedTemporaryFile(suffix=".png") as file:
            file.write(data)
            file.flush()
            run = subprocess.run(["pngcheck", "-v", file.name], capture_output=True, text=True, check=False)
        self.assertEqual(run.returncode, 0, run.stdout)
        self.assertIn("No errors detected", run.stdout)
        self.assertNotIn("warning", run.stdout)
        return run.stdout

    def test_every_kind_of_colour_and_every_effort(self) -> None:
        rng = np.random.default_rng(2)
        many = rng.integers(0, 256, (40, 30, 4)).astype(np.uint8)
        for effort in ("quick", "normal", "small"):
            for kind, said in (
                ("rgba", "32-bit RGB+alpha"), ("rgb", "24-bit RGB"), ("grey and alpha", "16-bit grayscale+alpha"), ("grey", "8-bit grayscale"),
            ):  # fmt: skip
                self.assertIn(said, self.check(png.encode(of_kind(many, kind), effort, 144)))

    def test_pictures_by_the_numbers_of_their_colours(self) -> None:
        rng = np.random.default_rng(3)
        for count, bits in ((2, 1), (4, 2), (16, 4), (250, 8)):
            colours = rng.integers(0, 256, (count, 4)).astype(np.uint8)
            colours[:, 0] = np.arange(count)
            picture = colours[rng.integers(0, count, (301, 299))]
            self.assertIn(f"{bits}-bit palette", self.check(png.encode(picture)))

    def test_pictures_in_bands(self) -> None:
        picture = np.random.default_rng(4).integers(0, 256, (300, 50, 4)).astype(np.uint8)
        for kind in ("rgba", "rgb", "grey"):
            bands = banded_png.Bands(Size(50, 300), "normal")
            bands.add_all(of_kind(picture, kind), 1)
            tiles = {"tiles": np.arange(6, dtype=np.uint64).reshape(3, 2)}
            said = self.check(banded_png.encoded(bands.finished(tiles, 1), 300))
            self.assertIn("private, ancillary, unsafe-to-copy", said)

    def test_it_finds_what_is_wrong(self) -> None:
        data = bytearray(png.encode(np.random.default_rng(5).integers(0, 256, (9, 9, 4)).astype(np.uint8)))
        data[60] ^= 1
        with self.assertRaises(AssertionError):
            self.check(bytes(data))


class EncodeTests(unittest.TestCase):
    @settings(max_examples=150, deadline=None)
    @given(_pictures, _kinds, st.sampled_from(["quick", "normal", "small"]))
    def test_every_value_comes_back_through_three_readers(self, picture: np.ndarray, kind: str, effort: str) -> None:
        picture = of_kind(picture, kind)
        data = png.encode(picture, effort)  # type: ignore[arg-type]
        np.testing.assert_array_equal(np.array(Image.open(io.BytesIO(data)).convert("RGBA")), picture)
        _, _, rows, _ = pypng.Reader(bytes=data).asRGBA8()
        np.testing.assert_array_equal(
            np.vstack([np.frombuffer(bytes(row), np.uint8) for row in rows]), picture.reshape(len(picture), -1)
        )
        decoded = imagecodecs.png_decode(data)
        self.assertEqual(decoded.shape[:2], picture.shape[:2])

    def test_the_web_reads_it(self) -> None:
        rng = np.random.default_rng(5)
        for kind in ("rgba", "rgb", "grey", "grey and alpha"):
            picture = of_kind(rng.integers(0, 256, (9, 13, 4)).astype(np.uint8), kind)
            with self.subTest(kind), tempfile.NamedTemporaryFile(suffix=".png") as file:
                file.write(png.encode(picture))
                file.flush()
                out = subprocess.run(
                    ["node", "-e", READ_WITH_PNGJS, file.name], cwd=WEB, capture_output=True, text=True, check=True
                )
                width, height, values = json.loads(out.stdout)
                self.assertEqual((width, height), (13, 9))
                self.assertEqual(values, picture.reshape(-1).tolist())

    def test_opencv_reads_it(self) -> None:
        picture = np.random.default_rng(6).integers(0, 256, (11, 7, 4)).astype(np.uint8)
        read = cv2.imdecode(np.frombuffer(png.encode(picture), np.uint8), cv2.IMREAD_UNCHANGED)
        np.testing.assert_array_equal(cv2.cvtColor(read, cv2.COLOR_BGRA2RGBA), picture)

    def test_a_mask_comes_back_as_black_of_that_alpha(self) -> None:
        chance = np.random.default_rng(4)
        for mask in (
            chance.integers(0, 256, (33, 21), dtype=np.uint8),
            np.where(chance.random((9, 30)) < 0.5, 255, 0).astype(np.uint8),
            np.zeros((1, 1), np.uint8),
        ):
            read = np.array(Image.open(io.BytesIO(png.encode_mask(mask))).convert("RGBA"))
            np.testing.assert_array_equal(read[..., 3], mask)
            self.assertFalse(read[..., :3].any())

    def test_no_more_channels_than_needed(self) -> None:
        picture = np.random.default_rng(7).integers(0, 255, (8, 8, 4)).astype(np.uint8)
        types = {"rgba": 6, "rgb": 2, "grey": 0, "grey and alpha": 4}
        for kind, colour_type in types.items():
            header = dict(chunks(png.encode(of_kind(picture, kind))))[b"IHDR"]
            self.assertEqual(header[9], colour_type, kind)

    def test_chunks_stand_as_the_specification_orders_them(self) -> None:
        found = chunks(png.encode(np.full((4, 4, 4), 9, np.uint8), ppi=144.0))
        self.assertEqual([kind for kind, _ in found], [b"IHDR", b"sRGB", b"pHYs", b"IDAT", b"IEND"])
        self.assertEqual(struct.unpack(">IIB", dict(found)[b"pHYs"]), (5669, 5669, 1))

    def test_a_picture_without_pixels_is_a_mistake_of_ours(self) -> None:
        with self.assertRaises(ValueError):
            png.encode(np.zeros((0, 4, 4), np.uint8))

    def test_the_fallback_writes_the_same_picture(self) -> None:
        picture = np.random.default_rng(8).integers(0, 256, (5, 6, 4)).astype(np.uint8)
        np.testing.assert_array_equal(np.array(Image.open(io.BytesIO(png.encode_with_pillow(picture)))), picture)
