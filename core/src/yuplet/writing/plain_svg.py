"""SVG that is no larger than it must be: without what says nothing, and with what several shapes refer to there once.

Source: W3C, Scalable Vector Graphics (SVG) 2, chapters 5 (references), 8 (coordinates) and 9 (paths).
"""

import copy
import hashlib
import itertools
import math
import re
from collections.abc import Iterator
from dataclasses import dataclass, field

from lxml import etree

SVG, XLINK = "{http://www.w3.org/2000/svg}", "{http://www.w3.org/1999/xlink}"
PRECISION = 0.01
"""Pixels that a number of a shape is rounded to."""

_LINK = re.compile(r"(url\(\s*['\"]?#)([^'\")]+)")
_RELATIVE = re.compile(r"[\d.](?:%|v[wh]|vmin|vmax)")
_VIEWPORT = {"width", "height", "viewBox", "preserveAspectRatio", "version", "baseProfile", "overflow"}
_KEEPS_SPACE = {f"{SVG}{name}" for name in ("title", "desc", "text", "tspan", "style")}
_OWN = {"id", "transform", "display", "clip-path", "mask", "filter", "opacity", "x", "y"}
"""What is not inherited."""
_COLOURS = {"fill", "stroke", "color", "flood-color", "lighting-color", "d", "id"}
_MIXES = ("mix-blend-mode", "isolation")
_GRADIENTS = {f"{SVG}linearGradient", f"{SVG}radialGradient"}
_FOR_GRADIENTS = ("color", "style", "font-size")
_LENGTHS = {
    "x",
    "y",
    "x1",
    "y1",
    "x2",
    "y2",
    "cx",
    "cy",
    "r",
    "rx",
    "ry",
    "width",
    "height",
    "stroke-width",
    "stroke-dashoffset",
}
_NUMBER = re.compile(r"[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?")
_FUNCTION = re.compile(r"(\w+)\s*\(([^)]*)\)")
_DEEPEST = 64
"""References of references that are followed; what refers farther is told apart by names, and so is there as often as it was."""
_FLAG = re.compile(r"[01]")
_TOKEN = re.compile(r"[MmLlHhVvCcSsQqTtAaZz]")
_TAKES = {"M": 2, "L": 2, "H": 1, "V": 1, "C": 6, "S": 4, "Q": 4, "T": 2, "A": 7, "Z": 0}


def make_plain(root: etree._Element) -> None:
    """Take away what says nothing, and round numbers of shapes to `PRECISION`; all in place, and nothing looks different by more than that."""
    for element in list(root.iter()):
        if not isinstance(element.tag, str) or not element.tag.startswith(SVG):
            _take_out(element)
            continue
        if element.tag not in _KEEPS_SPACE:
            element.text = None if not (element.text or "").strip() else element.text
        if element.getparent() is not None and element.getparent().tag not in _KEEPS_SPACE:  # type: ignore[union-attr]
            element.tail = None
        is_filter = element.tag.startswith(f"{SVG}fe")
        for name, value in list(element.attrib.items()):
            said = str(name)
            foreign = said.startswith("{") and not said.startswith(XLINK)
            if foreign or said == "class" or said.startswith("data-") or (not str(value).strip() and not is_filter):
                del element.attrib[name]
    for element in list(root.iter(f"{SVG}defs")):
        if len(element) == 0 and not element.attrib:
            _take_out(element)
    for element in list(root.iter(f"{SVG}g")):
        if element.find(f"{SVG}title") is None:
            if len(element) == 1 and all(_is_inherited(str(name)) for name in element.attrib):
                _hand_on(element, element[0])
            if not element.attrib:
                _open(element)
    for element in list(root):
        _round(element, 1.0)


