"""Names and paths that every common file system takes, and the one type of path that anything of a package is stored under.

Sources: Microsoft, "Naming Files, Paths, and Namespaces" (reserved characters and device names; `pathvalidate` holds
the list, except CONIN$ and CONOUT$); POSIX.1-2017, 3.170 (no slash, no NUL). Two names that differ only in letter case
or in Unicode normal form clash, since some file systems keep only one of them (common practice, no published source).
"""

import os
import re
import unicodedata
from functools import lru_cache
from pathlib import Path

from pathvalidate import validate_filename
from pathvalidate.error import ErrorReason, ValidationError

from yuplet.errors import UnsafePath, shown

LONGEST = 120
"""Bytes of UTF-8 of the name of a part or group: leaves room for numbers and endings in a file name of 255."""
LONGEST_PIECE = 255
"""Bytes of UTF-8 of a file's or folder's name."""
LONGEST_PATH = 900
"""Bytes of UTF-8 of a path inside a package: with the folder around it less than the 1,024 that some systems take."""
_PLAIN = re.compile(r"[A-Za-z0-9_]([A-Za-z0-9 _-]*[A-Za-z0-9_-])?", re.ASCII)
"""Names that need no second look, as nearly all are: looking at a thousand takes longer than all else that is done with them."""
_LIKE_DEVICES = frozenset({"con", "prn", "aux", "nul", "com", "lpt", "clo"})
"""How those begin that a system may keep for a device."""
_CONSOLE = {"conin$", "conout$"}
_JOINERS = "\u200c\u200d"
_INVISIBLE = ("Cc", "Cf", "Cs", "Zl", "Zp")


def key(name: str) -> str:
    """What two names must differ in to be two files everywhere."""
    return unicodedata.normalize("NFC", unicodedata.normalize("NFC", name).casefold())


@lru_cache(maxsize=1 << 14)
def problem(name: str, longest: int = LONGEST) -> str | None:
    """Why a name cannot be a file's, in words that follow "The name"; None when it can. `longest` is in bytes of UTF-8.

    >>> problem("arm:left")
    'holds a character that not every file system takes'
    >>> problem("upper arm") is None
    True
    """
    if len(name) <= longest and _PLAIN.fullmatch(name) and name[:3].casefold() not in _LIKE_DEVICES:
        return None
    if not name.strip():
        return "is empty"
    if name != name.strip() or name.endswith(".") or name.startswith("."):
        return "begins or ends with a space or a dot"
    if any(unicodedata.category(letter) in _INVISIBLE for letter in name):
        return "holds an invisible character"
    if len(name.encode()) > longest:
        return f"is longer than {longest} bytes"
    if name.split(".")[0].strip().casefold() in _CONSOLE:
        return "is kept by a system for a device"
    try:
        validate_filename(name, platform="universal", max_len=LONGEST_PIECE)
    except ValidationError as error:
        if error.reason == ErrorReason.RESERVED_NAME:
            return "is kept by a system for a device"
        return "holds a character that not every file system takes"
    return None


def is_plain(text: str) -> bool:
    """Whether a title shows all of itself: no control characters, no halves of letters, nothing that turns the direction of writing.

    >>> is_plain("Brindle, drenched"), is_plain("Brindle\\n"), is_plain("gnp.\u202egpj")
    (True, False, False)
    """
    return not any(unicodedata.category(letter) in _INVISIBLE and letter not in _JOINERS for letter in text)


def plain(text: str) -> str:
    """A text as a title: without what `is_plain` refuses, a line break as a space."""
    spaced = "".join(" " if letter in "\t\r\n\u2028\u2029" else letter for letter in text)
    return "".join(letter for letter in spaced if is_plain(letter)).strip()


def path_problem(path: object) -> str | None:
    """Why something cannot be a path inside a package, in words that follow "The path"; None when it can.

    Such a path is relative, has forward slashes, and each of its pieces can be a file's name on every system.

    >>> path_problem("../elsewhere.png"), path_problem("parts/con.png")
    ('leaves its folder', "holds 'con.png', which is kept by a system for a device")
    """
    if not isinstance(path, str):
        return "is no text"
    if not path:
        return "is empty"
    if leaves(path):
        return "leaves its folder"
    if any(unicodedata.category(letter) in _INVISIBLE for letter in path):
        return "holds an invisible character"
    if len(path.encode()) > LONGEST_PATH:
        return f"is longer than {LONGEST_PATH} bytes"
    for piece in path.split("/"):
        if not piece:
            return "has an empty piece between two slashes"
        wrong = problem(piece, LONGEST_PIECE)
        if wrong is not None:
            return f"holds '{shown(piece)}', which {wrong}"
    return None


def leaves(path: str) -> bool:
    """Whether a name in an archive points out of it: absolute, with a drive, or climbing, whichever way its slashes lean.

    >>> [leaves(path) for path in ("a/b.png", "/a", "a/../../b", "..\\\\b", "C:b", "a..b/c")]
    [False, True, True, True, True, False]
    """
    plain = path.replace("\\", "/")
    return plain.startswith("/") or plain[1:2] == ":" or ".." in plain.split("/")


class PackagePath(str):
    """A path inside a package that is safe to store something under, on every system. Raises `UnsafePath` for anything else.

    It is the only kind of name that whatever stores files takes; whoever has a plain text makes one of it, and so checks it.

    >>> PackagePath("parts/lamp.png").pieces
    ('parts', 'lamp.png')
    """

    __slots__ = ()

    def __new__(cls, path: object) -> "PackagePath":
        if isinstance(path, PackagePath):
            return path
        wrong = path_problem(path)
        if wrong is not None:
            raise UnsafePath(path, wrong)
        return super().__new__(cls, path)

    @property
    def pieces(self) -> tuple[str, ...]:
        """The folders and the file's own name."""
        return tuple(self.split("/"))


def within(folder: Path, path: PackagePath) -> Path:
    """Where a path is in a folder on the disk. Raises `UnsafePath` where a link on the way could lead out of the folder.

    The folder itself may be reached by a link; nothing below it may. Whoever opens the answer uses it at once.
    """
    at = folder
    for piece in PackagePath(path).pieces:
        at = at / piece
        if at.is_symlink():
            raise UnsafePath(path, f"goes through '{piece}', which is a link in '{folder}'")
    return at


_EVERYWHERE = frozenset({"thumbs.db", "ehthumbs.db", "desktop.ini"})


def is_kept_everywhere(name: str) -> bool:
    """Whether a file is one that file managers and version control put into any folder: hidden by a dot, or of a few names (common practice, no
    published source).

    >>> [is_kept_everywhere(name) for name in (".DS_Store", ".git/HEAD", "parts/Thumbs.db", "parts/lamp.png")]
    [True, True, True, False]
    """
    steps = name.split("/")
    return any(step.startswith(".") for step in steps) or steps[-1].lower() in _EVERYWHERE


def files_below(folder: Path) -> list[str]:
    """Everything in a folder and below it that is no folder, as paths with forward slashes; links are listed and not followed."""
    found = []
    for root, folders, files in os.walk(folder, followlinks=False):
        at = Path(root)
        links = [name for name in folders if (at / name).is_symlink()]
        found += [(at / name).relative_to(folder).as_posix() for name in (*files, *links)]
    return sorted(found)
