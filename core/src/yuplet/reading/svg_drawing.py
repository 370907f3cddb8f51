"""The drawing of an SVG document by the resvg library: one of its shapes alone, or an area of the whole, at any scale."""

import base64
import copy
import io
import math
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction

import cv2
import numpy as np
import resvg
from lxml import etree
from numpy.typing import NDArray
from PIL import Image
from resvg import usvg

from yuplet.errors import BrokenFile, TooLarge
from yuplet.geometry import Box, Point, Size
from yuplet.pixels import Picture
from yuplet.pixels.scaling import resampled
from yuplet.pixels.trimming import content_box, cut
from yuplet.reading import png
from yuplet.reading.svg_boxes import farthest
from yuplet.reading.svg_document import HREF, SVG, Document, elements, links, reference, strip_attributes, without
from yuplet.reading.svg_outlines import outlined
from yuplet.reading.svg_text import options

_LAID = {"opacity", "mix-blend-mode", "isolation"}
"""What applies when a layer or group is laid, and so is not in its pixels."""
_HIDING = {"display", "visibility"}
_COARSE = 256
"""Pixels of the longer side at which is looked where a shape lies, before that place alone is drawn at full size."""
_MARGIN = 3
_NEAR, _NEAREST = 1.0, 64
"""Levels of alpha by which outlines may differ from the text that they stand for: on the mean, and at one pixel."""
_AS_LONG_AS = 60_000
"""Pixels that are drawn and compressed in the time that a drawing takes beside them."""
_MOST_TOGETHER, _MOST_TOGETHER_PIXELS = 250, 32_000_000
"""Shapes, and pixels of a canvas, that are drawn in one go."""
_LONG = 100_000
"""Bytes of a shape, with all that it refers to, from which it is drawn by itself."""
_MAX_FILTERED = 64_000_000
"""Pixels that a whole canvas may have when it is drawn anew for the sake of one filter."""


@dataclass(slots=True)
class Shape:
    """A layer to be drawn: the element, and the chain of elements around it without the root."""

    element: etree._Element
    around: tuple[etree._Element, ...]


def canvas_of(document: Document, scale: float, file_name: str) -> Size:
    """The size of a document in pixels at a scale of its own units; raises TooLarge."""
    # A size that is whole but for rounding errors is whole.
    canvas = Size(*(max(1, math.ceil(side * scale - 1e-6)) for side in (document.width, document.height)))
    if canvas.pixels > png.MAX_PIXELS or max(canvas) > png.MAX_SIDE:
        raise TooLarge(
            f"'{file_name}' would be {canvas.width} x {canvas.height} px; Yuplet takes up to 250 million pixels."
        )
    return canvas


def draw(document: Document, shape: Shape, canvas: Size, scale: float) -> tuple[Box, Picture] | None:
    """Draw a shape alone: where it lies at a small size first, then only that place at full size.

    Answers the box of its content within the canvas and the straight RGBA pixels in it, (H, W, 4); None when nothing is
    seen of it.
    """
    whole = Box(0, 0, canvas.width, canvas.height)
    bare = _alone(document, shape)
    area = whole if _has_filter(bare) else _likely_place(document, bare, canvas, scale)
    picture = rendered(document, bare, area, scale)
    content = content_box(picture)
    if area != whole and (content is None or _touches(content.moved(area.left, area.top), area, whole)):
        # The small picture missed something: a hair, or a shadow's far end.
        area = whole
        picture = rendered(document, bare, area, scale)
        content = content_box(picture)
    if content is None:
        return None
    return content.moved(area.left, area.top), cut(picture, content)


def draw_all(
    document: Document, shapes: Mapping[str, Shape], canvas: Size, scale: float
) -> Iterator[tuple[str, tuple[Box, Picture] | None]]:
    """Each shape as `draw` draws it, by its name, in any order; those that cannot touch each other are drawn in one go.

    A drawing takes as long for a small shape as for many of them: the library draws a picture, and compresses it. That is done at the document's own
    scale only. At others the library's numbers round elsewhere with another corner of the picture, and a few pixels on an edge would change
    with what else is drawn: a shape that nobody touched would be another one in the next revision.
    """
    whole = Box(0, 0, canvas.width, canvas.height)
    areas: dict[str, Box] = {}
    for name, shape in shapes.items():
        # A filter works on whole pixels of its own region, so it is drawn with all of the canvas around it.
        box = farthest(document, shape.element, shape.around, scale)
        if box is None:
            yield name, draw(document, shape, canvas, scale)
        elif box.meet(whole).is_empty:
            yield name, None
        else:
            areas[name] = box.meet(whole)
    for together in _apart(areas):
        if scale == 1 and _is_quicker(together, areas, canvas):
            yield from _drawn_together(document, {name: shapes[name] for name in together}, areas, canvas, scale)
        else:
            for name in together:
                yield name, _drawn_at(document, shapes[name], areas[name], canvas, scale)


