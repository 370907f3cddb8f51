"""A page as a browser lays it out at the size of the canvas: what its HTML and CSS say of places, order, opacity and modes, and nothing else."""

import base64
import io
from dataclasses import dataclass, field
from html.parser import HTMLParser
from pathlib import Path
from urllib.parse import unquote

import tinycss2
from PIL import Image

from yuplet.paths import PackagePath, within
from yuplet.rehearsal.images import kept, require_few
from yuplet.rehearsal.package import GroupEntry, PartUse, TreeEntry
from yuplet.rehearsal.picture import Placed, Scene

_EMPTY = {"img", "meta", "link"}
_CSS = {
    *(
        "normal",
        "multiply",
        "screen",
        "overlay",
        "darken",
        "lighten",
        "color-dodge",
        "color-burn",
        "hard-light",
        "soft-light",
    ),
    *("difference", "exclusion", "hue", "saturation", "color", "luminosity"),
}
"""Values of `mix-blend-mode` (Compositing and Blending Level 1), and of level 2 `plus-lighter`."""


def mode_of(said: str) -> str:
    """What a browser takes a `mix-blend-mode` for: one that CSS does not have counts for nothing."""
    if said == "plus-lighter":
        return "lighter"
    return said if said in _CSS else "normal"


@dataclass(slots=True)
class HtmlElement:
    """An element with its attributes, what is in it, and the text directly in it."""

    tag: str
    said: dict[str, str]
    members: list["HtmlElement"] = field(default_factory=list)
    text: str = ""


class _Reader(HTMLParser):
    """The elements of a page within each other."""

    def __init__(self) -> None:
        super().__init__()
        self.root = HtmlElement("", {})
        self._open = [self.root]

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        element = HtmlElement(tag, {name: value or "" for name, value in attrs})
        self._open[-1].members.append(element)
        if tag not in _EMPTY:
            self._open.append(element)

    def handle_data(self, data: str) -> None:
        self._open[-1].text += data

    def handle_endtag(self, tag: str) -> None:
        while len(self._open) > 1 and self._open.pop().tag != tag:
            pass


def elements_of(text: str) -> HtmlElement:
    """What holds the elements of a page, which has no tag of its own."""
    reader = _Reader()
    reader.feed(text)
    return reader.root


def scene_of_page(
    path: Path, scratch: Path, allowed: tuple[float, float], size: tuple[int, int], scale: float
) -> Scene:
    """The parts of a page on a canvas of that size; raises OSError, ValueError or KeyError for one that cannot be read."""
    root = elements_of(path.read_text("utf-8"))
    rules = _rules((path.parent / "style.css").read_text("utf-8"))
    placed: dict[str, Placed] = {}

    def each(elements: list[HtmlElement]) -> tuple[TreeEntry, ...]:
        found: list[TreeEntry] = []
        for element in elements:
            kind, own = element.said.get("class"), rules.get(f"#{element.said.get('id', '')}", {})
            shown = "hidden" not in element.said
            opacity, blend = float(own.get("opacity", "1")), own.get("mix-blend-mode", "normal")
            blend = mode_of(blend)
            name = element.said.get("id", "")
            if kind == "group":
                isolated = own.get("isolation") == "isolate"
                found.append(GroupEntry(name, shown, opacity, blend, isolated, each(element.members)))
            elif kind == "part":
                left, top, width, height = (
                    _pixels(own[side], size[at % 2]) for at, side in enumerate(("left", "top", "width", "height"))
                )
                image = element if element.tag == "img" else element.members[0]
                with Image.open(_source(path, image.said["src"])) as opened:
                    picture = opened.convert("RGBA")
                if image is not element:
                    picture = _turned(picture, rules[f"#{name} img"]["transform"])
                if picture.size != (width, height):
                    raise ValueError(f"'{image.said.get('alt')}' is {picture.size} px large, its place {width, height}")
                decoded = kept(picture, scratch / f"part {len(placed)}.raw")
                area = (left, top, left + width, top + height)
                placed[name] = Placed(
                    label=image.said.get("alt", ""),
                    image=decoded,
                    left=left,
                    top=top,
                    opacity=opacity,
                    blend=blend,
                    area=area,
                )
                found.append(PartUse(name, shown))
                require_few(len(placed))
        return tuple(found)

    main = _first(root, "main")
    return Scene(
        way="page",
        scale=scale,
        width=size[0],
        height=size[1],
        tree=each(main.members),
        placed=placed,
        ground=None,
        largest=allowed[0],
        mean=allowed[1],
    )


def _rules(text: str) -> dict[str, dict[str, str]]:
    found: dict[str, dict[str, str]] = {}
    for rule in tinycss2.parse_stylesheet(text, skip_comments=True, skip_whitespace=True):
        if rule.type == "qualified-rule":
            own = found.setdefault(tinycss2.serialize(rule.prelude).strip(), {})
            for one in tinycss2.parse_declaration_list(rule.content, skip_comments=True, skip_whitespace=True):
                if one.type == "declaration":
                    own[one.lower_name] = tinycss2.serialize(one.value).strip()
    return found


def _first(element: HtmlElement, tag: str) -> HtmlElement:
    for member in element.members:
        if member.tag == tag:
            return member
        try:
            return _first(member, tag)
        except KeyError:
            continue
    raise KeyError(tag)


def _pixels(share: str, whole: int) -> int:
    value = float(share.removesuffix("%")) / 100 * whole
    if abs(value - round(value)) > 1e-6 * whole:
        raise ValueError(f"a place is {value} px, no whole number")
    return round(value)


def _source(path: Path, said: str) -> Path | io.BytesIO:
    if said.startswith("data:"):
        return io.BytesIO(base64.b64decode(said.split(",", 1)[1]))
    # A page of somewhere may name any file of the machine.
    return within(path.parent, PackagePath(unquote(said)))


def _turned(picture: Image.Image, said: str) -> Image.Image:
    if "scaleX(-1)" in said:
        picture = picture.transpose(Image.Transpose.FLIP_LEFT_RIGHT)
    ways = {90: Image.Transpose.ROTATE_270, 180: Image.Transpose.ROTATE_180, 270: Image.Transpose.ROTATE_90}
    for degrees, way in ways.items():
        if f"rotate({degrees}deg)" in said:
            return picture.transpose(way)
    return picture
