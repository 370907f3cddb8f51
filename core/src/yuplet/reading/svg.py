"""SVG: groups and shapes become the layer tree, each shape drawn alone at the size that was asked for.

Source: W3C, Scalable Vector Graphics (SVG) 2, https://www.w3.org/TR/SVG2/. Drawn by the resvg library. Limits as in
`svg_document` and `png`; 2 000 layers and groups; 5 000 million pixels for filters, masks and embedded pictures to go over.
"""

import hashlib
import re
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path, PurePath

from lxml import etree

from yuplet.errors import ChoiceError, TooLarge
from yuplet.geometry import Box, Point, Size
from yuplet.illustration.credit import Credit
from yuplet.illustration.interchange import MAX_LAYERS
from yuplet.illustration.layers import Illustration, Layer, LayerGroup, LayerNode, ReadingReport
from yuplet.pixels import Picture
from yuplet.pixels.blending import MODES
from yuplet.pixels.spill_file import SpillFile
from yuplet.reading import credits
from yuplet.reading.choices import AS_THE_FILE_SAYS, Choices
from yuplet.reading.svg_document import SVG, Document, declarations, elements, kind_of, open_document, strip_attributes
from yuplet.reading.svg_drawing import (
    Shape,
    alone,
    canvas_of,
    changes_nothing,
    draw_all,
    draw_area,
    draw_scaled,
    fingerprint_source,
    rendered,
)
from yuplet.reading.svg_text import use_shipped_fonts

PPI = 96.0
_GROUPS = {"g", "svg", "a"}
_SHAPES = {"path", "rect", "circle", "ellipse", "line", "polyline", "polygon", "text", "image", "use"}
_LONGEST_TEXT = 1000
_LONGEST_NAME = 40
"""Letters of a text that name it where nothing else does."""
_TOGETHER = {"filter", "mask"}
"""What makes one picture of a group's members, so that they cannot be told apart."""
_OWN_NAMES = ("title", "aria-label", "id")
_CALLED_SO = {"label", "name"}
_NO_NAME = re.compile(r"^[cszaCSZA]+$|[/\\#]|^(?:true|false|none)$")
"""What is told of the nodes of a path in letters (corner, smooth, symmetric, automatic), addresses, and yes or no."""
_EXAMPLES = 3
MAX_WORK = 5_000_000_000
"""Pixels that filters and the like go over in all layers, and pixels of the pictures in them: minutes."""
MAX_AREA = 64_000_000
"""Pixels that are drawn anew at once at the most."""


@dataclass(slots=True, kw_only=True)
class _Tree:
    document: Document
    canvas: Size
    scale: float
    report: ReadingReport
    labels: tuple[str, ...]
    chosen: str | None
    texts: dict[etree._Element, list[str]]
    shapes: dict[str, Shape] = field(default_factory=dict)
    counts: Counter[str] = field(default_factory=Counter)


@dataclass(frozen=True, slots=True)
class Drawing:
    """An SVG document whose shapes can be drawn one by one; `shapes` has them by the `source` of their layers.

    `canvas` is its size in pixels, `scale` how many of them a unit of the document has.
    """

    document: Document
    canvas: Size
    scale: float
    layers: tuple[LayerNode, ...]
    shapes: dict[str, Shape]

    def draw_area(self, source: str, area: Box, factor: int) -> Picture:
        """Draw an area of the canvas anew, `factor` times as large, with nothing but one layer in it.

        Answers straight RGBA, (H, W, 4): `factor` times the area, or less where a filter makes that too large. Raises
        ChoiceError when there is no such layer, and TooLarge.
        """
        if source not in self.shapes:
            raise ChoiceError(f"The drawing has no layer '{source}'.")
        area = area.meet(Box(0, 0, self.canvas.width, self.canvas.height))
        if area.is_empty or area.size.pixels * factor**2 > MAX_AREA:
            raise TooLarge(f"An area of up to {MAX_AREA} pixels can be drawn at once.")
        return draw_area(self.document, self.shapes[source], self.canvas, self.scale, area, factor)

    def draw(self, source: str, factor: Fraction, at: Point, size: Size) -> Picture:
        """Draw an area of the scaled canvas anew, with nothing but one layer in it: a `VectorSource`."""
        if source not in self.shapes:
            raise ChoiceError(f"The drawing has no layer '{source}'.")
        return draw_scaled(self.document, self.shapes[source], self.canvas, self.scale, float(factor), at, size)

    def digest(self, source: str) -> str:
        """What tells the shapes of a layer from all others: see `VectorSource`."""
        return hashlib.blake2b(fingerprint_source(self.document, self.shapes[source]), digest_size=16).hexdigest()

    def alone(self, source: str, prefix: str) -> str:
        """One layer with what it refers to as an SVG element of its own: see `VectorSource`. Text is outlines, so that no font is needed."""
        if source not in self.shapes:
            raise ChoiceError(f"The drawing has no layer '{source}'.")
        return alone(self.document, self.shapes[source], self.canvas, self.scale, prefix)


