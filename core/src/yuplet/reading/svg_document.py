"""SVG documents made safe and plain: nothing that runs or loads, every style in place, every length known.

Source: W3C, Scalable Vector Graphics (SVG) 2, https://www.w3.org/TR/SVG2/ (chapters 4 to 8); CSS selectors and declarations
are read by `cssselect2` and `tinycss2`.
Limits: 64 MiB of XML, 50 000 elements, 64 levels of nesting, 200 000 elements once every `use`, pattern, mask, clip path and marker is followed, 64 entities of
1 KiB that name no other entity.
"""

import re
import zlib
from collections.abc import Iterator
from dataclasses import dataclass

import cssselect2
import tinycss2
from lxml import etree

from yuplet.errors import BrokenFile, TooLarge, UnsafeFile
from yuplet.illustration.layers import ReadingReport

SVG = "{http://www.w3.org/2000/svg}"
HREF = "{http://www.w3.org/1999/xlink}href"

MAX_XML = 64 << 20
MAX_ELEMENTS = 50_000
MAX_NESTING = 64
MAX_USED = 200_000
GZIP = 16 + zlib.MAX_WBITS
"""What zlib calls that form."""
_CONDITIONS = ("systemLanguage", "requiredExtensions", "requiredFeatures")
_DRAWN_AGAIN = {"pattern", "mask", "clipPath", "marker"}
_LINK = re.compile(r"url\(\s*['\"]?#([^'\")]+)")
MAX_ENTITIES = 64
MAX_ENTITY = 1024

# Millimetres, inches and points by the reference pixel of CSS (96 to the inch) are scaled by the ppi that was asked for.
_INCHES = {"in": 1.0, "cm": 1 / 2.54, "mm": 1 / 25.4, "pt": 1 / 72, "pc": 1 / 6, "q": 1 / 101.6}
_LENGTH = re.compile(r"\s*([+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?)\s*([a-zA-Z%]*)\s*")
_PICTURE = re.compile(r"\s*data:image/(?:png|jpe?g|gif|webp)[;,]", re.IGNORECASE)
_NEVER = {
    "script",
    "foreignObject",
    "iframe",
    "audio",
    "video",
    "canvas",
    "animate",
    "animateTransform",
    "animateMotion",
    "set",
}


@dataclass(frozen=True, slots=True)
class Document:
    """A safe document: its root, the natural size in pixels, and the elements that references name."""

    root: etree._Element
    width: float
    height: float
    by_id: dict[str, etree._Element]


def open_document(data: bytes, file_name: str, ppi: float, report: ReadingReport) -> Document:
    """Parse a document and take out of it what a picture does not need; all of that is reported.

    Raises `BrokenFile`, `UnsafeFile` or `TooLarge`.
    """
    if is_packed(data):
        try:
            data = zlib.decompressobj(GZIP).decompress(data, MAX_XML + 1)
        except zlib.error as error:
            raise BrokenFile(f"'{file_name}' is damaged: it cannot be unpacked. Save it again as SVG.") from error
    if len(data) > MAX_XML:
        raise TooLarge(f"'{file_name}' has more than {MAX_XML >> 20} MiB of XML.")
    root = _parsed(data, file_name)
    _check_size_of_tree(root, file_name)
    _make_safe(root, report)
    _put_styles_in_place(root, report)
    _hide_other_versions(root)
    # The first of an id counts.
    by_id = {str(element.get("id")): element for element in reversed(list(elements(root))) if element.get("id")}
    _check_uses(root, by_id, file_name)
    width, height = _natural_size(root, ppi, file_name)
    return Document(root, width, height, by_id)


def is_packed(data: bytes) -> bool:
    """Whether a file is packed as RFC 1952 has it (gzip), as SVG files may be; all that is needed to know it is its start."""
    return data[:2] == b"\x1f\x8b"


def elements(root: etree._Element) -> Iterator[etree._Element]:
    """The element and all below it, without comments and instructions."""
    return (element for element in root.iter() if isinstance(element.tag, str))


def kind_of(element: etree._Element) -> str:
    """The name of an SVG element; empty for one of another language."""
    return str(element.tag).removeprefix(SVG) if str(element.tag).startswith(SVG) else ""


def reference(element: etree._Element) -> str | None:
    """The id that an element's `href` names."""
    target = element.get("href") or element.get(HREF) or ""
    return target.strip()[1:] if target.strip().startswith("#") else None


def declarations(element: etree._Element) -> dict[str, str]:
    """The properties that an element has of its own: presentation attributes, and its style over them."""
    own = {str(name): str(value).strip() for name, value in element.attrib.items() if not str(name).startswith("{")}
    for declaration in tinycss2.parse_declaration_list(
        element.get("style", ""), skip_comments=True, skip_whitespace=True
    ):
        if declaration.type == "declaration":
            own[declaration.lower_name] = tinycss2.serialize(declaration.value).strip()
    return own


def links(element: etree._Element) -> set[str]:
    """The ids of what the properties of an element refer to by url(#...)."""
    return set(_LINK.findall(" ".join(map(str, element.attrib.values()))))


