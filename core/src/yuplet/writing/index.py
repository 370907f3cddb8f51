"""The index of several packages in one folder: `project.json`, see docs/formats/index.md and its JSON Schema."""

import hashlib
import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from yuplet import documents
from yuplet.errors import FolderNotOurs, WriteError
from yuplet.paths import problem
from yuplet.plan.planned import MANIFEST
from yuplet.plan.recipe import Sheets
from yuplet.version import __version__
from yuplet.writing.shared_sheets import layout_of, require_sheets_of_ours, write_shared_sheets
from yuplet.writing.stores import replace_file

INDEX = "project.json"
FORMAT = "yuplet-index"
VERSION = 1


def require_index_of_ours(folder: Path) -> dict[str, Any]:
    """The index of before, empty where there is none.

    Raises `FolderNotOurs` where its place, or that of a shared sheet, is taken by a file of somebody else's, and `WriteError` where the folder is a
    package itself; nothing was written then.
    """
    path = folder / INDEX
    if (folder / MANIFEST).exists():
        raise WriteError(
            f"'{folder}' is a package itself. Nothing was written. Hand several files over into another folder."
        )
    try:
        value = documents.parsed(path.read_bytes())
    except FileNotFoundError:
        value = {}
    except (OSError, ValueError):
        value = None
    if not isinstance(value, dict) or (value and value.get("format") != FORMAT):
        raise FolderNotOurs(str(folder), INDEX)
    # One that does not hold what it should is written anew, as if there had been none.
    known = value if value and documents.fault(value, "index") is None else {}
    require_sheets_of_ours(folder, known)
    return known


def write_index(folder: Path, title: str, shared: Mapping[str, Sheets] | None = None) -> dict[str, Any]:
    """Write the index of all packages that are in folders of a folder, and return it; each file is replaced in one step.

    `shared` says of folders how their images lie on sheets that they share; packages that were on such sheets before stay there.

    Raises
    ------
    FolderNotOurs, WriteError
        Its place is taken by a file of somebody else's, or the disk does not take it.
    """
    known = require_index_of_ours(folder)
    packages = [found for one in sorted(folder.iterdir()) if (found := _entry(one)) is not None]
    there = {one["folder"] for one in packages}
    before = {
        of["folder"]: layout_of(sheet)
        for sheet in known.get("sheets", ())
        for picture in sheet["pictures"]
        for of in picture["of"]
    }
    sharing = {
        name: sheets for name, sheets in sorted({**before, **(shared or {})}.items()) if name in there and sheets.shared
    }
    sheets = write_shared_sheets(folder, sharing, known)
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
        "sheets": sheets,
    }
    documents.require(value, "index")
    replace_file(folder / INDEX, json.dumps(value, ensure_ascii=False, indent=1).encode())
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