def open_drawing(
    data: bytes, file_name: str, choices: Choices = AS_THE_FILE_SAYS, report: ReadingReport | None = None
) -> Drawing:
    """Open the bytes of an SVG file without drawing it; what was adapted goes to the report. Choices and errors as for `read`."""
    report = ReadingReport() if report is None else report
    document = open_document(data, file_name, choices.ppi or PPI, report)
    scale = choices.longest / max(document.width, document.height) if choices.longest else 1.0
    canvas = canvas_of(document, scale, file_name)
    sources = _name_sources(document)
    if choices.names is not None and choices.names not in sources:
        known = ", ".join(sources) or "none"
        raise ChoiceError(f"'{file_name}' has no names in '{choices.names}'. It has names in: {known}.")
    report.name_sources = {source: names[:_EXAMPLES] for source, names in sources.items()}
    tree = _Tree(
        document=document,
        canvas=canvas,
        scale=scale,
        report=report,
        labels=_labels(sources),
        chosen=choices.names,
        texts=use_shipped_fonts(document),
    )
    layers = _members(tree, document.root, (), ())
    _check_work(tree, file_name)
    opacity = _opacity(declarations(document.root))
    if opacity < 1:
        layers = (LayerGroup("v0", PurePath(file_name).stem, layers, opacity=opacity, isolated=True),)
    return Drawing(document, canvas, scale, layers, tree.shapes)


def _check_work(tree: _Tree, file_name: str) -> None:
    """What filters and pictures take when each layer is drawn alone; looked at before any is."""
    work = [tree.document.work.get(shape.element) for shape in tree.shapes.values()]
    pixels = sum(one.passes * tree.canvas.pixels + one.pixels for one in work if one is not None)
    if pixels > MAX_WORK:
        raise TooLarge(
            f"The filters, masks and pictures of '{file_name}' take {pixels / 1e9:,.0f} billion steps at {tree.canvas.width} x"
            f" {tree.canvas.height} px; Yuplet takes up to {MAX_WORK // 10**9} billion. Bring it in smaller, or with fewer filters."
        )


