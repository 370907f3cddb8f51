"""Where two reference pictures differ, and the rows of the newer one there."""

import zlib
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image
from zlib_ng import zlib_ng

from yuplet.rehearsal import png_rows
from yuplet.rehearsal.images import Decoded, decode
from yuplet.rehearsal.png_rows import NotInRows, PngRows

TILE = (256, 128)
"""Width and height of the tiles of a canvas that are put together, or not, as a whole."""
Area = tuple[int, int, int, int]
"""Left, top, right and bottom on the canvas, the last two outside."""
Pixels = NDArray[np.uint8]


class Tiles:
    """Which tiles of a canvas are looked at."""

    def __init__(self, width: int, height: int) -> None:
        self._size = width, height
        self._marked = np.zeros((-(-height // TILE[1]), -(-width // TILE[0])), np.bool_)

    def mark(self, area: Area) -> None:
        """Look at the tiles in which an area lies, as far as it is on the canvas."""
        left, top, right, bottom = area
        left, top, right, bottom = max(0, left), max(0, top), min(self._size[0], right), min(self._size[1], bottom)
        if left < right and top < bottom:
            columns = slice(left // TILE[0], -(-right // TILE[0]))
            self._marked[top // TILE[1] : -(-bottom // TILE[1]), columns] = True

    def mark_differences(self, one: Pixels, other: Pixels, left: int, top: int) -> None:
        """Look at the tiles in which two pictures of one size differ, both (H, W, 4), whose corner is on the canvas at `left`, `top`."""
        differs = (np.ascontiguousarray(one).view(np.uint32) != np.ascontiguousarray(other).view(np.uint32))[..., 0]
        rows = np.flatnonzero(differs.any(axis=1))
        for row in np.unique((rows + top) // TILE[1]):
            within = differs[max(0, row * TILE[1] - top) : (row + 1) * TILE[1] - top]
            columns = (np.flatnonzero(within.any(axis=0)) + left) // TILE[0]
            for column in np.unique(columns):
                self.mark((column * TILE[0], row * TILE[1], column * TILE[0] + 1, row * TILE[1] + 1))

    @property
    def areas(self) -> list[Area]:
        """Runs of tiles beside each other, from the top."""
        found: list[Area] = []
        for row, marked in enumerate(self._marked):
            ends = np.flatnonzero(np.diff(np.concatenate([[0], marked.view(np.int8), [0]])))
            for first, last in zip(ends[::2].tolist(), ends[1::2].tolist(), strict=True):
                right, bottom = min(last * TILE[0], self._size[0]), min((row + 1) * TILE[1], self._size[1])
                found.append((first * TILE[0], row * TILE[1], right, bottom))
        return found

    def has_any_in(self, top: int, bottom: int) -> bool:
        """Whether some of these rows are looked at."""
        return bool(self._marked[top // TILE[1] : -(-bottom // TILE[1])].any())


def rows_to_look_at(
    new: Path, old: Path | None, old_crc32: str, tiles: Tiles, raw: Path, pool: ThreadPoolExecutor
) -> Decoded:
    """The reference picture, of which but the rows are decoded that `tiles` are to be looked at in, and those other than in the `old` one (None: it
    is the same file): these are added to the tiles.

    Its CRC-32 is computed from that of the old one and of the rows that changed. Raises OSError or ValueError when it cannot be read.
    """
    if old is None and not tiles.areas:
        with Image.open(new) as opened:
            return Decoded(opened.width, opened.height, None, old_crc32, raw)
    try:
        return _by_rows(new, old, old_crc32, tiles, raw, pool)
    except NotInRows:
        pass
    whole = decode(new, raw)
    if old is not None:
        before = decode(old, raw.with_suffix(".old"))
        if (before.width, before.height) != (whole.width, whole.height):
            tiles.mark((0, 0, whole.width, whole.height))
            return whole
        for top in range(0, whole.height, TILE[1]):
            bottom = min(top + TILE[1], whole.height)
            tiles.mark_differences(whole.rows(top, bottom), before.rows(top, bottom), 0, top)
    return whole


@dataclass(frozen=True, slots=True)
class _Band:
    top: int
    now: bytes
    before: bytes | None


def _by_rows(new: Path, old: Path | None, old_crc32: str, tiles: Tiles, raw: Path, pool: ThreadPoolExecutor) -> Decoded:
    now = png_rows.opened(new.read_bytes())
    before = png_rows.opened(old.read_bytes()) if old is not None else None
    if before is not None and (now.head, now.colours) != (before.head, before.colours):
        raise NotInRows("it is of another kind")
    crc = int(old_crc32, 16)
    row = now.width * 4
    with raw.open("wb") as file:
        file.truncate(row * now.height)
        for band in _bands(now, before, pool):
            bottom = band.top + len(band.now) // now.stride
            differs = band.before is not None and band.before != band.now
            if not differs and not tiles.has_any_in(band.top, bottom):
                continue
            pixels = now.alone(band.now)
            if before is not None and differs:
                was = before.alone(band.before or b"")
                tiles.mark_differences(pixels, was, 0, band.top)
                change = zlib.crc32(pixels.tobytes()) ^ zlib.crc32(was.tobytes())
                # CRCs are linear: what a change makes of one, carried past all that comes behind (PNG, annex D).
                crc ^= zlib_ng.crc32_combine(change, 0, (now.height - bottom) * row)
            file.seek(band.top * row)
            file.write(pixels.tobytes())
    return Decoded(now.width, now.height, None, f"{crc:08x}", raw)


def _bands(now: PngRows, before: PngRows | None, pool: ThreadPoolExecutor) -> Iterator[_Band]:
    """The rows of both files, band by band."""
    top, mine, other = 0, now.bands(), before.bands() if before is not None else None
    ahead: Callable[[], bytes | None] = lambda: next(other, None) if other is not None else None  # noqa: E731
    while True:
        waiting = pool.submit(ahead)
        band = next(mine, None)
        was = waiting.result()
        if band is None and was is None:
            return
        if band is None or (other is not None and (was is None or len(was) != len(band))):
            raise NotInRows("the pieces are of other rows")
        yield _Band(top, band, was)
        top += len(band) // now.stride
