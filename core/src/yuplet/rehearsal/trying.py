"""A package opened for trying out: how it can be read, what is there, the picture put together from it, and where that differs."""

import shutil
from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from yuplet.errors import PackageError, shown
from yuplet.rehearsal.images import Decoded, pixels_in, sizes_of
from yuplet.rehearsal.inventory import Inventory, files_in, is_there, take_stock
from yuplet.rehearsal.lining_up import Laid, Proposal
from yuplet.rehearsal.loose_files import LooseFiles
from yuplet.rehearsal.motion.rig import Rig, rig_of
from yuplet.rehearsal.opening import OpenPackage
from yuplet.rehearsal.package import MANIFEST, Package, PartUse, TreeEntry, group_paths, open_package
from yuplet.rehearsal.picture import Comparison, Scene, Way, bands_of, compare, rows_of
from yuplet.rehearsal.reading import Reading

TOGETHER, REFERENCE, DIFFERENCE = "together.png", "reference.png", "difference.png"
LONGEST = 8192
"""Pixels of a side of a picture that graphics cards of small machines take (common practice, no published source)."""
SIDES = ("left", "top", "right", "bottom")
MOST_PIXELS = 1_000_000_000
"""Of all images, which lie on the disk as raw bytes meanwhile."""


@dataclass(frozen=True, slots=True, kw_only=True)
class TriedPart:
    """A part as it was found: where its image lies on the canvas, in pixels, y down. One that `is_missing` has no image.

    `shown` is whether it is seen, `is_on` its own switch, and `group` the number of the innermost group around it. `pivot` is a place of the canvas, `parent` the part
    that carries it. `depth` is how far it stands behind the picture plane, in pixels. Of a piece of an interface `role` is what it is for, `anchor` the place of a screen (0 to 1) that it
    keeps its distance to, and `margins` (left, top, right, bottom) what is not stretched. `picture` names its image, `moments` those that are seen one after the other, `loops` times (0: without end).
    """

    id: str
    name: str
    left: int
    top: int
    width: int
    height: int
    shown: bool
    is_missing: bool
    is_on: bool
    group: int | None
    opacity: float
    blend: str
    pivot: tuple[float, float] | None
    parent: str | None
    picture: str | None
    moments: tuple["TriedMoment", ...]
    loops: int
    depth: float
    role: str
    anchor: tuple[float, float] | None
    margins: tuple[float, float, float, float] | None


@dataclass(frozen=True, slots=True, kw_only=True)
class TriedMoment:
    """A picture of an animated part, and for how long it is seen; None: nobody has said."""

    picture: str
    milliseconds: int | None


@dataclass(frozen=True, slots=True, kw_only=True)
class TriedGroup:
    """A group of parts: what it is called, with the groups around it (`path`), the number of the innermost of those (`group`), and how its parts are laid
    on what is behind them. Of a set (`is_set`) one member is seen at a time."""

    path: str
    name: str
    group: int | None
    is_on: bool
    opacity: float
    blend: str
    isolated: bool
    is_set: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class LooseImage:
    """An image that may be lined up, by itself: as large as it is, in the `picture` of that name."""

    file: str
    width: int
    height: int
    picture: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Trial:
    """What came of opening a package.

    `ways` are those in which it can be read, the likeliest first, and `way` is the one in which it was. A camera stands at a `distance` before the picture and may `travel`, in pixels, where the package says so. `scales` has the manifest of each
    scale, and `scale` is the one that was opened. `reference` is the file that it is compared with, and `references` those that it could be:
    with a manifest the one that it names. `too_large` names images that many receivers cannot show: wider or higher than `LONGEST`.
    `comparison` is None where there is nothing to compare with. Where images are lined up, `images` are all of them, `places` are where those lie that were put
    together, back to front, and `proposals` where each seems to.
    """

    way: Way
    ways: tuple[Way, ...]
    has_manifest: bool
    scale: float
    scales: dict[str, float]
    reference: str | None
    references: tuple[str, ...]
    too_large: tuple[str, ...]
    width: int
    height: int
    parts: tuple[TriedPart, ...]
    groups: tuple[TriedGroup, ...]
    distance: float | None
    travel: float | None
    inventory: Inventory
    comparison: Comparison | None
    images: tuple[LooseImage, ...] = ()
    places: tuple[Laid, ...] = ()
    proposals: tuple[Proposal, ...] = ()

    @property
    def ok(self) -> bool:
        """Whether all is there that should be, and nothing differs by more than it may."""
        return self.inventory.is_clean and (self.comparison is None or self.comparison.ok)

    def as_json(self) -> dict[str, Any]:
        """Plain JSON values."""
        compared = None if self.comparison is None else {"ok": self.comparison.ok, **asdict(self.comparison)}
        return {"ok": self.ok, **asdict(self), "comparison": compared}