def read(
    path: Path,
    scratch: SpillFile,
    progress: Callable[[int, int], None],
    file_name: str,
    choices: Choices = AS_THE_FILE_SAYS,
) -> tuple[Illustration, ReadingReport]:
    """Read an SVG file; the trimmed pixels of each layer go to the scratch file under the layer's id.

    Parameters
    ----------
    path : Path
        The file; it is only read, and nothing that it refers to.
    scratch : SpillFile
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
    drawing = open_drawing(path.read_bytes(), file_name, choices, report)
    document, canvas = drawing.document, drawing.canvas
    boxes: dict[str, Box] = {}
    progress(0, len(drawing.shapes))
    for done, (source, drawn) in enumerate(draw_all(document, drawing.shapes, canvas, drawing.scale), 1):
        if drawn is not None:
            boxes[source], picture = drawn
            scratch.put(source, picture)
        progress(done, len(drawing.shapes))
    credit = (
        credits.of_rdf(metadata)
        if (metadata := next(document.root.iter(f"{SVG}metadata"), None)) is not None
        else Credit()
    )
    name, ppi = PurePath(file_name).stem, (choices.ppi or PPI) * drawing.scale
    illustration = Illustration(name, canvas, drawing.layers, ppi=ppi, credit=credit).with_boxes(boxes)
    report.counts = illustration.counts()
    return illustration, report


def whole_picture(path: Path, canvas: Size) -> Picture:
    """The whole document as resvg draws it in one go, (H, W, 4) straight RGBA."""
    document = open_document(path.read_bytes(), path.name, PPI, ReadingReport())
    use_shipped_fonts(document)
    # The size that the file says may be a fraction, which the canvas is rounded up from.
    scale = 1.0 if canvas_of(document, 1.0, path.name) == canvas else max(canvas) / max(document.width, document.height)
    return rendered(document, document.root, Box(0, 0, canvas.width, canvas.height), scale)


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


def _labels(sources: dict[str, list[str]]) -> tuple[str, ...]:
    """Attributes of other languages whose values look like names, those that are called so first; each names the elements that have it."""
    found = []
    for source, values in sources.items():
        words = [value for value in values if not _NO_NAME.search(value)]
        is_called_so = source.rpartition(":")[2].removeprefix("data-") in _CALLED_SO
        differ = len(values) > 1 and len(set(values)) > 0.6 * len(values)
        if source not in _OWN_NAMES and (is_called_so or (differ and len(words) > 0.5 * len(values))):
            found.append((not is_called_so, source))
    return tuple(source for _, source in sorted(found, key=lambda one: one[0]))


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
            tree.report.add("not understood", f"Its mode '{blend}' is not known; it is blended as normal.", own_path)
            blend = "normal"
        together = sorted(_TOGETHER & {key for key, value in own.items() if value != "none"})
        if kind in _GROUPS and together == ["mask"] and _shows_all(tree, element, around):
            own, together = {**own, "mask": "none"}, []
        if kind in _GROUPS and not together:
            members = _members(tree, element, (*around, element), own_path)
            if members:
                is_clipped = own.get("clip-path", "none") != "none"
                isolated = own.get("isolation") == "isolate" or opacity < 1 or blend != "normal" or is_clipped
                nodes.append(
                    LayerGroup(own_id, name, members, visible=visible, opacity=opacity, blend=blend, isolated=isolated)
                )
            continue
        if kind in _GROUPS:
            tree.report.add(
                "information", f"Its members are one part, since a {together[0]} makes one picture of them.", own_path
            )
        for inner in elements(element):
            for sentence in tree.texts.get(inner, ()):
                tree.report.add("not understood", sentence, own_path)
        tree.shapes[own_id] = Shape(element, around)
        nodes.append(
            Layer(
                own_id,
                name,
                None,
                visible=visible,
                opacity=opacity,
                blend=blend,
                kind="vector",
                source=own_id,
                words=_words(element),
            )
        )
    return tuple(nodes)


def _shows_all(tree: _Tree, element: etree._Element, around: tuple[etree._Element, ...]) -> bool:
    """Whether a mask changes nothing: programs put one around a whole drawing. It is taken away then."""
    if not changes_nothing(tree.document, Shape(element, around), tree.canvas, tree.scale, "mask"):
        return False
    strip_attributes(element, {"mask"})
    return True


def _name(tree: _Tree, element: etree._Element, kind: str, path: tuple[str, ...]) -> str:
    sources = (tree.chosen, "title", "aria-label", *tree.labels, "id")
    for candidate in (_said(element, source) for source in sources if source):
        name = re.sub(r"\s+", " ", candidate).strip()
        if name:
            return name
    name = "" if kind in _GROUPS else _words(element)[:_LONGEST_NAME].strip()
    if not name:
        called = "group" if kind in _GROUPS else "shape"
        tree.counts[called] += 1
        name = f"{called} {tree.counts[called]}"
    tree.report.add("provisional name", "It has no name in the file.", (*path, name))
    return name


def _words(element: etree._Element) -> str:
    """What is written in an element."""
    texts = [one for one in elements(element) if one.tag == f"{SVG}text"]
    return re.sub(r"\s+", " ", " ".join("".join(map(str, text.itertext())) for text in texts)).strip()[:_LONGEST_TEXT]


def _opacity(own: dict[str, str]) -> float:
    text = own.get("opacity", "1")
    try:
        value = float(text.removesuffix("%")) / (100 if text.endswith("%") else 1)
    except ValueError:
        return 1.0
    return min(max(value, 0.0), 1.0)