def as_group(drawing: etree._Element) -> etree._Element:
    """A drawing that is to stand in another one: a group in its place where that means the same, else the drawing itself.

    The shapes must not reach beyond the drawing's own view, or be cut there by what is around them.
    """
    width, height = (_number(drawing.get(name)) for name in ("width", "height"))
    view = [float(one) for one in _NUMBER.findall(drawing.get("viewBox", ""))]
    if len(view) != 4 or not width or not height or view[2] <= 0 or view[3] <= 0 or _is_relative(drawing):
        return drawing
    scale = width / view[2]
    if abs(height - scale * view[3]) > PRECISION:
        return drawing
    kept = {str(name): str(value) for name, value in drawing.attrib.items() if name not in _VIEWPORT}
    group = etree.Element(f"{SVG}g", kept)
    if (scale, view[0], view[1]) != (1.0, 0.0, 0.0):
        moved = f" translate({-view[0]:g} {-view[1]:g})" if view[:2] != [0.0, 0.0] else ""
        # What the drawing itself turns is turned inside of its view.
        group.set("transform", f"scale({scale:.10g}){moved} {group.get('transform', '')}".strip())
    group.extend(list(drawing))
    return group


def _is_relative(drawing: etree._Element) -> bool:
    """Whether anything in it is measured by the view around it. Shares of a shape's own box are not."""
    for element in drawing.iter():
        own = element.tag in _GRADIENTS and element.get("gradientUnits") != "userSpaceOnUse"
        if element is drawing or own or element.tag == f"{SVG}stop":
            continue
        if any(_RELATIVE.search(str(value)) for name, value in element.attrib.items() if name not in _COLOURS):
            return True
    return False


def share_definitions(root: etree._Element) -> None:
    """Put definitions at the top, equal ones once, and give short names to all that is referred to; in place.

    Ids must be there once in all of it. What a definition inherits where it stands goes along with it.
    """
    by_id = {str(one.get("id")): one for one in root.iter() if one.get("id")}
    shared = _Shared(by_id, etree.SubElement(root, f"{SVG}defs"))
    for definitions in [one for one in root.iter(f"{SVG}defs") if next(one.iterancestors(f"{SVG}defs"), None) is None]:
        parent = definitions.getparent()
        if parent is None or any(one.tag == f"{SVG}svg" and one is not root for one in definitions.iterancestors()):
            continue
        if definitions is shared.definitions:
            continue
        for definition in list(definitions):
            shared.take(definition, _inherited(definition, definitions))
        parent.remove(definitions)
    root.remove(shared.definitions)
    if len(shared.definitions):
        root.insert(1 if len(root) and root[0].tag == f"{SVG}title" else 0, shared.definitions)
    _rename(root, shared.same)


@dataclass(slots=True)
class _Shared:
    """Definitions that are there once; `same` tells by which id what was called otherwise is found now."""

    by_id: dict[str, etree._Element]
    definitions: etree._Element
    known: dict[str, etree._Element] = field(default_factory=dict)
    same: dict[str, str] = field(default_factory=dict)
    digests: dict[str, str] = field(default_factory=dict)

    def take(self, definition: etree._Element, around: tuple[dict[str, str], ...]) -> None:
        """A definition, and what it inherits, outermost first."""
        key = f"{around}{self._told(definition, frozenset())}"
        there = self.known.get(key)
        if there is None:
            self.known[key] = definition
            at = self.definitions
            for inherited in around:
                at = etree.SubElement(at, f"{SVG}g", inherited)
            at.append(definition)
            return
        for own, other in zip(definition.iter(), there.iter(), strict=True):
            if own.get("id"):
                if not other.get("id"):
                    other.set("id", str(own.get("id")))
                self.same[str(own.get("id"))] = str(other.get("id"))

    def _told(self, definition: etree._Element, inside: frozenset[str]) -> str:
        """All that a definition says, with what it refers to instead of names."""
        told = copy.deepcopy(definition)
        told.tail = None
        names = sorted({name for element in told.iter() for name in _named(element)})
        for element in told.iter():
            element.attrib.pop("id", "")
        text = etree.tostring(told, encoding="unicode")
        meant = {name: self._target(name, definition, inside) for name in names}
        return text if not meant else _spelled(text, meant)

    def _target(self, name: str, definition: etree._Element, inside: frozenset[str]) -> str:
        target = self.by_id.get(name)
        if target is None or name in inside or len(inside) >= _DEEPEST:
            return name
        own = list(definition.iter())
        if target in own:
            return f"[{own.index(target)}]"
        if next(target.iterancestors(f"{SVG}defs"), None) is None:
            return name
        if name not in self.digests:
            told = self._told(target, inside | {name})
            self.digests[name] = hashlib.sha256(told.encode()).hexdigest()
        return f"[{self.digests[name]}]"


