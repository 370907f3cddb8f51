"""Files on a local disk: written to a temporary name, then moved into place."""

import contextlib
import datetime
import hashlib
import os
import tempfile
from collections.abc import Iterable, Iterator
from pathlib import Path

from django.core.files.storage import FileSystemStorage

from yuplet.errors import WriteError
from yuplet.paths import PackagePath, within
from yuplet_server.files.store import BlobStore, place_of

_UNFINISHED = ".new-"


class DiskStore(BlobStore, FileSystemStorage):
    """Django's storage on the local disk, as a store of ours."""

    def keep_pieces(self, pieces: Iterable[bytes]) -> str:
        folder = Path(self.location)
        try:
            folder.mkdir(parents=True, exist_ok=True)
            digest = hashlib.sha256()
            with tempfile.NamedTemporaryFile(dir=folder, prefix=_UNFINISHED, delete=False) as file:
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
        """Where a file is kept on the disk."""
        return str(Path(self.location) / place_of(name))

    def link(self, name: str, folder: Path, path: PackagePath) -> None:
        """Without a second copy where the file system can."""
        target = within(folder, path)
        target.parent.mkdir(parents=True, exist_ok=True)
        try:
            os.link(self.path(name), target)
        except FileExistsError:
            raise
        except OSError:
            super().link(name, folder, path)

    @contextlib.contextmanager
    def local(self, name: str) -> Iterator[Path]:
        yield Path(self.path(name))

    def kept_before(self, moment: datetime.datetime) -> Iterator[str]:
        # All of them first: what is kept while somebody looks through them is not among them.
        for path in list(Path(self.location).glob("??/*")):
            # Another sweep may have removed it.
            with contextlib.suppress(FileNotFoundError):
                if path.stat().st_mtime < moment.timestamp():
                    yield path.name

    def delete(self, name: str) -> None:
        Path(self.path(name)).unlink(missing_ok=True)

    def clear_unfinished(self, moment: datetime.datetime) -> None:
        for path in Path(self.location).glob(f"{_UNFINISHED}*"):
            # One that is being written may be in its place by now.
            with contextlib.suppress(FileNotFoundError):
                if path.stat().st_mtime < moment.timestamp():
                    path.unlink()

    def require_writable(self) -> None:
        Path(self.location).mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryFile(dir=self.location) as file:
            file.write(b"?")


def _sync(folder: Path) -> None:
    """Wait until the disk knows the names in a folder, where the file system has such a thing."""
    descriptor = os.open(folder, os.O_RDONLY)
    try:
        with contextlib.suppress(OSError):
            os.fsync(descriptor)
    finally:
        os.close(descriptor)
