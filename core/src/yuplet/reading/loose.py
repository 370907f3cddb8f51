"""Loose images in a ZIP: a part for each, a group for each folder, or the frames of one animation.

Images are flat pictures of any kind that `flat` reads; limits as there and in `archives`, and 2 000 images. Order, and which
names make a series, are common practice, no published source.
"""

import itertools
import re
import tempfile
import zipfile
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path, PurePosixPath

from yuplet import placing
from yuplet.errors import BrokenFile, ChoiceError, ReadError, TooLarge, shown
from yuplet.geometry import Size
from yuplet.illustration.interchange import MAX_LAYERS
from yuplet.illustration.layers import Illustration, Layer, LayerGroup, LayerNode, ReadingReport
from yuplet.pixels.spill_file import SpillFile
from yuplet.reading import archives, flat
from yuplet.reading.choices import Choices

_JUNK = re.compile(r"(^|/)(__MACOSX|\.[^/]*|Thumbs\.db|desktop\.ini)(/|$)", re.IGNORECASE)
_REFERENCE = re.compile(r"^(reference|composite|whole|complete|full|flat|preview|overview)\b", re.IGNORECASE)
_NUMBER = re.compile(r"\d+")
SURE = 0.9
"""The share of agreeing pixels from which on a proposed place needs no second look."""


@dataclass(slots=True)
class _Image:
    """One image of the archive, read."""

    path: PurePosixPath
    nodes: tuple[LayerNode, ...]
    canvas: Size

    @property
    def is_still(self) -> bool:
        return len(self.nodes) == 1 and isinstance(self.nodes[0], Layer)


def read(
    path: Path, scratch: SpillFile, progress: Callable[[int, int], None], file_name: str, choices: Choices
) -> tuple[Illustration, ReadingReport]:
    """Read an archive of images; their pixels go to the scratch file.

    Images that are all of one size lie on a canvas of that size. Others are trimmed: they lie where they agree best with a
    reference picture among them, which is told by its name or by `choices.reference`; without one, each in the middle.
    Images of one size whose names are one word and a running number are frames of one part, unless `choices.stack` says
    parts.

    Raises `BrokenFile`, `UnsafeFile`, `TooLarge` or `ChoiceError`; an image that cannot be read is named.
    """
    report = ReadingReport()
    stem = PurePosixPath(file_name).stem
    with archives.opened(path, file_name) as archive:
        images, facts = _read_images(archive, scratch, progress, file_name, report)
    if not images:
        raise BrokenFile(
            f"'{file_name}' holds no picture that Yuplet reads. Pack PNG, JPEG, WebP, TIFF, GIF or AVIF files."
        )
    images.sort(key=lambda image: tuple(_rank(name) for name in image.path.parts))
    reference = _reference(images, choices.reference, file_name)
    parts = [image for image in images if image is not reference]
    sizes = {image.canvas for image in parts}
    if reference is not None:
        canvas = reference.canvas
        parts = [_placed(image, reference, canvas, scratch, report) for image in parts]
        still = replace(_only(reference), name=reference.path.stem, visible=False, included=False)
        report.add("information", "It is the reference picture: hidden, and left out of the hand-over.", (still.name,))
    else:
        canvas = Size(max(size.width for size in sizes), max(size.height for size in sizes))
        if len(sizes) > 1:
            parts = [_moved(image, *_middle(image.canvas, canvas)) for image in parts]
            report.add(
                "information",
                "The images have different sizes and no positions, so each is in the middle. Add a picture of the whole, named 'reference', to have positions proposed.",
            )
    is_series = choices.stack == "frames" or (choices.stack is None and reference is None and _is_series(parts))
    nodes = _as_frames(parts, stem, report) if is_series else _as_tree(parts)
    if reference is not None:
        nodes = (*nodes, still)
    illustration = replace(facts, name=stem, canvas=canvas, layers=nodes)
    report.counts = illustration.counts()
    return illustration, report


def _read_images(
    archive: zipfile.ZipFile,
    scratch: SpillFile,
    progress: Callable[[int, int], None],
    file_name: str,
    report: ReadingReport,
) -> tuple[list[_Image], Illustration]:
    entries = [entry for entry in archive.infolist() if not entry.is_dir() and not _JUNK.search(entry.filename)]
    if len(entries) > MAX_LAYERS:
        raise TooLarge(f"'{file_name}' holds {len(entries)} files; Yuplet takes up to {MAX_LAYERS}.")
    pictures = []
    for entry in entries:
        start = next(archives.pieces(archive, entry), b"")[:1024]
        if flat.is_flat(start):
            pictures.append(entry)
        else:
            report.add(
                "not understood",
                f"'{shown(entry.filename)}' is no picture that Yuplet reads in an archive; it was left out.",
            )
    archives.require_few_pixels((flat.size_in(archive, entry) for entry in pictures), file_name)
    images: list[_Image] = []
    facts = Illustration(file_name, Size(1, 1), ())
    with tempfile.TemporaryDirectory() as folder:
        for number, entry in enumerate(pictures, 1):
            name = PurePosixPath(entry.filename.replace("\\", "/"))
            copy = Path(folder, f"{number}")
            try:
                with copy.open("wb") as out:
                    archives.copied(archive, entry, out)
                read, said = flat.read(copy, scratch, name.name, Choices(), f"i{number}-")
            except ReadError as error:
                raise type(error)(f"In '{file_name}': {error}") from error
            finally:
                copy.unlink()
            images.append(_Image(name, read.layers, read.canvas))
            report.notes += [
                replace(note, path=(*name.parts[:-1], name.stem)) for note in said.notes if note.kind != "information"
            ]
            if len(images) == 1:
                facts = read
            progress(number, len(pictures))
    return images, facts


