"""Does the picture come back? The inventory of a package, what contradicts itself, and the picture put together again."""

import os
import tempfile
import threading
from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from yuplet.errors import PackageError
from yuplet.rehearsal import blending
from yuplet.rehearsal.images import Decoded, decode
from yuplet.rehearsal.images import turned as turn
from yuplet.rehearsal.package import GroupEntry, Package, PartEntry, PartUse, TreeEntry, open_package

BAND = 64


@dataclass(slots=True)
class Proof:
    """What the rehearsal found.

    `expected` and `found` count files; the lists name them. `faults` are sentences about parts that contradict
    themselves or their image. `differing_pixels` is None when there is no reference picture to compare with.
    `worst` is the place of the largest difference and the part that it most likely belongs to.
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
    differing_pixels: int | None = None
    max_difference: int | None = None
    worst: dict[str, Any] | None = None

    @property
    def ok(self) -> bool:
        """Whether nothing at all is wrong; obsolete files that the manifest names are no fault."""
        lists = (self.missing, self.extra, self.unreadable, self.wrong_case, self.empty, self.faults)
        return not any(lists) and self.differing_pixels == 0

    def as_json(self) -> dict[str, Any]:
        """Plain JSON values."""
        return {"ok": self.ok, **asdict(self)}


def prove(folder: Path, progress: Callable[[int, int], None], workers: int = 2) -> Proof:
    """Put the package in a folder together again and compare it with its reference picture.

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
    package = open_package(folder)
    places = _inventory(package)
    proof = places.proof
    bands = range(0, package.height, BAND)
    names = list(dict.fromkeys((package.reference, *(file for part in package.parts for file in part.files))))
    total = len(names) + len(bands)
    done = 0

    def step() -> None:
        nonlocal done
        done += 1
        progress(done, total)

    progress(0, total)
    with tempfile.TemporaryDirectory() as scratch, ThreadPoolExecutor(workers) as pool:

        def load(numbered: tuple[int, str]) -> Decoded | None:
            number, name = numbered
            path = places.paths.get(name)
            try:
                return decode(path, Path(scratch, f"{number}.raw")) if path else None
            except (OSError, ValueError, SyntaxError):
                proof.unreadable.append(name)
                return None

        images: dict[str, Decoded] = {}
        for name, image in zip(names, pool.map(load, enumerate(names)), strict=True):
            if image is not None:
                images[name] = image
            step()
        proof.unreadable.sort()
        laid = _as_laid(package, images, Path(scratch))
        _check_parts(package, laid, proof)
        _check_joints(package, proof)
        _check_order(package, proof)
        reference = images.get(package.reference)
        if reference is None or (reference.width, reference.height) != (package.width, package.height):
            if reference is not None:
                proof.faults.append("The reference picture is not as large as the canvas.")
            return proof
        if reference.crc32 != package.reference_crc32:
            proof.faults.append("The reference picture has other pixels than the manifest says.")
        _compare(package, laid, reference, proof, pool, bands, step)
    return proof


def _as_laid(package: Package, images: Mapping[str, Decoded], scratch: Path) -> dict[str, dict[str, Decoded]]:
    """The images of each part by its id, mirrored and turned as the part says; those that are missing are absent."""
    found: dict[str, dict[str, Decoded]] = {}
    turned: dict[tuple[str, bool, int], Decoded] = {}
    for part in package.parts:
        own = {file: images[file] for file in part.files if file in images}
        if part.mirrored or part.quarters:
            for file, image in own.items():
                key = (file, part.mirrored, part.quarters)
                if key not in turned:
                    turned[key] = turn(image, part.mirrored, part.quarters, scratch / f"turned {len(turned)}.raw")
                own[file] = turned[key]
        found[part.id] = own
    return found


@dataclass(frozen=True, slots=True)
class _Places:
    proof: Proof
    paths: Mapping[str, Path]


def _inventory(package: Package) -> _Places:
    """Which files are there: by exact name, else in another letter case."""
    present = {
        Path(root, name).relative_to(package.folder).as_posix()
        for root, _, names in os.walk(package.folder)
        for name in names
    }
    proof = Proof(len(package.expected), 0, package.width * package.height)
    unclaimed = present - set(package.expected)
    by_case = {name.casefold(): name for name in sorted(unclaimed)}
    paths: dict[str, Path] = {}
    for name in package.expected:
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


def _check_parts(package: Package, images: Mapping[str, Mapping[str, Decoded]], proof: Proof) -> None:
    for part in package.parts:
        proof.faults += [f"'{part.label}': {what}." for what in _contradictions(part, package)]
        found = images[part.id]
        if len(found) < len(part.files):
            continue  # said already: missing or unreadable
        if all(image.content is None for image in found.values()):
            proof.empty.append(part.file)
            continue
        proof.faults += [f"'{part.label}': {what}." for what in _image_faults(part, found)]
    counts = {
        "parts": len(package.parts),
        "shown": sum(part.shown for part in package.parts),
        "hidden": sum(not part.shown for part in package.parts),
        "files": len(package.expected),
    }
    for name, number in counts.items():
        if package.counts.get(name) != number:
            proof.faults.append(f"The manifest counts {package.counts.get(name)} {name}, but lists {number}.")


