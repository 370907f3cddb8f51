"""The index of several packages in one folder: `project.json`, see docs/formats/index.md and its JSON Schema."""

import hashlib
import json
import tempfile
from pathlib import Path
from typing import Any

from yuplet import documents
from yuplet.errors import FolderNotOurs, WriteError
from yuplet.paths import problem
from yuplet.plan.planned import MANIFEST
from yuplet.version import __version__

INDEX = "project.json"
FORMAT = "yuplet-index"
VERSION = 1


def require_index_of_ours(folder: Path) -> None:
    """Raise `FolderNotOurs` where the place of the index is taken by a file of somebody else's, and `WriteError` where the folder is a package
    itself; nothing was written then.
    """
    path = folder / INDEX
    if (folder / MANIFEST).exists():
        raise WriteError(
            f"'{folder}' is a package itself. Nothing was written. Hand several files over into another folder."
        )
    try:
        value = documents.parsed(path.read_bytes())
    except FileNotFoundError:
        return
    except (OSError, ValueError):
        value = None
    if not isinstance(value, dict) or value.get("format") != FORMAT:
        raise FolderNotOurs(str(folder), INDEX)


def write_index(folder: Path, title: str) -> dict[str, Any]:
    """Write the index of all packages that are in folders of a folder, and return it; the file is replaced in one step.

    Raises
    ------
    FolderNotOurs, WriteError
        Its place is taken by a file of somebody else's, or the disk does not take it.
    """
    require_index_of_ours(folder)
    packages = [found for one in sorted(folder.iterdir()) if (found := _entry(one)) is not None]
    value = {
        "format": FORMAT,
        "version": VERSION,
        "made_by": f"Yuplet {__version__}",
        "title": title,
        "counts": {
            "packages": len(packages),
            **{name: sum(one[name] for one in packages) for name in ("parts", "files", "bytes")},
        },
        "packages": packages,
    }
    documents.require(value, "index")
    try:
        with tempfile.NamedTemporaryFile("w", dir=folder, prefix=f".{INDEX}.", delete=False, encoding="utf-8") as file:
            json.dump(value, file, ensure_ascii=False, indent=1)
        Path(file.name).chmod(0o644)
        Path(file.name).replace(folder / INDEX)
    except OSError as error:
        raise WriteError(f"'{folder / INDEX}' cannot be written: {error.strerror}.") from error
    return value


def _entry(folder: Path) -> dict[str, Any] | None:
    """What the index says of a folder; None where it holds no package of ours."""
    path = folder / MANIFEST
    if folder.is_symlink() or problem(folder.name) is not None or not path.is_file():
        return None
    data = path.read_bytes()
    try:
        value = documents.parsed(data)
        if documents.fault(value, "package") is not None:
            return None
    except ValueError:
        return None
    return {
        "folder": folder.name,
        "title": value["illustration"]["title"],
        "illustration": value["illustration"]["id"],
        "recipe": value["recipe"],
        "canvas": {side: value["canvas"][side] for side in ("width", "height")},
        "parts": len(value["parts"]),
        "files": value["counts"]["files"],
        "bytes": len(data) + _listed_bytes(value),
        "manifest": {"file": MANIFEST, "bytes": len(data), "sha256": hashlib.sha256(data).hexdigest()},
    }


def _listed_bytes(value: dict[str, Any]) -> int:
    """The bytes of all files that a manifest lists, each once."""
    found: dict[str, int] = {}

    def each(one: Any) -> None:
        if isinstance(one, dict):
            if isinstance(one.get("file"), str) and isinstance(one.get("bytes"), int):
                found[one["file"]] = one["bytes"]
            for inner in one.values():
                each(inner)
        elif isinstance(one, list):
            for inner in one:
                each(inner)

    each(value)
    return sum(found.values())
