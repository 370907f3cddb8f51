"""A package with a manifest, opened: its images decoded once, and the ways in which the picture can be put together from it."""

import tempfile
from collections.abc import Callable, Collection, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path

from yuplet.errors import PackageError
from yuplet.rehearsal.checks import faults_of_joints, faults_of_order, faults_of_parts, faults_of_sheets
from yuplet.rehearsal.derived import says_depths, says_fractions, scene_from_depths, scene_from_fractions
from yuplet.rehearsal.drawing import scene_of_drawing, scene_of_drawings, symbols_of
from yuplet.rehearsal.grid import cells, require_uncut_pictures, scene_of_pictures
from yuplet.rehearsal.images import Decoded, cut_out, decode, decode_words, moments
from yuplet.rehearsal.images import turned as turn
from yuplet.rehearsal.inventory import Inventory
from yuplet.rehearsal.layered import scene_of_layers
from yuplet.rehearsal.lining_up import Laid, Proposal
from yuplet.rehearsal.model import scene_of_model
from yuplet.rehearsal.package import ExtraEntry, Package, PartEntry, PartUse, Source
from yuplet.rehearsal.page import scene_of_page
from yuplet.rehearsal.picture import Placed, Scene, Way, scene_of

_BESIDE: dict[str, Way] = {
    "layers": "layers",
    "model": "model",
    "page": "page",
    "scene": "scene",
    "flip-book": "flip-book",
    "openexr": "openexr",
}
"""The way to read each kind of file beside the images that the picture can be put together from."""


