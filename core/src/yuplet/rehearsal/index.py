"""Several packages in one folder, as a receiver finds them: by `project.json` (docs/formats/index.md)."""

import hashlib
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

from yuplet import documents
from yuplet.errors import PackageError, UnsafePath, shown
from yuplet.paths import PackagePath, problem, within
from yuplet.rehearsal.checks import any_overlap, stored_box
from yuplet.rehearsal.images import Decoded, cut_out, decode, sizes_of
from yuplet.rehearsal.package import MANIFEST, Within
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
        `ok`; `faults` of the index and of the sheets that packages share; `packages`: for each its `folder` and what `prove` finds, or an `error` where it cannot be opened.

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
    faults += faults_of_sheets(folder, value)
    return {"ok": not faults and all(one["ok"] for one in found), "faults": faults, "packages": found}


def faults_of_sheets(folder: Path, value: dict[str, Any]) -> list[str]:
    """What is wrong with the sheets that an index tells: each picture, cut out, must be the image of every package that it is of."""
    found: list[str] = []
    packages = {entry["folder"] for entry in value["packages"]}
    for sheet in value.get("sheets", ()):
        name = sheet["file"]
        with tempfile.TemporaryDirectory() as scratch:
            try:
                path = within(folder, PackagePath(name))
                if hashlib.sha256(path.read_bytes()).hexdigest() != sheet["sha256"]:
                    found.append(f"'{name}' is not the sheet that the index tells.")
                whole = _decoded(path, (sheet["width"], sheet["height"]), Path(scratch) / "sheet")
            except (OSError, ValueError, UnsafePath) as error:
                found.append(f"'{name}' cannot be read ({error}).")
                continue
            places = [
                Within(one["x"], one["y"], one["width"], one["height"], one["turned"]) for one in sheet["pictures"]
            ]
            if any_overlap(sorted(stored_box(place) for place in places)):
                found.append(f"Pictures on '{name}' lie over each other.")
            for place, one in zip(places, sheet["pictures"], strict=True):
                for of in one["of"]:
                    wrong = _fault_of_image(folder, packages, of, whole, place, Path(scratch))
                    if wrong is not None:
                        found.append(f"On '{name}', '{shown(of['folder'])}/{shown(of['file'])}' {wrong}.")
    return found


def _fault_of_image(
    folder: Path, packages: set[str], of: dict[str, str], whole: Decoded, place: Within, scratch: Path
) -> str | None:
    if of["folder"] not in packages:
        return "is of no package of the index"
    try:
        cut = cut_out(whole, *place, scratch / "cut")
        image = within(folder, PackagePath(f"{of['folder']}/{of['file']}"))
        kept = _decoded(image, (place.width, place.height), scratch / "image")
        same = kept.raw.read_bytes() == cut.raw.read_bytes()
    except (OSError, ValueError, UnsafePath) as error:
        return f"cannot be compared ({error})"
    return None if same else "is another picture"


def _decoded(path: Path, size: tuple[int, int], scratch: Path) -> Decoded:
    """An image of which the size is told; raises ValueError, before a pixel is decoded, where it has another."""
    if sizes_of({"": path}).get("") != size:
        raise ValueError(f"it is not {size[0]} x {size[1]} px")
    return decode(path, scratch)