def without(element: etree._Element, names: set[str]) -> dict[str, str]:
    """The attributes of an element with some properties taken out, from the style too."""
    kept = {str(name): str(value) for name, value in element.attrib.items() if str(name) not in names}
    if "style" in kept:
        parsed = tinycss2.parse_declaration_list(kept["style"], skip_comments=True, skip_whitespace=True)
        own = [one for one in parsed if one.type == "declaration" and one.lower_name not in names]
        kept["style"] = ";".join(f"{one.lower_name}:{tinycss2.serialize(one.value)}" for one in own)
    return kept


def take_out(element: etree._Element, names: set[str]) -> None:
    """Take properties out of an element itself."""
    kept = without(element, names)
    element.attrib.clear()
    for name, value in kept.items():
        element.set(name, value)


def _parsed(data: bytes, file_name: str) -> etree._Element:
    parser = etree.XMLParser(
        resolve_entities="internal",  # type: ignore[arg-type]  # newer than the stubs
        no_network=True,
        load_dtd=False,
        huge_tree=False,
        remove_comments=True,
        remove_pis=True,
    )
    _check_entities(data, file_name)
    try:
        root = etree.fromstring(data, parser)
        if b"<!ENTITY" in data:
            # What an entity holds gets the namespace that applies where it stands only when it is read there.
            root = etree.fromstring(etree.tostring(root), parser)
    except etree.XMLSyntaxError as error:
        raise BrokenFile(f"'{file_name}' is not well-formed: {error.msg}. Save it again as SVG.") from error
    if root.tag == "svg":
        # Without its namespace no browser would draw it, but what is meant is plain.
        for element in elements(root):
            if not str(element.tag).startswith("{"):
                element.tag = SVG + str(element.tag)
    if root.tag != f"{SVG}svg":
        raise BrokenFile(f"'{file_name}' begins with <{root.tag}> instead of <svg>. Save it again as SVG.")
    return root


def _check_entities(data: bytes, file_name: str) -> None:
    """Old files name their namespaces by entities; more than such short texts no picture needs."""
    found = re.findall(rb"<!ENTITY\s+(%?)\s*\S+\s+(SYSTEM|PUBLIC|\"[^\"]*\"|'[^']*')", data[:MAX_XML])
    for is_parameter, value in found:
        if is_parameter or value in (b"SYSTEM", b"PUBLIC"):
            raise UnsafeFile(f"'{file_name}' wants to read another file into itself. Save it again as SVG.")
        if (
            len(found) > MAX_ENTITIES
            or len(value) > MAX_ENTITY
            or re.search(rb"&(?!#|amp;|lt;|gt;|quot;|apos;)", value)
        ):
            raise UnsafeFile(f"'{file_name}' declares entities that no picture needs. Save it again as SVG.")
    if data.count(b"<!ENTITY") > len(found):
        raise UnsafeFile(f"'{file_name}' declares entities that cannot be read. Save it again as SVG.")


def _check_size_of_tree(root: etree._Element, file_name: str) -> None:
    for number, element in enumerate(elements(root), 1):
        if number > MAX_ELEMENTS:
            raise TooLarge(f"'{file_name}' has more than {MAX_ELEMENTS} elements.")
        if number % 16 == 1 and sum(1 for _ in element.iterancestors()) > MAX_NESTING:
            raise TooLarge(f"'{file_name}' is nested more than {MAX_NESTING} deep.")


def _make_safe(root: etree._Element, report: ReadingReport) -> None:
    for element in list(elements(root)):
        kind = kind_of(element)
        if kind in _NEVER:
            if kind not in ("script", "animate", "animateTransform", "animateMotion", "set"):
                report.add("not understood", f"<{kind}> is not part of a still picture; it is missing from it.")
            else:
                report.add("information", f"<{kind}> was left out: the picture is taken as it stands at first.")
            parent = element.getparent()
            if parent is not None:
                parent.remove(element)
            continue
        for reference_name in ("href", HREF):
            target = element.get(reference_name)
            if target is None or target.strip().startswith("#"):
                continue
            if kind == "a":
                del element.attrib[reference_name]
            elif not _PICTURE.match(target):
                report.add(
                    "not understood",
                    f"<{kind}> refers to '{target.strip()[:60]}', outside of the file; it was not loaded.",
                )
                del element.attrib[reference_name]
        for name, value in list(element.attrib.items()):
            if str(name).lower().startswith("on"):
                del element.attrib[name]
            elif "url(" in str(value) and re.search(r"url\(\s*['\"]?(?!#)", str(value)):
                report.add(
                    "not understood", f"{str(name)}='{str(value)[:60]}' refers outside of the file; it was not loaded."
                )
                del element.attrib[name]


