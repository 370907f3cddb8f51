"""Where a shape of an SVG can lie at the most, told from its numbers: before it is drawn, and without drawing it.

Sources: W3C, Scalable Vector Graphics (SVG) 2: basic shapes, paths, stroke bounding box; CSS Transforms Module Level 1 (the grammar of `transform`).
Paths are read by fontTools. Whatever could reach farther than is computed here (text, symbols, filters, markers, other units) has no answer.
"""

import math
import re
from collections.abc import Iterable, Mapping, Sequence
from functools import reduce
from typing import cast

from fontTools.misc.transform import Transform
from fontTools.pens.boundsPen import ControlBoundsPen
from fontTools.svgLib.path.parser import parse_path
from lxml import etree

from yuplet.geometry import Box
from yuplet.reading.svg_document import Document, declarations, kind_of, reference

_Bounds = tuple[float, float, float, float]
_INHERITED = ("stroke", "stroke-width", "stroke-miterlimit", "stroke-linecap")
_REACHING = (
    "filter",
    "marker",
    "marker-start",
    "marker-mid",
    "marker-end",
    "vector-effect",
    "transform-origin",
    "transform-box",
)
"""Properties by which a shape may be seen farther away than its numbers say."""
_SILENT = frozenset({"title", "desc", "metadata"})
_NUMBER = r"[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?"
_PLAIN = re.compile(rf"\s*({_NUMBER})(?:px)?\s*")
_MAP = re.compile(r"\s*,?\s*(matrix|translate|scale|rotate|skewX|skewY)\s*\(([^()]*)\)")
_OF_STYLE = re.compile(r"(?:^|;)\s*(?:x|y|width|height|cx|cy|r|rx|ry|d|transform)\s*:")
"""What a style sheet may say of where a shape lies."""
_LONGEST_PATH = 200_000
"""Letters of a path that is read here: it is read letter by letter."""
_MOST_USED = 8
"""Uses of uses that are followed."""
_BEYOND = 2
"""Pixels around what is computed: edges are smoothed, and numbers are rounded."""


def farthest(document: Document, element: etree._Element, around: Sequence[etree._Element], scale: float) -> Box | None:
    """A box of the canvas outside of which nothing of an element is seen; None where that cannot be told.

    `around` are the elements around it, without the root; `scale` is that of the canvas, in pixels for a unit of the document.
    """
    try:
        root = _of_root(document)
        chain = (document.root, *around)
        found = list(_bounds(document, element, _inherited(chain), reduce(_then, map(_own_map, around), root)))
    except (_Unknown, ValueError, OverflowError):
        return None
    if not found:
        return Box(0, 0, 0, 0)
    left, top = (min(one[side] for one in found) * scale for side in (0, 1))
    right, bottom = (max(one[side] for one in found) * scale for side in (2, 3))
    if not all(math.isfinite(value) and abs(value) < 1e9 for value in (left, top, right, bottom)):
        return None
    return Box(
        math.floor(left) - _BEYOND, math.floor(top) - _BEYOND, math.ceil(right) + _BEYOND, math.ceil(bottom) + _BEYOND
    )


class _Unknown(Exception):
    """It cannot be told from the numbers."""


def _then(outer: Transform, inner: Transform) -> Transform:
    return outer.transform(inner)


def _of_root(document: Document) -> Transform:
    """From units inside of the root to those of the document's own size."""
    root = document.root
    if root.get("transform") or not (root.get("preserveAspectRatio") or "xMidYMid").strip().startswith("xMidYMid"):
        raise _Unknown
    if "slice" in (root.get("preserveAspectRatio") or ""):
        raise _Unknown
    said = root.get("viewBox")
    if said is None:
        return Transform()
    numbers = [float(number) for number in re.findall(_NUMBER, said)]
    if len(numbers) != 4 or numbers[2] <= 0 or numbers[3] <= 0:
        raise _Unknown
    x, y, width, height = numbers
    factor = min(document.width / width, document.height / height)
    left, top = (document.width - width * factor) / 2, (document.height - height * factor) / 2
    return Transform(factor, 0, 0, factor, left - x * factor, top - y * factor)


def _inherited(chain: Iterable[etree._Element]) -> dict[str, str]:
    said: dict[str, str] = {}
    for element in chain:
        own = declarations(element)
        if any(own.get(name, "none") not in ("none", "") for name in _REACHING):
            raise _Unknown
        said |= {name: own[name] for name in _INHERITED if own.get(name, "inherit") != "inherit"}
    return said


def _own_map(element: etree._Element) -> Transform:
    """The map of an element, from its attribute; what its style says may have units of its own."""
    if _OF_STYLE.search(element.get("style", "")) or kind_of(element) not in ("g", "a", "use", *_SHAPES):
        raise _Unknown
    said = element.get("transform", "").strip()
    found, at = Transform(), 0
    while at < len(said):
        match = _MAP.match(said, at)
        if match is None or re.sub(_NUMBER, "", match[2]).strip(" \t\r\n,"):
            raise _Unknown
        found = found.transform(_map(match[1], [float(number) for number in re.findall(_NUMBER, match[2])]))
        at = match.end()
        while at < len(said) and said[at] in " \t\r\n,":
            at += 1
    return found


