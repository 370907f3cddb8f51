"""SVG documents made safe and plain: nothing that runs or loads, every style in place, every length known.

Source: W3C, Scalable Vector Graphics (SVG) 2, https://www.w3.org/TR/SVG2/ (chapters 4 to 8); CSS selectors and declarations
are read by `cssselect2` and `tinycss2`.
Limits: 64 MiB of XML, 50 000 elements, 64 levels of nesting, 200 000 elements once every `use`, pattern, mask, clip path and marker is followed, 64 entities of
1 KiB that name no other entity, 50 000 letters of text, 5 million comparisons of style rules with elements, embedded pictures of 100 million pixels; what filters
take is limited in `svg`.
"""

import base64
import io
import re
import zlib
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple
from urllib.parse import unquote_to_bytes

import cssselect2
import tinycss2
from lxml import etree
from PIL import Image

from yuplet.errors import BrokenFile, TooLarge, UnsafeFile
from yuplet.illustration.layers import ReadingReport
from yuplet.reading.archives import GZIP, is_packed

SVG = "{http://www.w3.org/2000/svg}"
HREF = "{http://www.w3.org/1999/xlink}href"

MAX_XML = 64 << 20
MAX_ELEMENTS = 50_000
MAX_NESTING = 64
MAX_USED = 200_000
_CONDITIONS = ("systemLanguage", "requiredExtensions", "requiredFeatures")
_DRAWN_AGAIN = {"pattern", "mask", "clipPath", "marker"}
_LINK = re.compile(r"url\(\s*['\"]?#([^'\")]+)")
MAX_ENTITIES = 64
MAX_ENTITY = 1024
MAX_TEXT = 50_000
"""Letters in all texts."""
MAX_COMPARISONS = 5_000_000
"""Comparisons of selectors with elements: some seconds."""
MAX_PICTURE = 100_000_000
"""Pixels of a picture that is embedded."""

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
    """A safe document: its root, the natural size in pixels, the elements that references name, and how much work it is to draw each element
    with all in it.
    """

    root: etree._Element
    width: float
    height: float
    by_id: dict[str, etree._Element]
    work: Mapping[etree._Element, "Work"]


class Work(NamedTuple):
    """What drawing takes that has little to do with how much is seen: `elements` once everything that is referred to is followed, passes of
    filters, masks and the like over all pixels of the canvas, and pixels of pictures in it.
    """

    elements: int
    passes: float
    pixels: int

    def plus(self, other: "Work") -> "Work":
        """Both."""
        return Work(self.elements + other.elements, self.passes + other.passes, self.pixels + other.pixels)

    def times(self, count: int) -> "Work":
        """The same so many times."""
        return Work(self.elements * count, self.passes * count, self.pixels * count)


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
    _check_texts(root, file_name)
    _make_safe(root, report)
    _put_styles_in_place(root, report, file_name)
    _hide_other_versions(root)
    # The first of an id counts.
    by_id = {str(element.get("id")): element for element in reversed(list(elements(root))) if element.get("id")}
    work = _measure(root, by_id, file_name)
    width, height = _natural_size(root, ppi, file_name)
    return Document(root, width, height, by_id, work)


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


def strip_attributes(element: etree._Element, names: set[str]) -> None:
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


def _check_texts(root: etree._Element, file_name: str) -> None:
    if sum(len(text) for one in root.iter(f"{SVG}text") for text in one.itertext()) > MAX_TEXT:
        raise TooLarge(
            f"The texts of '{file_name}' have more than {MAX_TEXT:,} letters. Bring it in without them, or in pieces."
        )


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


def _put_styles_in_place(root: etree._Element, report: ReadingReport, file_name: str) -> None:
    """Write what the style sheets say into each element's own style, so that an element means the same alone."""
    sheets = [element for element in elements(root) if kind_of(element) == "style"]
    matcher = cssselect2.Matcher()
    found: list[str] = []
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
            found.append(tinycss2.serialize(rule.prelude))
        parent = sheet.getparent()
        if parent is not None:
            parent.remove(sheet)
    if not sheets:
        return
    _check_rules(root, found, file_name)
    for wrapped in cssselect2.ElementWrapper.from_xml_root(root).iter_subtree():
        matches = sorted(matcher.match(wrapped), key=lambda match: match[:2])
        texts = [text for _, _, _, text in matches]
        if texts:
            wrapped.etree_element.set("style", ";".join([*texts, wrapped.etree_element.get("style", "")]))


