"""OpenRaster files: a ZIP with an XML list of layers and an image for each.

Source: the OpenRaster specification, https://www.openraster.org/ (file layout and layer stack).
Limits: those of `archives`, 16 MiB of XML, 2 000 layers and groups, 64 levels of nesting; images as in `png`.
"""

import contextlib
import threading
import zipfile
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path, PurePosixPath

from lxml import etree

from yuplet.errors import BrokenFile, TooLarge, UnsafeFile
from yuplet.geometry import Box, Size
from yuplet.illustration.interchange import BLEND_OF_OPERATOR, MAX_LAYERS, MIMETYPE
from yuplet.illustration.layers import Illustration, Layer, LayerGroup, LayerNode, ReadingReport
from yuplet.pixels import Picture
from yuplet.pixels.spill_file import SpillFile
from yuplet.pixels.trimming import content_box, cut
from yuplet.reading import archives, colour, png

MAX_XML = 16 << 20
MAX_IMAGE = 1 << 30
"""Bytes of one image, unpacked from the archive."""
MAX_NESTING = 64
_KNOWN = {"name", "x", "y", "opacity", "visibility", "composite-op", "src", "isolation", "edit-locked", "selected"}


@dataclass(frozen=True, slots=True)
class _Source:
    """Where the image of a layer is: its entry in the archive and its offset on the canvas."""

    layer_id: str
    path: tuple[str, ...]
    entry: str
    x: int
    y: int


def read(
    path: Path, scratch: SpillFile, progress: Callable[[int, int], None], workers: int, file_name: str
) -> tuple[Illustration, ReadingReport]:
    """Read an OpenRaster file; the trimmed pixels of each layer go to the scratch file under the layer's id.

    Parameters
    ----------
    path : Path
        The file; it is only read.
    scratch : SpillFile
        Takes the pixels of each layer, cut to its content within the canvas.
    progress : callable
        Told (layers done, layers in all); may raise to stop.
    workers : int
        Threads that decode.
    file_name : str
        What the file was called where it came from: its stem names the illustration, and errors name it.

    Raises
    ------
    BrokenFile, UnsafeFile, TooLarge
        What is wrong with the file, and where.
    """
    report = ReadingReport()
    with archives.opened(path, file_name) as archive:
        _check_mimetype(archive, report)
        root = _stack_xml(archive)
        canvas = Size(_side(root, "w"), _side(root, "h"))
        if canvas.pixels > png.MAX_PIXELS:
            raise TooLarge(f"The canvas is {canvas.width} x {canvas.height} px; Yuplet takes up to 250 million pixels.")
        tree = _Tree(archive, report)
        stack = root.find("stack")
        if stack is None:
            raise BrokenFile("stack.xml has no list of layers (<stack>). Save the file again as OpenRaster.")
        nodes = tree.members(stack, (), 0, 0, 0)
        boxes, depth, spaces = _read_images(archive, tree.sources, canvas, scratch, report, progress, workers)
    resolution = _number(root.get("xres"), None)
    illustration = Illustration(
        PurePosixPath(file_name).stem,
        canvas,
        nodes,
        ppi=resolution,
        colour_space=", ".join(sorted(spaces)) if spaces else "sRGB",
        bit_depth=depth,
    ).with_boxes(boxes)
    report.counts = illustration.counts()
    return illustration, report


def merged_image(path: Path) -> Picture | None:
    """The file's own flat picture (`mergedimage.png`), or None where it has none."""
    with archives.opened(path, path.name) as archive:
        if "mergedimage.png" not in archive.namelist():
            return None
        data = archives.read(archive, "mergedimage.png", MAX_IMAGE)
    png.facts(data, "mergedimage.png")
    return png.decode(data, "mergedimage.png")


def _check_mimetype(archive: zipfile.ZipFile, report: ReadingReport) -> None:
    first = archive.infolist()[0] if archive.infolist() else None
    if (
        first is None
        or first.filename != "mimetype"
        or archives.read(archive, "mimetype", MAX_XML)[:64].strip() != MIMETYPE
    ):
        report.add(
            "repaired",
            "The archive does not begin with the entry 'mimetype' that the OpenRaster specification asks for.",
        )


