"""Any file that Yuplet reads, by what its first bytes say."""

import re
import zipfile
import zlib
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Literal

import numpy as np

from yuplet.errors import NotAPicture, ReadError
from yuplet.geometry import Size
from yuplet.illustration.layers import Illustration, ReadingReport, composite_tree
from yuplet.pixels import Picture
from yuplet.pixels.compositing import compose
from yuplet.pixels.spill_file import SpillFile
from yuplet.reading import archives, flat, loose, openraster, package
from yuplet.reading.archives import GZIP, is_packed
from yuplet.reading.choices import AS_THE_FILE_SAYS, Choices

if TYPE_CHECKING:
    from yuplet.reading import svg

# What reads drawings and OpenEXR is loaded when there is such a file: that takes as long as reading a small picture.
_OPENEXR = b"\x76\x2f\x31\x01"
_IN_ONE_GO = "the document drawn in one go (which is rounded to 8 bits after every shape)"


def _say_nothing(done: int, total: int) -> None:
    pass


def read_illustration(
    path: Path,
    scratch: SpillFile,
    progress: Callable[[int, int], None] = _say_nothing,
    workers: int = 2,
    file_name: str | None = None,
    choices: Choices = AS_THE_FILE_SAYS,
) -> tuple[Illustration, ReadingReport]:
    """Bring in a file: an OpenRaster archive, an SVG document, a file of OpenEXR, a flat picture, a ZIP of such pictures or a package of ours.

    They are told apart by their first bytes, archives by what is in them.

    The pixels of each layer, cut to its content, go to `scratch` under the layer's id. `file_name` is what the file was
    called where it came from, if that is not its name now; its stem names the illustration, and errors name it.
    Raises `ReadError` in one of its kinds.
    """
    file_name = file_name or path.name
    try:
        start = _first_bytes(path)
    except OSError as error:
        raise ReadError(f"'{path}' cannot be opened: {error.strerror}. Check the name and the rights.") from error
    if flat.is_flat(start):
        return flat.read(path, scratch, file_name, choices)
    if start[:4] == _OPENEXR:
        from yuplet.reading import openexr

        return openexr.read(path, scratch, progress, file_name)
    if start[:2] == b"PK":
        return _from_archive(path, scratch, progress, workers, file_name, choices)
    if _is_svg(start):
        from yuplet.reading import svg

        return svg.read(path, scratch, progress, file_name, choices)
    raise NotAPicture(file_name)


def holds_picture(path: Path) -> bool:
    """Whether a file is of a kind that is read, by a look into it: more than its first letters for text, and into archives.

    Raises `OSError` where it cannot be opened.
    """
    start = _first_bytes(path)
    if flat.is_flat(start) or start[:4] == _OPENEXR:
        return True
    if start[:2] == b"PK":
        try:
            if _kind_of_archive(path) != "loose":
                return True
            with zipfile.ZipFile(path) as archive:
                return any(
                    flat.is_flat(archive.open(entry).read(32)) for entry in archive.infolist()[:2000] if entry.file_size
                )
        except archives.DAMAGED:
            return False
    if is_packed(start):
        return _is_svg(start)
    with path.open("rb") as file:
        return _is_svg(start) and re.search(rb"<(\w+:)?svg\b", file.read(1 << 16).replace(b"\0", b"")) is not None


def drawing_of(path: Path, choices: Choices = AS_THE_FILE_SAYS) -> "svg.Drawing | None":
    """The drawing that a vector file can be drawn anew from; None for any other file. Errors are those of `read_illustration`."""
    if not _is_svg(_first_bytes(path)):
        return None
    from yuplet.reading import svg

    return svg.open_drawing(path.read_bytes(), path.name, choices)