def _apart(areas: Mapping[str, Box]) -> list[list[str]]:
    """Names in few lists, in each of which no two areas touch: the largest first, each into the first list that has room."""
    lists: list[list[str]] = []
    taken: list[NDArray[np.int64]] = []
    for name in sorted(areas, key=lambda name: -areas[name].size.pixels):
        box = areas[name]
        for number, others in enumerate(taken):
            touching = (others[:, 0] < box.right) & (others[:, 2] > box.left)
            touching &= (others[:, 1] < box.bottom) & (others[:, 3] > box.top)
            if len(lists[number]) < _MOST_TOGETHER and not touching.any():
                lists[number].append(name)
                taken[number] = np.vstack([others, box])
                break
        else:
            lists.append([name])
            taken.append(np.array([box], np.int64))
    return lists


def _is_quicker(together: Sequence[str], areas: Mapping[str, Box], canvas: Size) -> bool:
    """Whether drawing the whole canvas once takes less than each area alone."""
    apart = sum(areas[name].size.pixels + _AS_LONG_AS for name in together)
    return canvas.pixels <= _MOST_TOGETHER_PIXELS and canvas.pixels + _AS_LONG_AS < apart


def _drawn_together(
    document: Document, shapes: Mapping[str, Shape], areas: Mapping[str, Box], canvas: Size, scale: float
) -> Iterator[tuple[str, tuple[Box, Picture] | None]]:
    roots: dict[str, etree._Element] = {}
    for number, (name, shape) in enumerate(shapes.items()):
        bare = _alone(document, shape)
        if len(etree.tostring(bare)) > _LONG:
            # A pattern that holds a picture would be there as often as there are shapes.
            yield name, _drawn_at(document, shape, areas[name], canvas, scale)
            continue
        _rename(bare, f"s{number}-")
        roots[name] = bare
    whole = Box(0, 0, canvas.width, canvas.height)
    picture = _viewed_together(document, list(roots.values()), Point(0, 0), canvas, scale)
    found = {name: content_box(cut(picture, areas[name])) for name in roots}
    for name, content in found.items():
        if content is not None and _touches(content.moved(*areas[name][:2]), areas[name], whole):
            # It reaches farther than it could: nothing of this picture is trusted.
            for other in roots:
                yield other, draw(document, shapes[other], canvas, scale)
            return
    for name, content in found.items():
        if content is None:
            yield name, None
        else:
            own = content.moved(*areas[name][:2])
            yield name, (own, np.ascontiguousarray(cut(picture, own)))


def _drawn_at(document: Document, shape: Shape, area: Box, canvas: Size, scale: float) -> tuple[Box, Picture] | None:
    """A shape of which it is known where it lies."""
    picture = rendered(document, _alone(document, shape), area, scale)
    content = content_box(picture)
    if content is None:
        return None
    own = content.moved(area.left, area.top)
    if _touches(own, area, Box(0, 0, canvas.width, canvas.height)):
        return draw(document, shape, canvas, scale)
    return own, cut(picture, content)


def draw_area(document: Document, shape: Shape, canvas: Size, scale: float, area: Box, factor: int) -> Picture:
    """Draw an area of the canvas anew, `factor` times as large, with nothing but one shape in it, (H, W, 4) straight RGBA.

    A shape with a filter is drawn with all of the canvas around it, as large as that may be, and so can be less sharp.
    """
    bare = _alone(document, shape)
    if not _has_filter(bare):
        return rendered(document, bare, _times(area, factor), scale * factor)
    while factor > 1 and canvas.pixels * factor**2 > _MAX_FILTERED:
        factor //= 2
    whole = _times(Box(0, 0, canvas.width, canvas.height), factor)
    return cut(rendered(document, bare, whole, scale * factor), _times(area, factor))


def draw_scaled(
    document: Document, shape: Shape, canvas: Size, scale: float, factor: float, at: Point, size: Size
) -> Picture:
    """Draw an area of the canvas anew, `factor` times as large: its top left corner is `at` in pixels of that, nothing but one shape is in it.

    A shape with a filter is drawn with all of the canvas around it, as large as that may be, and so can be less sharp.
    """
    bare = _alone(document, shape)
    if not _has_filter(bare):
        return _viewed(document, bare, at, size, scale * factor)
    own = min(factor, math.sqrt(_MAX_FILTERED / canvas.pixels))
    whole = Size(math.ceil(canvas.width * own), math.ceil(canvas.height * own))
    picture = rendered(document, bare, Box(0, 0, *whole), scale * own)
    area = Box(math.floor(at.x), math.floor(at.y), math.floor(at.x) + size.width, math.floor(at.y) + size.height)
    return resampled(picture, Point(0, 0), area, Fraction(factor / own))


