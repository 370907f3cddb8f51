"""Does the picture come back? The inventory of a package, what contradicts itself, and the picture put together again."""

import os
import tempfile
from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict, dataclass, field, replace
from pathlib import Path
from typing import Any

from yuplet.errors import UnsafePath
from yuplet.paths import PackagePath, within
from yuplet.rehearsal.checks import faults_of_joints, faults_of_order, faults_of_parts, faults_of_sheets
from yuplet.rehearsal.drawing import scene_of_drawing, scene_of_drawings
from yuplet.rehearsal.images import Decoded, cut_out, decode, moments
from yuplet.rehearsal.images import turned as turn
from yuplet.rehearsal.layered import scene_of_layers
from yuplet.rehearsal.model import scene_of_model
from yuplet.rehearsal.package import ExtraEntry, Package, PartUse, Source, open_package
from yuplet.rehearsal.page import scene_of_page
from yuplet.rehearsal.picture import Comparison, Placed, Scene, Way, bands_of, compare, scene_of


@dataclass(slots=True, kw_only=True)
class Proof:
    """What the rehearsal found.

    `expected` and `found` count files; the lists name them. `faults` are sentences about parts that contradict
    themselves or their image. `comparisons` has one for each way of reading the package and each scale, that of the main manifest
    first; it is empty when there is no reference picture to compare with.
    """

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
    comparisons: list[Comparison] = field(default_factory=list)

    @property
    def ok(self) -> bool:
        """Whether nothing at all is wrong; obsolete files that the manifest names are no fault."""
        lists = (self.missing, self.extra, self.unreadable, self.wrong_case, self.empty, self.faults)
        return not any(lists) and bool(self.comparisons) and all(one.ok for one in self.comparisons)

    @property
    def differing_pixels(self) -> int | None:
        """Of the main comparison; None when there is none."""
        return self.comparisons[0].differing_pixels if self.comparisons else None

    @property
    def max_difference(self) -> float | None:
        """Of the main comparison, in levels; None when there is none."""
        return self.comparisons[0].largest if self.comparisons else None

    @property
    def worst(self) -> dict[str, Any] | None:
        """The place of the largest difference in the main comparison, and the part that it most likely belongs to."""
        return self.comparisons[0].worst if self.comparisons else None

    def as_json(self) -> dict[str, Any]:
        """Plain JSON values."""
        main = {name: getattr(self, name) for name in ("ok", "differing_pixels", "max_difference", "worst")}
        return {**main, **asdict(self), "comparisons": [{"ok": one.ok, **asdict(one)} for one in self.comparisons]}


def prove(folder: Path, progress: Callable[[int, int], None], workers: int = 2) -> Proof:
    """Put the package in a folder together again and compare it with its reference pictures.

    Parameters
    ----------
    folder : Path
        Holds a manifest and what it names; only read.
    progress : callable
        Told (steps done, steps in all); may raise to stop.
    workers : int
        Threads; each holds one image or one band of the canvas.

    Raises
    ------
    PackageError
        There is no manifest that could be read. Everything else is in the answer.
    """
    main = open_package(folder)
    packages = [main, *(open_package(folder, name) for name in main.others if _is_there(folder, name))]
    places = _inventory(main, packages)
    proof = places.proof
    ways = [_ways(package) for package in packages]
    total = sum(
        len(_images(package)) + (len(own) + len(_readable(package))) * len(bands_of(package.height))
        for package, own in zip(packages, ways, strict=True)
    )
    done = 0

    def step() -> None:
        nonlocal done
        done += 1
        progress(done, total)

    progress(0, total)
    for package, own in zip(packages, ways, strict=True):
        _prove_one(package, own, places, step, workers)
    proof.unreadable.sort()
    return proof


