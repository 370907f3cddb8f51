"""Sheets that several packages share: their images once more, together, each picture once; beside the packages, told by the index."""

import hashlib
from collections.abc import Iterator, Mapping
from dataclasses import asdict, dataclass, field, replace
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

from yuplet import documents
from yuplet.errors import FolderNotOurs, WriteError
from yuplet.geometry import Size
from yuplet.paths import PackagePath, within
from yuplet.pixels import Picture
from yuplet.plan.planned import MANIFEST, Spot
from yuplet.plan.recipe import Images, Sheets
from yuplet.plan.storing import digest, laid_on_pages, longest_on_a_page
from yuplet.writing import images
from yuplet.writing.sheets import sheet_picture
from yuplet.writing.stores import replace_file

FOLDER = "sheets"
_WRITTEN = Images(format="png")
_OF_PACKED = ("spacing", "repeat_edge", "turn", "longest", "power_of_two", "square")


@dataclass(slots=True)
class _Picture:
    """A picture that images of packages have in common; `of` are their folders and files."""

    digest: str
    size: Size
    of: list[tuple[str, str]] = field(default_factory=list)


def require_sheets_of_ours(folder: Path, known: Mapping[str, Any]) -> None:
    """Raise `FolderNotOurs` where a file of somebody else's lies where a shared sheet would be written. `known` is the index of before."""
    place = folder / FOLDER
    if place.is_symlink():
        raise FolderNotOurs(str(folder), FOLDER)
    own = {one["file"] for one in known.get("sheets", ())}
    for path in sorted(place.glob("*.png")):
        if f"{FOLDER}/{path.name}" not in own:
            raise FolderNotOurs(str(folder), f"{FOLDER}/{path.name}")


def write_shared_sheets(folder: Path, packages: Mapping[str, Sheets], known: Mapping[str, Any]) -> list[dict[str, Any]]:
    """Lay the images of packages onto sheets in the folder around them, and answer what the index says of these.

    Parameters
    ----------
    packages
        How sheets are laid out, by the folder of each package that shares them. Those that are laid out alike, at the same scale, lie together.
    known
        The index of before. A sheet that would be the same is left as it is; those that are no longer wanted are removed.

    Returns
    -------
    list of dict
        As in docs/formats/index.md. Images are those that are files of their own, hold a single picture, and are no longer than a sheet.

    Raises
    ------
    WriteError
        An image cannot be read any more, or the disk does not take a sheet.
    """
    before = {one["file"]: one for one in known.get("sheets", ())}
    found: list[dict[str, Any]] = []
    for (sheets, scale), pictures in _together(folder, packages).items():
        ordered = sorted(pictures.values(), key=lambda one: one.of[0])
        pages, spots = laid_on_pages(sheets, [one.size for one in ordered])
        for number, size in enumerate(pages):
            members = [(one, spot) for one, (page, spot) in zip(ordered, spots, strict=True) if page == number]
            found.append(_sheet(folder, f"{FOLDER}/{len(found) + 1}.png", sheets, scale, size, members, before))
    for name in before.keys() - {one["file"] for one in found}:
        path = within(folder, PackagePath(name))
        if path.is_file() and _sha256(path.read_bytes()) == before[name]["sha256"]:
            path.unlink()
    return found


def _together(folder: Path, packages: Mapping[str, Sheets]) -> dict[tuple[Sheets, float], dict[str, _Picture]]:
    """The pictures that lie together, by how and at which scale, and then by what is seen."""
    found: dict[tuple[Sheets, float], dict[str, _Picture]] = {}
    for name, sheets in packages.items():
        way = replace(sheets, columns=None, shared=True)
        for scale, files in _images_of(folder / name):
            pictures = found.setdefault((way, scale), {})
            for file in files:
                picture = _decoded(within(folder / name, PackagePath(file)), longest_on_a_page(sheets))
                if picture is None:
                    continue
                known = hashlib.sha256(repr(picture.shape).encode() + picture.tobytes()).hexdigest()
                size = Size(picture.shape[1], picture.shape[0])
                pictures.setdefault(known, _Picture(known, size)).of.append((name, file))
    return {way: pictures for way, pictures in found.items() if pictures}


def _images_of(package: Path) -> Iterator[tuple[float, list[str]]]:
    """Each scale of a package, and its images that are files of their own."""
    main = documents.parsed((package / MANIFEST).read_bytes())
    others = [within(package, PackagePath(one["manifest"])) for one in main.get("scales", ())]
    for value in (main, *(documents.parsed(other.read_bytes()) for other in others)):
        documents.require(value, "package")
        pictures = [one for part in value["parts"] for one in (part, *((part["frames"] or {}).get("images", ())))]
        alone = [one["file"] for one in pictures if one.get("within") is None and one.get("moment") is None]
        yield float(value["scale"]), list(dict.fromkeys(alone))


def _decoded(path: Path, longest: int) -> Picture | None:
    """The pixels of an image; None where it is too long for a sheet. Raises `WriteError` where it cannot be read."""
    try:
        with Image.open(path) as opened:
            return None if max(opened.size) > longest else np.asarray(opened.convert("RGBA"))
    except (OSError, ValueError, SyntaxError) as error:
        raise WriteError(f"'{path}' can no longer be read. Hand over its illustration again.") from error


def _sheet(
    folder: Path,
    file: str,
    sheets: Sheets,
    scale: float,
    size: Size,
    members: list[tuple[_Picture, Spot]],
    before: Mapping[str, Any],
) -> dict[str, Any]:
    layout = {name: value for name, value in asdict(sheets).items() if name in _OF_PACKED}
    key = digest([[(one.digest, spot) for one, spot in members], size, layout, scale])
    path = within(folder, PackagePath(file))
    last = before.get(file)
    data = path.read_bytes() if last is not None and last["key"] == key and path.is_file() else b""
    if last is None or _sha256(data) != last["sha256"]:
        laid = [(spot, _again(folder, one)) for one, spot in members]
        data = images.encode(sheet_picture(size, laid, sheets.repeat_edge), _WRITTEN)
        replace_file(path, data)
    return {
        "file": file,
        "scale": scale,
        "width": size.width,
        "height": size.height,
        "layout": layout,
        "bytes": len(data),
        "sha256": _sha256(data),
        "key": key,
        "pictures": [
            {
                "x": spot.x,
                "y": spot.y,
                "width": one.size.width,
                "height": one.size.height,
                "turned": spot.turned,
                "of": [{"folder": name, "file": inner} for name, inner in one.of],
            }
            for one, spot in members
        ],
    }


def _again(folder: Path, one: _Picture) -> Picture:
    name, file = one.of[0]
    found = _decoded(within(folder / name, PackagePath(file)), max(one.size))
    assert found is not None
    return found


def layout_of(entry: Mapping[str, Any]) -> Sheets:
    """How the packages of an entry of the index have their sheets laid out."""
    return Sheets(**entry["layout"], shared=True)


def _sha256(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()
