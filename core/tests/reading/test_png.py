"""PNG of every kind, judged by more than one other reader.

Source of the pictures: PngSuite by Willem van Schaik (a selection; `golden/pngsuite`). The first judge is pypng, which
keeps to the specification in plain Python; the second is Pillow, with the places named where it is known to go wrong.
"""

import io
import unittest
from pathlib import Path

import numpy as np
import png as pypng
from PIL import Image

from yuplet.errors import BrokenFile, TooLarge
from yuplet.reading import png

SUITE = Path(__file__).parent.parent / "golden" / "pngsuite"
# Pillow loses the transparent colour of 2- and 4-bit grey and clips 16-bit samples instead of scaling them.
PILLOW_GOES_WRONG = {"tbbn1g04", "basi0g16", "basn0g16", "basi2c16", "basn2c16", "basn4a16", "basn6a16", "tbrn2c08"}


def by_pypng(data: bytes) -> np.ndarray:
    """RGBA of 8 bits, 16-bit samples rounded to the nearest."""
    width, height, rows, info = pypng.Reader(bytes=data).asRGBA()
    values = np.array([list(row) for row in rows], np.uint32).reshape(height, width, 4)
    most = (1 << info["bitdepth"]) - 1
    return ((values * 255 * 2 + most) // (2 * most)).astype(np.uint8)


class PngSuiteTests(unittest.TestCase):
    def test_every_picture_reads_as_pypng_reads_it(self) -> None:
        files = sorted(SUITE.glob("*.png"))
        self.assertGreater(len(files), 20)
        for file in files:
            data = file.read_bytes()
            with self.subTest(file.stem):
                np.testing.assert_array_equal(png.decode(data, file.name), by_pypng(data))

    def test_every_picture_reads_as_pillow_reads_it_where_pillow_is_right(self) -> None:
        for file in sorted(SUITE.glob("*.png")):
            if file.stem in PILLOW_GOES_WRONG:
                continue
            data = file.read_bytes()
            with self.subTest(file.stem):
                other = np.array(Image.open(io.BytesIO(data)).convert("RGBA"))
                np.testing.assert_array_equal(png.decode(data, file.name), other)

    def test_the_header_says_what_pypng_finds(self) -> None:
        for file in sorted(SUITE.glob("*.png")):
            data = file.read_bytes()
            found = png.facts(data, file.name)
            width, height, _, info = pypng.Reader(bytes=data).read()
            self.assertEqual((found.size, found.bit_depth), ((width, height), info["bitdepth"]), file.stem)


class DamageTests(unittest.TestCase):
    def setUp(self) -> None:
        self.good = (SUITE / "basn6a08.png").read_bytes()

    def test_every_truncation_is_refused_or_read(self) -> None:
        for length in range(0, len(self.good), 7):
            data = self.good[:length]
            try:
                png.facts(data, "it")
                png.decode(data, "it")
            except BrokenFile as error:
                self.assertIn("Save it again", str(error))

    def test_a_damaged_byte_is_refused_with_a_sentence(self) -> None:
        at = self.good.index(b"IDAT") + 20
        data = self.good[:at] + bytes([self.good[at] ^ 0x55]) + self.good[at + 1 :]
        with self.assertRaisesRegex(BrokenFile, "'hat.png' is damaged"):
            png.decode(data, "'hat.png'")

    def test_sizes_beyond_the_limits_are_refused_before_a_pixel_is_read(self) -> None:
        for width, height in ((100_001, 1), (1, 100_001), (20_000, 20_000), (2**31 - 1, 2**31 - 1)):
            data = self.good[:16] + width.to_bytes(4, "big") + height.to_bytes(4, "big") + self.good[24:]
            with self.subTest((width, height)), self.assertRaises(TooLarge):
                png.facts(data, "it")
        for width, height in ((0, 5), (5, 0)):
            data = self.good[:16] + width.to_bytes(4, "big") + height.to_bytes(4, "big") + self.good[24:]
            with self.subTest((width, height)), self.assertRaises(BrokenFile):
                png.facts(data, "it")
