"""Images decoded as a whole, in pieces and in some of their rows are the same. Reference: Pillow; interlaced files are written by pypng."""

import io
import struct
import zlib
from pathlib import Path
from unittest import mock

import numpy as np
import png as pypng
from PIL import Image

from tests.packages import FolderTestCase
from tests.writing.test_banded_png import in_bands, picture_of
from yuplet.rehearsal import images, png_rows
from yuplet.rehearsal.images import decode, decode_rows
from yuplet.writing import banded_png


class PiecesTests(FolderTestCase):
    def files(self) -> dict[str, bytes]:
        """PNGs of all kinds of rows, and files that have none."""
        picture = picture_of("rgba")
        picture[:40], picture[260:], picture[:, :9] = 0, 0, 0
        found = {f"bands of {kind}": banded_png.encoded(in_bands(picture_of(kind))) for kind in ("rgba", "rgb", "grey")}
        found["bands with an empty border"] = banded_png.encoded(in_bands(picture))
        image = Image.fromarray(picture)
        for mode in ("RGBA", "RGB", "P", "L", "LA", "1"):
            found[f"one piece, {mode}"] = _saved(image.convert(mode))
        found["no PNG"] = _saved(image, "TIFF")
        interlaced = io.BytesIO()
        pypng.Writer(70, 300, alpha=True, greyscale=False, interlace=True).write(interlaced, picture.reshape(300, 280))
        found["interlaced"] = interlaced.getvalue()
        return found

    def test_a_large_one_is_decoded_in_pieces_to_the_same(self) -> None:
        in_pieces = []
        alone = png_rows.PngRows.alone

        def counted(rows: png_rows.PngRows, band: bytes) -> np.ndarray:
            in_pieces.append(name)
            return alone(rows, band)

        for name, data in self.files().items():
            with self.subTest(name):
                path = self.kept(data)
                whole = decode(path, self.folder / "whole")
                with (
                    mock.patch.object(images, "_LARGE", 0),
                    mock.patch.object(images, "_STRIP", 700),
                    mock.patch.object(png_rows.PngRows, "alone", counted),
                ):
                    pieces = decode(path, self.folder / "pieces")
                self.assertEqual(
                    (whole.width, whole.height, whole.content, whole.crc32, whole.png),
                    (pieces.width, pieces.height, pieces.content, pieces.crc32, pieces.png),
                )
                self.assertEqual(whole.raw.read_bytes(), pieces.raw.read_bytes())
                plain = np.array(Image.open(path).convert("RGBA"))
                np.testing.assert_array_equal(pieces.rows(0, pieces.height), plain)
                self.assertEqual(pieces.crc32, f"{zlib.crc32(plain.tobytes()):08x}")
        self.assertEqual(in_pieces.count("bands of rgba"), 3)
        self.assertNotIn("interlaced", in_pieces)

    def test_some_rows_are_those_of_the_whole(self) -> None:
        for name, data in self.files().items():
            with self.subTest(name):
                path = self.kept(data)
                plain = np.array(Image.open(path).convert("RGBA"))
                for top, bottom in ((0, 300), (0, 1), (17, 130), (299, 300)):
                    found = decode_rows(path, top, bottom, self.folder / "rows")
                    np.testing.assert_array_equal(found.rows(0, bottom - top), plain[top:bottom])

    def test_what_is_damaged_is_told(self) -> None:
        data = banded_png.encoded(in_bands(picture_of("rgba")))
        tall = data[16:20] + struct.pack(">I", 400) + data[24:29]
        spoiled = {
            "cut off": data[: len(data) * 2 // 3],
            "a byte": data[:300] + bytes([data[300] ^ 1]) + data[301:],
            "too few rows": data[:16] + tall + struct.pack(">I", zlib.crc32(b"IHDR" + tall)) + data[33:],
        }
        for name, one in spoiled.items():
            with self.subTest(name), mock.patch.object(images, "_LARGE", 0), self.assertRaises((OSError, SyntaxError)):
                decode(self.kept(one), self.folder / "raw")

    def kept(self, data: bytes) -> Path:
        path = self.folder / "image"
        path.write_bytes(data)
        return path


def _saved(image: Image.Image, kind: str = "PNG") -> bytes:
    out = io.BytesIO()
    image.save(out, kind)
    return out.getvalue()
