"""Does the picture come back? The inventory of a package, what contradicts itself, and the picture put together again."""

import tempfile
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any, Literal

from yuplet.rehearsal.inventory import Inventory, is_there, take_stock
from yuplet.rehearsal.opening import OpenPackage
from yuplet.rehearsal.package import open_package
from yuplet.rehearsal.picture import Comparison, bands_of, compare


@dataclass(slots=True, kw_only=True)
class Proof(Inventory):
    """What the rehearsal found: the inventory, and `comparisons`, one for each way of reading the package and each scale, that of the main
    manifest first; it is empty when there is no reference picture to compare with. It has `looked_at` everything, or at the changes since an earlier proof.
    """

    comparisons: list[Comparison] = field(default_factory=list)
    looked_at: Literal["everything", "changes"] = "everything"

    @property
    def ok(self) -> bool:
        """Whether nothing at all is wrong; obsolete files that the manifest names are no fault."""
        return self.is_clean and bool(self.comparisons) and all(one.ok for one in self.comparisons)

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
    packages = [main, *(open_package(folder, name) for name in main.others if is_there(folder, name))]
    proof = Proof(expected=0, found=0, pixels=main.width * main.height)
    paths = take_stock(packages, proof)
    total = sum(steps_of(OpenPackage(package, paths, proof, folder)) for package in packages)
    done = 0

    def step() -> None:
        nonlocal done
        done += 1
        progress(done, total)

    progress(0, total)
    for package in packages:
        with tempfile.TemporaryDirectory() as scratch, ThreadPoolExecutor(workers) as pool:
            prove_one(OpenPackage(package, paths, proof, Path(scratch)), proof, pool, step)
    proof.unreadable.sort()
    return proof


def steps_of(opened: OpenPackage) -> int:
    return len(opened.files) + len(opened.ways) * len(bands_of(opened.package.height))


def prove_one(opened: OpenPackage, proof: Proof, pool: ThreadPoolExecutor, step: Callable[[], None]) -> None:
    opened.load(pool, step)
    reference = opened.reference("places")
    if reference is None:
        return
    for way in opened.ways:
        scene = opened.scene(way)
        if scene is not None:
            proof.comparisons.append(compare(scene, reference, pool, step))
