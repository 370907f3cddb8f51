"""What is there of a package: which files are expected, found, missing, there besides, or there in another letter case."""

import os
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path, PurePosixPath

from yuplet.errors import UnsafePath
from yuplet.paths import PackagePath, is_kept_everywhere, within
from yuplet.rehearsal.package import Package


@dataclass(slots=True, kw_only=True)
class Inventory:
    """`expected` and `found` count files; the lists name them. `faults` are sentences about parts that contradict themselves or their image."""

    expected: int
    found: int
    pixels: int
    missing: list[str] = field(default_factory=list)
    extra: list[str] = field(default_factory=list)
    unreadable: list[str] = field(default_factory=list)
    wrong_case: list[str] = field(default_factory=list)
    empty: list[str] = field(default_factory=list)
    obsolete: list[str] = field(default_factory=list)
    faults: list[str] = field(default_factory=list)

    @property
    def is_clean(self) -> bool:
        """Whether nothing is wrong; obsolete files that the manifest names are no fault."""
        lists = (self.missing, self.extra, self.unreadable, self.wrong_case, self.empty, self.faults)
        return not any(lists)


def take_stock(
    packages: Sequence[Package], into: Inventory, elsewhere: Mapping[str, Path] | None = None
) -> dict[str, Path]:
    """Look for the files of a package and of its other scales: by exact name, else in another letter case.

    What is missing is looked for `elsewhere`, among files by their paths: by path, else by name, else in another letter case. Return where
    each is; what is wrong is added to the inventory. The first package is the main one.
    """
    main = packages[0]
    found_elsewhere = _by_all_names(elsewhere or {})
    expected = list(dict.fromkeys((*main.others, *(name for one in packages for name in one.expected))))
    present = files_in(main.folder)
    unclaimed = set(present) - set(expected)
    by_case = {name.casefold(): name for name in sorted(unclaimed)}
    paths: dict[str, Path] = {}
    into.expected = len(expected)
    for name in expected:
        twin = by_case.get(name.casefold())
        if name in present:
            into.found += 1
            paths[name] = present[name]
        elif twin is not None:
            into.wrong_case.append(name)
            unclaimed.discard(twin)
            paths[name] = present[twin]
        elif (path := _found(name, found_elsewhere)) is not None:
            into.found += 1
            paths[name] = path
        else:
            into.missing.append(name)
    into.obsolete = sorted(unclaimed & set(main.obsolete))
    into.extra = sorted(name for name in unclaimed - set(main.obsolete) if not is_kept_everywhere(name))
    return paths


def _by_all_names(files: Mapping[str, Path]) -> dict[str, Path]:
    """Files by whatever they may be found by. Of two that would be found alike neither is: nobody knows which one is meant."""
    keys = [(key, path) for name, path in files.items() for key in _keys(name)]
    often = Counter(key for key, _ in keys)
    return {key: path for key, path in keys if often[key] == 1}


def _found(name: str, files: Mapping[str, Path]) -> Path | None:
    return next((files[key] for key in _keys(name) if key in files), None)


def _keys(name: str) -> tuple[str, str, str]:
    last = PurePosixPath(name).name
    return f"path {name}", f"name {last}", f"letters {last.casefold()}"


def files_in(folder: Path) -> dict[str, Path]:
    """All files below a folder by their paths in it. A receiver that unpacks a package has no links, so they are passed over."""
    found = (Path(root, name) for root, _, names in os.walk(folder) for name in names)
    return {path.relative_to(folder).as_posix(): path for path in found if not path.is_symlink()}


def is_there(folder: Path, name: str) -> bool:
    """Whether a file is in a folder itself, and not elsewhere by a link."""
    try:
        return within(folder, PackagePath(name)).is_file()
    except UnsafePath:
        return False