def _contradictions(part: PartEntry, package: Package) -> list[str]:
    """What the manifest says of a part's place in two ways that do not agree."""
    found: list[str] = []
    said = part.said
    middle_x, middle_y = part.left + part.width / 2, part.top + part.height / 2
    is_within = said.get("beyond") is not True
    if part.width < 1 or part.height < 1 or (is_within and (part.left < 0 or part.top < 0)):
        found.append("its box is empty or begins outside of the canvas")
    if is_within and (part.left + part.width > package.width or part.top + part.height > package.height):
        found.append("its box ends outside of the canvas")
    if said["centre"]["y_down"] != [middle_x, middle_y]:
        found.append("its centre is not the middle of its box")
    if said["centre"]["y_up"] != [middle_x, package.height - middle_y]:
        found.append("its centre counted upwards does not agree with its box")
    pivot = said["pivot"]
    if pivot is not None:
        x, y = pivot["canvas"]
        if _apart(pivot["box"], (x - part.left, y - part.top)):
            found.append("its pivot relative to the box does not agree with the one on the canvas")
        elif _apart(pivot["fraction"], ((x - part.left) / part.width, (y - part.top) / part.height)):
            found.append("its pivot as fractions does not agree with the one on the canvas")
    return found


def _apart(said: list[float], wanted: tuple[float, ...]) -> bool:
    return len(said) != len(wanted) or any(abs(a - b) > 1e-6 for a, b in zip(said, wanted, strict=True))


def _image_faults(part: PartEntry, images: Mapping[str, Decoded]) -> list[str]:
    found: list[str] = []
    said = {part.file: part.pixels_crc32, **{frame.file: frame.pixels_crc32 for frame in part.frames}}
    for file, image in images.items():
        which = "its image" if len(images) == 1 else f"'{file}'"
        if (image.width, image.height) != (part.width, part.height):
            found.append(f"{which} is {image.width} x {image.height} px, its box {part.width} x {part.height} px")
        if image.crc32 != said[file]:
            found.append(f"{which} has other pixels than the manifest says")
    trim = part.said["trim"]
    tight = (trim["x"] - part.left, trim["y"] - part.top, trim["width"], trim["height"])
    lefts, tops, rights, bottoms = zip(*(image.content for image in images.values() if image.content), strict=True)
    left, top, right, bottom = min(lefts), min(tops), max(rights), max(bottoms)
    if (left, top, right - left, bottom - top) != tight:
        found.append("its image is not trimmed to its content as the manifest says")
    if part.frames and (len(part.frames) < 2 or part.frames[0].file != part.file):
        found.append("what is seen at rest is not its first frame")
    return found


def _check_joints(package: Package, proof: Proof) -> None:
    """Every parent must be in the package, nothing may carry itself, and fractions must agree with the boxes."""
    by_id = {part.id: part for part in package.parts}
    parents: dict[str, str] = {}
    for part in package.parts:
        parent = part.said.get("parent")
        if parent is not None and parent not in by_id:
            proof.faults.append(f"'{part.label}': it is carried by a part that is not in the package.")
        elif parent is not None:
            parents[part.id] = parent
        fractions = part.said.get("fractions")
        if fractions is None:
            continue  # a package of an older version
        whole = (0, 0, package.width, package.height)
        carrier = by_id.get(parents.get(part.id, ""))
        frames = [("canvas", whole)]
        if carrier is not None:
            frames.append(("parent", (carrier.left, carrier.top, carrier.width, carrier.height)))
        for name, (left, top, width, height) in frames:
            said = fractions[name] or {}
            wanted = ((part.left - left) / width, (part.top - top) / height, part.width / width, part.height / height)
            if _apart([said.get(side, -1.0) for side in ("x", "y", "width", "height")], wanted):
                proof.faults.append(f"'{part.label}': its fractions of the {name} do not agree with its box.")
    for part in package.parts:
        at: str | None = parents.get(part.id)
        for _ in parents:
            if at is None or at == part.id:
                break
            at = parents.get(at)
        if at == part.id:
            proof.faults.append(f"'{part.label}': it is carried by itself, over others.")


def _check_order(package: Package, proof: Proof) -> None:
    """The tree must name every part once, and agree with the numbers and the shown parts."""
    seen: list[tuple[str, bool]] = []

    def walk(entries: tuple[TreeEntry, ...], shown: bool) -> None:
        for entry in entries:
            if isinstance(entry, GroupEntry):
                walk(entry.members, shown and entry.shown)
            else:
                seen.append((entry.part_id, shown and entry.shown))

    walk(package.tree, True)
    if [part_id for part_id, _ in seen] != [part.id for part in sorted(package.parts, key=lambda part: part.order)]:
        proof.faults.append("The tree and the numbers of the parts do not tell the same order.")
    if sorted(part.order for part in package.parts) != list(range(1, len(package.parts) + 1)):
        proof.faults.append("The numbers of the parts do not run from 1 without a gap.")
    shown = dict(seen)
    for part in package.parts:
        if shown.get(part.id, part.shown) != part.shown:
            proof.faults.append(f"'{part.label}': it is shown in one place of the manifest and hidden in another.")


