"""Where a package goes."""

import contextlib
import fcntl
import glob
import hashlib
import os
import shutil
import tempfile
from collections.abc import Collection, Iterable, Iterator
from pathlib import Path
from typing import IO, Protocol

from yuplet.errors import FolderBusy, FolderNotOurs, WriteError
from yuplet.paths import PackagePath, files_below, within


class FileStore(Protocol):
    """A place that takes named files: a folder, or memory."""

    def write(self, name: PackagePath, data: bytes) -> None:
        """Keep a file under a name."""
        ...

    def keep(self, name: PackagePath) -> bool:
        """Take a file of the earlier package over as it is; answers whether that could be done."""
        ...


class MemoryStore(dict[str, bytes]):
    """A `FileStore` in memory."""

    def write(self, name: PackagePath, data: bytes) -> None:
        """Keep a file under a name."""
        self[PackagePath(name)] = data

    def keep(self, name: PackagePath) -> bool:
        """Whether the file is there already."""
        return name in self


@contextlib.contextmanager
def alone_in(folder: Path) -> Iterator[None]:
    """Keep other hand-overs on this machine out of a folder meanwhile; raises `FolderBusy` when one is in it.

    The lock is a hidden file beside the folder, on the same disk, and gone afterwards; the system takes a lock back when its process ends,
    and the next hand-over there removes what a killed one left.
    """
    folder = folder.resolve()
    path = (
        folder.parent / f".{folder.name[:100]}.{hashlib.blake2b(folder.name.encode(), digest_size=6).hexdigest()}.lock"
    )
    lock: IO[bytes] | None = None
    try:
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            lock = _locked(path, folder)
        except OSError as error:
            raise _cannot_write(folder, error) from error
        # What a killed run left; nobody else is here.
        for left in folder.parent.glob(f"{glob.escape(_staging(folder))}????????"):
            shutil.rmtree(left, ignore_errors=True)
        yield
    finally:
        if lock is None:
            # Somebody ended the work in the moment in which it was made: nobody holds it.
            _remove_if_free(path)
        else:
            # While it is still held, so that nobody locks a file that is gone.
            path.unlink(missing_ok=True)
            lock.close()


def _staging(target: Path) -> str:
    """How the name of a folder begins that is filled beside the wished one."""
    return f".{target.name[:100]}.yuplet-"


def _locked(path: Path, folder: Path) -> IO[bytes]:
    """A lock file that is ours alone and still has its name. Whoever is ended here lets go of it, for it is closed with the object."""
    while True:
        lock = _opened(path, os.O_CREAT)
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
            if _is_at(path, lock):
                return lock
        except BlockingIOError as error:
            lock.close()
            raise FolderBusy(str(folder)) from error
        except BaseException:
            lock.close()
            raise
        lock.close()


def _remove_if_free(path: Path) -> None:
    """Remove a lock file that nobody holds."""
    with contextlib.suppress(OSError), _opened(path) as lock:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        if _is_at(path, lock):
            path.unlink()


def _opened(path: Path, more: int = 0) -> IO[bytes]:
    return open(
        path,
        "r+b",
        buffering=0,
        opener=lambda name, _: os.open(name, os.O_RDWR | os.O_NOFOLLOW | os.O_CLOEXEC | more, 0o600),
    )  # noqa: PTH123, SIM115


def _is_at(path: Path, lock: IO[bytes]) -> bool:
    return path.exists() and os.path.samestat(os.fstat(lock.fileno()), path.stat())


class StagedFolder:
    """A `FileStore` that fills a folder beside the wished one and moves the files over when all are there.

    Until `publish` is called the wished folder is as it was; leaving the `with` block removes what is left of the
    staging folder. `ours` are the files there that may be replaced: those of the earlier package. Nothing else is overwritten, and no
    link is followed out of either folder.
    """

    def __init__(self, target: Path, ours: Collection[str] = ()) -> None:
        self._target = target
        self._ours = frozenset(ours)
        self._kept: set[str] = set()
        try:
            target.parent.mkdir(parents=True, exist_ok=True)
            self.folder = Path(tempfile.mkdtemp(prefix=_staging(target), dir=target.parent))
            self.folder.chmod(0o755)
        except OSError as error:
            raise _cannot_write(target, error) from error

    def __enter__(self) -> "StagedFolder":
        return self

    def __exit__(self, *_: object) -> None:
        shutil.rmtree(self.folder, ignore_errors=True)

    def write(self, name: PackagePath, data: bytes) -> None:
        """Keep a file in the staging folder; raises `WriteError` when the disk does not take it."""
        path = within(self.folder, name)
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            # What was taken over is the file of the wished folder itself.
            path.unlink(missing_ok=True)
            self._kept.discard(name)
            path.write_bytes(data)
        except OSError as error:
            raise _cannot_write(path, error) from error

    def keep(self, name: PackagePath) -> bool:
        """Take a file of the wished folder over, with its bytes and its time."""
        path, source = within(self.folder, name), within(self._target, name)
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            os.link(source, path, follow_symlinks=False)
        except OSError:
            # Some file systems have no links.
            try:
                shutil.copy2(source, path, follow_symlinks=False)
            except OSError:
                return False
        self._kept.add(name)
        return True

    def publish(self, last: str, obsolete: Iterable[str] = ()) -> None:
        """Move all files to the wished folder, the one named `last` after all others, and remove the obsolete ones.

        Raises `FolderNotOurs` where something has come there meanwhile that is not ours, and `WriteError`.
        """
        try:
            if not self._target.exists():
                self.folder.rename(self._target)
                return
            moved = [PackagePath(name) for name in files_below(self.folder) if name not in self._kept]
            for name in moved:
                if name not in self._ours and os.path.lexists(within(self._target, name)):
                    raise FolderNotOurs(str(self._target), name)
            for name in sorted(moved, key=lambda name: (name == last, name)):
                place = within(self._target, name)
                place.parent.mkdir(parents=True, exist_ok=True)
                within(self.folder, name).replace(place)
            for name in (PackagePath(one) for one in obsolete if one in self._ours):
                place = within(self._target, name)
                place.unlink(missing_ok=True)
                _remove_empty_folders(place.parent, self._target)
        except OSError as error:
            raise _cannot_write(self._target, error) from error


def replace_file(path: Path, data: bytes) -> None:
    """Write a file so that whoever reads it meets the one of before or the new one, whole. Raises `WriteError`."""
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with tempfile.NamedTemporaryFile(dir=path.parent, prefix=f".{path.name}.", delete=False) as file:
            new = Path(file.name)
            try:
                file.write(data)
                file.flush()
                new.chmod(0o644)
                new.replace(path)
            except BaseException:
                new.unlink(missing_ok=True)
                raise
    except OSError as error:
        raise _cannot_write(path, error) from error


def _remove_empty_folders(folder: Path, root: Path) -> None:
    while folder != root and not any(folder.iterdir()):
        folder.rmdir()
        folder = folder.parent


def _cannot_write(path: Path, error: OSError) -> WriteError:
    return WriteError(f"'{path}' cannot be written: {error.strerror}. Choose another folder or make room for it.")