def _put_styles_in_place(root: etree._Element, report: ReadingReport) -> None:
    """Write what the style sheets say into each element's own style, so that an element means the same alone."""
    sheets = [element for element in elements(root) if kind_of(element) == "style"]
    matcher = cssselect2.Matcher()
    for sheet in sheets:
        for rule in tinycss2.parse_stylesheet(
            "".join(map(str, sheet.itertext())), skip_comments=True, skip_whitespace=True
        ):
            if rule.type == "at-rule":
                report.add("not understood", f"The style rule '@{rule.at_keyword}' was left out of account.")
            if rule.type != "qualified-rule":
                continue
            try:
                selectors = cssselect2.compile_selector_list(rule.prelude)
            except cssselect2.SelectorError:
                report.add(
                    "not understood",
                    f"The style rule for '{tinycss2.serialize(rule.prelude).strip()[:60]}' was left out of account.",
                )
                continue
            own = [one for one in tinycss2.parse_declaration_list(rule.content) if one.type == "declaration"]
            text = ";".join(f"{one.lower_name}:{tinycss2.serialize(one.value)}" for one in own)
            if "url(" in text and re.search(r"url\(\s*['\"]?(?!#)", text):
                report.add("not understood", "A style rule refers outside of the file; it was not loaded.")
                continue
            for selector in selectors:
                if selector.pseudo_element is None:
                    matcher.add_selector(selector, text)
        parent = sheet.getparent()
        if parent is not None:
            parent.remove(sheet)
    if not sheets:
        return
    for wrapped in cssselect2.ElementWrapper.from_xml_root(root).iter_subtree():
        matches = sorted(matcher.match(wrapped), key=lambda match: match[:2])
        texts = [text for _, _, _, text in matches]
        if texts:
            wrapped.etree_element.set("style", ";".join([*texts, wrapped.etree_element.get("style", "")]))


def _hide_other_versions(root: etree._Element) -> None:
    """Conditions (SVG 2, section 5.8) as plain groups and hidden elements: of a switch the first that holds is shown.

    The language is English, that of the interface; no extension is there.
    """
    for element in list(elements(root)):
        holding = [child for child in element if isinstance(child.tag, str) and _holds(child)]
        others = [child for child in element if isinstance(child.tag, str) and child not in holding]
        if kind_of(element) == "switch":
            element.tag = f"{SVG}g"
            others += holding[1:]
        for child in others:
            take_out(child, {"display"})
            child.set("display", "none")
    for element in elements(root):
        for name in _CONDITIONS:
            if name in element.attrib:
                del element.attrib[name]


def _holds(element: etree._Element) -> bool:
    languages = element.get("systemLanguage")
    speaks = languages is None or any(re.match(r"en(-|$)", one.strip().casefold()) for one in languages.split(","))
    return speaks and not element.get("requiredExtensions", "").strip()


def _check_uses(root: etree._Element, by_id: dict[str, etree._Element], file_name: str) -> None:
    """Count what is drawn once every `use`, pattern, mask, clip path and marker is followed, without following any twice."""
    counts: dict[etree._Element, int] = {}
    busy: set[etree._Element] = set()

    def count(element: etree._Element) -> int:
        if element in counts:
            return counts[element]
        if element in busy:
            raise BrokenFile(f"'{file_name}' has a <use> that holds itself. Save it again as SVG.")
        busy.add(element)
        total = 1 + sum(count(child) for child in element if isinstance(child.tag, str))
        target = by_id.get(reference(element) or "") if kind_of(element) == "use" else None
        if target is not None:
            total += count(target)
        # What is drawn again for each that refers to it; one that refers to itself is left out when it is drawn.
        drawn = (by_id.get(name) for name in links(element))
        total += sum(
            count(one) for one in drawn if one is not None and kind_of(one) in _DRAWN_AGAIN and one not in busy
        )
        busy.discard(element)
        counts[element] = total
        return total

    if count(root) > MAX_USED:
        raise TooLarge(
            f"'{file_name}' draws more than {MAX_USED} elements, since its uses, patterns or masks hold each other."
        )


def _natural_size(root: etree._Element, ppi: float, file_name: str) -> tuple[float, float]:
    """Width and height in pixels: as said, else as the viewBox has it."""
    box = [
        float(number) for number in re.findall(r"[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?", root.get("viewBox", ""))
    ]
    from_box = (box[2], box[3]) if len(box) == 4 and box[2] > 0 and box[3] > 0 else (None, None)
    sizes = []
    for name, of_box in zip(("width", "height"), from_box, strict=True):
        value = pixels_of(root.get(name), ppi)
        if value is None:
            value = of_box
        if value is None:
            raise BrokenFile(
                f"'{file_name}' does not say its {name}: it has neither that nor a viewBox. Save it again with a size."
            )
        if not 0 < value <= 1e6:
            raise BrokenFile(f"'{file_name}' gives its {name} as {value:g} px. Save it again with a size above 0.")
        sizes.append(value)
    return sizes[0], sizes[1]


def pixels_of(text: str | None, ppi: float) -> float | None:
    """A length in pixels; None where there is none or it depends on what is around it (%, em)."""
    match = _LENGTH.fullmatch(text or "")
    if match is None:
        return None
    value, unit = float(match[1]), match[2].lower()
    if unit in ("", "px"):
        return value
    return value * _INCHES[unit] * ppi if unit in _INCHES else None