def _map(name: str, values: list[float]) -> Transform:
    match name, values:
        case "matrix", [a, b, c, d, e, f]:
            return Transform(a, b, c, d, e, f)
        case "translate", [x]:
            return Transform(1, 0, 0, 1, x, 0)
        case "translate", [x, y]:
            return Transform(1, 0, 0, 1, x, y)
        case "scale", [x]:
            return Transform(x, 0, 0, x, 0, 0)
        case "scale", [x, y]:
            return Transform(x, 0, 0, y, 0, 0)
        case "rotate", [angle]:
            return Transform().rotate(math.radians(angle))
        case "rotate", [angle, x, y]:
            return Transform().translate(x, y).rotate(math.radians(angle)).translate(-x, -y)
        case "skewX", [angle]:
            return Transform(1, 0, math.tan(math.radians(angle)), 1, 0, 0)
        case "skewY", [angle]:
            return Transform(1, math.tan(math.radians(angle)), 0, 1, 0, 0)
    raise _Unknown


def _bounds(
    document: Document, element: etree._Element, inherited: Mapping[str, str], outer: Transform, used: int = 0
) -> Iterable[_Bounds]:
    """Of every shape in an element, in units of the document; `used` is through how many uses it was reached."""
    if not isinstance(element.tag, str) or kind_of(element) in _SILENT:
        return
    kind, here = kind_of(element), outer.transform(_own_map(element))
    said = {**inherited, **_inherited([element])}
    if kind in ("g", "a"):
        for inner in element:
            yield from _bounds(document, inner, said, here, used)
        return
    if kind == "use":
        target = document.by_id.get(reference(element) or "")
        if target is None or used == _MOST_USED:
            raise _Unknown
        x, y = _of(element, "x", "y")
        yield from _bounds(document, target, said, here.translate(x, y), used + 1)
        return
    own = _SHAPES[kind](element)
    if own is None:
        return
    grown = _stroke(said)
    left, top, right, bottom = own[0] - grown, own[1] - grown, own[2] + grown, own[3] + grown
    corners = [here.transformPoint(corner) for corner in ((left, top), (right, top), (left, bottom), (right, bottom))]
    xs, ys = [x for x, _ in corners], [y for _, y in corners]
    yield min(xs), min(ys), max(xs), max(ys)


def _stroke(said: Mapping[str, str]) -> float:
    """How far a stroke reaches: at a sharp corner as far as its limit lets it."""
    if said.get("stroke", "none") == "none":
        return 0.0
    width, limit = _length(said.get("stroke-width", "1")), _length(said.get("stroke-miterlimit", "4"))
    return width / 2 * max(limit, math.sqrt(2))


def _length(text: str) -> float:
    match = _PLAIN.fullmatch(text)
    if match is None:
        raise _Unknown
    return float(match[1])


def _of(element: etree._Element, *names: str) -> list[float]:
    return [_length(element.get(name, "0")) for name in names]


def _path(element: etree._Element) -> _Bounds | None:
    said = element.get("d", "")
    if len(said) > _LONGEST_PATH:
        raise _Unknown
    pen = ControlBoundsPen(None, ignoreSinglePoints=False)
    try:
        parse_path(said, pen)
    except Exception as error:  # it was not made for what anybody wrote
        raise _Unknown from error
    return cast("_Bounds | None", pen.bounds)


def _rect(element: etree._Element) -> _Bounds | None:
    x, y, width, height = _of(element, "x", "y", "width", "height")
    return None if width <= 0 or height <= 0 else (x, y, x + width, y + height)


def _circle(element: etree._Element) -> _Bounds | None:
    x, y, r = _of(element, "cx", "cy", "r")
    return None if r <= 0 else (x - r, y - r, x + r, y + r)


def _ellipse(element: etree._Element) -> _Bounds | None:
    x, y = _of(element, "cx", "cy")
    # One that is not said, or is 'auto', is as the other.
    radii = [_length(said) for name in ("rx", "ry") if (said := element.get(name, "auto").strip()) != "auto"]
    if not radii:
        return None
    rx, ry = radii[0], radii[-1]
    return x - abs(rx), y - abs(ry), x + abs(rx), y + abs(ry)


def _line(element: etree._Element) -> _Bounds | None:
    x1, y1, x2, y2 = _of(element, "x1", "y1", "x2", "y2")
    return min(x1, x2), min(y1, y2), max(x1, x2), max(y1, y2)


def _points(element: etree._Element) -> _Bounds | None:
    numbers = [float(number) for number in re.findall(_NUMBER, element.get("points", ""))]
    xs, ys = numbers[::2], numbers[1::2]
    return None if not ys else (min(xs), min(ys), max(xs), max(ys))


_SHAPES = {
    "path": _path,
    "rect": _rect,
    "circle": _circle,
    "ellipse": _ellipse,
    "line": _line,
    "polyline": _points,
    "polygon": _points,
}