class _Opened(Protocol):
    @property
    def files(self) -> list[str]: ...
    @property
    def every_way(self) -> list[Way]: ...
    @property
    def compared_with(self) -> str | None: ...
    @property
    def references(self) -> list[str]: ...
    def load(self, pool: ThreadPoolExecutor, step: Callable[[], None]) -> None: ...
    def reference(self, way: Way) -> Decoded | None: ...
    @property
    def places(self) -> tuple[Laid, ...]: ...
    @property
    def proposals(self) -> tuple[Proposal, ...]: ...
    def loose_images(self, way: Way) -> dict[str, Decoded]: ...
    def scene(self, way: Way) -> Scene | None: ...


def try_out(
    folder: Path,
    reading: Reading,
    scratch: Path,
    out: Path,
    progress: Callable[[int, int], None] = lambda done, total: None,
    workers: int = 2,
    elsewhere: Path | None = None,
) -> Trial:
    """Open the package in a folder, put its picture together and compare it.

    Parameters
    ----------
    folder : Path
        Holds the files, with a manifest or without; only read.
    reading : Reading
        How they are to be read.
    scratch, out : Path
        Folders that exist: for what is needed meanwhile, and for the pictures `together.png`, and, where there is something to compare
        with, `reference.png` and `difference.png` (one grey level for each level of the largest difference of a pixel's channels); for images that are lined up
        each by itself too.
    progress : callable
        Told (steps done, steps in all); may raise to stop.
    workers : int
        Threads; each holds one image or one band of the canvas.
    elsewhere : Path, optional
        A folder in which files that a manifest names and that are missing are looked for; only read.

    Raises
    ------
    PackageError
        Nothing can be put together from the files, or not in the way that was asked for.
    """
    inventory = Inventory(expected=0, found=0, pixels=0)
    files, packages, opened = _opened(folder, reading, scratch, elsewhere, inventory)
    package = packages[0] if packages else None
    steps, done = len(opened.files), 0

    def step() -> None:
        nonlocal done
        done += 1
        progress(done, max(done, steps))

    with ThreadPoolExecutor(workers) as pool:
        opened.load(pool, step)
        ways = opened.every_way
        way = _way(ways, reading.way)
        scene = opened.scene(way)
        if scene is None:
            raise PackageError(" ".join(inventory.faults[-1:]) or "The picture cannot be rebuilt in this way.")
        steps += len(bands_of(scene.height))
        reference = opened.reference(way)
        if reference is not None and (reference.width, reference.height) != (scene.width, scene.height):
            inventory.faults.append(
                f"The picture to compare with is {reference.width} x {reference.height} px, but the rebuilt picture is {scene.width} x {scene.height} px."
            )
            reference = None
        comparison = _seen_and_compared(scene, reference, out, pool, step)
    pictures = _Pictures(out)
    parts, groups = _parts(scene, package, pictures)
    inventory.pixels = scene.width * scene.height
    inventory.unreadable.sort()
    return Trial(
        way=way,
        ways=tuple(ways),
        has_manifest=package is not None,
        scale=scene.scale,
        scales={one.manifest: one.scale for one in packages},
        reference=opened.compared_with,
        references=tuple(opened.references),
        too_large=tuple(sorted(name for name, size in sizes_of(files).items() if max(size) > LONGEST)),
        width=scene.width,
        height=scene.height,
        parts=parts,
        groups=groups,
        distance=_distance(scene, package),
        travel=None if package is None or package.camera is None else package.camera[1],
        inventory=inventory,
        comparison=comparison and _blaming_what_is_missing(comparison, parts),
        images=_loose(opened.loose_images(way), pictures),
        places=opened.places,
        proposals=opened.proposals,
    )