def fingerprint_source(document: Document, shape: Shape) -> bytes:
    """All that the looks of one shape depend on."""
    return etree.tostring(_alone(document, shape))


def alone(document: Document, shape: Shape, canvas: Size, scale: float, prefix: str) -> str:
    """One shape with what it refers to as an SVG element, in which a pixel of the canvas is a unit; its ids begin with the prefix.

    Text becomes outlines, so that it looks the same where the font is not there; where it says more than can be set as outlines, it becomes
    a picture.
    """
    bare = _alone(document, shape)
    width, height = document.width * scale, document.height * scale
    if bare.find(f".//{SVG}text") is not None and not _set_outlines(document, shape, bare, canvas, scale):
        return _as_picture(document, shape, canvas, scale)
    if "viewBox" not in bare.attrib:
        bare.set("viewBox", f"0 0 {document.width!r} {document.height!r}")
    for name in ("x", "y"):
        if name in bare.attrib:
            del bare.attrib[name]
    bare.set("width", f"{width:.10g}")
    bare.set("height", f"{height:.10g}")
    _rename(bare, prefix)
    # There is no text in it any more.
    for element in elements(bare):
        for name in ("font-family", "font-size", "font-weight"):
            if name in element.attrib:
                del element.attrib[name]
    definitions = bare.find(f"{SVG}defs")
    if definitions is not None and len(definitions) == 0:
        bare.remove(definitions)
    etree.cleanup_namespaces(bare)
    return etree.tostring(bare, encoding="unicode")


def _set_outlines(document: Document, shape: Shape, bare: etree._Element, canvas: Size, scale: float) -> bool:
    """Put outlines in the place of each text; answers whether that looks as it must."""
    for text in list(bare.iter(f"{SVG}text")):
        found, parent = outlined(text), text.getparent()
        if found is None or parent is None:
            return False
        found.tail = text.tail
        parent.replace(text, found)
    drawn = draw(document, shape, canvas, scale)
    if drawn is None:
        return True
    area, picture = drawn
    ours = rendered(document, copy.deepcopy(bare), area, scale).astype(np.int16)
    apart = np.abs(ours[..., 3] - picture[..., 3])
    return float(apart.mean()) <= _NEAR and int(apart.max()) <= _NEAREST


def _as_picture(document: Document, shape: Shape, canvas: Size, scale: float) -> str:
    drawn = draw(document, shape, canvas, scale)
    root = etree.Element(f"{SVG}svg", {"width": str(canvas.width), "height": str(canvas.height)}, {None: SVG[1:-1]})  # type: ignore[dict-item]
    if drawn is not None:
        area = drawn[0]
        picture = drawn[1]
        out = io.BytesIO()
        Image.fromarray(picture, "RGBA").save(out, "PNG", optimize=True)
        place = {name: str(value) for name, value in zip(("x", "y", "width", "height"), area.as_xywh(), strict=True)}
        href = f"data:image/png;base64,{base64.b64encode(out.getvalue()).decode()}"
        etree.SubElement(root, f"{SVG}image", {**place, "href": href})
    return etree.tostring(root, encoding="unicode")


def _rename(root: etree._Element, prefix: str) -> None:
    """Put a prefix before every id that is referred to, and take the others away."""
    wanted = {name for element in elements(root) for name in {*links(element), reference(element) or ""}}
    for element in elements(root):
        own = element.get("id")
        if own in wanted:
            element.set("id", prefix + str(own))
        elif own is not None:
            del element.attrib["id"]
        for name, value in list(element.attrib.items()):
            if name in ("href", HREF) and str(value).strip().startswith("#"):
                element.set(name, f"#{prefix}{str(value).strip()[1:]}")
            elif "url(" in str(value):
                element.set(name, re.sub(r"url\(\s*(['\"]?)#", rf"url(\1#{prefix}", str(value)))


def changes_nothing(document: Document, shape: Shape, canvas: Size, scale: float, name: str) -> bool:
    """Whether a shape looks the same, to one level of 255, without one of its properties: a mask that shows all."""
    plain = copy.deepcopy(shape.element)
    strip_attributes(plain, {name})
    whole = Box(0, 0, canvas.width, canvas.height)
    one, other = (
        rendered(document, _alone(document, Shape(element, shape.around)), whole, scale)
        for element in (shape.element, plain)
    )
    return int(cv2.absdiff(one, other).max()) <= 1


def _times(box: Box, factor: int) -> Box:
    return Box(*(side * factor for side in box))


def _has_filter(bare: etree._Element) -> bool:
    """A filter works on whole pixels of its own region, so a picture of a part of it would differ."""
    return bare.find(f".//{SVG}filter") is not None


