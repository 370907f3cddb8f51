"""A motion as one page that moves by the browser's own engine, and as one drawing that moves by its own style.

Sources: W3C Web Animations Level 1 (`animate`, timing); CSS Animations Level 1 (`@keyframes`); SVG 2; CSS Compositing and Blending Level 1.
"""

import json
from collections.abc import Iterator
from typing import Any

from lxml import etree
from lxml.builder import E, ElementMaker

from yuplet.playable.elements import Document, Element, Frames, Strand
from yuplet.rehearsal.motion.document import Stage

_PLAY = """
const motion = JSON.parse(document.getElementById('motion').textContent);
for (const { id, keyframes, timing } of motion) {
  document.getElementById(id).animate(keyframes, { ...timing, iterations: timing.iterations ?? Infinity });
}
"""
_STYLE = """
body { margin: 0; }
.picture { position: relative; margin: 0 auto; overflow: hidden; isolation: isolate; }
.group, .part, .frame { position: absolute; }
.group { inset: 0; pointer-events: none; }
.frame { width: 100%; height: 100%; }
"""
_SVG = "http://www.w3.org/2000/svg"


def page(document: Document, title: str) -> bytes:
    """A page of HTML that needs nothing else: pictures are in it, and so is the motion, as keyframes of Web Animations."""
    numbers = json.dumps(list(_animations(document)), separators=(",", ":")).replace("<", "\\u003c")
    size = f"width: {document.width}px; height: {document.height}px;"
    ground = "" if document.still_ground is None else f" background-color: {document.still_ground};"
    root = E.html(
        E.head(
            E.meta({"charset": "utf-8"}),
            E.meta({"name": "viewport", "content": f"width={document.width}"}),
            E.title(title or "picture"),
            E.style(_STYLE),
        ),
        E.body(
            E.main(*map(_html, document.members), {"class": "picture", "id": "picture", "style": size + ground}),
            E.script(numbers, {"type": "application/json", "id": "motion"}),
            E.script(_PLAY),
        ),
        {"lang": "en"},
    )
    return b"<!DOCTYPE html>\n" + bytes(etree.tostring(root, method="html", encoding="utf-8"))


def drawing(document: Document, title: str) -> bytes:
    """A drawing in SVG that needs nothing else: pictures are in it, and it moves by CSS animations."""
    maker = ElementMaker(namespace=_SVG, nsmap={None: _SVG})
    members: list[Any] = [maker.title(title or "picture"), maker.style("\n".join(_rules(document)))]
    if document.still_ground is not None or document.ground is not None:
        members.append(maker.rect({"id": "picture", "width": "100%", "height": "100%", "fill": "none"}))
        if document.still_ground is not None:
            members[-1].set("fill", document.still_ground)
    members += [_svg(maker, one) for one in document.members]
    width, height = str(document.width), str(document.height)
    root = maker.svg(*members, {"viewBox": f"0 0 {width} {height}", "width": width, "height": height})
    return bytes(etree.tostring(root, encoding="utf-8", xml_declaration=True))


def _html(element: Element) -> Any:
    said = _laid(element)
    if element.box is None:
        return E.div(*map(_html, element.members), {"class": "group", "id": element.id, **said})
    left, top, width, height = element.box
    if element.part is None:
        return E.img({"class": "frame", "id": element.id, "alt": element.name, "src": element.picture or ""})
    # Maps are of the canvas, whose corner is the origin.
    place = f"left: {left}px; top: {top}px; width: {width}px; height: {height}px; transform-origin: {-left}px {-top}px;"
    said = {"class": "part", "id": element.id, "data-part": element.part, "style": f"{place} {said.get('style', '')}".strip()}  # fmt: skip
    if element.frames is not None:
        return E.div(*map(_html, element.members), said)
    return E.img({**said, "alt": element.name, "src": element.picture or ""})