class OpenPackage:
    """What a receiver has of a package in memory and in scratch files. What is wrong with it is added to the `inventory`."""

    # Its manifest says where everything lies.
    places: tuple[Laid, ...] = ()
    proposals: tuple[Proposal, ...] = ()

    def __init__(
        self,
        package: Package,
        paths: Mapping[str, Path],
        inventory: Inventory,
        scratch: Path,
        grid: tuple[int, int] | None = None,
        only: Collection[str] | None = None,
    ) -> None:
        """`only` are the parts whose images are wanted, by their ids; then the reference picture is not decoded either."""
        self.package, self.paths, self.inventory = package, paths, inventory
        self._scratch, self._grid, self._only = scratch, grid, only
        self._images: dict[str, Decoded] = {}
        self.laid: dict[str, dict[Source, Decoded]] = {}

    @property
    def files(self) -> list[str]:
        """The files to be decoded whole: the reference picture, and all images but animated ones."""
        sources = [source for part in self.wanted for source in part.sources if source.moment is None]
        reference = [self.package.reference] if self._only is None else []
        return list(dict.fromkeys((*reference, *(source.file for source in sources))))

    @property
    def wanted(self) -> list[PartEntry]:
        """The parts whose images are looked at."""
        only = self._only
        return [part for part in self.package.parts if only is None or part.id in only]

    @property
    def ways(self) -> list[Way]:
        """How the picture can be put together, as the package says: the places first."""
        package = self.package
        found: list[Way] = ["places"]
        whole = (0, 0, package.width, package.height)
        boxes = {(part.left, part.top, part.width, part.height) for part in package.parts}
        if boxes == {whole} and all(part.said.get("extent") == "canvas" for part in package.parts):
            found.append("whole canvas")
        if self._drawings:
            found.append("vector")
        return [*found, *self.beside]

    @property
    def every_way(self) -> list[Way]:
        """The same, those by which its places are said once more, and those in which only pieces of it are seen."""
        found = self.ways
        if says_fractions(self.package):
            found.append("interface")
        if says_depths(self.package):
            found.append("planes")
        if self.sheet is not None:
            found.append("sheet")
        return found

    @property
    def compared_with(self) -> str | None:
        """The file of the picture that the parts come from."""
        return self.package.reference

    @property
    def references(self) -> list[str]:
        """The manifest says which it is."""
        return [self.package.reference]

    @property
    def sheet(self) -> str | None:
        """The first sheet of pictures, which may be cut by columns and rows as well."""
        return next((sheet.file for sheet in self.package.sheets if sheet.kind != "animation"), None)

    def load(self, pool: ThreadPoolExecutor, step: Callable[[], None]) -> None:
        """Decode all images; `step` is called after each of `files`. Then look for what contradicts itself."""

        def one(numbered: tuple[int, str]) -> Decoded | None:
            number, name = numbered
            path = self.paths.get(name)
            try:
                read = decode_words if self.package.bits == 16 else decode
                return read(path, self._scratch / f"{number}.raw") if path else None
            except Exception:  # decoders raise errors of many kinds for damaged files
                self.inventory.unreadable.append(name)
                return None

        for name, image in zip(self.files, pool.map(one, enumerate(self.files)), strict=True):
            if image is not None:
                self._images[name] = image
            step()
        self.laid = _Pictures(self, self._images, self._scratch).laid()
        faults, empty = faults_of_parts(self.package, self.laid)
        self.inventory.empty += empty
        self.inventory.faults += [
            *faults,
            *faults_of_sheets(self.package, self.paths),
            *faults_of_joints(self.package),
            *faults_of_order(self.package),
        ]

    def reference(self, way: Way) -> Decoded | None:
        """The picture that the parts come from, where it is as large as the canvas; frames of a sheet are not the picture."""
        if way == "sheet":
            return None
        found = self._images.get(self.package.reference)
        return None if found is None else self.accepted(found)

    def accepted(self, found: Decoded) -> Decoded | None:
        """A reference picture as it is taken; what does not fit is a fault, and one of another size is none."""
        if (found.width, found.height) != (self.package.width, self.package.height):
            self.inventory.faults.append("The reference picture is not as large as the canvas.")
            return None
        if found.crc32 != self.package.reference_crc32:
            self.inventory.faults.append("The reference picture has other pixels than the manifest says.")
        return found

    def scene(self, way: Way) -> Scene | None:
        """What is to be put together in one of the `ways`; None, and a fault in the inventory, where it cannot be read."""
        if way in ("places", "whole canvas"):
            return scene_of(self.package, way, self.laid)
        if way in ("interface", "planes"):
            derive = scene_from_fractions if way == "interface" else scene_from_depths
            scene, faults = derive(scene_of(self.package, "places", self.laid), self.package)
            self.inventory.faults += faults
            return scene
        if way == "vector":
            return self._scene_of_drawings()
        if way == "sheet":
            return self._scene_of_cells()
        return self._scene_beside(self.beside[way])

    def loose_images(self, way: Way) -> dict[str, Decoded]:
        """None: each lies where the manifest says."""
        return {}

    @property
    def beside(self) -> dict[Way, ExtraEntry]:
        """Files beside the images that the picture can be put together from; of a flip-book in numbered files the first."""
        found: dict[Way, ExtraEntry] = {}
        for entry in self.package.extras:
            if entry.largest is not None and entry.kind in _BESIDE:
                found.setdefault(_BESIDE[entry.kind], entry)
        return found

    @property
    def _drawings(self) -> list[ExtraEntry]:
        """The drawings of parts, by the files that they are in: of one part each, or of all of them as symbols."""
        return [entry for entry in self.package.extras if entry.kind in ("vector", "symbols")]

    def _scene_of_drawings(self) -> Scene | None:
        try:
            texts: dict[str, str] = {}
            for entry in self._drawings:
                path = self.paths.get(entry.file)
                if path is not None:
                    text = path.read_text("utf-8")
                    texts |= symbols_of(text) if entry.kind == "symbols" else {str(entry.part): text}
            return scene_of_drawings(scene_of(self.package, "vector", self.laid), self.package, texts, self._scratch)
        except Exception as error:  # it is there to judge what anybody wrote
            self.inventory.faults.append(f"The drawings of the parts cannot be rebuilt: {error}.")
            return None

    def _scene_of_cells(self) -> Scene:
        """The frames of the sheet; what lies in a cell beside its picture is a fault. Raises `NoSuchGrid`."""
        name = str(self.sheet)
        image = self._images.get(name)
        if image is None:
            raise PackageError(f"'{name}' is missing or cannot be read.")
        sources = [source for part in self.package.parts for source in part.sources if source.file == name]
        places = {source.within for source in sources if source.within is not None}
        by_cell = require_uncut_pictures(image, self._grid, name, places)
        found = cells(image, self._grid, name, self._scratch)
        columns = self._grid[0] if self._grid else 1
        for at, cell in enumerate(found.values()):
            place = by_cell.get(at)
            left, top = at % columns * cell.width, at // columns * cell.height
            pixels = cell.rows(0, cell.height)
            if place is not None:
                across, down = (place.height, place.width) if place.turned else (place.width, place.height)
                pixels[place.y - top : place.y - top + down, place.x - left : place.x - left + across] = 0
            if pixels[..., 3].any():
                self.inventory.faults.append(f"Cell {at + 1} of '{name}' holds pixels that are not of its picture.")
        return scene_of_pictures("sheet", found, shows_all=False)

    def _scene_beside(self, entry: ExtraEntry) -> Scene | None:
        path = self.paths.get(entry.file)
        if path is None:
            return None  # said already: missing
        try:
            scene = self._read_beside(entry, path)
        except Exception as error:  # as above
            self.inventory.faults.append(f"'{entry.file}' cannot be rebuilt: {error}.")
            return None
        if (scene.width, scene.height) != (self.package.width, self.package.height):
            self.inventory.faults.append(f"'{entry.file}' is not as large as the canvas.")
            return None
        return replace(scene, ground=self.package.ground)

    def _read_beside(self, entry: ExtraEntry, path: Path) -> Scene:
        allowed, size = (entry.largest or 0.0, entry.mean or 0.0), (self.package.width, self.package.height)
        folder, scale = Path(tempfile.mkdtemp(dir=self._scratch)), self.package.scale
        match entry.kind:
            case "layers":
                return scene_of_layers(path, folder, allowed, scale)
            case "model":
                return scene_of_model(path, folder, allowed, size, scale)
            case "scene":
                return scene_of_drawing(path, folder, allowed, size, scale)
            case "openexr":
                from yuplet.rehearsal.openexr import scene_of_openexr

                return scene_of_openexr(path, folder, allowed, size, scale, self.package.bits)
            case "page":
                return scene_of_page(path, folder, allowed, size, scale)
        return _scene_of_first(path, folder, allowed, size, scale)


