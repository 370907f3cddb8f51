"""A package without a manifest: images, a sheet, a flip-book, or one file that holds everything; what they are is seen from the files alone.

Common practice, no published source: images of one size lie at 0, 0 in the order of their numbers, the lowest at the back; the cells of a
sheet are equal and follow each other in rows from the top left corner; numbered images of one name are the frames of a flip-book.
"""

import re
import tempfile
from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path, PurePosixPath

from natsort import natsorted
from PIL import Image

from yuplet.errors import PackageError, shown
from yuplet.rehearsal.derived import depths_by_order
from yuplet.rehearsal.drawing import scene_of_drawing
from yuplet.rehearsal.grid import cells, require_uncut_art, scene_of_pictures
from yuplet.rehearsal.images import Decoded, decode, moments
from yuplet.rehearsal.inventory import Inventory
from yuplet.rehearsal.layered import scene_of_layers
from yuplet.rehearsal.lining_up import accepted, propose, scene_of_laid
from yuplet.rehearsal.model import scene_of_model
from yuplet.rehearsal.names import label_of, tree_of
from yuplet.rehearsal.package import GroupEntry
from yuplet.rehearsal.page import scene_of_page
from yuplet.rehearsal.picture import Scene, Way
from yuplet.rehearsal.reading import Reading

IMAGES = frozenset({".png", ".apng", ".webp", ".gif", ".jpg", ".jpeg", ".tif", ".tiff", ".bmp"})
WHOLE_FILES: dict[str, Way] = {".ora": "layers", ".glb": "model", ".html": "page", ".svg": "scene"}
MOST_FILES = 5000
_NUMBERED = re.compile(r"^(.*?)(\d+)$")


