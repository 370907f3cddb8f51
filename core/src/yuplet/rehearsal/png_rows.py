"""Some rows of a PNG without the rest of it, and which rows of two PNGs differ.

Source: Portable Network Graphics (PNG) Specification, third edition, https://www.w3.org/TR/png-3/: chunks (5.3), rows each with the kind of
its filter in front (7.2), filters that refer to the row above (9.2). Rows are inflated by zlib and turned into pixels by Pillow.
"""

import io
import struct
import zlib
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PIL import Image
from zlib_ng import zlib_ng

_SIGNATURE = b"\x89PNG\r\n\x1a\n"
_CHANNELS = {0: 1, 2: 3, 3: 1, 4: 2, 6: 4}
_COLOURS = {b"PLTE", b"tRNS", b"gAMA", b"cHRM", b"iCCP", b"sRGB", b"cICP"}
"""The chunks that change what is seen."""
_REFER_TO_NOTHING_ABOVE = {0, 1}
"""The filters None and Sub."""

Pixels = NDArray[np.uint8]


class NotInRows(Exception):
    """A file that is no PNG, is damaged, or has no rows that could be had one after the other."""


@dataclass(frozen=True, slots=True)
class PngRows:
    """A PNG: its size, the bytes of a row with that of its filter, the chunks that say how rows are read, and the compressed pieces."""

    width: int
    height: int
    stride: int
    head: bytes
    colours: tuple[tuple[bytes, bytes], ...]
    pieces: tuple[bytes, ...]

    def alone(self, rows: bytes) -> Pixels:
        """Pixels of some rows as (H, W, 4) straight RGBA; the first refers to nothing above."""
        with Image.open(io.BytesIO(self._file_of(rows))) as opened:
            return np.asarray(opened.convert("RGBA"))

    def _file_of(self, rows: bytes) -> bytes:
        size = struct.pack(">II", self.width, len(rows) // self.stride)
        chunks = [(b"IHDR", size + self.head[8:]), *self.colours, (b"IDAT", zlib.compress(rows, 0)), (b"IEND", b"")]
        return _SIGNATURE + b"".join(
            struct.pack(">I", len(body)) + name + body + struct.pack(">I", zlib.crc32(name + body))
            for name, body in chunks
        )

    def bands(self) -> Iterator[bytes]:
        """The rows of each compressed piece, as they are filtered; raises `NotInRows` where one is not of whole rows, or refers to one above."""
        inflating = zlib_ng.decompressobj()
        left = self.height * self.stride
        for piece in self.pieces:
            try:
                band = inflating.decompress(piece, left + 1)
            except zlib_ng.error as error:  # type: ignore[misc]  # its stub says that it is a value
                raise NotInRows(str(error)) from error
            left -= len(band)
            if left < 0 or len(band) % self.stride or (band and band[0] not in _REFER_TO_NOTHING_ABOVE):
                raise NotInRows("its pieces are not of rows")
            if band:
                yield band
        if left or not inflating.eof or inflating.unused_data:
            raise NotInRows("it does not end with its last row")


def opened(data: bytes) -> PngRows:
    """The rows of a PNG; raises `NotInRows`."""
    if not data.startswith(_SIGNATURE):
        raise NotInRows("it is no PNG")
    head, colours, pieces = b"", [], []
    view, at = memoryview(data), len(_SIGNATURE)
    while at + 12 <= len(data):
        (length,) = struct.unpack_from(">I", data, at)
        end = at + 8 + length
        name, body = data[at + 4 : at + 8], data[at + 8 : end]
        if end + 4 > len(data) or struct.unpack_from(">I", data, end)[0] != zlib.crc32(view[at + 4 : end]):
            raise NotInRows("a chunk is damaged")
        if name == b"IHDR":
            head = body
        elif name == b"IDAT":
            pieces.append(body)
        elif name in _COLOURS:
            colours.append((name, body))
        at = end + 4
    try:
        width, height, depth, kind, _, _, interlace = struct.unpack(">IIBBBBB", head)
        stride = 1 + (width * depth * _CHANNELS[kind] + 7) // 8
    except (struct.error, KeyError) as error:
        raise NotInRows("its head is damaged") from error
    if interlace or not width or not height:
        raise NotInRows("its rows come in several passes")
    return PngRows(width, height, stride, head, tuple(colours), tuple(pieces))


def lowered(data: bytes, height: int) -> bytes:
    """A PNG of which but the first rows are decoded: the same pieces under a head with another height. What is no such PNG stays as it is.

    Decoders end with the last row that the head tells.
    """
    head = data[12:33]
    if (
        not data.startswith(_SIGNATURE)
        or head[:4] != b"IHDR"
        or head[16]
        or struct.unpack(">I", head[8:12])[0] <= height
    ):
        return data
    lower = head[:8] + struct.pack(">I", height) + head[12:17]
    return data[:12] + lower + struct.pack(">I", zlib.crc32(lower)) + data[33:]
