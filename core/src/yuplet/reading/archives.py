"""ZIP archives, opened with care: what leaves the archive, what is too much and what is there twice is refused.

Source: PKWARE, APPNOTE.TXT, .ZIP File Format Specification. Limits: 100 000 entries, 4 GiB unpacked, and what an entry unpacks to is
counted while it is unpacked, whatever the archive says of it; 4 000 million pixels in all pictures.
"""

import contextlib
import io
import struct
import zipfile
import zlib
from collections import Counter
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import IO

from yuplet.errors import BrokenFile, TooLarge, UnsafeFile, shown
from yuplet.geometry import Size
from yuplet.paths import leaves

MAX_ENTRIES = 100_000
MAX_UNPACKED = 4 << 30
MAX_PIXELS_IN_ALL = 4_000_000_000
"""Pixels of all pictures in an archive: 60 layers of 8,192 x 8,192."""
_PIECE = 1 << 20
_ENCRYPTED = 0x1
DAMAGED = (
    OSError, zipfile.BadZipFile, zlib.error, struct.error, EOFError, NotImplementedError, RuntimeError, ValueError, LookupError,
)  # fmt: skip
"""What the standard library raises for archives that are damaged, or packed in a way that it cannot unpack."""


GZIP = 16 + zlib.MAX_WBITS
"""What zlib calls the form of RFC 1952."""


def is_packed(data: bytes) -> bool:
    """Whether a file is packed as RFC 1952 has it (gzip), as SVG files may be; all that is needed to know it is its start."""
    return data[:2] == b"\x1f\x8b"


class _Named(zipfile.ZipFile):
    """An archive that knows what it was called where it came from."""

    called = ""


def name_of(archive: zipfile.ZipFile) -> str:
    """What an archive was called where it came from."""
    return archive.called if isinstance(archive, _Named) else Path(str(archive.filename)).name


@contextlib.contextmanager
def opened(path: Path, file_name: str, most: int = MAX_UNPACKED) -> Iterator[zipfile.ZipFile]:
    """The archive for as long as the block lasts; `most` bytes may be in it, unpacked.

    Raises `BrokenFile`, `TooLarge` or `UnsafeFile`. What is read in the block is read by `read` or `copied`, which raise the same.
    """
    try:
        archive = _Named(path)
    except DAMAGED as error:
        raise _damaged(file_name, error) from error
    # Errors name what it was called where it came from, not what it is kept under.
    archive.called = file_name
    with archive:
        _check_entries(archive, file_name, most)
        yield archive


def read(archive: zipfile.ZipFile, name: str, most: int) -> bytes:
    """One entry of at most so many bytes, unpacked. Raises `KeyError` where it is not there, `BrokenFile` and `TooLarge`."""
    out = io.BytesIO()
    copied(archive, archive.getinfo(name), out, most)
    return out.getvalue()


def copied(archive: zipfile.ZipFile, entry: zipfile.ZipInfo, out: IO[bytes], most: int = MAX_UNPACKED) -> None:
    """Unpack one entry into a file; raises `BrokenFile` and `TooLarge`."""
    done = 0
    for piece in pieces(archive, entry):
        done += len(piece)
        if done > most:
            raise TooLarge(f"'{shown(entry.filename)}' unpacks to more than {_size(most)}.")
        out.write(piece)


def pieces(archive: zipfile.ZipFile, entry: zipfile.ZipInfo) -> Iterator[bytes]:
    """One entry, unpacked piece by piece; raises `BrokenFile`."""
    try:
        with archive.open(entry) as source:
            while piece := source.read(_PIECE):
                yield piece
    except DAMAGED as error:
        raise _damaged(name_of(archive), error, entry.filename) from error


def require_few_pixels(sizes: Iterable[Size], file_name: str) -> None:
    """Raise `TooLarge` where the pictures of an archive have too many pixels in all; looked at before any is decoded."""
    total = sum(size.pixels for size in sizes)
    if total > MAX_PIXELS_IN_ALL:
        raise TooLarge(
            f"The pictures in '{shown(file_name)}' have {total // 1_000_000:,} million pixels in all; Yuplet takes up to"
            f" {MAX_PIXELS_IN_ALL // 1_000_000:,} million. Make them smaller, or bring them in one after the other."
        )


def _check_entries(archive: zipfile.ZipFile, file_name: str, most: int) -> None:
    entries = archive.infolist()
    if len(entries) > MAX_ENTRIES:
        raise TooLarge(f"The archive has {len(entries)} entries; Yuplet takes up to {MAX_ENTRIES}.")
    unpacked = sum(entry.file_size for entry in entries)
    if unpacked > most:
        raise TooLarge(f"The archive unpacks to {_size(unpacked)}; Yuplet takes up to {_size(most)}.")
    if any(entry.flag_bits & _ENCRYPTED for entry in entries):
        raise BrokenFile(f"'{shown(file_name)}' has a password. Unpack it, then bring in the folder.")
    for entry in entries:
        if not entry.filename:
            raise BrokenFile(
                f"'{shown(file_name)}' has an entry without a name. Save it again and bring it in once more."
            )
        if leaves(entry.filename):
            raise UnsafeFile(
                f"The archive has an entry '{shown(entry.filename)}' that leaves it. Pack '{shown(file_name)}' again."
            )
    twice = [name for name, count in Counter(archive.namelist()).items() if count > 1]
    if twice:
        raise BrokenFile(
            f"'{shown(file_name)}' has two files called '{shown(twice[0])}', so that one would hide the other. Rename one of them."
        )


def _size(number: int) -> str:
    return f"{number / 2**30:.1f}".removesuffix(".0") + " GiB" if number >= 1 << 30 else f"{number / 2**20:.0f} MiB"


def _damaged(file_name: str, error: Exception, entry: str = "") -> BrokenFile:
    where = f" at '{shown(entry)}'" if entry else ""
    if isinstance(error, NotImplementedError):
        return BrokenFile(
            f"'{shown(file_name)}' is packed in a way that cannot be read{where}. Pack it again as an ordinary ZIP."
        )
    # What other parts of the standard library say is of no use to people.
    why = f" ({shown(error)})" if isinstance(error, zipfile.BadZipFile | zlib.error) else ""
    return BrokenFile(
        f"'{shown(file_name)}' is a damaged archive{where}{why}. Save it again and bring it in once more."
    )