def _svg(maker: ElementMaker, element: Element) -> Any:
    said = _laid(element)
    if element.box is None:
        return maker.g(*(_svg(maker, one) for one in element.members), {"id": element.id, **said})
    if element.part is not None and element.frames is not None:
        members = (_svg(maker, one) for one in element.members)
        return maker.g(*members, {"id": element.id, "data-part": element.part, **said})
    left, top, width, height = (str(one) for one in element.box)
    place = {"x": left, "y": top, "width": width, "height": height, "href": element.picture or ""}
    named = {} if element.part is None else {"data-part": element.part}
    return maker.image({"id": element.id, **named, **said, **place})


def _laid(element: Element) -> dict[str, str]:
    """How an element is laid on what is behind it."""
    said = []
    if element.opacity < 1:
        said.append(f"opacity: {element.opacity:g};")
    if element.blend != "normal":
        said.append(f"mix-blend-mode: {element.blend};")
    if element.isolated:
        said.append("isolation: isolate;")
    return {"style": " ".join(said)} if said else {}


def _each(elements: tuple[Element, ...] | list[Element]) -> Iterator[Element]:
    for element in elements:
        yield element
        yield from _each(element.members)


def _strands(document: Document) -> Iterator[tuple[str, Strand, Stage | Frames]]:
    """By the ids of their elements everything that changes, and the time that it changes in."""
    stage = document.motion.stage
    if document.ground is not None:
        yield "picture", document.ground, stage
    for element in _each(document.members):
        for strand in element.strands:
            yield element.id, strand, stage
        if element.frames is not None and element.part is None:
            yield element.id, _moment(element.frames, element.moment), element.frames


def _moment(frames: Frames, moment: int) -> Strand:
    """When one picture of several is seen; the last one stays."""
    seen = ["inherit" if at == moment else "hidden" for at in range(len(frames.shares))]
    return Strand("visibility", (*frames.shares, 1.0), (*seen, seen[-1]), True)


def _animations(document: Document) -> Iterator[dict[str, Any]]:
    """The keyframes and the timing of each element, as Web Animations has them; iterations null: without end."""
    for id, strand, time in _strands(document):
        easing = {"easing": "step-end"} if strand.is_stepped else {}
        name = {"background-color": "backgroundColor"}.get(strand.name, strand.name)
        keyframes = [
            {"offset": share, name: value, **easing} for share, value in zip(strand.shares, strand.values, strict=True)
        ]
        if isinstance(time, Frames):
            timing: dict[str, Any] = {"duration": time.seconds * 1000, "iterations": time.loops or None, "fill": "both"}
        else:
            timing = {
                "duration": time.duration * 1000,
                "iterations": time.iterations,
                "direction": time.direction,
                "fill": time.fill,
            }
        yield {"id": id, "keyframes": keyframes, "timing": timing}


def _timing(time: Stage | Frames, easing: str) -> str:
    if isinstance(time, Frames):
        return f"{time.seconds:.9g}s {easing} 0s {time.loops or 'infinite'} normal both"
    count = "infinite" if time.iterations is None else f"{time.iterations:.9g}"
    return f"{time.duration:.9g}s {easing} 0s {count} {time.direction} {time.fill}"


def _rules(document: Document) -> Iterator[str]:
    """The style of a drawing that moves."""
    own: dict[str, list[str]] = {}
    for id, strand, time in _strands(document):
        name = f"{id}-{strand.name}"
        property = {"background-color": "fill"}.get(strand.name, strand.name)
        steps = " ".join(
            f"{share * 100:.7g}% {{ {property}: {value}; }}"
            for share, value in zip(strand.shares, strand.values, strict=True)
        )
        yield f"@keyframes {name} {{ {steps} }}"
        easing = "step-end" if strand.is_stepped else "linear"
        own.setdefault(id, []).append(f"{_timing(time, easing)} {name}")
    for id, animations in own.items():
        yield f"#{id} {{ animation: {', '.join(animations)}; }}"