def opened_scene(
    folder: Path, reading: Reading, scratch: Path, workers: int = 2, elsewhere: Path | None = None
) -> tuple[Scene, Rig]:
    """What is put together of a package, and what of it can move; parameters and errors as of `try_out`."""
    inventory = Inventory(expected=0, found=0, pixels=0)
    _, packages, opened = _opened(folder, reading, scratch, elsewhere, inventory)
    with ThreadPoolExecutor(workers) as pool:
        opened.load(pool, lambda: None)
        scene = opened.scene(_way(opened.every_way, reading.way))
    if scene is None:
        raise PackageError(" ".join(inventory.faults[-1:]) or "The picture cannot be rebuilt in this way.")
    package = packages[0] if packages else None
    parts, groups = _parts(scene, package, None)
    seen = {
        "width": scene.width,
        "height": scene.height,
        "distance": _distance(scene, package),
        "parts": [asdict(part) for part in parts],
        "groups": [asdict(group) for group in groups],
    }
    return scene, rig_of(seen)


def _opened(
    folder: Path, reading: Reading, scratch: Path, elsewhere: Path | None, inventory: Inventory
) -> tuple[dict[str, Path], list[Package], _Opened]:
    """The files of a package, its manifests, and what reads them. Raises `PackageError`."""
    packages = _packages(folder, reading.manifest)
    package = packages[0] if packages else None
    files = files_in(folder)
    more = files_in(elsewhere) if elsewhere is not None else {}
    if (pixels := pixels_in([*files.values(), *more.values()])) > MOST_PIXELS:
        raise PackageError(
            f"The images have {pixels // 1_000_000:,} million pixels in all; up to {MOST_PIXELS // 1_000_000:,} million can be tried out."
            " Hand over a smaller scale, or select fewer images."
        )
    if not files:
        raise PackageError(f"There is nothing in '{folder}'. Give the folder that holds a package.")
    if package is not None:
        stock = take_stock(packages, inventory, more)
        return files, packages, OpenPackage(package, stock, inventory, scratch, reading.grid)
    return files, packages, LooseFiles(files, inventory, scratch, reading)


def _distance(scene: Scene, package: Package | None) -> float | None:
    """How far a camera stands before the picture, where one does."""
    return scene.distance if package is None or package.camera is None else package.camera[0]


class _Pictures:
    """Images written by themselves as `image-N.png`, equal ones once."""

    def __init__(self, out: Path) -> None:
        self._out = out
        self._names: dict[Path, str] = {}

    def name_of(self, image: Decoded) -> str:
        """What its picture is called."""
        if image.raw not in self._names:
            name = f"image-{len(self._names)}"
            target = self._out / f"{name}.png"
            if image.png is not None:
                # The very file of the package: what is kept by its content is kept once.
                shutil.copyfile(image.png, target)
            else:
                Image.fromarray(image.rows(0, image.height), "RGBA").save(target, compress_level=1)
            self._names[image.raw] = name
        return self._names[image.raw]


def _loose(images: Mapping[str, Decoded], pictures: _Pictures) -> tuple[LooseImage, ...]:
    return tuple(
        LooseImage(file=name, width=image.width, height=image.height, picture=pictures.name_of(image))
        for name, image in images.items()
    )


def _packages(folder: Path, manifest: str | None) -> list[Package]:
    """The manifests of all scales, that which is asked for (else the main one) first; none where there is no manifest."""
    if not (folder / MANIFEST).is_file():
        return []
    main = open_package(folder)
    found = [main, *(open_package(folder, name) for name in main.others if is_there(folder, name))]
    if manifest is None:
        return found
    for one in found:
        if one.manifest == manifest:
            return [one, *(other for other in found if other is not one)]
    raise PackageError(
        f"The package has no manifest '{shown(manifest)}'. It has {', '.join(one.manifest for one in found)}."
    )


def _way(ways: list[Way], wanted: Way | None) -> Way:
    if not ways:
        raise PackageError(
            "Nothing says how these files belong together: there is no manifest, and the images have different sizes."
            " Add the manifest, or choose images of one size, a sheet, a layered file or a page."
        )
    if wanted is None:
        return ways[0]
    if wanted not in ways:
        raise PackageError(f"These files cannot be read as '{wanted}'. They can be read as {', '.join(ways)}.")
    return wanted