def _compare(
    package: Package,
    images: Mapping[str, Mapping[str, Decoded]],
    reference: Decoded,
    proof: Proof,
    pool: ThreadPoolExecutor,
    bands: range,
    step: Callable[[], None],
) -> None:
    by_id = {part.id: part for part in package.parts}
    total = np.array([0, 0, 0, 0, package.width, package.height, 0, 0], np.int64)
    lock = threading.Lock()

    def band(top: int) -> None:
        bottom = min(top + BAND, package.height)
        exact = _put_together(package.tree, by_id, images, package.width, top, bottom)
        own = np.array([0, 0, 0, 0, package.width, package.height, 0, 0], np.int64)
        blending.count_differences(exact, reference.rows(top, bottom), own)
        with lock:
            total[0] += own[0]
            if own[1] > total[1]:
                total[1:4] = own[1], own[2], own[3] + top
            if own[0]:
                total[4:6] = np.minimum(total[4:6], (own[4], own[5] + top))
                total[6:8] = np.maximum(total[6:8], (own[6], own[7] + top))

    for _ in pool.map(band, bands):
        step()
    proof.differing_pixels, proof.max_difference = int(total[0]), int(total[1])
    if total[0]:
        area = tuple(int(value) for value in total[4:8])
        proof.worst = {"x": int(total[2]), "y": int(total[3]), "part": _blamed(package, area)}


def _put_together(
    entries: tuple[TreeEntry, ...],
    by_id: Mapping[str, PartEntry],
    images: Mapping[str, Mapping[str, Decoded]],
    width: int,
    top: int,
    bottom: int,
    onto: blending.Floats | None = None,
) -> blending.Floats:
    """Rows of the canvas with everything shown laid on them, premultiplied float64."""
    backdrop = np.zeros((bottom - top, width, 4)) if onto is None else onto
    for entry in entries:
        if not entry.shown:
            continue
        if isinstance(entry, PartUse):
            part = by_id.get(entry.part_id)
            if part is not None and part.file in images[part.id]:
                _lay_part(backdrop, part, images[part.id][part.file], top, bottom)
        elif entry.isolated or entry.opacity < 1 or entry.blend != "normal":
            inside = _put_together(entry.members, by_id, images, width, top, bottom)
            inside *= entry.opacity
            _lay(backdrop, inside, entry.blend)
        else:
            _put_together(entry.members, by_id, images, width, top, bottom, backdrop)
    return backdrop


def _lay_part(backdrop: blending.Floats, part: PartEntry, image: Decoded, top: int, bottom: int) -> None:
    first, last = max(top, part.top), min(bottom, part.top + image.height)
    left, right = max(0, part.left), min(backdrop.shape[1], part.left + image.width)
    if first >= last or left >= right:
        if part.blend in blending.OUTSIDE_TOO:
            backdrop[...] = 0
        return
    rows = image.rows(first - part.top, last - part.top)[:, left - part.left : right - part.left]
    if part.blend == "normal":
        blending.over_bytes(backdrop[first - top : last - top, left:right], rows, part.opacity)
        return
    if part.blend in blending.OUTSIDE_TOO:
        source = np.zeros_like(backdrop)
        source[first - top : last - top, left:right] = blending.premultiplied(rows, part.opacity)
        _lay(backdrop, source, part.blend)
        return
    _lay(backdrop[first - top : last - top, left:right], blending.premultiplied(rows, part.opacity), part.blend)


def _lay(backdrop: blending.Floats, source: blending.Floats, mode: str) -> None:
    try:
        blending.lay(backdrop, source, mode)
    except KeyError:
        raise PackageError(
            f"The manifest names a blend mode '{mode}' that is not in the W3C's list. Hand over again."
        ) from None


def _blamed(package: Package, area: tuple[int, ...]) -> str | None:
    """The shown part whose box is most like the differing area; in front of equals."""

    def likeness(part: PartEntry) -> float:
        left, top = max(area[0], part.left - 1), max(area[1], part.top - 1)
        right, bottom = min(area[2], part.left + part.width + 1), min(area[3], part.top + part.height + 1)
        common = max(0, right - left) * max(0, bottom - top)
        whole = (part.width + 2) * (part.height + 2) + (area[2] - area[0]) * (area[3] - area[1]) - common
        return common / whole

    shown = [part for part in package.parts if part.shown]
    best = max(shown, key=lambda part: (likeness(part), part.order), default=None)
    return best.label if best is not None and likeness(best) > 0 else None