def _spelled(text: str, meant: dict[str, str]) -> str:
    text = _LINK.sub(lambda found: found[1] + meant.get(found[2], found[2]), text)
    return re.sub(r'(href="#)([^"]*)', lambda found: found[1] + meant.get(found[2], found[2]), text)


def _inherited(definition: etree._Element, definitions: etree._Element) -> tuple[dict[str, str], ...]:
    """What elements around a definition say that it inherits, outermost first."""
    around = []
    for outer in [*definitions.iterancestors()][::-1][1:]:
        own = {str(name): str(value) for name, value in outer.attrib.items() if name not in _OWN | _VIEWPORT}
        said = [one for one in own.pop("style", "").split(";") if one.partition(":")[0].strip() not in ("", *_MIXES)]
        if said:
            own["style"] = ";".join(said)
        if own:
            around.append(own)
    is_apart = definition.tag in _GRADIENTS and not any(
        name.startswith(_FOR_GRADIENTS) for one in around for name in one
    )
    return () if is_apart else tuple(around)


def _named(element: etree._Element) -> Iterator[str]:
    for value in element.attrib.values():
        yield from (name for _, name in _LINK.findall(str(value)))
    href = element.get("href") or element.get(f"{XLINK}href") or ""
    if href.strip().startswith("#"):
        yield href.strip()[1:]


def _rename(root: etree._Element, same: dict[str, str]) -> None:
    """Each id that is referred to gets a name of one or two letters; ids of parts, which somebody else refers to, stay."""
    wanted = {same.get(name, name) for element in root.iter() for name in _named(element)}
    parts = {str(one.get("id")) for one in root.iter(f"{SVG}g", f"{SVG}symbol") if one.find(f"{SVG}title") is not None}
    letters = "abcdefghijklmnopqrstuvwxyz"
    short = ("".join(one) for length in itertools.count(1) for one in itertools.product(letters, repeat=length))
    free = (name for name in short if name not in parts)
    names = {name: name if name in parts else next(free) for name in sorted(wanted)}
    for element in root.iter():
        own = element.get("id")
        if own is not None and own not in parts:
            if own in names:
                element.set("id", names[own])
            else:
                del element.attrib["id"]
        for name, value in list(element.attrib.items()):
            text = str(value)
            if name in ("href", f"{XLINK}href") and text.strip().startswith("#"):
                target = same.get(text.strip()[1:], text.strip()[1:])
                element.set(name, f"#{names.get(target, target)}")
            elif "url(" in text:
                element.set(
                    name, _LINK.sub(lambda found: found[1] + names.get(same.get(found[2], found[2]), found[2]), text)
                )


def _take_out(element: etree._Element) -> None:
    parent = element.getparent()
    if parent is not None:
        parent.remove(element)


def _is_inherited(name: str) -> bool:
    """Whether an attribute means the same on the one element in a group."""
    return name.startswith(("fill", "stroke")) or name in ("color", "clip-rule", "paint-order", "shape-rendering")


def _hand_on(group: etree._Element, only: etree._Element) -> None:
    for name, value in group.attrib.items():
        if only.get(name) in (None, "inherit"):
            only.set(name, value)
        del group.attrib[name]


def _open(group: etree._Element) -> None:
    """Put what is in a group in its place."""
    parent = group.getparent()
    if parent is not None and parent.tag != f"{SVG}switch":
        at = parent.index(group)
        parent[at : at + 1] = list(group)


def _round(element: etree._Element, scale: float) -> None:
    """Round the numbers of shapes, in which a unit is at most `scale` pixels; what is drawn by reference may be larger elsewhere, and stays."""
    if element.tag in (f"{SVG}defs", f"{SVG}svg", f"{SVG}symbol"):
        if element.tag == f"{SVG}symbol":
            for one in element:
                _round(one, scale)
        return
    scale *= _enlarges(element.get("transform", ""))
    decimals = max(0, math.ceil(-math.log10(PRECISION / scale))) if 0 < scale < 1e6 else 12
    for name, value in list(element.attrib.items()):
        if name == "d":
            element.set("d", rounded_path(str(value), decimals))
        elif name == "points":
            element.set("points", " ".join(_text(float(one), decimals) for one in _NUMBER.findall(str(value))))
        elif name in _LENGTHS and _NUMBER.fullmatch(str(value)):
            element.set(name, _text(float(value), decimals))
    for one in element:
        _round(one, scale)


