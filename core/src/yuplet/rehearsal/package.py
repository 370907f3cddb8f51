"""A package as a receiver sees it: the files in a folder and what its manifest says of them."""

from dataclasses import dataclass
from itertools import chain, count
from pathlib import Path
from typing import Any, NamedTuple, TypeAlias

from yuplet import documents
from yuplet.errors import PackageError, shown
from yuplet.paths import path_problem

MANIFEST = "manifest.json"
MAX_PIXELS = 1_000_000_000


class Within(NamedTuple):
    """Where a picture lies on a sheet; `width` and `height` are its own, before it was turned there by a quarter, clockwise."""

    x: int
    y: int
    width: int
    height: int
    turned: bool


class Source(NamedTuple):
    """Where a picture is: a file, perhaps a place on it, or which moment of an animated image."""

    file: str
    within: Within | None = None
    moment: int | None = None


@dataclass(frozen=True, slots=True)
class FrameEntry:
    """One moment of an animated part; all of them lie in the part's box."""

    source: Source
    milliseconds: int | None
    pixels_crc32: str | None


@dataclass(frozen=True, slots=True, kw_only=True)
class PartEntry:
    """A part as the manifest describes it; everything in canvas pixels, y down.

    Its image is `mirrored` left to right, if at all, and then turned clockwise by so many `quarters`.
    """

    id: str
    label: str
    source: Source
    order: int
    shown: bool
    left: int
    top: int
    width: int
    height: int
    opacity: float
    blend: str
    pixels_crc32: str | None
    frames: tuple[FrameEntry, ...]
    mirrored: bool
    quarters: int
    said: dict[str, Any]

    @property
    def depth(self) -> float:
        """How far it stands behind the picture plane, in pixels."""
        return float(self.said.get("depth", {"z": 0})["z"])

    @property
    def sources(self) -> tuple[Source, ...]:
        """Every picture of the part once, the one that is seen at rest first."""
        return tuple(dict.fromkeys((self.source, *(frame.source for frame in self.frames))))


@dataclass(frozen=True, slots=True)
class SheetEntry:
    """A sheet, its size, and the table of what is on it where it has one."""

    file: str
    kind: str
    width: int
    height: int
    pictures: int
    table: str | None


@dataclass(frozen=True, slots=True)
class ExtraEntry:
    """A file beside the images, by how much the picture put together from it may differ (None: it cannot be put together), and the part that
    it shows where that is one.
    """

    file: str
    kind: str
    largest: float | None
    mean: float | None
    part: str | None


@dataclass(frozen=True, slots=True)
class GroupEntry:
    """A group of the tree, its members back to front; of a set of alternates one is shown at a time."""

    label: str
    shown: bool
    opacity: float
    blend: str
    isolated: bool
    members: tuple["TreeEntry", ...]
    is_set: bool = False


@dataclass(frozen=True, slots=True)
class PartUse:
    """A part in the tree, with its own switch."""

    part_id: str
    shown: bool


TreeEntry: TypeAlias = GroupEntry | PartUse


@dataclass(frozen=True, slots=True, kw_only=True)
class Package:
    """A manifest that could be read, and the folder around it.

    Its images and its reference have so many `bits` a channel. `camera` is its distance before the picture and how far it travels, in pixels. `others` are the manifests of other scales. A picture that is put together again may differ by the `largest` level and on the
    `mean`; what is laid on a `ground` is compared with a reference that is.
    """

    folder: Path
    manifest: str
    scale: float
    bits: int
    others: tuple[str, ...]
    ground: tuple[int, int, int] | None
    largest: float
    mean: float
    width: int
    height: int
    parts: tuple[PartEntry, ...]
    sheets: tuple[SheetEntry, ...]
    extras: tuple[ExtraEntry, ...]
    tree: tuple[TreeEntry, ...]
    reference: str
    reference_crc32: str
    counts: dict[str, int]
    camera: tuple[float, float] | None
    expected: tuple[str, ...]
    obsolete: tuple[str, ...]
    made_by: str
    is_proved: bool


def open_package(folder: Path, manifest: str = MANIFEST) -> Package:
    """Read a manifest of a package.

    Raises `PackageError` when there is no manifest, or when it does not say what a receiver must know.
    """
    path = folder / manifest
    try:
        value = documents.parsed(path.read_bytes())
    except OSError as error:
        raise PackageError(
            f"'{path}' cannot be read ({error.strerror}). Give the folder that holds a package."
        ) from error
    except ValueError as error:
        raise PackageError(f"'{path}' {error}. Hand over again.") from error
    try:
        documents.require(value, "package")
        return _package(folder, manifest, value)
    except (KeyError, TypeError, ValueError, AttributeError) as error:
        raise PackageError(
            f"'{path}' lacks something that target programs need, or is wrong: {error}. Hand over again."
        ) from error


