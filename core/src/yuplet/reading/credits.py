"""Who made a picture, as far as its own file says.

Sources: PNG, third edition, 11.3.3.1 (keywords of text chunks); Exif 2.32, 4.6.4 (Artist, Copyright, ImageDescription);
XMP, ISO 16684-1, and the Creative Commons vocabulary (https://creativecommons.org/ns) in RDF, also within SVG's metadata.
"""

from collections.abc import Mapping
from dataclasses import asdict

from lxml import etree
from PIL import Image
from PIL.ExifTags import Base

from yuplet.illustration.credit import Credit, spdx_id
from yuplet.reading import png

_DC = "{http://purl.org/dc/elements/1.1/}"
_CC = ("{http://creativecommons.org/ns#}", "{http://web.resource.org/cc/}")
_STATEMENT = "/xap/1.0/rights/}WebStatement"
"""The end of the name under which XMP gives the address of a licence."""
_RDF = "{http://www.w3.org/1999/02/22-rdf-syntax-ns#}"
_LONGEST = 2_000
_RIGHTS_MOST = 16 << 20


def of_image(image: Image.Image) -> Credit:
    """What a flat picture says of its maker: in XMP, else in PNG's texts, else in Exif. Of its pixels nothing is decoded."""
    image = png.without_pixels(image)
    # PNG keeps it as a text under a name of its own that ends so.
    xmp = next((image.info[name] for name in image.info if str(name) == "xmp" or str(name).endswith(".xmp")), b"")
    if isinstance(xmp, str):
        xmp = xmp.encode()
    texts = {name: value for name, value in image.info.items() if isinstance(name, str) and isinstance(value, str)}
    exif = image.getexif()
    tags = {name: str(exif.get(tag, "")) for name, tag in _EXIF.items()}
    return _first_of(_of_xmp(bytes(xmp)), _of_texts(texts), _of_texts(tags))


_EXIF = {"Author": Base.Artist, "Copyright": Base.Copyright, "Description": Base.ImageDescription}


def of_rdf(root: etree._Element) -> Credit:
    """What RDF anywhere below an element says, in the terms of Dublin Core and of Creative Commons."""
    work = next((found for cc in _CC for found in root.iter(f"{cc}Work")), root)
    # The licence itself and the agents may be described beside or within the work: the work's own children come first.
    rights = _words(work, f"{_DC}rights")
    deed = next((found for cc in _CC if (found := _resource(work, f"{cc}license"))), "")
    deed = deed or _statement(work)
    return _credit(
        author=_words(work, f"{_DC}creator"),
        title=_words(work, f"{_DC}title"),
        source=_words(work, f"{_DC}source") or _resource(work, f"{_DC}source"),
        rights=deed or rights,
        note=rights if deed and rights != deed else _words(work, f"{_DC}description"),
    )


def _of_xmp(packet: bytes) -> Credit:
    if not packet or len(packet) > _RIGHTS_MOST:
        return Credit()
    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, recover=True)
    root = etree.fromstring(packet.strip(b"\0 \r\n\t"), parser)
    return of_rdf(root) if root is not None else Credit()


def _of_texts(texts: Mapping[str, str]) -> Credit:
    source = texts.get("Source", "")
    return _credit(
        author=texts.get("Author", ""),
        title=texts.get("Title", ""),
        # PNG means the device by it; only an address says where a picture comes from.
        source=source if source.startswith(("http://", "https://")) else "",
        rights=texts.get("Copyright", ""),
        note=texts.get("Description", ""),
    )


def _credit(author: str, title: str, source: str, rights: str, note: str) -> Credit:
    fields = (" ".join(text.split())[:_LONGEST] for text in (author, title, source, rights, note))
    author, title, source, rights, note = fields
    return Credit(author, title, source, spdx_id(rights) or rights, None, note).in_spdx_terms()


def _first_of(*credits: Credit) -> Credit:
    merged: dict[str, object] = {}
    for credit in credits:
        for name, value in asdict(credit).items():
            if merged.get(name) in (None, ""):
                merged[name] = value
    return Credit(**merged)  # type: ignore[arg-type]


def _words(work: etree._Element, name: str) -> str:
    """The text of the first such element that is not inside of another term, or of such an attribute."""
    for found in work.iter(name):
        if any(
            str(above.tag).startswith((_DC, *_CC)) and not str(above.tag).endswith("}Work")
            for above in _above(found, work)
        ):
            continue
        # A sequence names several: they are set side by side.
        items = [" ".join(str(item.xpath("string()")).split()) for item in found.iter(f"{_RDF}li")]
        text = ", ".join(items) if items else " ".join(str(found.xpath("string()")).split())
        if text:
            return text
    for element in work.iter():
        if isinstance(element.tag, str) and element.get(name):
            return str(element.get(name))
    return ""


def _statement(work: etree._Element) -> str:
    """The address of the licence that XMP gives, as an element or as an attribute."""
    for element in work.iter():
        if not isinstance(element.tag, str):
            continue
        if element.tag.endswith(_STATEMENT):
            return element.get(f"{_RDF}resource") or (element.text or "").strip()
        for name, value in element.attrib.items():
            if str(name).endswith(_STATEMENT):
                return str(value)
    return ""


def _above(element: etree._Element, top: etree._Element) -> list[etree._Element]:
    found = []
    parent = element.getparent()
    while parent is not None and parent is not top:
        found.append(parent)
        parent = parent.getparent()
    return found


def _resource(work: etree._Element, name: str) -> str:
    for found in work.iter(name):
        address = found.get(f"{_RDF}resource") or (found.text or "").strip()
        if address:
            return address
    return ""