class LooseFiles:
    """Files of somewhere, to be read as a receiver reads them who was told nothing."""

    def __init__(
        self,
        files: Mapping[str, Path],
        inventory: Inventory,
        scratch: Path,
        reading: Reading,
    ) -> None:
        self.inventory = inventory
        self.places, self.proposals = reading.places or (), reading.proposals
        self._reading = reading
        self._all, self._scratch, self._grid = dict(files), scratch, reading.grid
        self._images: dict[str, Decoded] = {}
        self._step: Callable[[], None] = lambda: None
        reference = reading.reference
        if len(files) > MOST_FILES:
            raise PackageError(
                f"There are {len(files):,} files; up to {MOST_FILES:,} can be tried out. Choose one folder of them."
            )
        if reference is not None and reference not in files:
            raise PackageError(f"There is no file '{shown(reference)}' to compare with. Choose another.")
        self._reference = reference if reference is not None else _like_a_reference(files)

    @property
    def files(self) -> list[str]:
        """The images, in the order of their numbers; the one to compare with last."""
        images = [name for name in self._all if PurePosixPath(name).suffix.lower() in IMAGES]
        own = natsorted(name for name in images if name != self._reference)
        return [*own, self._reference] if self._reference is not None else own

    @property
    def every_way(self) -> list[Way]:
        """How the files can be read, the likeliest way first. Before `load` it is not known what the images are."""
        found: list[Way] = []
        images = [self._images[name] for name in self._own]
        if len(images) == 1:
            moving = _moments_in(self._all[self._own[0]])
            found += ["flip-book"] if moving > 1 else ["sheet"]
        elif images and len({(image.width, image.height) for image in images}) == 1:
            found += ["flip-book", "whole canvas"] if _are_numbered(self._own) else ["whole canvas", "flip-book"]
            found += (
                ["names", "planes"] if any(isinstance(one, GroupEntry) for one in tree_of(self._own)) else ["planes"]
            )
        reference = self._images.get(self._reference or "")
        if images and reference is not None:
            is_canvas = all((one.width, one.height) == (reference.width, reference.height) for one in images)
            found.insert(len(found) if is_canvas else 0, "lined up")
        return [*found, *self._whole_files]

    @property
    def compared_with(self) -> str | None:
        """The image that is the picture of the whole, as was said or as its name says."""
        return self._reference

    @property
    def references(self) -> list[str]:
        """The images that could be."""
        return sorted(self._images)

    @property
    def size(self) -> tuple[int, int] | None:
        """Of the picture to compare with, else of the images where they are of one size."""
        if (reference := self._images.get(self._reference or "")) is not None:
            return reference.width, reference.height
        sizes = {(self._images[name].width, self._images[name].height) for name in self._own}
        return sizes.pop() if len(sizes) == 1 else None

    def load(self, pool: ThreadPoolExecutor, step: Callable[[], None]) -> None:
        """Decode all images; `step` is called after each of `files`."""

        def one(numbered: tuple[int, str]) -> Decoded | None:
            number, name = numbered
            try:
                return decode(self._all[name], self._scratch / f"{number}.raw")
            except Exception:  # decoders raise errors of many kinds for damaged files
                self.inventory.unreadable.append(name)
                return None

        for name, image in zip(self.files, pool.map(one, enumerate(self.files)), strict=True):
            if image is not None:
                self._images[name] = image
                if image.content is None:
                    self.inventory.empty.append(name)
            step()
        self._step = step
        if self._reference is None:
            self._reference = _the_largest({name: self._images[name] for name in self._own})
        known = {*self.files, *self._whole_files.values()}
        self.inventory.expected = self.inventory.found = len(known)
        self.inventory.extra = sorted(set(self._all) - known)

    def reference(self, way: Way) -> Decoded | None:
        """The picture to compare with, where there is one."""
        return self._images.get(self._reference or "")

    def loose_images(self, way: Way) -> dict[str, Decoded]:
        """Those that are lined up, whether they have a place or not."""
        return {name: self._images[name] for name in self._own} if way == "lined up" else {}

    def scene(self, way: Way) -> Scene | None:
        """What is to be put together in one of these ways; None, and a fault in the inventory, where it cannot be read."""
        if way == "whole canvas":
            return scene_of_pictures(way, self._pictures(), shows_all=True)
        if way == "names":
            return self._by_names()
        if way == "planes":
            return self._planes()
        if way == "flip-book":
            return scene_of_pictures(way, self._frames(), shows_all=False)
        if way == "sheet":
            return scene_of_pictures(way, self._cells(), shows_all=False)
        if way == "lined up":
            return self._lined_up()
        try:
            return self._scene_of_whole(way, self._all[self._whole_files[way]])
        except Exception as error:  # it is there to judge what anybody wrote
            self.inventory.faults.append(f"'{self._whole_files[way]}' cannot be rebuilt: {error}.")
            return None

    @property
    def _own(self) -> list[str]:
        return [name for name in self.files if name in self._images and name != self._reference]

    @property
    def _whole_files(self) -> dict[Way, str]:
        found: dict[Way, str] = {}
        for name in natsorted(self._all):
            way = WHOLE_FILES.get(PurePosixPath(name).suffix.lower())
            if way is not None:
                found.setdefault(way, name)
        return found

    def _pictures(self) -> dict[str, Decoded]:
        return {PurePosixPath(name).stem: self._images[name] for name in self._own}

    def _by_names(self) -> Scene:
        scene = scene_of_pictures("names", {name: self._images[name] for name in self._own}, shows_all=True)
        placed = {name: replace(one, label=label_of(name)) for name, one in scene.placed.items()}
        return replace(scene, placed=placed, tree=tree_of(self._own))

    def _planes(self) -> Scene:
        """One plane behind the other, each so much larger that the picture at rest is as drawn."""
        scene = scene_of_pictures("planes", self._pictures(), shows_all=True)
        reading = self._reading
        return replace(scene, distance=reading.distance, depths=depths_by_order(list(scene.placed), reading.step))

    def _frames(self) -> dict[str, Decoded]:
        if len(self._own) > 1:
            return self._pictures()
        path = self._all[self._own[0]]
        found = moments(path, list(range(_moments_in(path))), self._scratch / "moment")
        return {f"frame {number + 1}": image for number, image in found.items()}

    def _cells(self) -> dict[str, Decoded]:
        """The frames of a sheet; raises `NoSuchGrid` where it cannot have been cut so."""
        (name,) = self._own
        require_uncut_art(self._images[name], self._grid, name)
        return cells(self._images[name], self._grid, name, self._scratch)

    def _lined_up(self) -> Scene:
        """Images where they were put, or, at first, where they certainly lie."""
        own, reference = self.loose_images("lined up"), self._images[str(self._reference)]
        if self._reading.places is None:
            self.proposals = propose(own, reference, self._step)
            self.places = accepted(self.proposals)
        return scene_of_laid(self.places, own, (reference.width, reference.height), self._scratch)

    def _scene_of_whole(self, way: Way, path: Path) -> Scene:
        folder = Path(tempfile.mkdtemp(dir=self._scratch))
        exact = (0.0, 0.0)
        if way == "layers":
            return scene_of_layers(path, folder, exact, 1.0)
        if self.size is None:
            raise ValueError("how large the canvas is, is not said; add a picture of the whole to compare with")
        # What draws these rounds otherwise than what drew the picture of the whole.
        drawn = (16.0, 0.5)
        if way == "model":
            return scene_of_model(path, folder, exact, self.size, 1.0)
        if way == "page":
            return scene_of_page(path, folder, exact, self.size, 1.0)
        return replace(scene_of_drawing(path, folder, drawn, self.size, 1.0), way="scene")


def _like_a_reference(files: Mapping[str, Path]) -> str | None:
    """The one image whose name says that it is the picture of the whole."""
    found = [
        name
        for name in files
        if PurePosixPath(name).suffix.lower() in IMAGES
        and {"reference", "composite", "whole"} & set(re.split(r"[^a-z]+", PurePosixPath(name).stem.lower()))
    ]
    return found[0] if len(found) == 1 else None


def _the_largest(images: Mapping[str, Decoded]) -> str | None:
    """The one image that each of the others fits into: what is put together is never smaller than its parts."""
    sizes = [(image.width, image.height) for image in images.values()]
    largest = (max((width for width, _ in sizes), default=0), max((height for _, height in sizes), default=0))
    if len(sizes) < 2 or sizes.count(largest) != 1:
        return None
    return next(name for name, image in images.items() if (image.width, image.height) == largest)


def _are_numbered(names: list[str]) -> bool:
    """Whether they are one name with numbers that follow each other."""
    found = [_NUMBERED.match(PurePosixPath(name).stem) for name in names]
    if not all(found):
        return False
    stems = {(str(PurePosixPath(name).parent), one[1]) for name, one in zip(names, found, strict=True) if one}
    numbers = sorted(int(one[2]) for one in found if one)
    return len(stems) == 1 and numbers == list(range(numbers[0], numbers[0] + len(numbers)))


def _moments_in(path: Path) -> int:
    with Image.open(path) as opened:
        return int(getattr(opened, "n_frames", 1))