def _package(folder: Path, manifest: str, value: dict[str, Any]) -> Package:
    if value["canvas"]["width"] * value["canvas"]["height"] > MAX_PIXELS:
        raise ValueError(
            f"its canvas is {value['canvas']['width']} x {value['canvas']['height']} px, more than any package has"
        )
    parts = tuple(_part(entry) for entry in value["parts"])
    sheets = tuple(_sheet(entry) for entry in value.get("sheets", ()))
    beside_images = tuple(_extras(entry) for entry in value.get("beside", ()))
    tables = [sheet.table for sheet in sheets if sheet.table is not None]
    beside = (value[name]["file"] for name in ("reference", "table", "credits"))
    # Parts that are the same drawing name the same image.
    files = tuple(
        dict.fromkeys(
            (
                manifest,
                *beside,
                *tables,
                *(one.file for part in parts for one in part.sources),
                *(sheet.file for sheet in sheets),
                *(one.file for one in beside_images),
            )
        )
    )
    others = tuple(str(one["manifest"]) for one in value.get("scales", ()))
    for file in (*files, *others):
        wrong = path_problem(file)
        if wrong is not None:
            raise ValueError(f"the path '{shown(file)}' {wrong}")
    ground = value["reference"].get("ground")
    tolerance = value.get("tolerance", {"largest": 0, "mean": 0})
    return Package(
        folder=folder,
        manifest=manifest,
        scale=float(value.get("scale", 1)),
        bits=int(value.get("bits", 8)),
        others=others,
        ground=None if ground is None else (int(ground[0]), int(ground[1]), int(ground[2])),
        largest=float(tolerance["largest"]),
        mean=float(tolerance["mean"]),
        width=_whole(value["canvas"]["width"]),
        height=_whole(value["canvas"]["height"]),
        parts=parts,
        sheets=sheets,
        extras=beside_images,
        tree=tree_of(value["tree"]),
        reference=value["reference"]["file"],
        reference_crc32=value["reference"]["pixels_crc32"],
        counts=dict(value["counts"]),
        camera=(float(value["camera"]["distance"]), float(value["camera"]["travel"])) if "camera" in value else None,
        expected=files,
        obsolete=tuple(value["obsolete"]),
        made_by=str(value["made_by"]),
        is_proved=value.get("proved") is True,
    )


def _part(entry: dict[str, Any]) -> PartEntry:
    box = entry["box"]
    return PartEntry(
        id=entry["id"],
        label=" / ".join(entry["path"]),
        source=_source(entry),
        order=_whole(entry["order"]),
        shown=bool(entry["shown"]),
        left=_whole(box["x"]),
        top=_whole(box["y"]),
        width=_whole(box["width"]),
        height=_whole(box["height"]),
        opacity=float(entry["opacity"]),
        blend=str(entry["blend"]),
        pixels_crc32=entry["pixels_crc32"],
        frames=tuple(_frame(image) for image in entry["frames"]["images"]) if entry["frames"] is not None else (),
        mirrored=bool(entry["turn"]["mirrored"]),
        quarters=_whole(entry["turn"]["quarters"]) % 4,
        said=entry,
    )


def _source(entry: dict[str, Any]) -> Source:
    place, moment = entry.get("within"), entry.get("moment")
    within = None
    if place is not None:
        x, y, width, height = (_whole(place[side]) for side in ("x", "y", "width", "height"))
        within = Within(x, y, width, height, bool(place["turned"]))
    return Source(str(entry["file"]), within, None if moment is None else _whole(moment))


def _sheet(entry: dict[str, Any]) -> SheetEntry:
    table = entry["table"]
    return SheetEntry(
        str(entry["file"]),
        str(entry["kind"]),
        _whole(entry["width"]),
        _whole(entry["height"]),
        _whole(entry["pictures"]),
        None if table is None else str(table["file"]),
    )


def _extras(entry: dict[str, Any]) -> ExtraEntry:
    allowed = entry["tolerance"]
    largest, mean = (None, None) if allowed is None else (float(allowed["largest"]), float(allowed["mean"]))
    return ExtraEntry(str(entry["file"]), str(entry["kind"]), largest, mean, entry.get("part"))


def _frame(image: dict[str, Any]) -> FrameEntry:
    milliseconds = image["milliseconds"]
    return FrameEntry(_source(image), None if milliseconds is None else _whole(milliseconds), image["pixels_crc32"])


def _node(entry: dict[str, Any]) -> TreeEntry:
    if "part" in entry:
        return PartUse(entry["part"], bool(entry["shown"]))
    members = tuple(_node(member) for member in entry["members"])
    return GroupEntry(
        entry["group"],
        bool(entry["shown"]),
        float(entry["opacity"]),
        str(entry["blend"]),
        bool(entry["isolated"]),
        members,
        bool(entry.get("alternates", False)),
    )


def tree_of(entries: list[dict[str, Any]]) -> tuple[TreeEntry, ...]:
    """A tree as a manifest has it; raises KeyError, TypeError or ValueError where it is none."""
    return tuple(_node(entry) for entry in entries)


def uses(entries: tuple[TreeEntry, ...], shown: bool = True) -> list[tuple[str, bool]]:
    """The ids of all parts in a tree, back to front, each with whether it and all groups around it are shown."""
    found: list[tuple[str, bool]] = []
    for entry in entries:
        if isinstance(entry, GroupEntry):
            found += uses(entry.members, shown and entry.shown)
        else:
            found.append((entry.part_id, shown and entry.shown))
    return found


def group_paths(entries: tuple[TreeEntry, ...]) -> list[tuple[GroupEntry, str]]:
    """Every group of a tree before those in it, with its path: the names of the groups around it and its own, with `/` between.

    Two groups of a package from outside may be called the same: then a number tells them apart.
    """
    found: list[tuple[GroupEntry, str]] = []
    taken: set[str] = set()

    def walk(inside: tuple[TreeEntry, ...], above: str) -> None:
        for entry in inside:
            if isinstance(entry, GroupEntry):
                name = f"{above}{entry.label}"
                path = next(one for one in chain([name], (f"{name} {at}" for at in count(2))) if one not in taken)
                taken.add(path)
                found.append((entry, path))
                walk(entry.members, f"{path}/")

    walk(entries, "")
    return found


def _whole(value: object) -> int:
    if not isinstance(value, int) or isinstance(value, bool):
        raise ValueError(f"{value!r} is not a whole number")
    return value
