"""The proof after a change: of a package that was proved before only what has changed since, and the areas of the picture that it touches.

At each pixel the picture is what the parts that lie there come to, one on the other. Where none of them has changed, nor the reference, it
comes back as it did when all of it was put together.
"""

import filecmp
import tempfile
from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path

from PIL import Image

from yuplet.errors import PackageError
from yuplet.paths import PackagePath, within
from yuplet.rehearsal import blending
from yuplet.rehearsal.images import Decoded, decode, decode_rows, kept
from yuplet.rehearsal.inventory import Inventory, is_there, take_stock
from yuplet.rehearsal.opening import OpenPackage
from yuplet.rehearsal.package import Package, PartEntry, PartUse, TreeEntry, open_package, uses
from yuplet.rehearsal.picture import Comparison, Placed, Way, compare, scene_of
from yuplet.rehearsal.proof import Proof, prove, prove_one, steps_of
from yuplet.rehearsal.reference import TILE, Area, Tiles, rows_to_look_at

_BY_AREAS: tuple[Way, ...] = ("places", "whole canvas")
"""The ways in which an area of the picture can be put together without the rest of it."""


def prove_changes(folder: Path, before: Path, progress: Callable[[int, int], None], workers: int = 2) -> Proof:
    """Like `prove`, for a package that follows one that came back when it was proved, and says so.

    The inventory is of everything, and all that the manifests say is compared with itself. Images are decoded that are new or other than
    before; the picture is put together again where they, or the reference picture, have changed. Where that cannot be told (another canvas,
    another order of what is there, drawings, images that lose something or have 16 bits) everything is looked at.

    Parameters
    ----------
    folder : Path
        Holds a manifest and what it names; only read.
    before : Path
        Holds the package as it was proved; only read.
    progress, workers
        As for `prove`.

    Raises
    ------
    PackageError
        There is no manifest that could be read. Everything else is in the answer.
    """
    main = open_package(folder)
    earlier = _proved(before, main)
    if earlier is None:
        return prove(folder, progress, workers)
    packages = [main, *(open_package(folder, name) for name in main.others if is_there(folder, name))]
    proof = Proof(expected=0, found=0, pixels=main.width * main.height, looked_at="changes")
    paths = take_stock(packages, proof)
    same = _SameFiles(paths, before)
    with tempfile.TemporaryDirectory() as scratch, ThreadPoolExecutor(workers) as pool:
        looks = [_Look(package, earlier.get(package.manifest), paths, same, proof) for package in packages]
        done, total = 0, sum(look.steps for look in looks)

        def step() -> None:
            nonlocal done
            done += 1
            progress(done, total)

        progress(0, total)
        for number, look in enumerate(looks):
            own = Path(scratch) / str(number)
            own.mkdir()
            look.prove(own, pool, step)
    proof.unreadable.sort()
    return proof


def _proved(folder: Path, main: Package) -> dict[str, Package] | None:
    """The manifests of an earlier package that says that it came back, by their names."""
    try:
        earlier = open_package(folder)
        if not earlier.is_proved or earlier.made_by != main.made_by:
            return None
        others = [open_package(folder, name) for name in earlier.others if is_there(folder, name)]
    except PackageError:
        return None
    return {package.manifest: package for package in (earlier, *others)}


class _SameFiles:
    """Which files have the bytes that they had."""

    def __init__(self, paths: Mapping[str, Path], before: Path) -> None:
        self._paths, self._before = paths, before
        self._found: dict[str, bool] = {}

    def __contains__(self, name: str) -> bool:
        if name not in self._found:
            self._found[name] = self._is_same(name)
        return self._found[name]

    def before(self, name: str) -> Path | None:
        """Where a file is in the earlier package."""
        return within(self._before, PackagePath(name)) if is_there(self._before, name) else None

    def _is_same(self, name: str) -> bool:
        now, was = self._paths.get(name), self.before(name)
        if now is None or was is None:
            return False
        return now.samefile(was) or filecmp.cmp(now, was, shallow=False)