def _enlarges(transform: str) -> float:
    """By how much a transform enlarges lengths at the most."""
    most = 1.0
    for name, said in _FUNCTION.findall(transform):
        values = [float(one) for one in _NUMBER.findall(said)]
        if name == "scale" and values:
            most *= max(map(abs, values))
        elif name == "matrix" and len(values) == 6:
            most *= math.hypot(*values[:4])
        elif name in ("skewX", "skewY") and values:
            most *= 1 + abs(math.tan(math.radians(values[0])))
    return most


def rounded_path(path: str, decimals: int) -> str:
    """Path data with its coordinates rounded; those that are relative are told from where the rounded path is, so that nothing adds up.

    >>> rounded_path("M 0.126 0 l 0.3349,0.5 0.3349 0.5 a1 1 0 011.005 2z", 2)
    'M.13 0l.33 .5 .34 .5a1 1 0 0 1 1 2z'
    """
    out: list[str] = []
    here = written = start = begun = (0.0, 0.0)
    before = ""
    for letter, values in _commands(path):
        kind, is_relative = letter.upper(), letter.islower()
        if kind == "Z":
            out.append(letter)
            here, written, before = start, begun, letter
            continue
        told: list[str] = []
        points = _points(kind, values)
        goes: tuple[tuple[float, float], tuple[float, float]] | None = None
        if kind == "A":
            told = [
                *(_text(one, decimals) for one in values[:2]),
                _text(values[2], 3),
                *(_text(one, 0) for one in values[3:5]),
            ]
        for across, down in points:
            exact = (
                (here[0] if across is None else across + is_relative * here[0]),
                (here[1] if down is None else down + is_relative * here[1]),
            )
            base = written if is_relative else (0.0, 0.0)
            said = [round(one - other, decimals) for one, other in zip(exact, base, strict=True)]
            reached = tuple(
                round(one + other, 12) if value is not None else kept
                for one, other, value, kept in zip(said, base, (across, down), written, strict=True)
            )
            told += [_text(one, decimals) for one, value in zip(said, (across, down), strict=True) if value is not None]
            goes = (exact, (reached[0], reached[1]))
        assert goes is not None
        here, written = goes
        if kind == "M":
            start, begun = here, written
        out.append((" " if letter == before and kind != "M" else letter) + " ".join(told))
        before = letter
    return "".join(out)


def _points(kind: str, values: list[float]) -> list[tuple[float | None, float | None]]:
    if kind == "H":
        return [(values[0], None)]
    if kind == "V":
        return [(None, values[0])]
    if kind == "A":
        return [(values[5], values[6])]
    return list(zip(values[::2], values[1::2], strict=True))


def _commands(path: str) -> Iterator[tuple[str, list[float]]]:
    """Each command with its numbers; what follows a move is a line. What is no path any more ends it, as whoever draws it does."""
    at, letter = 0, ""
    while True:
        at = _skipped(path, at)
        if at >= len(path):
            return
        if _TOKEN.match(path, at):
            letter, at = path[at], at + 1
        elif letter.upper() in ("", "Z"):
            return
        else:
            letter = {"M": "L", "m": "l"}.get(letter, letter)
        values: list[float] = []
        for number in range(_TAKES[letter.upper()]):
            at = _skipped(path, at)
            found = (_FLAG if letter in "Aa" and number in (3, 4) else _NUMBER).match(path, at)
            if found is None:
                return
            values.append(float(found[0]))
            at = found.end()
        yield letter, values


def _skipped(path: str, at: int) -> int:
    while at < len(path) and path[at] in " \t\r\n\f,":
        at += 1
    return at


def _number(text: str | None) -> float | None:
    return float(text) if text is not None and _NUMBER.fullmatch(text) else None


def _text(value: float, decimals: int) -> str:
    """A number in as few letters as can be.

    >>> _text(-0.5, 2), _text(3.0, 2), _text(-0.001, 2)
    ('-.5', '3', '0')
    """
    text = f"{value:.{decimals}f}"
    text = text.rstrip("0").rstrip(".") if "." in text else text
    if text in ("-0", ""):
        return "0"
    return text.replace("0.", ".", 1) if text.startswith(("0.", "-0.")) else text
