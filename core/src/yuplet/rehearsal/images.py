"""The images of a package, decoded once by Pillow and kept as raw bytes on disk, so that bands of rows can be read."""

import io
import threading
import zlib
from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager, suppress
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image
from zlib_ng import zlib_ng

from yuplet.rehearsal import png_rows
from yuplet.rehearsal.png_rows import NotInRows

# The limit is ours, and is looked at before a pixel is decoded.
Image.MAX_IMAGE_PIXELS = None
MAX_PIXELS = 2_000_000_000
MOST_PLACED = 10_000
MOST_BYTES = 16_000_000_000
"""Of the raw pixels that are kept in one folder meanwhile."""
_written: dict[Path, int] = {}
_lock = threading.Lock()
_Level = TypeVar("_Level", np.uint8, np.uint16)


@dataclass(frozen=True, slots=True)
class Decoded:
    """An image that could be read: its size, the area with any alpha (left, top, right, bottom), and the CRC-32 of its RGBA, of which each value has
    so many `bits`: two bytes are the higher one first.

    `png` is a PNG file of exactly these pixels, where there is one that every program shows alike.
    """

    width: int
    height: int
    content: tuple[int, int, int, int] | None
    crc32: str
    raw: Path
    png: Path | None = None
    bits: int = 8

    def rows(self, top: int, bottom: int) -> NDArray[np.uint8]:
        """Rows `top` to `bottom` (the first outside) as (H, W, 4) straight RGBA; of 16 bits the nearest of 8."""
        if self.bits == 16:
            return ((self.words(top, bottom).astype(np.uint32) + 128) // 257).astype(np.uint8)
        return self._read(np.uint8, top, bottom)

    def words(self, top: int, bottom: int) -> NDArray[np.uint16]:
        """The same with 16 bits a value."""
        if self.bits == 16:
            return self._read(np.uint16, top, bottom)
        return self._read(np.uint8, top, bottom).astype(np.uint16) * np.uint16(257)

    def _read(self, kind: type[_Level], top: int, bottom: int) -> NDArray[_Level]:
        count, each = (bottom - top) * self.width * 4, np.dtype(kind).itemsize
        data = np.fromfile(self.raw, kind, count, offset=top * self.width * 4 * each)
        return data.reshape(bottom - top, self.width, 4)


def decode_words(path: Path, raw: Path) -> Decoded:
    """Decode an image to straight RGBA of 16 bits a value, by OpenCV, for Pillow rounds them; raises OSError or ValueError when it cannot be read."""
    with Image.open(path) as opened:
        _check_size(opened)
        has_words = opened.format in ("PNG", "TIFF")
    found = cv2.imread(str(path), cv2.IMREAD_UNCHANGED) if has_words else None
    if found is None or found.dtype != np.uint16:
        plain = decode(path, raw)
        return kept_words(plain.words(0, plain.height), raw)
    code = {2: cv2.COLOR_GRAY2RGBA, 3: cv2.COLOR_BGR2RGBA, 4: cv2.COLOR_BGRA2RGBA}
    wanted = code[2 if found.ndim == 2 else found.shape[2]]
    return kept_words(np.asarray(cv2.cvtColor(found, wanted), np.uint16), raw)


def decode(path: Path, raw: Path) -> Decoded:
    """Decode an image to straight RGBA; raises OSError or ValueError when it cannot be read."""
    with Image.open(path) as opened:
        _check_size(opened)
        is_plain = opened.format == "PNG" and opened.mode in ("RGBA", "RGB") and not opened.info.keys() & _COLOURED
        found = None
        if opened.format == "PNG" and opened.width * opened.height >= _LARGE:
            with suppress(NotInRows):
                found = _kept_bands(path, raw)
        if found is None:
            opened.load()
            found = kept(opened, raw)
    return replace(found, png=path if is_plain else None)


_LARGE = 1 << 26
"""Pixels from which a PNG is not decoded as a whole, if it need not be."""


def _kept_bands(path: Path, raw: Path) -> Decoded:
    """A PNG of which each piece can be decoded for itself; raises `NotInRows` where that is not so."""
    rows = png_rows.opened(path.read_bytes())
    _require_room(raw.parent, rows.width * rows.height * 4)
    bands = (Image.fromarray(rows.alone(band), "RGBA") for band in rows.bands())
    return _kept_strips(rows.width, rows.height, bands, raw)


def decode_rows(path: Path, top: int, bottom: int, raw: Path) -> Decoded:
    """Rows `top` to `bottom` (the first outside) of an image, as one of its own; of a PNG nothing below is decoded. Raises like `decode`."""
    with Image.open(io.BytesIO(png_rows.lowered(path.read_bytes(), bottom))) as opened:
        _check_size(opened)
        return kept(opened.convert("RGBA").crop((0, top, opened.width, bottom)), raw)


_COLOURED = {"icc_profile", "gamma", "chromaticity"}
"""What makes a browser show other colours of a PNG than its numbers."""


def moments(path: Path, wanted: list[int], raw: Path) -> dict[int, Decoded]:
    """Some moments of an animated image, by their numbers from 0; raises like `decode`, and EOFError for one that is not there."""
    found = {}
    with Image.open(path) as opened:
        _check_size(opened)
        for number in sorted(wanted):
            opened.seek(number)
            found[number] = kept(opened.convert("RGBA"), raw.with_suffix(f".{number}"))
    return found


def pixels_in(paths: Iterable[Path]) -> int:
    """How many pixels the images among files have in all, by their heads; files that are none count nothing."""
    total = 0
    for path in paths:
        with _head(path) as opened:
            if opened is not None:
                total += opened.width * opened.height * _frames_in(opened)
    return total


def _frames_in(image: Image.Image) -> int:
    try:
        return int(getattr(image, "n_frames", 1))
    except Exception:  # as in `_head`
        return 1


def sizes_of(files: Mapping[str, Path]) -> dict[str, tuple[int, int]]:
    """Width and height of the images among files, by their heads."""
    found = {}
    for name, path in files.items():
        with _head(path) as opened:
            if opened is not None:
                found[name] = (opened.width, opened.height)
    return found


@contextmanager
def _head(path: Path) -> Iterator[Image.Image | None]:
    """An image of which nothing is decoded yet; None for a file that is none."""
    try:
        opened = Image.open(path)
    except Exception:  # decoders raise errors of many kinds for damaged files
        yield None
        return
    with opened:
        yield opened


def _check_size(image: Image.Image) -> None:
    if image.width * image.height > MAX_PIXELS:
        raise ValueError(f"it is {image.width} x {image.height} px, more than any package has")


def cut_out(sheet: Decoded, left: int, top: int, width: int, height: int, is_turned: bool, raw: Path) -> Decoded:
    """A picture cut out of a sheet, and turned back by a quarter where it `is_turned`; `width` and `height` are its own."""
    across, down = (height, width) if is_turned else (width, height)
    if left < 0 or top < 0 or left + across > sheet.width or top + down > sheet.height:
        raise ValueError("it lies outside of its sheet")
    if sheet.bits == 16:
        words = sheet.words(top, top + down)[:, left : left + across]
        return kept_words(np.rot90(words) if is_turned else words, raw)
    rows = np.ascontiguousarray(sheet.rows(top, top + down)[:, left : left + across])
    picture = Image.fromarray(rows, "RGBA")
    return kept(picture.transpose(Image.Transpose.ROTATE_90) if is_turned else picture, raw)


def kept(picture: Image.Image, raw: Path) -> Decoded:
    """An image that was decoded already, as RGBA; of a large one but a strip is in memory twice."""
    width, height = picture.size
    _require_room(raw.parent, width * height * 4)
    each = max(1, _STRIP // width)
    if each >= height:
        return _kept_strips(width, height, [picture], raw)
    tops = range(0, height, each)
    strips = (picture.crop((0, top, width, min(top + each, height))) for top in tops)
    return _kept_strips(width, height, strips, raw)


_STRIP = 1 << 22
"""Pixels of an image that are converted together."""
_Area = tuple[int, int, int, int]


def _kept_strips(width: int, height: int, strips: Iterable[Image.Image], raw: Path) -> Decoded:
    crc, top = 0, 0
    content: _Area | None = None
    with raw.open("wb") as file:
        for strip in strips:
            part = strip if strip.mode == "RGBA" else strip.convert("RGBA")
            pixels = part.tobytes()
            crc = zlib_ng.crc32(pixels, crc)
            file.write(pixels)
            content = _around(content, part.getbbox(alpha_only=True), top)
            top += part.height
    return Decoded(width, height, content, f"{crc:08x}", raw)


def _around(one: _Area | None, other: _Area | None, down: int) -> _Area | None:
    """The box around two of them, the other moved down."""
    if other is None:
        return one
    left, top, right, bottom = other
    if one is None:
        return left, top + down, right, bottom + down
    return min(one[0], left), one[1], max(one[2], right), bottom + down


def kept_words(picture: NDArray[np.uint16], raw: Path) -> Decoded:
    """The same of an array of 16 bits a value."""
    picture = np.ascontiguousarray(picture)
    _require_room(raw.parent, picture.nbytes)
    raw.write_bytes(picture.tobytes())
    rows, columns = np.nonzero(picture[..., 3].any(axis=1))[0], np.nonzero(picture[..., 3].any(axis=0))[0]
    content = (int(columns[0]), int(rows[0]), int(columns[-1]) + 1, int(rows[-1]) + 1) if len(rows) else None
    crc = f"{zlib.crc32(picture.astype('>u2').tobytes()):08x}"
    return Decoded(picture.shape[1], picture.shape[0], content, crc, raw, bits=16)


def require_few(placed: int) -> None:
    """Raise ValueError where more images are placed than any package has: a small file may name one image ten thousand times."""
    if placed > MOST_PLACED:
        raise ValueError(f"it places more than {MOST_PLACED:,} images")


def _require_room(folder: Path, more: int) -> None:
    with _lock:
        _written[folder] = _written.get(folder, 0) + more
        if _written[folder] > MOST_BYTES:
            raise ValueError(f"its images have more than {MOST_BYTES // 4_000_000:,} million pixels in all")


def turned(image: Decoded, mirrored: bool, quarters: int, raw: Path) -> Decoded:
    """The same image mirrored left to right, if at all, and then turned clockwise by so many quarters."""
    if image.bits == 16:
        words = image.words(0, image.height)
        return kept_words(np.rot90(words[:, ::-1] if mirrored else words, -quarters), raw)
    ways = (None, Image.Transpose.ROTATE_270, Image.Transpose.ROTATE_180, Image.Transpose.ROTATE_90)
    picture = Image.frombytes("RGBA", (image.width, image.height), image.raw.read_bytes())
    if mirrored:
        picture = picture.transpose(Image.Transpose.FLIP_LEFT_RIGHT)
    way = ways[quarters % 4]
    if way is not None:
        picture = picture.transpose(way)
    return replace(kept(picture, raw), crc32=image.crc32)
