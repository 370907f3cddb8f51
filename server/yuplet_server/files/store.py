"""Where files are kept: under the SHA-256 of their bytes, never changed afterwards, on a disk (`disk`) or in an S3 store (`s3`)."""

import contextlib
import datetime
import hashlib
import re
import shutil
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import IO, Any, cast

from django.core.files.base import File
from django.core.files.storage import Storage, default_storage

from yuplet.paths import PackagePath, within

_DIGEST = re.compile(r"[0-9a-f]{64}")
PIECE = 1 << 20
"""Bytes that are held at once."""


class BlobStore(Storage):
    """What a store holds beside Django's verbs. A file that is missing is `FileNotFoundError`; one is there whole or not at all."""

    def keep(self, source: IO[bytes]) -> str:
        """Keep a copy of a stream; answers its SHA-256. The same bytes are kept once. Raises `WriteError`."""
        return self.keep_pieces(iter(lambda: source.read(PIECE), b""))

    def keep_pieces(self, pieces: Iterable[bytes]) -> str:
        """The same of bytes that come piece by piece."""
        raise NotImplementedError

    def link(self, name: str, folder: Path, path: PackagePath) -> None:
        """Put a kept file into a folder on the local disk; it is not to be changed.

        Nothing that is there already is touched: raises `FileExistsError`.
        """
        target = within(folder, path)
        target.parent.mkdir(parents=True, exist_ok=True)
        with self.open(name, "rb") as source, target.open("xb") as copy:
            shutil.copyfileobj(source, copy, PIECE)

    def local(self, name: str) -> contextlib.AbstractContextManager[Path]:
        """The file as one on the local disk, for as long as the block lasts; it is only read."""
        raise NotImplementedError

    def stream(self, name: str) -> tuple[int, Iterator[bytes]]:
        """How many bytes a file has, and these, piece by piece."""
        file = self.open(name, "rb")
        return file.size, file.chunks(PIECE)

    def signed(self, name: str, disposition: str, content_type: str) -> str:
        """An address at which a browser takes a file from the store itself, for some minutes; empty where it does not."""
        return ""

    def place_for_front(self, name: str, content_type: str) -> str:
        """Where our front server finds a file that it takes from the store by itself, for some minutes; empty where it does not."""
        return ""

    def kept_before(self, moment: datetime.datetime) -> Iterator[str]:
        """The SHA-256 of each file that nobody has kept since a moment."""
        raise NotImplementedError

    def is_right(self, name: str) -> bool:
        """Whether a file is there, with the bytes that its name tells: all of it is read."""
        digest = hashlib.sha256()
        try:
            for piece in self.stream(name)[1]:
                digest.update(piece)
        except FileNotFoundError:
            return False
        return digest.hexdigest() == name

    def clear_unfinished(self, moment: datetime.datetime) -> None:
        """Remove what was begun to be kept before a moment, and never ended."""
        raise NotImplementedError

    def require_writable(self) -> None:
        """Raise `OSError` or `YupletError` if nothing can be kept now."""
        raise NotImplementedError


def require_digest(name: str) -> str:
    """A name that a file can have; `ValueError` for any other: nothing outside the store is reached."""
    if not _DIGEST.fullmatch(name):
        raise ValueError(f"'{name}' is not a SHA-256")
    return name


def place_of(name: str) -> str:
    """Where a file lies in a store; two letters make a folder, so that none holds too many."""
    return f"{require_digest(name)[:2]}/{name}"


def blobs() -> BlobStore:
    """The store that the settings name."""
    return cast(BlobStore, default_storage)


def open_blob(digest: str) -> File[Any]:
    """A kept file, opened for reading."""
    return blobs().open(digest, "rb")
