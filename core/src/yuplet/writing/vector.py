"""Vector parts as SVG: each with its own shapes and what they refer to, and all parts together as one scene.

Source: W3C, Scalable Vector Graphics (SVG) 2; compositing as CSS has it (mix-blend-mode, isolation).
"""

import base64
import re
from collections.abc import Callable, Sequence

from lxml import etree

from yuplet.arrangement.tree import PartGroup, Row
from yuplet.geometry import Box
from yuplet.parts.part import Part
from yuplet.pixels import Picture
from yuplet.pixels.blending import CSS
from yuplet.pixels.spill_file import VectorSource
from yuplet.plan.planned import Plan, PlannedPart
from yuplet.writing import png
from yuplet.writing.plain_svg import as_group, make_plain, share_definitions

_SVG, _LINKS = "http://www.w3.org/2000/svg", "http://www.w3.org/1999/xlink"


def part(plan: Plan, planned: PlannedPart, drawing: VectorSource, on_canvas: bool) -> bytes:
    """One part alone, seen in its own box or on the whole canvas, in canvas pixels at scale 1; its opacity and mode are not applied."""
    root = _root(Box(0, 0, *plan.canvas) if on_canvas else planned.box, planned.path[-1])
    root.append(_shapes(plan, planned.part, drawing, "a"))
    return _text(root)


def symbols(plan: Plan, drawing: VectorSource) -> bytes:
    """All vector parts as symbols in one file, back to front: definitions are there once. Each is named by its part, and seen in its box."""
    root = _root(Box(0, 0, *plan.canvas), plan.title)
    parts = {planned.part.id: planned for planned in plan.parts}
    for row, name in _symbol_names(plan).items():
        planned = parts[row]
        box = planned.box
        # What is smoothed at its edge is not cut where the edge falls between two pixels.
        said = {"id": name, "viewBox": f"{box.left} {box.top} {box.width} {box.height}", "overflow": "visible"}
        symbol = etree.SubElement(root, f"{{{_SVG}}}symbol", said)
        etree.SubElement(symbol, f"{{{_SVG}}}title").text = planned.path[-1]
        symbol.append(_shapes(plan, planned.part, drawing, f"{name}-"))
    _make_small(root)
    for row, symbol in zip(_symbol_names(plan), root.iter(f"{{{_SVG}}}symbol"), strict=True):
        symbol.set("data-part", row)
    return etree.tostring(root, encoding="utf-8")


def _symbol_names(plan: Plan) -> dict[str, str]:
    """What the symbol of each vector part is called, by the part's id: as the part and its groups, in letters that an address can have."""
    found: dict[str, str] = {}
    for number, planned in enumerate(plan.parts, 1):
        if is_vector(plan, planned.part):
            words = [re.sub(r"[^\w.-]+", "-", name).strip("-.") for name in planned.path]
            name = "-".join(filter(None, words)) or "part"
            name = name if name[0].isalpha() else f"part-{name}"
            found[planned.part.id] = name if name not in found.values() else f"{name}-{number}"
    return found


def scene(plan: Plan, picture: Callable[[PlannedPart], Picture], drawing: VectorSource | None) -> bytes:
    """All parts at rest as named groups, back to front; what is hidden is there and not displayed. Parts that are pixels are pictures."""
    parts = {planned.part.id: planned for planned in plan.parts}
    numbers = {row: f"p{number}" for number, row in enumerate(parts, 1)}
    root = _root(Box(0, 0, *plan.canvas), plan.title)

    def each(rows: Sequence[Row], onto: etree._Element) -> None:
        for row in rows:
            element = etree.SubElement(onto, f"{{{_SVG}}}g")
            etree.SubElement(element, f"{{{_SVG}}}title").text = row.name
            _mix(element, row.opacity, row.blend, isinstance(row, PartGroup) and row.isolated)
            if not row.shown:
                element.set("display", "none")
            if isinstance(row, PartGroup):
                each(row.members, element)
                continue
            element.set("id", numbers[row.id])
            if drawing is not None and is_vector(plan, row):
                element.append(_shapes(plan, row, drawing, numbers[row.id]))
            else:
                element.append(_image(picture(parts[row.id]), plan, row.id))

    each(plan.tree, root)
    return _text(root)


def is_vector(plan: Plan, one: Part) -> bool:
    """Whether a part is shapes and nothing else."""
    return len(one.frames) == 1 and all(piece.layer in plan.drawn_by for piece in one.pieces)


def _root(box: Box, title: str) -> etree._Element:
    said = {
        "width": str(box.width),
        "height": str(box.height),
        "viewBox": f"{box.left} {box.top} {box.width} {box.height}",
    }
    root = etree.Element(f"{{{_SVG}}}svg", said, {None: _SVG, "xlink": _LINKS})  # type: ignore[dict-item]
    etree.SubElement(root, f"{{{_SVG}}}title").text = title
    return root


def _shapes(plan: Plan, one: Part, drawing: VectorSource, prefix: str) -> etree._Element:
    """The shapes of a part, each layer with its own definitions, whose ids begin with the prefix."""
    group = etree.Element(f"{{{_SVG}}}g")
    if one.offset != (0, 0):
        group.set("transform", f"translate({one.offset[0]} {one.offset[1]})")
    if any(piece.blend != "normal" for piece in one.pieces):
        group.set("style", "isolation:isolate")
    for number, piece in enumerate(one.pieces, 1):
        inner = etree.fromstring(drawing.alone(plan.drawn_by[piece.layer], f"{prefix}-{number}-"))
        at = group
        if piece.opacity < 1 or piece.blend != "normal":
            at = etree.SubElement(group, f"{{{_SVG}}}g")
            _mix(at, piece.opacity, piece.blend, False)
        # Cut by the canvas before it is moved, as its pixels are.
        at.append(as_group(inner) if one.offset == (0, 0) else inner)
    return group


def _image(picture: Picture, plan: Plan, row: str) -> etree._Element:
    # At the main scale, laid at the size that it has at scale 1.
    cut, factor = plan.main.images[row].cut, float(plan.main.factor)
    data = base64.b64encode(png.encode(picture)).decode()
    return etree.Element(
        f"{{{_SVG}}}image",
        {
            "x": f"{cut.left / factor:g}",
            "y": f"{cut.top / factor:g}",
            "width": f"{cut.width / factor:g}",
            "height": f"{cut.height / factor:g}",
            f"{{{_LINKS}}}href": f"data:image/png;base64,{data}",
        },
    )


def _mix(element: etree._Element, opacity: float, blend: str, isolated: bool) -> None:
    if opacity < 1:
        element.set("opacity", f"{opacity:g}")
    mode = CSS.get(blend, "normal")
    said = [f"mix-blend-mode:{mode}"] if mode != "normal" else []
    said += ["isolation:isolate"] if isolated else []
    if said:
        element.set("style", ";".join(said))


def _text(root: etree._Element) -> bytes:
    _make_small(root)
    return etree.tostring(root, encoding="utf-8")


def _make_small(root: etree._Element) -> None:
    make_plain(root)
    share_definitions(root)
    etree.cleanup_namespaces(root)
