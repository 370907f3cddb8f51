"""A package opened for trying out: how it can be read, what is there, the picture put together from it, and where that differs."""

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
from yuplet.rehearsal.opening import OpenPackage
from yuplet.rehearsal.package import MANIFEST, Package, open_package, uses
from yuplet.rehearsal.picture import Comparison, Scene, Way, bands_of, compare, rows_of
from yuplet.rehearsal.reading import Reading

TOGETHER, REFERENCE, DIFFERENCE = "together.png", "reference.png", "difference.png"
LONGEST = 8192
"""Pixels of a side of a picture that graphics cards of small machines take (common practice, no published source)."""
MOST_PIXELS = 1_000_000_000
"""Of all images, which lie on the disk as raw bytes meanwhile."""


@dataclass(frozen=True, slots=True, kw_only=True)
class TriedPart:
    """A part as it was found: where its image lies on the canvas, in pixels, y down. One that `is_missing` has no image."""

    id: str
    name: str
    left: int
    top: int
    width: int
    height: int
    shown: bool
    is_missing: bool


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

    `ways` are those in which it can be read, the likeliest first, and `way` is the one in which it was. `scales` has the manifest of each
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
    packages = _packages(folder, reading.manifest)
    package = packages[0] if packages else None
    files = files_in(folder)
    more = files_in(elsewhere) if elsewhere is not None else {}
    if (pixels := pixels_in([*files.values(), *more.values()])) > MOST_PIXELS:
        raise PackageError(
            f"The images have {pixels // 1_000_000:,} million pixels in all; up to {MOST_PIXELS // 1_000_000:,} million can be tried out."
            " Hand over a smaller scale, or choose fewer images."
        )
    if not files:
        raise PackageError(f"There is nothing in '{folder}'. Give the folder that holds a package.")
    opened: _Opened
    if package is not None:
        opened = OpenPackage(package, take_stock(packages, inventory, more), inventory, scratch, reading.grid)
    else:
        opened = LooseFiles(files, inventory, scratch, reading)
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
            raise PackageError(" ".join(inventory.faults[-1:]) or "The picture cannot be put together in this way.")
        steps += 2 * len(bands_of(scene.height))
        reference = opened.reference(way)
        if reference is not None and (reference.width, reference.height) != (scene.width, scene.height):
            inventory.faults.append(
                f"The picture to compare with is {reference.width} x {reference.height} px, but what was put together"
                f" {scene.width} x {scene.height} px."
            )
            reference = None
        _draw(scene, reference, out, step)
        comparison = compare(scene, reference, pool, step) if reference is not None else None
    parts = _parts(scene, package)
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
        inventory=inventory,
        comparison=comparison and _blaming_what_is_missing(comparison, parts),
        images=_written(opened.loose_images(way), out),
        places=opened.places,
        proposals=opened.proposals,
    )


def _written(images: Mapping[str, Decoded], out: Path) -> tuple[LooseImage, ...]:
    """Write images by themselves."""
    found = []
    for number, (name, image) in enumerate(images.items()):
        picture = f"image-{number}"
        pixels = Image.fromarray(image.rows(0, image.height), "RGBA")
        pixels.save(out / f"{picture}.png", compress_level=1)
        found.append(LooseImage(file=name, width=image.width, height=image.height, picture=picture))
    return tuple(found)


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


def _draw(scene: Scene, reference: Decoded | None, out: Path, step: Callable[[], None]) -> None:
    together = np.empty((scene.height, scene.width, 4), np.uint8)
    different = np.zeros((scene.height, scene.width), np.uint8)
    for top in bands_of(scene.height):
        rows = rows_of(scene, top)
        together[top : top + len(rows)] = rows
        if reference is not None:
            different[top : top + len(rows)] = _levels_apart(rows, reference.rows(top, top + len(rows)))
        step()
    # Quick to write: they are looked at once.
    Image.fromarray(together, "RGBA").save(out / TOGETHER, compress_level=1)
    if reference is not None:
        whole = reference.rows(0, reference.height)
        Image.fromarray(whole, "RGBA").save(out / REFERENCE, compress_level=1)
        Image.fromarray(different, "L").save(out / DIFFERENCE, compress_level=1)


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


def _parts(scene: Scene, package: Package | None) -> tuple[TriedPart, ...]:
    """Back to front."""
    said = {} if package is None else {part.id: part for part in package.parts}
    found = []
    for part_id, is_shown in uses(scene.tree):
        placed, entry = scene.placed.get(part_id), said.get(part_id)
        if placed is not None:
            place = (placed.left, placed.top, placed.image.width, placed.image.height)
        elif entry is not None:
            place = (entry.left, entry.top, entry.width, entry.height)
        else:
            continue
        name = placed.label if placed is not None else entry.label if entry is not None else ""
        left, top, width, height = place
        found.append(
            TriedPart(
                id=part_id, name=name, left=left, top=top, width=width, height=height, shown=is_shown,
                is_missing=placed is None,
            )
        )  # fmt: skip
    return tuple(found)
