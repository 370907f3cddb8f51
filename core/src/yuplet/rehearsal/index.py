"""Several packages in one folder, as a receiver finds them: by `project.json` (docs/formats/index.md)."""

import hashlib
from collections.abc import Callable
from pathlib import Path
from typing import Any

from yuplet import documents
from yuplet.errors import PackageError, shown
from yuplet.paths import problem
from yuplet.rehearsal.package import MANIFEST
from yuplet.rehearsal.proof import prove

INDEX = "project.json"


def has_index(folder: Path) -> bool:
    """Whether a folder is of several packages, and none itself."""
    return not (folder / MANIFEST).exists() and (folder / INDEX).is_file()


def prove_all(folder: Path, progress: Callable[[int, int], None] = lambda done, total: None) -> dict[str, Any]:
    """Prove every package that an index names, as plain values.

    Returns
    -------
    dict
        `ok`; `faults` of the index; `packages`: for each its `folder` and what `prove` finds, or an `error` where it cannot be opened.

    Raises
    ------
    PackageError
        There is no index that could be read.
    """
    path = folder / INDEX
    try:
        value = documents.parsed(path.read_bytes())
        documents.require(value, "index")
    except OSError as error:
        raise PackageError(f"'{path}' cannot be read ({error.strerror}).") from error
    except ValueError as error:
        raise PackageError(f"'{path}' {error}. Hand over again.") from error
    faults: list[str] = []
    found: list[dict[str, Any]] = []
    for done, entry in enumerate(value["packages"]):
        progress(done, len(value["packages"]))
        name = entry["folder"]
        if (reason := problem(name)) is not None:
            faults.append(f"The folder '{shown(name)}' {reason}.")
            continue
        manifest = folder / name / MANIFEST
        try:
            if hashlib.sha256(manifest.read_bytes()).hexdigest() != entry["manifest"]["sha256"]:
                faults.append(f"The manifest of '{shown(name)}' is not the one that the index tells.")
            proof = prove(folder / name, lambda done, total: None)
            found.append({"folder": name, **proof.as_json()})
        except OSError as error:
            found.append({"folder": name, "ok": False, "error": f"'{manifest}' cannot be read ({error.strerror})."})
        except PackageError as error:
            found.append({"folder": name, "ok": False, "error": str(error)})
    return {"ok": not faults and all(one["ok"] for one in found), "faults": faults, "packages": found}
