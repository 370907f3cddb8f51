"""SVG: groups and shapes become the layer tree, each shape drawn alone at the size that was asked for.

Source: W3C, Scalable Vector Graphics (SVG) 2, https://www.w3.org/TR/SVG2/. Drawn by the resvg library. Limits as in
`svg_document` and `png`; 2 000 layers and groups.
"""

import copy
import io
import math
import re
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path, PurePath

import numpy as np
import resvg
from lxml import etree
from PIL import Image
from resvg import usvg

from yuplet.errors import BrokenFile, ChoiceError, TooLarge
from yuplet.geometry import Box, Size
from yuplet.illustration.credit import Credit
from yuplet.illustration.interchange import MAX_LAYERS
from yuplet.illustration.layers import Illustration, Layer, LayerGroup, LayerNode, ReadingReport
from yuplet.pixels import Picture
from yuplet.pixels.blending import MODES
from yuplet.pixels.scratch import Scratch
from yuplet.pixels.trimming import content_box, cut
from yuplet.reading import credits, png
from yuplet.reading.choices import AS_THE_FILE_SAYS, Choices
from yuplet.reading.svg_document import (
    HREF,
    SVG,
    Document,
    declarations,
    elements,
    kind_of,
    open_document,
    reference,
    without,
)
from yuplet.reading.svg_text import options, use_shipped_fonts

PPI = 96.0
_GROUPS = {"g", "svg", "a", "switch"}
_SHAPES = {"path", "rect", "circle", "ellipse", "line", "polyline", "polygon", "text", "image", "use"}
_LAID = {"opacity", "mix-blend-mode", "isolation"}
"""What applies when a layer or group is laid, and so is not in its pixels."""
_HIDING = {"display", "visibility"}
_TOGETHER = {"filter", "mask"}
"""What makes one picture of a group's members, so that they cannot be told apart."""
_OWN_NAMES = ("title", "aria-label", "id")
_EXAMPLES = 3
_COARSE = 256
"""Pixels of the longer side at which is looked where a shape lies, before that place alone is drawn at full size."""
_MARGIN = 3
_URL = re.compile(r"url\(\s*['\"]?#([^'\")]+)")


@dataclass(slots=True)
class _Drawn:
    """A layer to be drawn: the element, and the chain of elements around it without the root."""

    id: str
    element: etree._Element
    around: tuple[etree._Element, ...]


@dataclass(slots=True)
class _Tree:
    document: Document
    report: ReadingReport
    label: str | None
    chosen: bool
    texts: dict[etree._Element, list[str]]
    drawn: list[_Drawn] = field(default_factory=list)
    counts: Counter[str] = field(default_factory=Counter)


def read(
    path: Path,
    scratch: Scratch,
    progress: Callable[[int, int], None],
    file_name: str,
    choices: Choices = AS_THE_FILE_SAYS,
) -> tuple[Illustration, ReadingReport]:
    """Read an SVG file; the trimmed pixels of each layer go to the scratch file under the layer's id.

    Parameters
    ----------
    path : Path
        The file; it is only read, and nothing that it refers to.
    scratch : Scratch
        Takes the pixels of each layer, cut to its content within the canvas.
    progress : callable
        Told (layers done, layers in all); may raise to stop.
    file_name : str
        What the file was called where it came from: its stem names the illustration, and errors name it.
    choices : Choices
        The longer side of the canvas in pixels, or pixels to the inch (else 96); and the attribute that names are in.

    Raises
    ------
    BrokenFile, UnsafeFile, TooLarge
        What is wrong with the file, and where.
    """
    report = ReadingReport()
    ppi = choices.ppi or PPI
    document = open_document(path.read_bytes(), file_name, ppi, report)
    scale = choices.longest / max(document.width, document.height) if choices.longest else 1.0
    canvas = _canvas(document, scale, file_name)
    sources = _name_sources(document)
    if choices.names is not None and choices.names not in sources:
        known = ", ".join(sources) or "none"
        raise ChoiceError(f"'{file_name}' has no names in '{choices.names}'. It has names in: {known}.")
    label = choices.names or _likeliest(sources)
    tree = _Tree(document, report, label, choices.names is not None, use_shipped_fonts(document))
    nodes = _members(tree, document.root, (), ())
    boxes: dict[str, Box] = {}
    progress(0, len(tree.drawn))
    for done, drawn in enumerate(tree.drawn, 1):
        box = _draw(document, drawn, canvas, scale, scratch)
        if box is not None:
            boxes[drawn.id] = box
        progress(done, len(tree.drawn))
    credit = (
        credits.of_rdf(metadata)
        if (metadata := next(document.root.iter(f"{SVG}metadata"), None)) is not None
        else Credit()
    )
    illustration = Illustration(PurePath(file_name).stem, canvas, nodes, ppi * scale, credit=credit).with_boxes(boxes)
    report.counts = illustration.counts()
    report.name_sources = {source: names[:_EXAMPLES] for source, names in sources.items()}
    return illustration, report


