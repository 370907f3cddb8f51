"""Large PNG images in bands that are compressed each for itself, so that after a change only the bands that it touches are made anew.

Source: Portable Network Graphics (PNG) Specification, third edition, https://www.w3.org/TR/png-3/: one stream of compressed rows may be
divided among any number of IDAT chunks. Each band ends with a full flush (RFC 1951, a stored block of no bytes; nothing after it refers
to what is before). What is needed to go on from is in a private chunk of the file itself, which other programs skip. See
docs/decisions/reference-in-bands.md.
"""

import io
import json
import struct
import threading
from collections.abc import Iterable, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import deflate
import numpy as np
from numpy.typing import NDArray
from PIL import Image
from zlib_ng import zlib_ng

from yuplet.geometry import Size
from yuplet.pixels import Picture, kernels
from yuplet.writing import png
from yuplet.writing.png import Effort

BAND = 128
"""Rows in a band: large enough that beginning anew costs under a hundredth of the bytes."""
_LEVELS: dict[Effort, int] = {"quick": 1, "normal": 5, "small": 9}
_STATE = b"yuBD"
"""Ancillary, private, and not to be copied by programs that change the picture (PNG, section 5.4)."""
_HEAD, _TAIL = b"\x78\x9c", b"\x03\x00"
_LARGEST_PRIME = 65521
_UP = 2


@dataclass(frozen=True, slots=True)
class Band:
    """Some rows: compressed, the Adler-32 of the bytes before that, the CRC-32 of their RGBA pixels, and what they have of colour
    (`kernels.colour_kinds`).
    """

    data: bytes
    adler32: int
    pixels_crc32: int
    kinds: int


@dataclass(frozen=True, slots=True)
class Banded:
    """A picture in bands, from the top, with the channels of its pixels, and what somebody wants to know of it again by name."""

    size: Size
    channels: int
    bands: tuple[Band, ...]
    notes: Mapping[str, NDArray[np.uint64]]

    @property
    def pixels_crc32(self) -> int:
        """Of the RGBA pixels of the whole picture."""
        total, width = 0, self.size.width * 4
        for index, band in enumerate(self.bands):
            total = zlib_ng.crc32_combine(total, band.pixels_crc32, _rows_in(index, self.size) * width)
        return total


