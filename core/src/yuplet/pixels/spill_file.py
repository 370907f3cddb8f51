"""Decoded pixels on disk for as long as a piece of work lasts, so that memory does not grow with the number of layers."""

import os
import tempfile
import threading
from fractions import Fraction
from typing import NamedTuple, Protocol

import numpy as np
from blake3 import blake3

from yuplet.errors import WriteError
from yuplet.geometry import Point, Size
from yuplet.pixels import DeepPicture, Picture


class PixelSource(Protocol):
    """Where the trimmed pixels of layers come from."""

    def rows(self, key: str, top: int, bottom: int) -> Picture:
        """Rows `top` to `bottom` (the first outside) of the picture kept under `key`."""
        ...

    def deep_rows(self, key: str, top: int, bottom: int) -> DeepPicture | None:
        """The same with 16 bits a channel, where they are known."""
        ...


class VectorSource(Protocol):
    """Where layers can be drawn anew at any scale, by what the reader of their file calls them."""

    def draw(self, source: str, factor: Fraction, at: Point, size: Size) -> Picture:
        """An area of the scaled canvas whose top left corner is `at`, with nothing but one layer in it."""
        ...

    def digest(self, source: str) -> str:
        """What tells the shapes of a layer from all others: they may differ where its pixels at scale 1 do not."""
        ...

    def alone(self, source: str, prefix: str) -> str:
        """An SVG element, as large as the canvas at scale 1, with one layer and what it refers to; ids begin with the prefix."""
        ...


_DEEP = "16 bits of "


class _Place(NamedTuple):
    offset: int
    size: Size


class SpillFile:
    """A `PixelSource` in an unnamed temporary file; safe to use from several threads.

    Pixels are read row by row with `pread`, never mapped: what is in use is in memory, and nothing else.

    >>> with SpillFile() as scratch:
    ...     scratch.put("a", np.full((2, 3, 4), 7, np.uint8))
    ...     scratch.rows("a", 1, 2).shape
    (1, 3, 4)
    """

    def __init__(self, folder: str | None = None) -> None:
        self._file = tempfile.TemporaryFile(dir=folder)  # noqa: SIM115 - closed by __exit__
        self._places: dict[str, _Place] = {}
        self._digests: dict[str, str] = {}
        self._end = 0
        self._lock = threading.Lock()

    def __enter__(self) -> "SpillFile":
        return self

    def __exit__(self, *_: object) -> None:
        self._file.close()

    def put(self, key: str, picture: Picture) -> None:
        """Keep a copy of a picture under a key; raises `WriteError` when the disk is full."""
        data = np.ascontiguousarray(picture)
        with self._lock:
            offset, self._end = self._end, self._end + data.nbytes
        view = memoryview(data.reshape(-1).data)
        done = 0
        try:
            while done < len(view):
                done += os.pwrite(self._file.fileno(), view[done : done + (1 << 30)], offset + done)
        except OSError as error:
            raise WriteError(
                f"There is no room for temporary files ({error.strerror}). Free some space on the disk and try again."
            ) from error
        self._digests.pop(key.removeprefix(_DEEP), None)
        self._places[key] = _Place(offset, Size(data.shape[1], data.shape[0]))

    def put_deep(self, key: str, picture: DeepPicture) -> None:
        """Keep the 16 bits a channel of a picture beside its 8; raises `WriteError`."""
        data = np.ascontiguousarray(picture)
        # Two pixels of 8 bits hold one of 16.
        self.put(_DEEP + key, data.view(np.uint8).reshape(data.shape[0], data.shape[1] * 2, 4))

    def deep_rows(self, key: str, top: int, bottom: int) -> DeepPicture | None:
        """Rows with 16 bits a channel, as a new array; None where only 8 are known."""
        if _DEEP + key not in self._places:
            return None
        rows = self.rows(_DEEP + key, top, bottom)
        return rows.reshape(bottom - top, -1).view(np.uint16).reshape(bottom - top, -1, 4)

    def size(self, key: str) -> Size:
        """Width and height of the picture kept under a key."""
        return self._places[key].size

    def rows(self, key: str, top: int, bottom: int) -> Picture:
        """Rows `top` to `bottom` (the first outside), as a new array."""
        offset, size = self._places[key]
        out = np.empty((bottom - top, size.width, 4), np.uint8)
        view = memoryview(out.reshape(-1).data)
        at = offset + top * size.width * 4
        done = 0
        while done < len(view):
            read = os.preadv(self._file.fileno(), [view[done:]], at + done)
            if read == 0:
                raise ValueError(f"scratch file ended within '{key}'")
            done += read
        return out

    def digest(self, key: str) -> str:
        """What tells the pixels kept under a key from all others (BLAKE3, which takes a sixth of the time of BLAKE2b); computed once."""
        known = self._digests.get(key)
        if known is None:
            found = blake3()
            for one in (key, _DEEP + key):
                if one in self._places:
                    found.update(repr(self._places[one].size).encode())
                    found.update(self.whole(one).reshape(-1).data)
            known = self._digests[key] = found.hexdigest(length=16)
        return known

    def whole(self, key: str) -> Picture:
        """The whole picture kept under a key, as a new array."""
        return self.rows(key, 0, self.size(key).height)