def _likely_place(document: Document, bare: etree._Element, canvas: Size, scale: float) -> Box:
    whole = Box(0, 0, canvas.width, canvas.height)
    factor = max(canvas) / _COARSE
    if factor < 2:
        return whole
    small = Size(math.ceil(canvas.width / factor), math.ceil(canvas.height / factor))
    content = content_box(rendered(document, bare, Box(0, 0, small.width, small.height), scale / factor))
    if content is None:
        return whole
    grown = (content.left - _MARGIN, content.top - _MARGIN, content.right + _MARGIN, content.bottom + _MARGIN)
    area = Box(*(round(side * factor) for side in grown)).meet(whole)
    return whole if area.size.pixels > 0.6 * canvas.pixels else area


def _touches(content: Box, area: Box, whole: Box) -> bool:
    """Whether content reaches a border of the area that is not the canvas' own."""
    return any(mine == border != limit for mine, border, limit in zip(content, area, whole, strict=True))


def _alone(document: Document, shape: Shape) -> etree._Element:
    """The document with one element in it, what is around that, and the definitions that it needs."""
    root = etree.Element(document.root.tag, without(document.root, _LAID | _HIDING), document.root.nsmap)  # type: ignore[arg-type]
    at = root
    for element in shape.around:
        at = etree.SubElement(at, element.tag, without(element, _LAID | _HIDING))
    own = copy.deepcopy(shape.element)
    own.tail = None
    strip_attributes(own, _LAID | _HIDING)
    at.append(own)
    definitions = etree.Element(f"{SVG}defs")
    for element in _needed(document, root):
        _inheriting(definitions, element).append(copy.deepcopy(element))
    root.insert(0, definitions)
    return root


def _inheriting(definitions: etree._Element, element: etree._Element) -> etree._Element:
    """Where a definition is put so that it inherits what it does in its own place; its place on the canvas is of no account."""
    at = definitions
    for outer in reversed([*element.iterancestors()][:-1]):
        own = without(outer, _LAID | _HIDING | {"id"})
        if own:
            at = etree.SubElement(at, f"{SVG}g", own)
    return at


def _needed(document: Document, root: etree._Element) -> list[etree._Element]:
    """Everything that is referred to, directly or by what is referred to; what lies in one of them comes with it."""
    there = {str(element.get("id")) for element in elements(root)}
    found: dict[str, etree._Element] = {}
    waiting = [root]
    while waiting:
        for element in elements(waiting.pop()):
            wanted = {*links(element), reference(element) or ""}
            for name in sorted(wanted - there - set(found)):
                if name in document.by_id:
                    found[name] = document.by_id[name]
                    waiting.append(document.by_id[name])
    alone = set(found.values())
    return [element for element in found.values() if alone.isdisjoint(element.iterancestors())]


def rendered(document: Document, inner: etree._Element, area: Box, scale: float) -> Picture:
    """Draw an area of the canvas: the document inside of a view on that area, straight (H, W, 4) RGBA."""
    return _viewed(document, inner, Point(area.left, area.top), area.size, scale)


def _viewed(document: Document, inner: etree._Element, at: Point, size: Size, scale: float) -> Picture:
    return _viewed_together(document, [inner], at, size, scale)


def _viewed_together(
    document: Document, roots: Sequence[etree._Element], at: Point, size: Size, scale: float
) -> Picture:
    """The same of several, each a document of its own, one over the other."""
    view = f"{at.x / scale!r} {at.y / scale!r} {size.width / scale!r} {size.height / scale!r}"
    outer = etree.Element(
        f"{SVG}svg", {"width": str(size.width), "height": str(size.height), "viewBox": view, "preserveAspectRatio": "none"},
        {None: SVG[1:-1], "xlink": HREF[1 : HREF.index("}")]},  # type: ignore[dict-item]
    )  # fmt: skip
    for inner in roots:
        inner.set("width", repr(document.width))
        inner.set("height", repr(document.height))
        for name in ("x", "y"):
            if name in inner.attrib:
                del inner.attrib[name]
        outer.append(inner)
    text = etree.tostring(outer, encoding="unicode")
    for inner in roots:
        outer.remove(inner)
    try:
        tree = usvg.Tree.from_str(text, options())
        data = bytes(resvg.render(tree, (1.0, 0.0, 0.0, 0.0, 1.0, 0.0)))
    except BaseException as error:
        # What resvg cannot draw ends in a panic of Rust, which is no `Exception`; anything else is ours.
        if type(error).__name__ != "PanicException":
            raise
        raise BrokenFile(f"The file cannot be drawn ({error}). Save it again as SVG.") from error
    picture = png.decode(data, "The drawing")
    if picture.shape[:2] != (size.height, size.width):
        raise ValueError(f"{picture.shape} was drawn for {size}")
    return picture
