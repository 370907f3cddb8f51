"""Where a package goes."""

import fcntl
import hashlib
import os
import shutil
import tempfile
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Protocol

from yuplet.errors import FolderBusy, WriteError


class FileStore(Protocol):
    """A place that takes named files: a folder, or memory. Names have forward slashes."""

    def write(self, name: str, data: bytes) -> None:
        """Keep a file under a name."""
        ...

    def keep(self, name: str) -> bool:
        """Take a file of the earlier package over as it is; answers whether that could be done."""
        ...


class MemoryStore(dict[str, bytes]):
    """A `FileStore` in memory."""

    write = dict.__setitem__

    def keep(self, name: str) -> bool:
        """Whether the file is there already."""
        return name in self


@contextmanager
def alone_in(folder: Path) -> Iterator[None]:
    """Keep other hand-overs on this machine out of a folder meanwhile; raises `FolderBusy` when one is in it.

    The lock is a file among the temporary ones, so that nothing is left beside the folder; the system takes it back when the process ends.
    """
    name = hashlib.blake2b(str(folder.resolve()).encode(), digest_size=16).hexdigest()
    with Path(tempfile.gettempdir(), f"yuplet-{os.getuid()}-{name}.lock").open("w") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError as error:
            raise FolderBusy(str(folder)) from error
        yield


class StagedFolder:
    """A `FileStore` that fills a folder beside the wished one and moves the files over when all are there.

    Until `publish` is called the wished folder is as it was; leaving the `with` block removes what is left of the
    staging folder.
    """

    def __init__(self, target: Path) -> None:
        self._target = target
        self._kept: set[str] = set()
        try:
            target.parent.mkdir(parents=True, exist_ok=True)
            self.folder = Path(tempfile.mkdtemp(prefix=f".{target.name}-", dir=target.parent))
            self.folder.chmod(0o755)
        except OSError as error:
            raise _cannot_write(target, error) from error

    def __enter__(self) -> "StagedFolder":
        return self

    def __exit__(self, *_: object) -> None:
        shutil.rmtree(self.folder, ignore_errors=True)

    def write(self, name: str, data: bytes) -> None:
        """Keep a file in the staging folder; raises `WriteError` when the disk does not take it."""
        path = self.folder / name
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(data)
        except OSError as error:
            raise _cannot_write(path, error) from error

    def keep(self, name: str) -> bool:
        """Take a file of the wished folder over, with its bytes and its time."""
        path = self.folder / name
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            os.link(self._target / name, path)
        except OSError:
            # Some file systems have no links.
            try:
                shutil.copy2(self._target / name, path)
            except OSError:
                return False
        self._kept.add(name)
        return True

    def publish(self, last: str, obsolete: Iterable[str] = ()) -> None:
        """Move all files to the wished folder, the one named `last` after all others, and remove the obsolete ones."""
        try:
            if not self._target.exists():
                self.folder.rename(self._target)
                return
            staged = [path.relative_to(self.folder).as_posix() for path in self.folder.rglob("*") if path.is_file()]
            moved = set(staged) - self._kept
            for name in sorted(moved, key=lambda name: (name == last, name)):
                (self._target / name).parent.mkdir(parents=True, exist_ok=True)
                (self.folder / name).replace(self._target / name)
            for name in obsolete:
                (self._target / name).unlink(missing_ok=True)
                _remove_empty_folders((self._target / name).parent, self._target)
        except OSError as error:
            raise _cannot_write(self._target, error) from error


def _remove_empty_folders(folder: Path, root: Path) -> None:
    while folder != root and not any(folder.iterdir()):
        folder.rmdir()
        folder = folder.parent


def _cannot_write(path: Path, error: OSError) -> WriteError:
    return WriteError(f"'{path}' cannot be written: {error.strerror}. Choose another folder or make room for it.")