def _seen_and_compared(
    scene: Scene, reference: Decoded | None, out: Path, pool: ThreadPoolExecutor, step: Callable[[], None]
) -> Comparison | None:
    """Put the picture together, compare it where there is something to compare with, and write what is to be seen."""
    together = np.empty((scene.height, scene.width, 4), np.uint8)
    different = np.zeros((scene.height, scene.width), np.uint8)
    pictures: dict[str, tuple[NDArray[np.uint8], str]] = {TOGETHER: (together, "RGBA")}
    comparison = None
    if reference is None:
        tops = bands_of(scene.height)
        for top, rows in zip(tops, pool.map(lambda top: rows_of(scene, top), tops), strict=True):
            together[top : top + len(rows)] = rows
            step()
    else:

        def seen(rows: NDArray[np.uint8], top: int) -> None:
            together[top : top + len(rows)] = rows
            different[top : top + len(rows)] = _levels_apart(rows, reference.rows(top, top + len(rows)))

        comparison = compare(scene, reference, pool, step, seen)
        pictures |= {REFERENCE: (reference.rows(0, reference.height), "RGBA"), DIFFERENCE: (different, "L")}

    def write(name: str) -> None:
        # Quick to write: they are looked at once.
        Image.fromarray(*pictures[name]).save(out / name, compress_level=1)

    list(pool.map(write, pictures))
    return comparison


def _blaming_what_is_missing(comparison: Comparison, parts: tuple[TriedPart, ...]) -> Comparison:
    """Where the largest difference lies in the box of a part that has no image, it is that part's."""
    worst = comparison.worst
    if worst is None:
        return comparison
    for part in reversed(parts):
        across, down = worst["x"] - part.left, worst["y"] - part.top
        if part.is_missing and part.shown and 0 <= across < part.width and 0 <= down < part.height:
            return replace(comparison, worst={**worst, "part": part.name})
    return comparison


def _levels_apart(rows: NDArray[np.uint8], wanted: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """By how many levels the channels of each pixel differ at most; the colour of what is not seen counts nothing."""
    apart = np.abs(rows.astype(np.int16) - wanted)
    apart[..., :3][rows[..., 3] == 0] = 0
    return np.asarray(apart.max(axis=2), np.uint8)


def _parts(
    scene: Scene, package: Package | None, pictures: _Pictures | None
) -> tuple[tuple[TriedPart, ...], tuple[TriedGroup, ...]]:
    """Back to front, and the groups around them, each before those in it. Without `pictures` none is written."""
    named = (lambda image: "") if pictures is None else pictures.name_of
    said = {} if package is None else {part.id: part for part in package.parts}
    found: list[TriedPart] = []
    groups: list[TriedGroup] = []

    def add(use: PartUse, group: int | None, is_seen: bool) -> None:
        placed, entry = scene.placed.get(use.part_id), said.get(use.part_id)
        if placed is not None:
            left, top, width, height = placed.left, placed.top, placed.image.width, placed.image.height
        elif entry is not None:
            left, top, width, height = entry.left, entry.top, entry.width, entry.height
        else:
            return
        pivot = None if entry is None or entry.said["pivot"] is None else entry.said["pivot"]["canvas"]
        anchor, margins = (None, None) if entry is None else (entry.said.get("anchor"), entry.said.get("margins"))
        moments = placed.moments if placed is not None else ()
        found.append(
            TriedPart(
                id=use.part_id,
                name=placed.label if placed is not None else entry.label if entry is not None else "",
                left=left,
                top=top,
                width=width,
                height=height,
                shown=is_seen and use.shown,
                is_missing=placed is None,
                is_on=use.shown,
                group=group,
                opacity=placed.opacity if placed is not None else 1.0,
                blend=placed.blend if placed is not None else "normal",
                pivot=None if pivot is None else (float(pivot[0]), float(pivot[1])),
                parent=None if entry is None else entry.said.get("parent"),
                picture=None if placed is None else named(placed.image),
                moments=tuple(TriedMoment(picture=named(image), milliseconds=long) for image, long in moments),
                loops=placed.loops if placed is not None else 0,
                depth=scene.depths.get(use.part_id, 0.0) if entry is None else entry.depth,
                role="picture" if entry is None else str(entry.said["role"]),
                anchor=None if anchor is None else (float(anchor[0]), float(anchor[1])),
                margins=None if margins is None else tuple(float(margins[side]) for side in SIDES),  # type: ignore[arg-type]
            )
        )

    paths = iter([path for _, path in group_paths(scene.tree)])

    def walk(entries: tuple[TreeEntry, ...], group: int | None, is_seen: bool) -> None:
        for entry in entries:
            if isinstance(entry, PartUse):
                add(entry, group, is_seen)
                continue
            groups.append(
                TriedGroup(
                    path=next(paths),
                    name=entry.label,
                    group=group,
                    is_on=entry.shown,
                    opacity=entry.opacity,
                    blend=entry.blend,
                    isolated=entry.isolated,
                    is_set=entry.is_set,
                )
            )
            walk(entry.members, len(groups) - 1, is_seen and entry.shown)

    walk(scene.tree, None, True)
    return tuple(found), tuple(groups)