class Bands:
    """Bands that are made in any order and by several threads, before it is known how many channels and colours the picture has."""

    def __init__(self, size: Size, effort: Effort) -> None:
        self._size, self._effort = size, effort
        self._made: dict[int, tuple[int, Band]] = {}
        self._kinds = 3
        self._colours: set[int] | None = set()
        self._lock = threading.Lock()

    def add(self, rows: Picture, top: int) -> None:
        """Compress some rows, (h, W, 4) uint8, that begin with row `top`."""
        rows = np.ascontiguousarray(rows)
        kinds = kernels.colour_kinds(rows)
        own = png.colours_of(rows) if self._colours is not None else None
        with self._lock:
            self._kinds &= kinds
            channels = channels_of([self._kinds])
            if self._colours is not None:
                together = None if own is None else self._colours | own
                self._colours = together if together is not None and len(together) <= 256 else None
        self._made[top // BAND] = channels, band_of(rows, channels, self._effort)

    def add_all(self, picture: Picture, workers: int) -> None:
        """Cut a whole picture into bands and compress them."""
        with ThreadPoolExecutor(workers) as pool:
            list(pool.map(lambda top: self.add(picture[top : top + BAND], top), range(0, self._size.height, BAND)))

    @property
    def has_few_colours(self) -> bool:
        """Whether the picture has up to 256 colours."""
        return self._colours is not None

    def picture(self) -> Picture:
        """The whole picture, (H, W, 4) uint8."""
        return np.concatenate([self._pixels(index, *made) for index, made in sorted(self._made.items())])

    def finished(self, notes: Mapping[str, NDArray[np.uint64]], workers: int) -> Banded:
        """All of them, with as many channels as all need: bands that were made before that was known are compressed once more."""
        needed = channels_of([self._kinds])

        def final(index: int) -> Band:
            channels, band = self._made[index]
            return band if channels == needed else band_of(self._pixels(index, channels, band), needed, self._effort)

        with ThreadPoolExecutor(workers) as pool:
            return Banded(self._size, needed, tuple(pool.map(final, sorted(self._made))), notes)

    def _pixels(self, index: int, channels: int, band: Band) -> Picture:
        return _pixels(band, Size(self._size.width, _rows_in(index, self._size)), channels)


def channels_of(kinds: Iterable[int]) -> int:
    """How many channels say everything of bands with these kinds of colour: 4, 3, 2 or 1."""
    common = 3
    for one in kinds:
        common &= one
    return (4, 3, 2, 1)[common]


def band_of(rows: Picture, channels: int, effort: Effort) -> Band:
    """Compress some rows, (h, W, 4) uint8, in so many channels."""
    rows = np.ascontiguousarray(rows)
    height, width = rows.shape[:2]
    wanted = {4: [0, 1, 2, 3], 3: [0, 1, 2], 2: [0, 3], 1: [0]}[channels]
    plain = rows if channels == 4 else np.ascontiguousarray(rows[..., wanted])
    filtered = png.filtered(plain.reshape(height, width * channels), channels)
    if filtered[0, 0] == _UP:
        # The row above is of another band. With nothing above, Up has left the row as it is.
        filtered[0, 0] = 0
    flat = filtered.reshape(-1).data
    stream = zlib_ng.compressobj(_LEVELS[effort], zlib_ng.DEFLATED, -15, 9)
    data = stream.compress(flat) + stream.flush(zlib_ng.Z_FULL_FLUSH)
    return Band(data, deflate.adler32(flat), deflate.crc32(rows), kernels.colour_kinds(rows))


def pixels_of(banded: Banded, index: int) -> Picture:
    """The RGBA pixels of one band, (h, W, 4) uint8."""
    size = Size(banded.size.width, _rows_in(index, banded.size))
    return _pixels(banded.bands[index], size, banded.channels)


def _pixels(band: Band, size: Size, channels: int) -> Picture:
    stream = _HEAD + band.data + _TAIL + struct.pack(">I", band.adler32)
    alone = png.file_of(size, channels, [png.chunk(b"IDAT", stream)])
    return np.array(Image.open(io.BytesIO(alone)).convert("RGBA"))


def encoded(banded: Banded, ppi: float | None = None) -> bytes:
    """The PNG file."""
    adler, columns = 1, 1 + banded.size.width * banded.channels
    chunks = [png.chunk(_STATE, _state(banded)), png.chunk(b"IDAT", _HEAD)]
    for index, band in enumerate(banded.bands):
        adler = adler32_joined(adler, band.adler32, _rows_in(index, banded.size) * columns)
        chunks.append(png.chunk(b"IDAT", band.data))
    chunks.append(png.chunk(b"IDAT", _TAIL + struct.pack(">I", adler)))
    return png.file_of(banded.size, banded.channels, chunks, ppi)


def opened(data: bytes) -> Banded | None:
    """What `encoded` made, to go on from; None for anything else, be it only by one byte."""
    try:
        chunks = list(_chunks(data))
        width, height, depth, kind = struct.unpack(">IIBB", chunks[0][1][:10])
        size = Size(width, height)
        channels = {colour: count for count, colour in png.COLOUR_TYPES.items()}[kind]
        states = [body for name, body in chunks if name == _STATE]
        pieces = [body for name, body in chunks if name == b"IDAT"][1:-1]
        if depth != 8 or len(states) != 1 or len(pieces) != -(-height // BAND):
            return None
        numbers, notes = _of_state(states[0])
        bands = tuple(Band(piece, *map(int, row)) for piece, row in zip(pieces, numbers, strict=True))
    except (ValueError, KeyError, IndexError, TypeError, struct.error):
        return None
    return Banded(size, channels, bands, notes)


def _state(banded: Banded) -> bytes:
    """A line of JSON with names and shapes, and after it the numbers themselves."""
    numbers = np.array([[band.adler32, band.pixels_crc32, band.kinds] for band in banded.bands], np.uint64)
    arrays = {"": numbers, **banded.notes}
    head = json.dumps({name: array.shape for name, array in arrays.items()}).encode()
    return b"\n".join([head, b"".join(np.ascontiguousarray(array, "<u8").tobytes() for array in arrays.values())])


def _of_state(body: bytes) -> tuple[NDArray[np.uint64], dict[str, NDArray[np.uint64]]]:
    head, rest = body.split(b"\n", 1)
    arrays: dict[str, NDArray[np.uint64]] = {}
    at = 0
    for name, (height, width) in json.loads(head).items():
        arrays[name] = np.frombuffer(rest, "<u8", height * width, at).astype(np.uint64).reshape(height, width)
        at += height * width * 8
    return arrays.pop(""), arrays


def _chunks(data: bytes) -> Iterable[tuple[bytes, bytes]]:
    """Names and bodies; raises `ValueError` for a check sum that does not fit."""
    if not data.startswith(png.SIGNATURE):
        raise ValueError("no PNG")
    view, at = memoryview(data), len(png.SIGNATURE)
    while at < len(data):
        (length,) = struct.unpack_from(">I", data, at)
        end = at + 8 + length
        (said,) = struct.unpack_from(">I", data, end)
        if deflate.crc32(view[at + 4 : end]) != said:
            raise ValueError("a chunk is damaged")
        yield data[at + 4 : at + 8], data[at + 8 : end]
        at = end + 4


def _rows_in(index: int, size: Size) -> int:
    return min(BAND, size.height - index * BAND)


def adler32_joined(first: int, second: int, length: int) -> int:
    """The Adler-32 (RFC 1950, section 8) of two pieces of data joined, the second with so many bytes.

    >>> import zlib
    >>> adler32_joined(zlib.adler32(b"one "), zlib.adler32(b"two"), 3) == zlib.adler32(b"one two")
    True
    """
    low, high = first & 0xFFFF, first >> 16
    together = low + (second & 0xFFFF) - 1
    high += (second >> 16) + length * (low - 1)
    return (high % _LARGEST_PRIME) << 16 | together % _LARGEST_PRIME


def changed_bands(before: Banded, made: Mapping[int, Band]) -> tuple[Band, ...] | None:
    """All bands with some of them replaced; None where the channels that these are written in would not say everything."""
    bands = tuple(made.get(index, band) for index, band in enumerate(before.bands))
    return bands if channels_of(band.kinds for band in bands) == before.channels else None
