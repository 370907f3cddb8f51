"""Text in SVG documents: drawn with the fonts that Yuplet ships, so that it looks the same on every machine.

Fonts that a document names are never looked for. What that means for each text is told.
"""

import functools
import threading
from importlib import resources

import tinycss2
from fontTools.ttLib import TTFont
from lxml import etree
from resvg import usvg

from yuplet.reading.svg_document import SVG, Document, declarations, elements, kind_of, without

FAMILY = "Yuplet Sans"
_STYLES = ("regular", "bold", "italic", "bold-italic")
_OURS = {FAMILY.casefold(), "sans-serif", "system-ui", "ui-sans-serif"}
_SHOWN = 12


_OF_THREAD = threading.local()


def options() -> usvg.Options:
    """What documents are drawn with: no font but ours. The library allows no use in any other thread than that of the call."""
    if not hasattr(_OF_THREAD, "options"):
        found = usvg.Options.default()
        for style in _STYLES:
            found.load_font_data(resources.files("yuplet.fonts").joinpath(f"yuplet-sans-{style}.ttf").read_bytes())
        found.font_family = FAMILY
        _OF_THREAD.options = found
    kept: usvg.Options = _OF_THREAD.options
    return kept


def use_shipped_fonts(document: Document) -> dict[etree._Element, list[str]]:
    """Let every text be drawn with our fonts; answers what that changes, in sentences, for each text element."""
    told = {element: _told(element) for element in elements(document.root) if kind_of(element) == "text"}
    for element in elements(document.root):
        own = declarations(element)
        if "font-family" in own:
            plain = without(element, {"font-family"})
            element.attrib.clear()
            for name, value in plain.items():
                element.set(name, value)
            element.set("font-family", FAMILY)
        if "font" in own:
            # The shorthand names a family too; what comes after it wins.
            element.set("style", f"{element.get('style', '')};font-family:{FAMILY}".lstrip(";"))
    document.root.set("font-family", FAMILY)
    return {element: sentences for element, sentences in told.items() if sentences}


def _told(text: etree._Element) -> list[str]:
    sentences = []
    families = sorted({family for element in _with_text(text) if (family := _family(element))})
    if families:
        named = ", ".join(f"'{family}'" for family in families)
        sentences.append(
            f"Its font {named} is not looked for; it is drawn with {FAMILY}. To keep its looks, turn the text into outlines"
            " and bring the file in again."
        )
    lacking = sorted({letter for letter in "".join(text.itertext()) if not letter.isspace()} - _letters())  # type: ignore[arg-type]
    if lacking:
        shown = "".join(lacking[:_SHOWN]) + ("..." if len(lacking) > _SHOWN else "")
        sentences.append(
            f"No shipped font has '{shown}', so that is not drawn. Turn the text into outlines and bring the file in again."
        )
    return sentences


def _with_text(text: etree._Element) -> list[etree._Element]:
    return [element for element in elements(text) if (element.text or "").strip() or element.tag == f"{SVG}text"]


def _family(element: etree._Element) -> str | None:
    """The first family that an element asks for, its own or inherited, where that is not ours."""
    at: etree._Element | None = element
    while at is not None:
        own = declarations(at)
        wanted = own.get("font-family") or (_family_in_shorthand(own["font"]) if "font" in own else None)
        if wanted:
            first = wanted.split(",")[0].strip().strip("'\"")
            return None if first.casefold() in _OURS else first
        at = at.getparent()
    return None


def _family_in_shorthand(value: str) -> str | None:
    """The family of a `font`: what comes after the size (CSS Fonts Level 3, 3.7)."""
    tokens = [token for token in tinycss2.parse_component_value_list(value) if token.type != "whitespace"]
    sizes = [index for index, token in enumerate(tokens) if token.type in ("dimension", "percentage")]
    rest = tokens[sizes[-1] + 1 :] if sizes else []
    return " ".join(str(getattr(token, "value", "")) for token in rest).split(" ,")[0] or None


@functools.cache
def _letters() -> set[str]:
    with resources.files("yuplet.fonts").joinpath("yuplet-sans-regular.ttf").open("rb") as file:
        return {chr(code) for code in TTFont(file, lazy=True).getBestCmap()}
