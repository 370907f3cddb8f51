"""PNG images, written fast: rows filtered by a compiled loop, compressed by libdeflate.

Source: Portable Network Graphics (PNG) Specification, third edition, https://www.w3.org/TR/png-3/.
Why our own: docs/decisions/own-png-encoder.md. `encode_with_pillow` is the common fallback.
"""

import io
import struct
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, TypeAlias

import deflate
import imagecodecs
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from yuplet.geometry import Size
from yuplet.pixels import DeepPicture, Picture, kernels

Effort: TypeAlias = Literal["quick", "normal", "small"]

_LEVELS: dict[Effort, int] = {"quick": 1, "normal": 4, "small": 10}
_DEEP_LEVELS: dict[Effort, int] = {"quick": 1, "normal": 4, "small": 9}
_SAMPLE, _BANDS = 8, 4
"""Rows in a band, and bands, that decide whether rows are filtered."""
SIGNATURE = b"\x89PNG\r\n\x1a\n"
COLOUR_TYPES = {1: 0, 2: 4, 3: 2, 4: 6}
"""By the number of channels."""
_CHUNK = 12
_SMALL = 1 << 16
"""Pixels of a picture up to which both ways are tried, since the table of colours may be larger than what it saves."""


def encode(picture: Picture, effort: Effort = "normal", ppi: float | None = None) -> bytes:
    """Write a picture as PNG, straight alpha, marked as sRGB.

    Parameters
    ----------
    picture : (H, W, 4) uint8
        Straight RGBA; H and W at least 1. Every value comes back as it is, colour under alpha 0 too.
    effort : 'quick', 'normal' or 'small'
        More effort makes smaller files.
    ppi : float, optional
        Pixels per inch to be stated.

    Returns
    -------
    bytes
        Colour type RGBA, or RGB, grey with alpha or grey where the picture needs no more; indexed where it has up to 256 colours and
        that is smaller.

    Raises
    ------
    ValueError
        The picture has no pixels.
    """
    height, width = picture.shape[:2]
    if height == 0 or width == 0:
        raise ValueError("a picture without pixels cannot be a PNG")
    reduced = _reduced(picture)
    channels = reduced.shape[2]
    indexed = _indexed(picture, effort) if channels > 1 else None
    if indexed is None or indexed.is_small_picture:
        rows = filtered(reduced.reshape(height, width * channels), channels)
        data = bytes(deflate.zlib_compress(rows.reshape(-1).data, _LEVELS[effort]))
        depth, kind, tables = 8, COLOUR_TYPES[channels], list[bytes]()
    if indexed is not None and (not indexed.is_small_picture or indexed.size < len(data) + _CHUNK):
        data, depth, kind, tables = indexed.data, indexed.depth, 3, indexed.tables
    return _file(Size(width, height), depth, kind, [*tables, chunk(b"IDAT", data)], ppi)


def encode_mask(mask: NDArray[np.uint8]) -> bytes:
    """Write a mask, (H, W) uint8 of at least one pixel, as black of that alpha: indexed, with one bit a pixel where it is hard."""
    height, width = mask.shape
    levels = np.arange(256, dtype=np.uint8)
    depth, rows = 8, mask
    if not ((mask != 0) & (mask != 255)).any():
        depth, rows, levels = 1, np.packbits(mask > 0, axis=1), levels[[0, 255]]
    data = bytes(deflate.zlib_compress(_unfiltered(rows).reshape(-1).data, _LEVELS["quick"]))
    tables = [chunk(b"PLTE", bytes(3 * len(levels))), chunk(b"tRNS", levels.tobytes())]
    return _file(Size(width, height), depth, 3, [*tables, chunk(b"IDAT", data)], None)


def file_of(size: Size, channels: int, chunks: Sequence[bytes], ppi: float | None = None) -> bytes:
    """A PNG of 8 bits a channel from the chunks that hold its pixels."""
    return _file(size, 8, COLOUR_TYPES[channels], chunks, ppi)


def _file(size: Size, depth: int, kind: int, chunks: Sequence[bytes], ppi: float | None) -> bytes:
    head = chunk(b"IHDR", struct.pack(">IIBBBBB", *size, depth, kind, 0, 0, 0))
    return b"".join([SIGNATURE, head, *_about(ppi), *chunks, chunk(b"IEND", b"")])


def _about(ppi: float | None) -> list[bytes]:
    """The chunks that say what colours mean, and how large pixels are where that is known."""
    found = [chunk(b"sRGB", b"\0")]
    if ppi is not None and 0 < ppi < 100_000:
        found.append(chunk(b"pHYs", struct.pack(">IIB", round(ppi / 0.0254), round(ppi / 0.0254), 1)))
    return found


@dataclass(frozen=True, slots=True)
class _Indexed:
    """A picture by the numbers of its colours: compressed rows, bits a pixel, and the chunks of the colours."""

    data: bytes
    depth: int
    tables: list[bytes]
    is_small_picture: bool

    @property
    def size(self) -> int:
        """Bytes of all that it adds to a file."""
        return len(self.data) + _CHUNK + sum(map(len, self.tables))