def _prove_one(package: Package, ways: list[Way], places: "_Places", step: Callable[[], None], workers: int) -> None:
    proof = places.proof
    with tempfile.TemporaryDirectory() as scratch, ThreadPoolExecutor(workers) as pool:

        def load(numbered: tuple[int, str]) -> Decoded | None:
            number, name = numbered
            path = places.paths.get(name)
            try:
                return decode(path, Path(scratch, f"{number}.raw")) if path else None
            except Exception:  # decoders raise errors of many kinds for damaged files
                proof.unreadable.append(name)
                return None

        names = _images(package)
        images: dict[str, Decoded] = {}
        for name, image in zip(names, pool.map(load, enumerate(names)), strict=True):
            if image is not None:
                images[name] = image
            step()
        laid = _Pictures(package, places, images, Path(scratch)).laid()
        faults, empty = faults_of_parts(package, laid)
        proof.empty += empty
        proof.faults += [
            *faults,
            *faults_of_sheets(package, places.paths),
            *faults_of_joints(package),
            *faults_of_order(package),
        ]
        reference = images.get(package.reference)
        if reference is None:
            return
        if (reference.width, reference.height) != (package.width, package.height):
            proof.faults.append("The reference picture is not as large as the canvas.")
            return
        if reference.crc32 != package.reference_crc32:
            proof.faults.append("The reference picture has other pixels than the manifest says.")
        for way in ways:
            proof.comparisons.append(compare(scene_of(package, way, laid), reference, pool, step))
        drawn = _drawn_parts(package, places, Path(scratch))
        if drawn is not None:
            proof.comparisons.append(compare(drawn, reference, pool, step))
        for entry in _readable(package):
            scene = _scene_beside(package, entry, places, Path(scratch))
            if scene is not None:
                proof.comparisons.append(compare(scene, reference, pool, step))


def _images(package: Package) -> list[str]:
    """The files to be decoded whole: the reference picture, and all images but animated ones."""
    sources = [source for part in package.parts for source in part.sources if source.moment is None]
    return list(dict.fromkeys((package.reference, *(source.file for source in sources))))


def _readable(package: Package) -> list[ExtraEntry]:
    """Files beside the images that the picture can be put together from; of a flip-book in numbered files the first."""
    found = [entry for entry in package.extras if entry.largest is not None]
    books = [entry for entry in found if entry.kind == "flip-book"]
    return [entry for entry in found if entry.kind != "flip-book" or entry is books[0]]


def _drawn_parts(package: Package, places: "_Places", scratch: Path) -> Scene | None:
    """The picture by the drawings of its parts alone, where each has one."""
    files = {str(entry.part): entry.file for entry in package.extras if entry.kind == "vector"}
    if not files or {part.id for part in package.parts} != set(files):
        return None
    found = {part: places.paths[file] for part, file in files.items() if file in places.paths}
    try:
        return scene_of_drawings(package, found, scratch)
    except Exception as error:  # it is there to judge what anybody wrote
        places.proof.faults.append(f"The drawings of the parts cannot be put together: {error}.")
        return None


def _scene_beside(package: Package, entry: ExtraEntry, places: "_Places", scratch: Path) -> Scene | None:
    path = places.paths.get(entry.file)
    if path is None:
        return None  # said already: missing
    allowed, size = (entry.largest or 0.0, entry.mean or 0.0), (package.width, package.height)
    folder = Path(tempfile.mkdtemp(dir=scratch))
    try:
        if entry.kind == "layers":
            scene = scene_of_layers(path, folder, allowed, package.scale)
        elif entry.kind == "model":
            scene = scene_of_model(path, folder, allowed, size, package.scale)
        elif entry.kind == "flip-book":
            image = moments(path, [0], folder / "first")[0]
            if (image.width, image.height) != size:
                raise ValueError("it is not as large as the canvas")
            placed = {
                "first": Placed(
                    label="the flip-book", image=image, left=0, top=0, opacity=1.0, blend="normal", area=(0, 0, *size)
                )
            }
            scene = Scene(
                way="flip-book",
                scale=package.scale,
                width=size[0],
                height=size[1],
                tree=(PartUse("first", True),),
                placed=placed,
                ground=None,
                largest=allowed[0],
                mean=allowed[1],
            )
        elif entry.kind == "scene":
            scene = scene_of_drawing(path, folder, allowed, size, package.scale)
        else:
            scene = scene_of_page(path, folder, allowed, size, package.scale)
    except Exception as error:  # as above
        places.proof.faults.append(f"'{entry.file}' cannot be put together: {error}.")
        return None
    if (scene.width, scene.height) != size:
        places.proof.faults.append(f"'{entry.file}' is not as large as the canvas.")
        return None
    return replace(scene, ground=package.ground)


