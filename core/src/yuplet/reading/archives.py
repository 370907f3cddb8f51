"""ZIP archives, opened with care: what leaves the archive, what is too much and what is there twice is refused.

Source: PKWARE, APPNOTE.TXT, .ZIP File Format Specification. Limits: 100 000 entries, 4 GiB unpacked.
"""

import contextlib
import zipfile
import zlib
from collections import Counter
from collections.abc import Iterator
from pathlib import Path, PurePosixPath

from yuplet.errors import BrokenFile, TooLarge, UnsafeFile

MAX_ENTRIES = 100_000
MAX_UNPACKED = 4 << 30


@contextlib.contextmanager
def opened(path: Path, file_name: str, most: int = MAX_UNPACKED) -> Iterator[zipfile.ZipFile]:
    """The archive for as long as the block lasts; `most` bytes may be in it, unpacked.

    Raises `BrokenFile`, `TooLarge` or `UnsafeFile`, also for what is read in the block.
    """
    try:
        with zipfile.ZipFile(path) as archive:
            _check_entries(archive, file_name, most)
            yield archive
    except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError) as error:
        raise BrokenFile(
            f"'{file_name}' is a damaged archive ({error}). Save it again and bring it in once more."
        ) from error


def _check_entries(archive: zipfile.ZipFile, file_name: str, most: int) -> None:
    entries = archive.infolist()
    if len(entries) > MAX_ENTRIES:
        raise TooLarge(f"The archive has {len(entries)} entries; Yuplet takes up to {MAX_ENTRIES}.")
    unpacked = sum(entry.file_size for entry in entries)
    if unpacked > most:
        raise TooLarge(f"The archive unpacks to {unpacked / 2**30:.1f} GiB; Yuplet takes up to {most >> 30} GiB.")
    for entry in entries:
        name = entry.filename.replace("\\", "/")
        if name.startswith("/") or ".." in PurePosixPath(name).parts or name[1:2] == ":":
            raise UnsafeFile(f"The archive has an entry '{entry.filename}' that leaves it. Pack '{file_name}' again.")
    twice = [name for name, count in Counter(archive.namelist()).items() if count > 1]
    if twice:
        raise BrokenFile(
            f"'{file_name}' has two files called '{twice[0]}', so that one would hide the other. Rename one of them."
        )