def whole_picture(path: Path, canvas: Size) -> Picture:
    """The whole document as resvg draws it in one go, (H, W, 4) straight RGBA."""
    document = open_document(path.read_bytes(), path.name, PPI, ReadingReport())
    use_shipped_fonts(document)
    # The size that the file says may be a fraction, which the canvas is rounded up from.
    scale = 1.0 if _canvas(document, 1.0, path.name) == canvas else max(canvas) / max(document.width, document.height)
    return _rendered(document, document.root, Box(0, 0, canvas.width, canvas.height), scale)


def _canvas(document: Document, scale: float, file_name: str) -> Size:
    # A size that is whole but for rounding errors is whole.
    canvas = Size(*(max(1, math.ceil(side * scale - 1e-6)) for side in (document.width, document.height)))
    if canvas.pixels > png.MAX_PIXELS or max(canvas) > png.MAX_SIDE:
        raise TooLarge(
            f"'{file_name}' would be {canvas.width} x {canvas.height} px; Yuplet takes up to 250 million pixels."
        )
    return canvas


def _name_sources(document: Document) -> dict[str, list[str]]:
    """Where names could be taken from, the most frequent first, each with the names that are there."""
    found: dict[str, list[str]] = {}
    for element in elements(document.root):
        if kind_of(element) in _GROUPS | _SHAPES and element is not document.root:
            for source in ("title", "aria-label", "id"):
                if text := _said(element, source):
                    found.setdefault(source, []).append(text)
            for name, value in element.attrib.items():
                is_foreign = str(name).startswith("{") and not str(name).startswith("{http://www.w3.org/")
                if (is_foreign or str(name).startswith("data-")) and re.search(r"[^\W\d_]{2}", str(value)):
                    found.setdefault(_plain(element, str(name)), []).append(str(value))
    return dict(sorted(found.items(), key=lambda item: -len(item[1])))


def _likeliest(sources: dict[str, list[str]]) -> str | None:
    """The attribute of another language whose values look most like names: different for most elements."""
    for source, values in sources.items():
        if source not in _OWN_NAMES and len(values) > 1 and len(set(values)) > 0.6 * len(values):
            return source
    return None


def _said(element: etree._Element, source: str) -> str:
    """What a source says of an element's name."""
    if source == "title":
        return next((str(child.text or "").strip() for child in element if child.tag == f"{SVG}title"), "")
    if source in ("aria-label", "id"):
        return element.get(source, "").strip()
    return next((str(v).strip() for name, v in element.attrib.items() if _plain(element, str(name)) == source), "")


def _plain(element: etree._Element, name: str) -> str:
    """An attribute as it is written in the file, with its prefix."""
    if not name.startswith("{"):
        return name
    address, local = name[1:].split("}", 1)
    prefix = next((prefix for prefix, known in element.nsmap.items() if known == address and prefix), None)
    return f"{prefix}:{local}" if prefix else local


def _members(
    tree: _Tree, parent: etree._Element, around: tuple[etree._Element, ...], path: tuple[str, ...]
) -> tuple[LayerNode, ...]:
    nodes: list[LayerNode] = []
    for element in parent:
        kind = kind_of(element) if isinstance(element.tag, str) else ""
        if kind not in _GROUPS | _SHAPES:
            continue
        tree.counts["all"] += 1
        if tree.counts["all"] > MAX_LAYERS:
            raise TooLarge(f"The file has more than {MAX_LAYERS} layers and groups.")
        own_id = f"v{tree.counts['all']}"
        own = declarations(element)
        name = _name(tree, element, kind, path)
        own_path = (*path, name)
        visible = own.get("display") != "none" and own.get("visibility", "visible") == "visible"
        opacity, blend = _opacity(own), own.get("mix-blend-mode", "normal")
        if blend not in MODES:
            tree.report.add("not understood", f"Its mode '{blend}' is not known; it is laid over as normal.", own_path)
            blend = "normal"
        together = sorted(_TOGETHER & {key for key, value in own.items() if value != "none"})
        if kind in _GROUPS and not together:
            members = _members(tree, element, (*around, element), own_path)
            if members:
                is_clipped = own.get("clip-path", "none") != "none"
                isolated = own.get("isolation") == "isolate" or opacity < 1 or blend != "normal" or is_clipped
                nodes.append(LayerGroup(own_id, name, members, visible, opacity, blend, isolated))
            continue
        if kind in _GROUPS:
            tree.report.add(
                "information", f"Its members are one part, since a {together[0]} makes one picture of them.", own_path
            )
        for inner in elements(element):
            for sentence in tree.texts.get(inner, ()):
                tree.report.add("not understood", sentence, own_path)
        tree.drawn.append(_Drawn(own_id, element, around))
        nodes.append(Layer(own_id, name, None, visible, opacity, blend, kind="vector"))
    return tuple(nodes)


def _name(tree: _Tree, element: etree._Element, kind: str, path: tuple[str, ...]) -> str:
    sources = (tree.label if tree.chosen else "", "title", "aria-label", tree.label, "id")
    for candidate in (_said(element, source) for source in sources if source):
        name = re.sub(r"\s+", " ", candidate).strip()
        if name:
            return name
    called = "group" if kind in _GROUPS else "shape"
    tree.counts[called] += 1
    name = f"{called} {tree.counts[called]}"
    tree.report.add("provisional name", "It has no name in the file.", (*path, name))
    return name