def _ways(package: Package) -> list[Way]:
    """By the places; and where every image is as large as the canvas and is said to be, also by none."""
    whole = (0, 0, package.width, package.height)
    boxes = {(part.left, part.top, part.width, part.height) for part in package.parts}
    said = all(part.said.get("extent") == "canvas" for part in package.parts)
    return ["places", "whole canvas"] if said and boxes == {whole} else ["places"]


class _Pictures:
    """The pictures of parts, cut out of sheets, taken out of animated images, and turned as each part says."""

    def __init__(self, package: Package, places: "_Places", images: Mapping[str, Decoded], scratch: Path) -> None:
        self._package, self._places, self._images, self._scratch = package, places, images, scratch
        self._found: dict[Source, Decoded | None] = {}
        self._turned: dict[tuple[Source, bool, int], Decoded] = {}

    def laid(self) -> dict[str, dict[Source, Decoded]]:
        """By each part's id; those that are missing or cannot be read are absent."""
        self._take_moments()
        found: dict[str, dict[Source, Decoded]] = {}
        for part in self._package.parts:
            own = {source: image for source in part.sources if (image := self._picture(source)) is not None}
            if part.mirrored or part.quarters:
                own = {source: self._turn(source, image, part.mirrored, part.quarters) for source, image in own.items()}
            found[part.id] = own
        return found

    def _picture(self, source: Source) -> Decoded | None:
        if source not in self._found:
            image = self._images.get(source.file)
            if image is not None and source.within is not None:
                try:
                    image = cut_out(image, *source.within, self._raw())
                except ValueError:
                    image = None
                    self._places.proof.faults.append(f"A picture on '{source.file}' ends outside of it.")
            self._found[source] = image
        return self._found[source]

    def _take_moments(self) -> None:
        wanted: dict[str, list[int]] = {}
        for part in self._package.parts:
            for source in part.sources:
                if source.moment is not None:
                    wanted.setdefault(source.file, []).append(source.moment)
        for file, numbers in wanted.items():
            path = self._places.paths.get(file)
            try:
                found = moments(path, numbers, self._raw()) if path is not None else {}
            except Exception:  # as above
                self._places.proof.unreadable.append(file)
                found = {}
            for number in numbers:
                self._found[Source(file, None, number)] = found.get(number)

    def _turn(self, source: Source, image: Decoded, mirrored: bool, quarters: int) -> Decoded:
        key = (source, mirrored, quarters)
        if key not in self._turned:
            self._turned[key] = turn(image, mirrored, quarters, self._raw())
        return self._turned[key]

    def _raw(self) -> Path:
        return self._scratch / f"picture {len(self._found)} {len(self._turned)}.raw"


@dataclass(frozen=True, slots=True)
class _Places:
    proof: Proof
    paths: Mapping[str, Path]


def _is_there(folder: Path, name: str) -> bool:
    """Whether a file is in a folder itself, and not elsewhere by a link."""
    try:
        return within(folder, PackagePath(name)).is_file()
    except UnsafePath:
        return False


def _inventory(package: Package, packages: list[Package]) -> _Places:
    """Which files are there of all scales: by exact name, else in another letter case."""
    expected = list(dict.fromkeys((*package.others, *(name for one in packages for name in one.expected))))
    present = {
        Path(root, name).relative_to(package.folder).as_posix()
        for root, _, names in os.walk(package.folder)
        for name in names
        # A receiver that unpacks the package has no links.
        if not Path(root, name).is_symlink()
    }
    proof = Proof(expected=len(expected), found=0, pixels=package.width * package.height)
    unclaimed = present - set(expected)
    by_case = {name.casefold(): name for name in sorted(unclaimed)}
    paths: dict[str, Path] = {}
    for name in expected:
        twin = by_case.get(name.casefold())
        if name in present:
            proof.found += 1
            paths[name] = package.folder / name
        elif twin is not None:
            proof.wrong_case.append(name)
            unclaimed.discard(twin)
            paths[name] = package.folder / twin
        else:
            proof.missing.append(name)
    proof.obsolete = sorted(unclaimed & set(package.obsolete))
    proof.extra = sorted(unclaimed - set(package.obsolete))
    return _Places(proof, paths)