def _scene_of_first(
    path: Path, folder: Path, allowed: tuple[float, float], size: tuple[int, int], scale: float
) -> Scene:
    """The first picture of a flip-book."""
    image = moments(path, [0], folder / "first")[0]
    if (image.width, image.height) != size:
        raise ValueError("it is not as large as the canvas")
    area = (0, 0, *size)
    first = Placed(label="the flip-book", image=image, left=0, top=0, opacity=1.0, blend="normal", area=area)
    return Scene(
        way="flip-book",
        scale=scale,
        width=size[0],
        height=size[1],
        tree=(PartUse("first", True),),
        placed={"first": first},
        ground=None,
        largest=allowed[0],
        mean=allowed[1],
    )


class _Pictures:
    """The pictures of parts, cut out of sheets, taken out of animated images, and turned as each part says."""

    def __init__(self, opened: OpenPackage, images: Mapping[str, Decoded], scratch: Path) -> None:
        self._opened, self._images, self._scratch = opened, images, scratch
        self._found: dict[Source, Decoded | None] = {}
        self._turned: dict[tuple[Source, bool, int], Decoded] = {}

    def laid(self) -> dict[str, dict[Source, Decoded]]:
        """By each part's id; those that are missing or cannot be read are absent."""
        self._take_moments()
        found: dict[str, dict[Source, Decoded]] = {}
        for part in self._opened.wanted:
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
                    self._opened.inventory.faults.append(f"A picture on '{source.file}' ends outside of it.")
            self._found[source] = image
        return self._found[source]

    def _take_moments(self) -> None:
        wanted: dict[str, list[int]] = {}
        for part in self._opened.wanted:
            for source in part.sources:
                if source.moment is not None:
                    wanted.setdefault(source.file, []).append(source.moment)
        for file, numbers in wanted.items():
            path = self._opened.paths.get(file)
            try:
                found = moments(path, numbers, self._raw()) if path is not None else {}
            except Exception:  # as above
                self._opened.inventory.unreadable.append(file)
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
