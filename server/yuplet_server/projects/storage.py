"""Files named by their SHA-256: written to a temporary name, then moved into place, never changed afterwards."""

import contextlib
import hashlib
import os
import re
import shutil
import tempfile
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import IO, Any, cast

from django.core.files.base import File
from django.core.files.storage import FileSystemStorage, default_storage

from yuplet.errors import WriteError
from yuplet.paths import PackagePath, within

_DIGEST = re.compile(r"[0-9a-f]{64}")
_PIECE = 1 << 20


class BlobStorage(FileSystemStorage):
    """Django's storage on the local disk, with three more verbs: `keep`, `link` and `local`."""

    def keep(self, source: IO[bytes]) -> str:
        """Keep a copy of a stream; answers its SHA-256. The same bytes are kept once. Raises `WriteError`."""
        return self.keep_pieces(iter(lambda: source.read(_PIECE), b""))

    def keep_pieces(self, pieces: Iterable[bytes]) -> str:
        """The same of bytes that come piece by piece."""
        folder = Path(self.location)
        try:
            folder.mkdir(parents=True, exist_ok=True)
            digest = hashlib.sha256()
            with tempfile.NamedTemporaryFile(dir=folder, prefix=".new-", delete=False) as file:
                path = Path(file.name)
                try:
                    for piece in pieces:
                        digest.update(piece)
                        file.write(piece)
                    target = Path(self.path(digest.hexdigest()))
                    target.parent.mkdir(exist_ok=True)
                    # Somebody may be reading the same bytes there: they must be whole, and on the disk, before they are in place,
                    # for a row that points to them may outlive a loss of power.
                    file.flush()
                    os.fsync(file.fileno())
                    path.replace(target)
                    _sync(target.parent)
                except BaseException:
                    path.unlink(missing_ok=True)
                    raise
        except OSError as error:
            raise WriteError(
                f"The file cannot be kept: {error.strerror}. Make room on the server's disk and try again."
            ) from error
        return digest.hexdigest()

    def path(self, name: str) -> str:
        """Where a file is kept on the disk; two letters make a folder, so that none holds too many."""
        if not _DIGEST.fullmatch(name):
            raise ValueError(f"'{name}' is not a SHA-256")
        return str(Path(self.location) / name[:2] / name)

    def link(self, name: str, folder: Path, path: PackagePath) -> None:
        """Put a kept file into a folder on the local disk, without a second copy where the file system can; it is not to be changed.

        Nothing that is there already is touched: raises `FileExistsError`.
        """
        target = within(folder, path)
        target.parent.mkdir(parents=True, exist_ok=True)
        try:
            os.link(self.path(name), target)
        except FileExistsError:
            raise
        except OSError:
            with self.open(name, "rb") as source, target.open("xb") as copy:
                shutil.copyfileobj(source, copy)

    @contextlib.contextmanager
    def local(self, name: str) -> Iterator[Path]:
        """The file as one on the local disk, for as long as the block lasts; it is only read."""
        yield Path(self.path(name))


def _sync(folder: Path) -> None:
    """Wait until the disk knows the names in a folder, where the file system has such a thing."""
    descriptor = os.open(folder, os.O_RDONLY)
    try:
        with contextlib.suppress(OSError):
            os.fsync(descriptor)
    finally:
        os.close(descriptor)


def blobs() -> BlobStorage:
    """The storage that the settings name."""
    return cast(BlobStorage, default_storage)


def open_blob(digest: str) -> File[Any]:
    """A kept file, opened for reading."""
    return blobs().open(digest, "rb")