class _Look:
    """What is to be looked at of a package at one scale, and looking there."""

    def __init__(
        self, package: Package, earlier: Package | None, paths: Mapping[str, Path], same: _SameFiles, proof: Proof
    ) -> None:
        self._package, self._paths, self._same, self._proof = package, paths, same, proof
        self._earlier: Package | None = None
        """None where everything is to be looked at."""
        if earlier is None or _frame(package) != _frame(earlier) or package.bits == 16 or package.largest > 0:
            return
        if any(one.kind in ("vector", "symbols") for one in package.extras):
            return
        was = {part.id: part for part in earlier.parts}
        alike = {part.id for part in package.parts if part.id in was and self._is_alike(part, was[part.id])}
        self._changed = frozenset(part.id for part in package.parts) - alike
        self._before = frozenset(was) - alike
        others = [part for part in package.parts if part.id in self._changed]
        others += [part for part in earlier.parts if part.id in self._before]
        if any(part.blend in blending.OUTSIDE_TOO for part in others):
            return
        if _without(package.tree, self._changed) == _without(earlier.tree, self._before):
            self._earlier = earlier

    def _is_alike(self, part: PartEntry, was: PartEntry) -> bool:
        """Whether its images and all that is said of it are as they were; its number only changes with those of others."""
        told = [{name: value for name, value in one.said.items() if name != "order"} for one in (part, was)]
        return told[0] == told[1] and all(source.file in self._same for source in part.sources)

    @property
    def steps(self) -> int:
        """How many steps it tells."""
        opened = OpenPackage(self._package, self._paths, self._proof, Path())
        return steps_of(opened) if self._earlier is None else 2 + len(opened.ways)

    def prove(self, scratch: Path, pool: ThreadPoolExecutor, step: Callable[[], None]) -> None:
        """Look, and tell the proof what was found."""
        if self._earlier is None:
            prove_one(OpenPackage(self._package, self._paths, self._proof, scratch), self._proof, pool, step)
            return
        folders = [scratch / name for name in ("now", "was", "rest")]
        for folder in folders:
            folder.mkdir()
        now = OpenPackage(self._package, self._paths, self._proof, folders[0], only=self._changed)
        was = self._opened_before(self._earlier, folders[1])
        now.load(pool, lambda: None)
        was.load(pool, lambda: None)
        step()
        tiles = _touched(now, was)
        reference = self._reference(now, self._earlier, tiles, scratch / "reference.raw", pool)
        step()
        if reference is None:
            return
        areas = _Areas(now, reference, tiles.areas, folders[2], pool)
        for way in now.ways:
            found = areas.compared(way) if way in _BY_AREAS else self._compared_beside(now, way, areas, pool)
            if found is not None:
                self._proof.comparisons.append(found)
            step()

    def _opened_before(self, earlier: Package, scratch: Path) -> OpenPackage:
        """The earlier package; what is wrong with it is no matter."""
        files = {source.file for part in earlier.parts if part.id in self._before for source in part.sources}
        paths = {name: path for name in files if (path := self._same.before(name)) is not None}
        return OpenPackage(earlier, paths, Inventory(expected=0, found=0, pixels=0), scratch, only=self._before)

    def _reference(
        self, opened: OpenPackage, earlier: Package, tiles: Tiles, raw: Path, pool: ThreadPoolExecutor
    ) -> Decoded | None:
        name = self._package.reference
        path, old = self._paths.get(name), self._same.before(earlier.reference)
        if path is None:
            return None  # said already: missing
        is_same = name == earlier.reference and name in self._same
        try:
            found = rows_to_look_at(path, None if is_same else old, earlier.reference_crc32, tiles, raw, pool)
        except Exception:  # decoders raise errors of many kinds for damaged files
            self._proof.unreadable.append(name)
            return None
        return opened.accepted(found)

    def _compared_beside(
        self, opened: OpenPackage, way: Way, areas: "_Areas", pool: ThreadPoolExecutor
    ) -> Comparison | None:
        """The picture that a file beside the images tells; where nothing has changed it is as it was."""
        entry = opened.beside[way]
        if not areas.areas and entry.file in self._same:
            return _as_before(self._package, way, entry.largest or 0, entry.mean or 0)
        scene = opened.scene(way)
        return None if scene is None else compare(scene, areas.whole_reference(), pool, lambda: None)