def _rank(name: str) -> tuple[int, int, str]:
    """Numbered names by their last number, the others by name, after them."""
    numbers = _NUMBER.findall(PurePosixPath(name).stem)
    return (0, int(numbers[-1][:18]), name.casefold()) if numbers else (1, 0, name.casefold())


def _reference(images: list[_Image], chosen: str | None, file_name: str) -> _Image | None:
    if chosen == "":
        return None
    if chosen is not None:
        for image in images:
            if chosen in (str(image.path), image.path.stem) and image.is_still:
                return image
        raise ChoiceError(f"'{file_name}' has no still picture called '{chosen}' that could be the reference.")
    named = [image for image in images if image.is_still and _REFERENCE.match(image.path.stem)]
    others = [image for image in images if image not in named]
    if len(named) == 1 and others and all(_holds(named[0].canvas, image.canvas) for image in others):
        return named[0]
    return None


def _holds(large: Size, small: Size) -> bool:
    return large.width >= small.width and large.height >= small.height


def _only(image: _Image) -> Layer:
    (node,) = image.nodes
    assert isinstance(node, Layer)
    return node


def _placed(image: _Image, reference: _Image, canvas: Size, scratch: SpillFile, report: ReadingReport) -> _Image:
    """An image where it agrees best with the reference. One as large as the canvas says itself where it lies."""
    first = next((layer for layer in _leaves(image.nodes) if layer.box is not None), None)
    if image.canvas == canvas or first is None:
        return image
    assert first.box is not None
    whole = _only(reference)
    found = None
    if whole.box is not None:
        found = placing.find_place(scratch.whole(first.id), placing.Whole(scratch.whole(whole.id)))
    path = (*image.path.parts[:-1], image.path.stem)
    if found is None or whole.box is None:
        report.add("proposed place", "No position was found, so it is in the middle. Move it into place.", path)
        return _moved(image, *_middle(image.canvas, canvas))
    sure = "" if found.share >= SURE else " Look whether it is right, and move it if not."
    report.add(
        "proposed place", f"{found.share:.0%} of its pixels agree with the reference where it was put.{sure}", path
    )
    return _moved(image, whole.box.left + found.x - first.box.left, whole.box.top + found.y - first.box.top)


def _middle(size: Size, canvas: Size) -> tuple[int, int]:
    return (canvas.width - size.width) // 2, (canvas.height - size.height) // 2


def _moved(image: _Image, dx: int, dy: int) -> _Image:
    def each(node: LayerNode) -> LayerNode:
        if isinstance(node, LayerGroup):
            return replace(node, members=tuple(each(member) for member in node.members))
        return replace(node, box=node.box.moved(dx, dy) if node.box is not None else None)

    return replace(image, nodes=tuple(each(node) for node in image.nodes))


def _leaves(nodes: tuple[LayerNode, ...]) -> list[Layer]:
    return [leaf for node in nodes for leaf in (_leaves(node.members) if isinstance(node, LayerGroup) else [node])]


def _is_series(images: list[_Image]) -> bool:
    """Whether names are one word and a running number, in one folder, and all of one size."""
    stems = {(image.path.parent, _NUMBER.sub("", image.path.stem)) for image in images}
    numbers = [_NUMBER.findall(image.path.stem) for image in images]
    return (
        len(images) > 2
        and len(stems) == 1
        and len({image.canvas for image in images}) == 1
        and all(image.is_still for image in images)
        and all(len(found) == 1 for found in numbers)
        and len({int(found[0][:18]) for found in numbers}) == len(images)
    )


def _as_frames(images: list[_Image], stem: str, report: ReadingReport) -> tuple[LayerNode, ...]:
    moving = [image for image in images if not image.is_still]
    if moving:
        raise ChoiceError(
            f"'{moving[0].path}' has frames of its own and cannot be a frame of another. Read them as parts."
        )
    digits = len(str(len(images)))
    frames = tuple(
        replace(_only(image), name=f"frame {number:0{digits}}", visible=number == 1)
        for number, image in enumerate(images, 1)
    )
    names = {_NUMBER.sub("", image.path.stem).strip(" _-.") for image in images}
    name = names.pop() if len(names) == 1 else ""
    report.add(
        "information",
        f"Its {len(images)} images are numbered as a series: one part of as many frames. Read them as parts where they are not.",
    )
    return (LayerGroup("frames", name or stem, frames, are_frames=True),)


def _as_tree(images: list[_Image]) -> tuple[LayerNode, ...]:
    """Folders as groups; a folder stands where the first of its images does."""
    # A single folder around everything is only how the archive was packed.
    while len({image.path.parts[0] for image in images}) == 1 and all(len(image.path.parts) > 1 for image in images):
        images = [replace(image, path=PurePosixPath(*image.path.parts[1:])) for image in images]

    groups = itertools.count(1)

    def below(some: list[_Image], level: int) -> tuple[LayerNode, ...]:
        nodes: list[LayerNode] = []
        done: set[str] = set()
        for image in some:
            own = image.path.parts[level]
            if len(image.path.parts) == level + 1:
                nodes.append(_node(image))
            elif own not in done:
                done.add(own)
                inside = [one for one in some if len(one.path.parts) > level + 1 and one.path.parts[level] == own]
                nodes.append(LayerGroup(f"d{next(groups)}", own, below(inside, level + 1)))
        return tuple(nodes)

    return below(images, 0)


def _node(image: _Image) -> LayerNode:
    if len(image.nodes) == 1:
        return replace(image.nodes[0], name=image.path.stem)
    first = _leaves(image.nodes)[0].id
    return LayerGroup(f"g{first}", image.path.stem, image.nodes)
