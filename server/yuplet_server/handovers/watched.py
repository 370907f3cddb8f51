"""What an illustration keeps in step with on the server's machine: a file, or a folder of images that belong together."""

import hashlib
import os
import time
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import IO

from yuplet.reading.files import holds_picture
from yuplet_server.base.errors import NotNow
from yuplet_server.illustrations.actions import MAX_UPLOAD, packed

QUIET = 3.0
"""Seconds for which nothing in a folder may have changed: its images are saved one after the other."""
MOST = 2000
"""Images in a folder: as many as are read."""


def require_there(path: Path, target: Path | None) -> None:
    """Raise `NotNow` unless there is something to watch, and packages go to where they do not look like a change of it."""
    if not path.exists():
        raise NotNow(f"There is no file and no folder '{path}' on the server's machine. Check its name.")
    require_picture(path)
    if path.is_dir() and target is not None and (path in (target, *target.parents) or target in path.parents):
        raise NotNow(
            f"'{target}' and the watched folder lie within each other, so each package would be a change. Choose another folder."
        )


def require_picture(path: Path) -> None:
    """Raise `NotNow` for a file that holds no picture: nothing of it is kept, for what is kept can be read by all members of the project."""
    if path.is_dir():
        _files(path)
    elif not holds_picture(path):
        raise NotNow(
            f"'{path.name}' is no picture that Yuplet reads. Nothing was kept. Watch a picture or a folder of pictures."
        )


def stamp_of(path: Path) -> str:
    """What tells one saved state from another without reading it. Raises `OSError`, and `NotNow` for a folder that holds too much."""
    if not path.is_dir():
        alone = path.stat()
        return f"{alone.st_size} {alone.st_mtime_ns}"
    found = [(one, one.stat()) for one in _files(path)]
    files = [(one.relative_to(path).as_posix(), stat.st_size, stat.st_mtime_ns) for one, stat in found]
    return hashlib.blake2b(repr(files).encode(), digest_size=16).hexdigest()


def is_quiet(path: Path) -> bool:
    """Whether nothing seems to be on its way: a file was seen at two glances, a folder for some time."""
    if not path.is_dir():
        return path.stat().st_size > 0
    files = _files(path)
    return bool(files) and max(one.stat().st_mtime for one in files) <= time.time() - QUIET


@contextmanager
def opened(path: Path) -> Iterator[tuple[str, int, IO[bytes]]]:
    """Name, size and content; of a folder those of an archive that the same images make again to the byte."""
    with ExitStack() as stack:
        if not path.is_dir():
            yield path.name, path.stat().st_size, stack.enter_context(path.open("rb"))
            return
        files = ((f"{path.name}/{one.relative_to(path).as_posix()}", one.open("rb")) for one in _files(path))
        name, size, archive = packed(files, path.name)
        yield name, size, stack.enter_context(archive)


def _files(folder: Path) -> list[Path]:
    """The pictures in a folder and in those in it, by name; hidden ones, links to elsewhere and what is no picture are left out."""
    found = []
    for root, folders, names in os.walk(folder):
        folders[:] = sorted(name for name in folders if not name.startswith("."))
        for name in sorted(names):
            path = Path(root, name)
            if not name.startswith(".") and not path.is_symlink() and path.is_file() and holds_picture(path):
                found.append(path)
    if len(found) > MOST:
        raise NotNow(f"'{folder}' holds {len(found):,} files; up to {MOST:,} are read. Watch a folder with fewer.")
    if sum(path.stat().st_size for path in found) > MAX_UPLOAD:
        raise NotNow(f"What is in '{folder}' is larger than {MAX_UPLOAD >> 30} GB together. Watch a smaller folder.")
    return found