def _check_rules(root: etree._Element, preludes: Sequence[str], file_name: str) -> None:
    """How many comparisons the rules take: each selector is held against each element, with a `~` also against those before it in its group,
    with a space against all around it.
    """
    count = before = around = 0
    depths: dict[etree._Element | None, int] = {None: 0}
    for element in elements(root):
        count += 1
        before += len(element) * (len(element) - 1) // 2
        depths[element] = depths.get(element.getparent(), 0) + 1
        around += depths[element] - 1
    siblings, depth = max(1.0, before / count), max(1.0, around / count)
    work = 0.0
    for prelude in preludes:
        for selector in prelude.split(","):
            plain = re.sub(r"\[[^\]]*\]|\([^)]*\)", "", selector).strip()
            spaces = len(re.findall(r"[^\s>+~]\s+[^\s>+~]", plain))
            # Selectors of a class, an id or a kind of element are held against few.
            share = 0.05 if re.search(r"[.#\w][\w-]*$", plain) and not plain.endswith("*") else 1.0
            work += share * count * siblings ** plain.count("~") * depth**spaces
    if work > MAX_COMPARISONS:
        raise TooLarge(
            f"'{file_name}' has style rules that take {work / 1e6:,.0f} million comparisons with its elements; Yuplet takes up to"
            f" {MAX_COMPARISONS // 1_000_000} million. Save it with the styles in the elements (presentation attributes)."
        )


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
            strip_attributes(child, {"display"})
            child.set("display", "none")
    for element in elements(root):
        for name in _CONDITIONS:
            if name in element.attrib:
                del element.attrib[name]


def _holds(element: etree._Element) -> bool:
    languages = element.get("systemLanguage")
    speaks = languages is None or any(re.match(r"en(-|$)", one.strip().casefold()) for one in languages.split(","))
    return speaks and not element.get("requiredExtensions", "").strip()


def _measure(root: etree._Element, by_id: dict[str, etree._Element], file_name: str) -> dict[etree._Element, Work]:
    """How much work each element is once every `use`, pattern, mask, clip path and marker is followed, without following any twice."""
    known: dict[etree._Element, Work] = {}
    busy: set[etree._Element] = set()

    def of(element: etree._Element) -> Work:
        if element in known:
            return known[element]
        if element in busy:
            raise BrokenFile(f"'{file_name}' has a <use> that holds itself. Save it again as SVG.")
        busy.add(element)
        total = _own_work(element, file_name)
        for child in element:
            if isinstance(child.tag, str):
                total = total.plus(of(child))
        target = by_id.get(reference(element) or "") if kind_of(element) == "use" else None
        if target is not None:
            total = total.plus(of(target))
        # What is drawn again for each that refers to it; one that refers to itself is left out when it is drawn.
        for one in (by_id.get(name) for name in sorted(links(element))):
            if one is not None and one not in busy and kind_of(one) in _DRAWN_AGAIN | {"filter"}:
                own = of(one).plus(Work(0, _PASSES.get(kind_of(one), 0), 0))
                total = total.plus(own.times(_corners(element) if kind_of(one) == "marker" else 1))
        busy.discard(element)
        known[element] = total
        return total

    try:
        whole = of(root)
    except RecursionError:
        raise TooLarge(
            f"'{file_name}' has uses of uses of uses, and so on without end. Save it again as SVG."
        ) from None
    if whole.elements > MAX_USED:
        raise TooLarge(
            f"'{file_name}' draws more than {MAX_USED} elements, since its uses, patterns or masks hold each other."
        )
    return known


_PASSES = {"mask": 0.5, "clipPath": 0.05, "pattern": 0.05}
"""What a mask and the like take beside what is in them, as a share of going over all pixels of the canvas (measured, roughly)."""


def _own_work(element: etree._Element, file_name: str) -> Work:
    """What one element adds: a step of a filter by how often it looks at each pixel, a picture by its size."""
    kind = kind_of(element)
    if kind in ("image", "feImage"):
        href = element.get("href") or element.get(HREF) or ""
        return Work(1, 0.0, _pixels_of_picture(href, file_name))
    passes = 0.0
    if kind.startswith("fe"):
        passes = 1.0
        if kind == "feTurbulence":
            passes = 5.0 * max(1.0, *_numbers(element.get("numOctaves", "1")))
        elif kind == "feMorphology":
            across, down = (_numbers(element.get("radius", "0")) * 2)[:2]
            passes = (2 * abs(across) + 1) * (2 * abs(down) + 1)
        elif kind == "feConvolveMatrix":
            across, down = (_numbers(element.get("order", "3")) * 2)[:2]
            passes = max(1.0, across * down)
    return Work(1, min(passes, 1e6), 0)


def _corners(element: etree._Element) -> int:
    """About how many corners a line has, at each of which a marker is drawn."""
    return max(2, len(re.findall(r"[-+.\d]+", element.get("d", "") + element.get("points", ""))) // 2)


def _numbers(text: str) -> list[float]:
    return [float(one) for one in re.findall(r"-?\d+(?:\.\d+)?", text[:40])] or [0.0]


def _pixels_of_picture(href: str, file_name: str) -> int:
    """How many pixels an embedded picture says that it has; raises `TooLarge`."""
    if not _PICTURE.match(href):
        return 0
    head, _, data = href.partition(",")
    try:
        raw = base64.b64decode(data, validate=False) if ";base64" in head.lower() else unquote_to_bytes(data)
        with Image.open(io.BytesIO(raw), formats=("PNG", "JPEG", "GIF", "WEBP")) as image:
            width, height = image.size
    except Exception:
        return 0  # it cannot be drawn, and is missing
    if width * height > MAX_PICTURE:
        raise TooLarge(
            f"'{file_name}' has a picture of {width} x {height} px in it; Yuplet takes up to {MAX_PICTURE // 1_000_000} million pixels."
            " Make the picture smaller."
        )
    return width * height


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