def _stack_xml(archive: zipfile.ZipFile) -> etree._Element:
    try:
        entry = archive.getinfo("stack.xml")
    except KeyError:
        raise BrokenFile(
            "The archive has no stack.xml, so it is not an OpenRaster file. Save it again as OpenRaster."
        ) from None
    if entry.file_size > MAX_XML:
        raise TooLarge(f"stack.xml is larger than {MAX_XML >> 20} MiB.")
    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False)
    try:
        root = etree.fromstring(archives.read(archive, entry.filename, MAX_XML), parser)
    except etree.XMLSyntaxError as error:
        raise BrokenFile(f"stack.xml is not well-formed: {error.msg}. Save the file again as OpenRaster.") from error
    if root.getroottree().docinfo.doctype:  # type: ignore[union-attr]
        raise UnsafeFile(
            "stack.xml declares a document type, which no OpenRaster file needs. Save it again as OpenRaster."
        )
    if root.tag != "image":
        raise BrokenFile(f"stack.xml begins with <{root.tag}> instead of <image>. Save the file again as OpenRaster.")
    return root


def _side(root: etree._Element, name: str) -> int:
    text = root.get(name)
    if text is None or not text.strip().isdigit() or not 0 < int(text) <= png.MAX_SIDE:
        raise BrokenFile(
            f"stack.xml gives the canvas {name}={text!r}; it must be a whole number from 1 to {png.MAX_SIDE}."
        )
    return int(text)


def _number(text: str | None, otherwise: float | None) -> float | None:
    if text is None:
        return otherwise
    try:
        value = float(text)
    except ValueError:
        return otherwise
    return value if abs(value) < 1e9 else otherwise


class _Tree:
    """Walks the XML and collects the layers; numbers that cannot be read are noted and replaced by their defaults."""

    def __init__(self, archive: zipfile.ZipFile, report: ReadingReport) -> None:
        self.sources: list[_Source] = []
        self._entries = set(archive.namelist())
        self._report = report
        self._count = 0

    def members(
        self, stack: etree._Element, path: tuple[str, ...], x: int, y: int, level: int
    ) -> tuple[LayerNode, ...]:
        """The layers and groups of a stack, turned round to back to front (the file has the front-most first)."""
        if level > MAX_NESTING:
            raise TooLarge(f"Groups are nested more than {MAX_NESTING} deep at '{' / '.join(path[-3:])}'.")
        nodes: list[LayerNode] = []
        for element in stack:
            if not isinstance(element.tag, str):
                continue
            self._count += 1
            if self._count > MAX_LAYERS:
                raise TooLarge(f"The file has more than {MAX_LAYERS} layers and groups.")
            if element.tag == "stack":
                nodes.append(self._group(element, path, x, y, level))
            elif element.tag == "layer":
                nodes.append(self._layer(element, path, x, y))
            else:
                self._report.add(
                    "not understood", f"<{element.tag}> is not a layer; it is missing from the picture.", path
                )
        return tuple(reversed(nodes))

    def _group(self, element: etree._Element, path: tuple[str, ...], x: int, y: int, level: int) -> LayerGroup:
        own_id = f"g{self._count}"
        path = (*path, element.get("name", ""))
        dx, dy = self._offset(element, path)
        members = self.members(element, path, x + dx, y + dy, level + 1)
        visible, opacity, blend = self._state(element, path)
        isolated = element.get("isolation", "auto") == "isolate" or opacity < 1 or blend != "normal"
        return LayerGroup(own_id, path[-1], members, visible=visible, opacity=opacity, blend=blend, isolated=isolated)

    def _layer(self, element: etree._Element, path: tuple[str, ...], x: int, y: int) -> Layer:
        own_id = f"l{self._count}"
        path = (*path, element.get("name", ""))
        dx, dy = self._offset(element, path)
        visible, opacity, blend = self._state(element, path)
        entry = element.get("src", "")
        if entry in self._entries:
            self.sources.append(_Source(own_id, path, entry, x + dx, y + dy))
        else:
            self._report.add("not understood", f"Its image '{entry}' is not in the archive; the layer is empty.", path)
        return Layer(
            own_id,
            path[-1],
            None,
            visible=visible,
            opacity=opacity,
            blend=blend,
            locked=element.get("edit-locked") == "true",
        )

    def _offset(self, element: etree._Element, path: tuple[str, ...]) -> tuple[int, int]:
        return round(self._float(element, "x", 0.0, path)), round(self._float(element, "y", 0.0, path))

    def _state(self, element: etree._Element, path: tuple[str, ...]) -> tuple[bool, float, str]:
        opacity = self._float(element, "opacity", 1.0, path)
        if not 0 <= opacity <= 1:
            self._report.add("repaired", f"Its opacity {opacity:g} lies outside of 0 to 1 and was cut to it.", path)
        operator = element.get("composite-op", "svg:src-over")
        blend = BLEND_OF_OPERATOR.get(operator)
        if blend is None:
            self._report.add(
                "not understood", f"Its operator '{operator}' is not known; it is blended as normal.", path
            )
            blend = "normal"
        for name in map(str, element.attrib):
            if name not in _KNOWN:
                self._report.add("not understood", f"The attribute '{name}' was left out of account.", path)
        return element.get("visibility", "visible") != "hidden", min(max(opacity, 0.0), 1.0), blend

    def _float(self, element: etree._Element, name: str, default: float, path: tuple[str, ...]) -> float:
        text = element.get(name)
        value = _number(text, None)
        if value is None or value != value:
            if text is not None:
                self._report.add("repaired", f"{name}={text!r} is not a number; {default:g} was used.", path)
            return default
        return value