class _Areas:
    """The areas of a picture that are put together again, and what lies there."""

    def __init__(
        self, opened: OpenPackage, reference: Decoded, areas: list[Area], scratch: Path, pool: ThreadPoolExecutor
    ) -> None:
        self.areas = areas
        self._opened, self._reference, self._scratch, self._pool = opened, reference, scratch, pool
        self._placed = self._all_placed()

    def compared(self, way: Way) -> Comparison:
        """The areas put together, beside the reference."""
        package = self._opened.package
        found = _as_before(package, way, package.largest, package.mean)
        for number, area in enumerate(self.areas):
            one = self._compared(way, area, self._scratch / f"area {number}")
            worst = one.worst and {**one.worst, "x": one.worst["x"] + area[0], "y": one.worst["y"] + area[1]}
            found = replace(
                found,
                compared=found.compared + one.pixels,
                differing_pixels=found.differing_pixels + one.differing_pixels,
                largest=max(found.largest, one.largest),
                mean=found.mean + one.mean * one.pixels / found.pixels,
                worst=worst if one.largest > found.largest else found.worst,
            )
        return replace(found, mean=round(found.mean, 6))

    def whole_reference(self) -> Decoded:
        """All rows of the reference picture."""
        package = self._opened.package
        return decode(self._opened.paths[package.reference], self._scratch / "whole reference")

    def _compared(self, way: Way, area: Area, raw: Path) -> Comparison:
        left, top, right, bottom = area
        package = self._opened.package
        here = {
            name: replace(one, left=one.left - left, top=one.top - top, area=_moved(one.area, -left, -top))
            for name, one in self._placed.items()
            if _overlap(area, _box(one))
        }
        scene = replace(scene_of(package, way, {}), width=right - left, height=bottom - top, placed=here)
        rows = self._reference.rows(top, bottom)[:, left:right]
        return compare(scene, kept(Image.fromarray(rows.copy(), "RGBA"), raw), self._pool, lambda: None)

    def _all_placed(self) -> dict[str, Placed]:
        """The parts that are seen in the areas; of those that have not changed but the rows that are needed."""
        opened, package = self._opened, self._opened.package
        shown = {part for part, is_shown in uses(package.tree) if is_shown}
        rows: dict[str, tuple[int, int]] = {}
        for part in package.parts:
            box = (part.left, part.top, part.left + part.width, part.top + part.height)
            met = [area for area in self.areas if _overlap(box, area)]
            if met and part.id in shown and part.id not in opened.laid:
                rows[part.id] = max(0, met[0][1] - part.top), min(part.height, met[-1][3] - part.top)
        plain = [part for part in package.parts if part.id in rows and _is_plain(part)]
        others = [part.id for part in package.parts if part.id in rows and not _is_plain(part)]
        rest = OpenPackage(package, opened.paths, Inventory(expected=0, found=0, pixels=0), self._scratch, only=others)
        rest.load(self._pool, lambda: None)

        def strip(numbered: tuple[int, PartEntry]) -> Decoded:
            number, part = numbered
            return decode_rows(opened.paths[part.source.file], *rows[part.id], self._scratch / f"rows {number}")

        strips = zip(plain, self._pool.map(strip, enumerate(plain)), strict=True)
        cut = {part.id: {part.source: image} for part, image in strips}
        placed = dict(scene_of(package, "places", {**opened.laid, **rest.laid, **cut}).placed)
        for name in cut:
            placed[name] = replace(placed[name], top=placed[name].top + rows[name][0])
        return placed


def _is_plain(part: PartEntry) -> bool:
    """Whether its image is a file of its own that lies as it is."""
    return part.source.within is None and part.source.moment is None and not part.mirrored and not part.quarters


def _frame(package: Package) -> tuple[object, ...]:
    """What must be alike for areas to say anything of the whole."""
    return package.width, package.height, package.scale, package.ground, package.bits, package.largest, package.mean


def _without(entries: tuple[TreeEntry, ...], left_out: frozenset[str]) -> tuple[TreeEntry, ...]:
    """What is seen of a tree without some of its parts, without names; empty groups that lay nothing are left out too."""
    found: list[TreeEntry] = []
    for entry in entries:
        if not entry.shown:
            continue
        if isinstance(entry, PartUse):
            if entry.part_id not in left_out:
                found.append(entry)
            continue
        members = _without(entry.members, left_out)
        if members or entry.blend != "normal":
            found.append(replace(entry, label="", members=members, is_set=False))
    return tuple(found)


def _touched(now: OpenPackage, was: OpenPackage) -> Tiles:
    """The tiles in which parts are seen that are other than before, or were."""
    tiles = Tiles(now.package.width, now.package.height)
    new, old = (_seen(opened) for opened in (now, was))
    for part in {**new, **old}:
        one, other = new.get(part), old.get(part)
        if one is not None and other is not None and _lie_alike(one, other):
            for top in range(0, one.image.height, TILE[1]):
                bottom = min(top + TILE[1], one.image.height)
                rows = one.image.rows(top, bottom), other.image.rows(top, bottom)
                tiles.mark_differences(*rows, one.left, one.top + top)
            continue
        for placed in (one, other):
            if placed is not None:
                tiles.mark(_box(placed))
    return tiles


def _seen(opened: OpenPackage) -> dict[str, Placed]:
    placed = scene_of(opened.package, "places", opened.laid).placed
    return {part: placed[part] for part, is_shown in uses(opened.package.tree) if is_shown and part in placed}


def _lie_alike(one: Placed, other: Placed) -> bool:
    return _box(one) == _box(other) and (one.opacity, one.blend) == (other.opacity, other.blend)


def _box(placed: Placed) -> Area:
    return placed.left, placed.top, placed.left + placed.image.width, placed.top + placed.image.height


def _overlap(one: Area, other: Area) -> bool:
    return one[0] < other[2] and other[0] < one[2] and one[1] < other[3] and other[1] < one[3]


def _moved(area: Area, across: int, down: int) -> Area:
    return area[0] + across, area[1] + down, area[2] + across, area[3] + down


def _as_before(package: Package, way: Way, largest: float, mean: float) -> Comparison:
    """A picture of which nothing has been compared yet."""
    return Comparison(
        way=way, scale=package.scale, pixels=package.width * package.height, compared=0, differing_pixels=0, largest=0, mean=0,
        allowed_largest=largest, allowed_mean=mean, worst=None,
    )  # fmt: skip
