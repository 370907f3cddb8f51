"""Text of SVG documents as outlines, so that it looks the same where the font is not there.

Sources: W3C, SVG 2, chapter 11 (chunks, text-anchor, dx and dy); letters are shaped by HarfBuzz, as the drawing library does it. What is said of
text beyond that is not set here: `outlined` answers None then.
"""

import functools
import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from importlib import resources

import uharfbuzz as harfbuzz
from fontTools.pens.svgPathPen import SVGPathPen
from fontTools.pens.transformPen import TransformPen
from fontTools.ttLib import TTFont
from lxml import etree

from yuplet.reading.svg_document import SVG, declarations, pixels_of

_SIZE = 16.0
_OURS_ALONE = {
    "dominant-baseline", "alignment-baseline", "baseline-shift", "letter-spacing", "word-spacing", "writing-mode", "textLength",
    "rotate", "text-decoration", "font", "direction", "font-variant", "font-stretch", "white-space", "shape-inside", "inline-size",
}  # fmt: skip
"""What is not set here; where any of it is said, text is left to somebody else."""
_OF_TEXT = {"x", "y", "dx", "dy", "font-family", "font-size", "font-weight", "font-style", "text-anchor"}


@dataclass(slots=True, kw_only=True)
class _Run:
    """Letters in one style, and the element that they get their colours from."""

    text: str
    element: etree._Element
    size: float
    style: str
    at: tuple[float | None, float | None]
    by: tuple[float, float]
    anchor: str


@dataclass(slots=True)
class _Chunk:
    """Runs after each other from a place that is said."""

    x: float
    y: float
    runs: list[_Run] = field(default_factory=list)


def outlined(text: etree._Element) -> etree._Element | None:
    """The outlines of a text element as a group in its place; None where it says more than can be set here."""
    try:
        runs = list(_runs(text, _SIZE, "regular", "start", True))
    except ValueError:
        return None
    group = etree.Element(f"{SVG}g")
    for name, value in text.attrib.items():
        if name not in _OF_TEXT:
            group.set(name, value)
    _trim(runs)
    x = y = 0.0
    for chunk in _chunks(runs):
        widths = [_shaped(run)[1] for run in chunk.runs]
        anchor = chunk.runs[0].anchor
        share = {"start": 0.0, "middle": 0.5, "end": 1.0}.get(anchor, 0.0)
        x, y = chunk.x, chunk.y
        x -= share * sum(widths)
        for run, width in zip(chunk.runs, widths, strict=True):
            x, y = x + run.by[0], y + run.by[1]
            path = etree.SubElement(group, f"{SVG}path", {"d": _path(run, x, y)})
            if run.element is not text:
                for name, value in run.element.attrib.items():
                    if name not in _OF_TEXT:
                        path.set(name, value)
            x += width
    return group


def _runs(element: etree._Element, size: float, style: str, anchor: str, is_first: bool) -> Iterator[_Run]:
    """The runs of an element and of the spans in it. Raises ValueError for what is not set here."""
    own = declarations(element)
    if _OURS_ALONE & set(own):
        raise ValueError("it says more than is set here")
    if "font-size" in own:
        said = pixels_of(own["font-size"], 96.0)
        if said is None:
            raise ValueError("its size depends on something else")
        size = said
    bold = own.get("font-weight")
    italic = own.get("font-style")
    parts = {"bold": "bold" in style, "italic": "italic" in style}
    if bold is not None:
        parts["bold"] = bold == "bold" or (bold.isdigit() and int(bold) >= 600)
    if italic is not None:
        parts["italic"] = italic in ("italic", "oblique")
    style = "-".join(name for name, on in parts.items() if on) or "regular"
    anchor = own.get("text-anchor", anchor)
    at = (_number(own.get("x")), _number(own.get("y")))
    if is_first:
        at = (at[0] or 0.0, at[1] or 0.0)
    by = (_number(own.get("dx")) or 0.0, _number(own.get("dy")) or 0.0)
    pieces: list[tuple[str, etree._Element | None]] = [(element.text or "", None)]
    for child in element:
        pieces += [("", child), (child.tail or "", None)]
    for words, span in pieces:
        if span is not None:
            if span.tag != f"{SVG}tspan":
                raise ValueError("it holds something else than spans")
            yield from _runs(span, size, style, anchor, False)
        elif words:
            yield _Run(
                text=re.sub(r"\s+", " ", words.replace("\n", " ")),
                element=element,
                size=size,
                style=style,
                at=at,
                by=by,
                anchor=anchor,
            )
            at, by = (None, None), (0.0, 0.0)


def _number(said: str | None) -> float | None:
    if said is None:
        return None
    value = pixels_of(said, 96.0)
    if value is None:
        raise ValueError("a place is a list, or depends on something else")
    return value


def _trim(runs: list[_Run]) -> None:
    """Spaces at the ends, and those after a space, are not set."""
    space = True
    for run in runs:
        run.text = re.sub(r" +", " ", run.text)
        if space or run.at != (None, None):
            run.text = run.text.lstrip(" ")
        space = run.text.endswith(" ") if run.text else space
    for run in reversed(runs):
        run.text = run.text.rstrip(" ")
        if run.text:
            break


def _chunks(runs: list[_Run]) -> Iterator[_Chunk]:
    found: list[_Chunk] = []
    x = y = 0.0
    for run in runs:
        if not run.text and run.at == (None, None):
            continue
        if not found or run.at != (None, None):
            if found:
                # What is not said goes on from where the last one ended.
                last = found[-1]
                share = {"middle": 0.5, "end": 1.0}.get(last.runs[0].anchor, 0.0) if last.runs else 0.0
                whole = sum(_shaped(one)[1] for one in last.runs)
                x = last.x + (1 - share) * whole + sum(one.by[0] for one in last.runs)
                y = last.y + sum(one.by[1] for one in last.runs)
            found.append(_Chunk(x if run.at[0] is None else run.at[0], y if run.at[1] is None else run.at[1]))
        found[-1].runs.append(run)
    return iter([chunk for chunk in found if chunk.runs])


def _shaped(run: _Run) -> tuple[list[tuple[str, float, float]], float]:
    """Each letter's outline with its place after the start, and how far the run goes; in units of the document."""
    font, shaper, _ = _font(run.style)
    buffer = harfbuzz.Buffer()
    buffer.add_str(run.text)
    buffer.guess_segment_properties()
    harfbuzz.shape(shaper, buffer)
    scale = run.size / font["head"].unitsPerEm
    found, x = [], 0.0
    for glyph, place in zip(buffer.glyph_infos, buffer.glyph_positions, strict=True):
        found.append((font.getGlyphName(glyph.codepoint), (x + place.x_offset) * scale, -place.y_offset * scale))
        x += place.x_advance
    return found, x * scale


def _path(run: _Run, x: float, y: float) -> str:
    font, _, glyphs = _font(run.style)
    scale = run.size / font["head"].unitsPerEm
    pen = SVGPathPen(glyphs, lambda value: f"{value:.4f}".rstrip("0").rstrip("."))
    for name, right, down in _shaped(run)[0]:
        glyphs[name].draw(TransformPen(pen, (scale, 0, 0, -scale, x + right, y + down)))
    return str(pen.getCommands())


@functools.cache
def _font(style: str):  # type: ignore[no-untyped-def]  # fontTools and HarfBuzz have no types of their own
    path = resources.files("yuplet.fonts").joinpath(f"yuplet-sans-{style}.ttf")
    font = TTFont(path)
    face = harfbuzz.Face(path.read_bytes())
    return font, harfbuzz.Font(face), font.getGlyphSet()
