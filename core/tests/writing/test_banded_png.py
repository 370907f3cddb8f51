"""A PNG in bands is a PNG like any other, and a band of it can be exchanged.

Source: PNG Specification, third edition. Readers of others: Pillow, OpenCV, imagecodecs and pypng; check sums against zlib.
"""

import io
import unittest
import zlib

import cv2
import imagecodecs
import numpy as np
import png as pypng
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from tests.writing.test_png import chunks, of_kind
from yuplet.geometry import Size
from yuplet.writing import banded_png, png


def picture_of(kind: str, height: int = 300, width: int = 70) -> np.ndarray:
    """Smooth above and random below, so that some bands want filters and some do not."""
    rng = np.random.default_rng(7)
    slope = np.add.outer(np.arange(height), np.arange(width))[..., None] * np.array([1, 2, 3, 1])
    picture = (slope % 256).astype(np.uint8)
    picture[200:] = rng.integers(0, 2, (height - 200, width, 4)) * 200
    return of_kind(picture, kind)


def in_bands(picture: np.ndarray, **notes: np.ndarray) -> banded_png.Banded:
    bands = banded_png.Bands(Size(picture.shape[1], picture.shape[0]), "normal")
    bands.add_all(picture, 2)
    return bands.finished(notes, 2)


class BandedTests(unittest.TestCase):
    def test_every_reader_finds_every_pixel(self) -> None:
        for kind, channels in (("rgba", 4), ("rgb", 3), ("grey and alpha", 2), ("grey", 1)):
            for height in (1, 127, 128, 129, 300):
                with self.subTest(kind, height=height):
                    picture = picture_of(kind)[-height:]
                    made = in_bands(np.ascontiguousarray(picture))
                    data = banded_png.encoded(made, 300)
                    self.assertEqual(made.channels, channels)
                    self.assertEqual(made.pixels_crc32, zlib.crc32(np.ascontiguousarray(picture)))
                    image = Image.open(io.BytesIO(data))
                    np.testing.assert_array_equal(np.array(image.convert("RGBA")), picture)
                    self.assertEqual(round(image.info["dpi"][0]), 300)
                    rows = list(pypng.Reader(bytes=data).asRGBA8()[2])
                    np.testing.assert_array_equal(np.array(rows).reshape(picture.shape), picture)
                    plain = imagecodecs.png_decode(data).reshape(*picture.shape[:2], -1)
                    np.testing.assert_array_equal(plain[..., 0], picture[..., 0])
                    opened = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
                    if channels == 4:
                        np.testing.assert_array_equal(opened[..., [2, 1, 0, 3]], picture)

    def test_the_order_in_which_bands_come_does_not_matter(self) -> None:
        picture = picture_of("rgba")
        picture[:128, :, 3] = 255
        picture[128:256] = 0
        wanted = banded_png.encoded(in_bands(picture))
        for tops in ((0, 128, 256), (256, 128, 0), (128, 0, 256)):
            bands = banded_png.Bands(Size(70, 300), "normal")
            for top in tops:
                bands.add(picture[top : top + 128], top)
            np.testing.assert_array_equal(bands.picture(), picture)
            self.assertEqual(banded_png.encoded(bands.finished({}, 1)), wanted)

    def test_few_colours_are_counted_over_all_bands(self) -> None:
        for count in (256, 257):
            picture = np.zeros((300, 70, 4), np.uint8)
            numbers = np.arange(count)
            picture[numbers % 300, numbers // 300] = np.stack(
                [numbers % 256, numbers // 256, numbers, numbers * 0 + 255], 1
            )
            picture[picture[..., 3] == 0] = picture[0, 0]
            bands = banded_png.Bands(Size(70, 300), "normal")
            bands.add_all(picture, 2)
            self.assertEqual(bands.has_few_colours, count == 256)

    def test_chunks_keep_to_the_standard(self) -> None:
        found = chunks(banded_png.encoded(in_bands(picture_of("rgba"))))
        names = [name for name, _ in found]
        self.assertEqual(names, [b"IHDR", b"sRGB", b"yuBD", *[b"IDAT"] * 5, b"IEND"])
        self.assertEqual([bool(letter & 32) for letter in b"yuBD"], [True, True, False, False])
        stream = b"".join(body for name, body in found if name == b"IDAT")
        self.assertEqual(len(zlib.decompress(stream)), 300 * (1 + 70 * 4))

    def test_bands_cost_next_to_nothing(self) -> None:
        grain = np.random.default_rng(3).integers(0, 9, (1000, 400, 4))
        large = (np.add.outer(np.arange(1000), np.arange(400))[..., None] // 9 + grain).astype(np.uint8)
        large[..., 3] |= 1
        rows = png.filtered(large.reshape(1000, 1600), 4)
        self.assertLess(len(banded_png.encoded(in_bands(large))), 1.01 * len(zlib.compress(rows.tobytes(), 5)))

    def test_what_was_written_can_be_gone_on_from(self) -> None:
        notes = {"one": np.arange(6, dtype=np.uint64).reshape(2, 3), "ä two": np.array([[2**64 - 1]], np.uint64)}
        picture = picture_of("rgba")
        made = in_bands(picture, **notes)
        again = banded_png.opened(banded_png.encoded(made))
        assert again is not None
        self.assertEqual((again.size, again.channels, again.bands), (made.size, made.channels, made.bands))
        self.assertEqual({name: note.tolist() for name, note in again.notes.items()},
                         {name: note.tolist() for name, note in notes.items()})  # fmt: skip
        for index, top in enumerate((0, 128, 256)):
            np.testing.assert_array_equal(banded_png.pixels_of(again, index), picture[top : top + 128])

    def test_a_band_is_exchanged(self) -> None:
        picture = picture_of("rgba")
        made = in_bands(picture)
        picture[130:140, 5:9] = 17
        bands = banded_png.changed_bands(made, {1: banded_png.band_of(picture[128:256], 4, "normal")})
        assert bands is not None
        changed = banded_png.Banded(made.size, 4, bands, {})
        self.assertEqual(banded_png.encoded(changed), banded_png.encoded(in_bands(picture)))
        self.assertEqual(changed.pixels_crc32, zlib.crc32(picture))

    def test_a_band_that_wants_other_channels_is_not_taken(self) -> None:
        opaque = picture_of("rgb")
        clear = opaque.copy()
        clear[140, 3, 3] = 9
        self.assertIsNone(
            banded_png.changed_bands(in_bands(opaque), {1: banded_png.band_of(clear[128:256], 3, "normal")})
        )
        # And back: what needs fewer channels by now is written in fewer.
        self.assertIsNone(
            banded_png.changed_bands(in_bands(clear), {1: banded_png.band_of(opaque[128:256], 4, "normal")})
        )

    def test_nothing_else_is_gone_on_from(self) -> None:
        data = banded_png.encoded(in_bands(picture_of("rgba")))
        self.assertIsNotNone(banded_png.opened(data))
        self.assertIsNone(banded_png.opened(png.encode(picture_of("rgba"))))
        self.assertIsNone(banded_png.opened(b""))
        self.assertIsNone(banded_png.opened(b"no picture at all"))
        for at in range(8, len(data) - 12, 97):
            damaged = bytearray(data)
            damaged[at] ^= 4
            self.assertIsNone(banded_png.opened(bytes(damaged)), at)
        for end in range(0, len(data) - 12, 211):
            self.assertIsNone(banded_png.opened(data[:end]), end)


class JoinedSumsTests(unittest.TestCase):
    @given(st.binary(max_size=700), st.binary(max_size=700))
    @settings(max_examples=100, deadline=None)
    def test_sums_of_two_pieces_are_that_of_both(self, one: bytes, other: bytes) -> None:
        joined = banded_png.adler32_joined(zlib.adler32(one), zlib.adler32(other), len(other))
        self.assertEqual(joined, zlib.adler32(one + other))

    def test_also_of_very_long_ones(self) -> None:
        one, other = b"\xff" * 3_000_001, b"\x01" * 70_000_000
        joined = banded_png.adler32_joined(zlib.adler32(one), zlib.adler32(other), len(other))
        self.assertEqual(joined, zlib.adler32(one + other))