def _opacity(own: dict[str, str]) -> float:
    text = own.get("opacity", "1")
    try:
        value = float(text.removesuffix("%")) / (100 if text.endswith("%") else 1)
    except ValueError:
        return 1.0
    return min(max(value, 0.0), 1.0)


def _draw(document: Document, drawn: _Drawn, canvas: Size, scale: float, scratch: Scratch) -> Box | None:
    """Draw one layer alone: where it lies at a small size first, then only that place at full size."""
    whole = Box(0, 0, canvas.width, canvas.height)
    bare = _alone(document, drawn)
    # A filter works on whole pixels of its own region, so a picture of a part of it would differ.
    area = whole if bare.find(f".//{SVG}filter") is not None else _likely_place(document, bare, canvas, scale)
    picture = _rendered(document, bare, area, scale)
    content = content_box(picture)
    if area != whole and (content is None or _touches(content.moved(area.left, area.top), area, whole)):
        # The small picture missed something: a hair, or a shadow's far end.
        area = whole
        picture = _rendered(document, bare, area, scale)
        content = content_box(picture)
    if content is None:
        return None
    scratch.put(drawn.id, cut(picture, content))
    return content.moved(area.left, area.top)


def _likely_place(document: Document, bare: etree._Element, canvas: Size, scale: float) -> Box:
    whole = Box(0, 0, canvas.width, canvas.height)
    factor = max(canvas) / _COARSE
    if factor < 2:
        return whole
    small = Size(math.ceil(canvas.width / factor), math.ceil(canvas.height / factor))
    content = content_box(_rendered(document, bare, Box(0, 0, small.width, small.height), scale / factor))
    if content is None:
        return whole
    grown = (content.left - _MARGIN, content.top - _MARGIN, content.right + _MARGIN, content.bottom + _MARGIN)
    area = Box(*(round(side * factor) for side in grown)).meet(whole)
    return whole if area.size.pixels > 0.6 * canvas.pixels else area


def _touches(content: Box, area: Box, whole: Box) -> bool:
    """Whether content reaches a border of the area that is not the canvas' own."""
    return any(mine == border != limit for mine, border, limit in zip(content, area, whole, strict=True))


def _alone(document: Document, drawn: _Drawn) -> etree._Element:
    """The document with one element in it, what is around that, and the definitions that it needs."""
    root = etree.Element(document.root.tag, without(document.root, _LAID | _HIDING), document.root.nsmap)  # type: ignore[arg-type]
    at = root
    for element in drawn.around:
        at = etree.SubElement(at, element.tag, without(element, _LAID | _HIDING))
    own = copy.deepcopy(drawn.element)
    own.tail = None
    plain = without(own, _LAID | _HIDING)
    own.attrib.clear()
    for name, value in plain.items():
        own.set(name, value)
    at.append(own)
    definitions = etree.Element(f"{SVG}defs")
    for element in _needed(document, root):
        definitions.append(copy.deepcopy(element))
    root.insert(0, definitions)
    return root


def _needed(document: Document, root: etree._Element) -> list[etree._Element]:
    """Everything that is referred to, directly or by what is referred to, in the order of the document."""
    there = {str(element.get("id")) for element in elements(root)}
    found: dict[str, etree._Element] = {}
    waiting = [root]
    while waiting:
        for element in elements(waiting.pop()):
            wanted = {*(_URL.findall(" ".join(map(str, element.attrib.values())))), reference(element) or ""}
            for name in wanted - there - set(found):
                if name in document.by_id:
                    found[name] = document.by_id[name]
                    waiting.append(document.by_id[name])
    return list(found.values())


def _rendered(document: Document, inner: etree._Element, area: Box, scale: float) -> Picture:
    """Draw an area of the canvas: the document inside of a view on that area, straight (H, W, 4) RGBA."""
    view = f"{area.left / scale!r} {area.top / scale!r} {area.width / scale!r} {area.height / scale!r}"
    outer = etree.Element(
        f"{SVG}svg", {"width": str(area.width), "height": str(area.height), "viewBox": view, "preserveAspectRatio": "none"},
        {None: SVG[1:-1], "xlink": HREF[1 : HREF.index("}")]},  # type: ignore[dict-item]
    )  # fmt: skip
    inner.set("width", repr(document.width))
    inner.set("height", repr(document.height))
    for name in ("x", "y"):
        if name in inner.attrib:
            del inner.attrib[name]
    outer.append(inner)
    text = etree.tostring(outer, encoding="unicode")
    outer.remove(inner)
    try:
        tree = usvg.Tree.from_str(text, options())
        data = bytes(resvg.render(tree, (1.0, 0.0, 0.0, 0.0, 1.0, 0.0)))
    except Exception as error:
        raise BrokenFile(f"The file cannot be drawn ({error}). Save it again as SVG.") from error
    picture = np.array(Image.open(io.BytesIO(data)).convert("RGBA"))
    if picture.shape[:2] != (area.height, area.width):
        raise ValueError(f"{picture.shape} was drawn for {area}")
    return picture