def _from_archive(
    path: Path, scratch: SpillFile, progress: Callable[[int, int], None], workers: int, file_name: str, choices: Choices
) -> tuple[Illustration, ReadingReport]:
    kind = _kind_of_archive(path)
    if kind == "package":
        return package.read(path, scratch, progress, file_name)
    if kind == "loose":
        return loose.read(path, scratch, progress, file_name, choices)
    return openraster.read(path, scratch, progress, workers, file_name)


def _kind_of_archive(path: Path) -> Literal["package", "loose", "openraster"]:
    try:
        with zipfile.ZipFile(path) as archive:
            names = set(archive.namelist())
    except archives.DAMAGED:
        return "openraster"  # which says what is wrong with it
    if "manifest.json" in names and package.is_package(path):
        return "package"
    return "openraster" if names & {"stack.xml", "mimetype"} else "loose"


def _first_bytes(path: Path) -> bytes:
    with path.open("rb") as file:
        return file.read(1024)


def _is_svg(start: bytes) -> bool:
    if is_packed(start):
        try:
            start = zlib.decompressobj(GZIP).decompress(start, len(start))
        except zlib.error:
            return False
    text = start.decode("utf-16" if start[:2] in (b"\xff\xfe", b"\xfe\xff") else "utf-8", "ignore").lstrip(
        "\ufeff \t\r\n"
    )
    return text.startswith("<") and ("<svg" in text or "<!DOCTYPE svg" in text or text.startswith(("<?xml", "<!--")))


@dataclass(frozen=True, slots=True)
class MergedComparison:
    """Our composite against the flat picture stored in the file; differences in levels of 255, laid over black and white."""

    pixels: int
    differing: int
    largest: int
    other: str = "the file's own merged picture"

    @property
    def sentence(self) -> str:
        """The result in words."""
        if self.differing == 0:
            return f"The composite equals {self.other} in all {self.pixels:,} pixels."
        return (
            f"The composite differs from {self.other} in {self.differing:,} of {self.pixels:,} pixels,"
            f" by at most {self.largest} of 255."
        )


def compare_with_merged(path: Path, illustration: Illustration, scratch: SpillFile) -> MergedComparison | None:
    """Compare our composite of the visible layers with the merged picture that an OpenRaster file carries, or with an SVG
    document drawn in one go.

    Alpha is compared as it is; colour is compared weighted by alpha, since colour under alpha 0 means nothing and
    colour under a small alpha is stored coarsely by programs that keep it multiplied. Answers None where the file has
    no merged picture that could be read.
    """
    merged = _merged(path, illustration)
    if merged is None:
        return None
    size = Size(merged.shape[1], merged.shape[0])
    if size != illustration.canvas:
        return MergedComparison(illustration.canvas.pixels, illustration.canvas.pixels, 255)
    ours = compose(composite_tree(illustration.layers), size, scratch)
    differing = largest = 0
    for top in range(0, size.height, 256):
        a, b = ours[top : top + 256].astype(np.float32), merged[top : top + 256].astype(np.float32)
        colour = np.abs(a[..., :3] * a[..., 3:] - b[..., :3] * b[..., 3:]) / 255
        worst = np.maximum(colour.max(axis=2), np.abs(a[..., 3] - b[..., 3]))
        differing += int((worst > 0.5).sum())
        largest = max(largest, int(np.ceil(worst.max() - 0.5)))
    comparison = MergedComparison(size.pixels, differing, largest)
    return comparison if _first_bytes(path)[:2] == b"PK" else replace(comparison, other=_IN_ONE_GO)


def _merged(path: Path, illustration: Illustration) -> Picture | None:
    start = _first_bytes(path)
    try:
        if start[:2] == b"PK":
            kind = _kind_of_archive(path)
            if kind == "package":
                return package.reference_picture(path)
            return openraster.merged_image(path) if kind == "openraster" else None
        if not _is_svg(start):
            return None
        from yuplet.reading import svg

        return svg.whole_picture(path, illustration.canvas)
    except ReadError:
        return None  # the layers are what counts; a damaged copy of them is no reason to refuse the file
