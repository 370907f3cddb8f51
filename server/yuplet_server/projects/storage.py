"""Files named by their SHA-256: written to a temporary name, then moved into place, never changed afterwards."""

import contextlib
import hashlib
import os
import re
import shutil
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import IO, Any, cast

from django.core.files.base import File
from django.core.files.storage import FileSystemStorage, default_storage

from yuplet.errors import WriteError

_DIGEST = re.compile(r"[0-9a-f]{64}")
_PIECE = 1 << 20


class BlobStorage(FileSystemStorage):
    """Django's storage on the local disk, with three more verbs: `keep`, `link` and `local`."""

    def keep(self, source: IO[bytes]) -> str:
        """Keep a copy of a stream; answers its SHA-256. The same bytes are kept once. Raises `WriteError`."""
        folder = Path(self.location)
        try:
            folder.mkdir(parents=True, exist_ok=True)
            digest = hashlib.sha256()
            with tempfile.NamedTemporaryFile(dir=folder, prefix=".new-", delete=False) as file:
                path = Path(file.name)
                try:
                    while piece := source.read(_PIECE):
                        digest.update(piece)
                        file.write(piece)
                    target = Path(self.path(digest.hexdigest()))
                    target.parent.mkdir(exist_ok=True)
                    # Somebody may be reading the same bytes there: they must be whole before they are in place.
                    file.flush()
                    path.replace(target)
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

    def link(self, name: str, target: Path) -> None:
        """Put a kept file where it is wanted on the local disk, without a second copy where the file system can; it is not to be changed."""
        target.parent.mkdir(parents=True, exist_ok=True)
        try:
            os.link(self.path(name), target)
        except OSError:
            shutil.copyfile(self.path(name), target)

    @contextlib.contextmanager
    def local(self, name: str) -> Iterator[Path]:
        """The file as one on the local disk, for as long as the block lasts; it is only read."""
        yield Path(self.path(name))


def blobs() -> BlobStorage:
    """The storage that the settings name."""
    return cast(BlobStorage, default_storage)


def open_blob(digest: str) -> File[Any]:
    """A kept file, opened for reading."""
    return blobs().open(digest, "rb")