def _indexed(picture: Picture, effort: Effort) -> _Indexed | None:
    """None where there are more than 256 colours. Transparent ones come first, so that their table is short."""
    height, width = picture.shape[:2]
    indices = np.empty((height, width), np.uint8)
    colours = np.empty(256, np.uint32)
    count = kernels.index_colours(np.ascontiguousarray(picture).view(np.uint32)[..., 0], indices, colours)
    if count < 0:
        return None
    palette = colours[:count].view(np.uint8).reshape(count, 4)
    order = np.argsort(palette[:, 3] == 255, kind="stable")
    numbers = np.empty(count, np.uint8)
    numbers[order] = np.arange(count, dtype=np.uint8)
    indices, palette = numbers[indices], palette[order]
    depth = next(bits for bits in (1, 2, 4, 8) if count <= 1 << bits)
    if depth < 8:
        each = 8 // depth
        padded = np.zeros((height, -(-width // each) * each), np.uint8)
        padded[:, :width] = indices
        shifts = np.arange(8 - depth, -1, -depth)
        indices = (padded.reshape(height, -1, each).astype(np.uint16) << shifts).sum(axis=2).astype(np.uint8)
    data = bytes(deflate.zlib_compress(_unfiltered(indices).reshape(-1).data, _LEVELS[effort]))
    tables = [chunk(b"PLTE", palette[:, :3].tobytes())]
    clear = int((palette[:, 3] < 255).sum())
    if clear:
        tables.append(chunk(b"tRNS", palette[:clear, 3].tobytes()))
    return _Indexed(data, depth, tables, height * width < _SMALL)


def colours_of(picture: Picture) -> set[int] | None:
    """The colours of a picture, RGBA as one number each; None where it has more than 256, as many as can be written by their numbers."""
    indices, colours = np.empty(picture.shape[:2], np.uint8), np.empty(256, np.uint32)
    count = kernels.index_colours(np.ascontiguousarray(picture).view(np.uint32)[..., 0], indices, colours)
    return None if count < 0 else set(colours[:count].tolist())


def encode_with_pillow(picture: Picture) -> bytes:
    """The same picture through a common library: slower, for comparison and where the compiled loops cannot run."""
    out = io.BytesIO()
    Image.fromarray(picture, "RGBA").save(out, "PNG")
    return out.getvalue()


def _reduced(picture: Picture) -> Picture:
    """The fewest channels that lose nothing: RGBA, RGB, grey with alpha, or grey."""
    picture = np.ascontiguousarray(picture)
    kinds = kernels.colour_kinds(picture)
    if kinds == 3:
        return np.ascontiguousarray(picture[..., :1])
    if kinds == 2:
        return np.ascontiguousarray(picture[..., [0, 3]])
    if kinds == 1:
        return np.ascontiguousarray(picture[..., :3])
    return picture


def filtered(plain: NDArray[np.uint8], channels: int) -> NDArray[np.uint8]:
    """The rows with a filter byte in front, filtered or not: whichever compresses better in a sample of them.

    Flat colours repeat exactly, which filtering hides from the compressor; gradients and grain want it.
    """
    height, width = plain.shape
    if height <= _SAMPLE * _BANDS:
        sample = plain
    else:
        tops = np.linspace(0, height - _SAMPLE, _BANDS).astype(int)
        sample = np.concatenate([plain[top : top + _SAMPLE] for top in tops])
    as_filtered = np.empty((len(sample), 1 + width), np.uint8)
    kernels.filter_rows(sample, as_filtered, channels)
    unfiltered = _unfiltered(sample)
    wants_filters = len(deflate.zlib_compress(as_filtered.reshape(-1).data, 1)) < len(
        deflate.zlib_compress(unfiltered.reshape(-1).data, 1)
    )
    if sample is plain:
        return as_filtered if wants_filters else unfiltered
    if not wants_filters:
        return _unfiltered(plain)
    rows = np.empty((height, 1 + width), np.uint8)
    kernels.filter_rows(plain, rows, channels)
    return rows


def _unfiltered(plain: NDArray[np.uint8]) -> NDArray[np.uint8]:
    rows = np.empty((plain.shape[0], 1 + plain.shape[1]), np.uint8)
    rows[:, 0] = 0
    rows[:, 1:] = plain
    return rows


def chunk(kind: bytes, body: bytes) -> bytes:
    """One chunk of a PNG with its length and check sum."""
    return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", deflate.crc32(kind + body))


def encode_deep(picture: DeepPicture, effort: Effort = "quick", ppi: float | None = None) -> bytes:
    """Encode (H, W, 4) pixels of 16 bits a channel as a PNG, as they are, marked as sRGB."""
    data = bytes(imagecodecs.png_encode(np.ascontiguousarray(picture), level=_DEEP_LEVELS[effort]))
    after = len(SIGNATURE) + _CHUNK + 13
    return data[:after] + b"".join(_about(ppi)) + data[after:]