def _sizes(archive: zipfile.ZipFile, sources: list[_Source]) -> Iterator[Size]:
    """What the images say of their sizes; what is no PNG, or too large by itself, is told when it is read."""
    known: dict[str, Size | None] = {}
    for entry in (source.entry for source in sources):
        if entry not in known:
            known[entry] = png.size_of(next(archives.pieces(archive, archive.getinfo(entry)), b"")[:24])
        size = known[entry]
        yield size if size is not None and size.pixels <= png.MAX_PIXELS else Size(0, 0)


def _read_images(
    archive: zipfile.ZipFile,
    sources: list[_Source],
    canvas: Size,
    scratch: SpillFile,
    report: ReadingReport,
    progress: Callable[[int, int], None],
    workers: int,
) -> tuple[dict[str, Box], int, set[str]]:
    boxes: dict[str, Box] = {}
    # A handle a thread, for an archive locks its file; and no more, for opening it reads the list of all entries.
    own, handles = threading.local(), contextlib.ExitStack()
    depth, spaces = 8, set()
    area = Box(0, 0, canvas.width, canvas.height)

    def open_own() -> None:
        own.archive = handles.enter_context(zipfile.ZipFile(archive.filename or ""))

    def load(source: _Source) -> tuple[png.PngFacts, Box | None, bool, bool]:
        what = f"The image '{source.entry}' of layer '{' / '.join(source.path)}'"
        data = archives.read(own.archive, source.entry, MAX_IMAGE)
        found = png.facts(data, what)
        picture = png.decode(data, what)
        converted = None
        if found.profile is not None and not colour.is_srgb(found.profile):
            converted = colour.to_srgb(picture, found.profile)
            picture = picture if converted is None else converted
        content = content_box(picture)
        if content is None:
            return found, None, False, converted is not None
        box = content.moved(source.x, source.y).meet(area)
        beyond = content.moved(source.x, source.y) != box
        if beyond and not box.is_empty:
            inner = content_box(cut(picture, box.moved(-source.x, -source.y)))
            box = inner.moved(box.left, box.top) if inner else Box(0, 0, 0, 0)
        if box.is_empty:
            return found, None, True, converted is not None
        inside = box.moved(-source.x, -source.y)
        scratch.put(source.layer_id, cut(picture, inside))
        deep = png.decode_deep(data, what) if found.bit_depth == 16 and converted is None else None
        if deep is not None:
            scratch.put_deep(source.layer_id, cut(deep, inside))
        return found, box, beyond, converted is not None

    archives.require_few_pixels(_sizes(archive, sources), archives.name_of(archive))
    progress(0, len(sources))
    with handles, ThreadPoolExecutor(workers, initializer=open_own) as pool:
        for done, (source, loaded) in enumerate(zip(sources, pool.map(load, sources), strict=True), 1):
            found, box, beyond, is_converted = loaded
            progress(done, len(sources))
            depth = max(depth, found.bit_depth)
            if box is not None:
                boxes[source.layer_id] = box
            if beyond:
                report.add(
                    "information",
                    "Art beyond the edge of the canvas is kept in the original and not handed over.",
                    source.path,
                )
            if found.bit_depth == 16:
                kept = (
                    "were rounded to 8"
                    if is_converted
                    else "are kept; what is handed over has 8, or 16 where a recipe says so"
                )
                report.add("information", f"16 bits a channel {kept}.", source.path)
            if found.profile is not None and not colour.is_srgb(found.profile):
                spaces.add(found.colour_space)
                if is_converted:
                    report.add(
                        "converted", f"Its colours were converted from '{found.colour_space}' to sRGB.", source.path
                    )
                else:
                    report.add(
                        "not understood",
                        f"Its colour profile '{found.colour_space}' does not fit; its numbers are taken as sRGB.",
                        source.path,
                    )
    return boxes, depth, spaces
