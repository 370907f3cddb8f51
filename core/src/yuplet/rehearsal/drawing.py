"""Vector files as a browser or an animation program sees them: drawn by the resvg library at the size that they say."""

import io
import math
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import replace
from pathlib import Path
from xml.etree import ElementTree

import resvg
from PIL import Image
from resvg import usvg

from yuplet.errors import shown
from yuplet.rehearsal.images import kept, require_few
from yuplet.rehearsal.package import GroupEntry, Package, PartUse, TreeEntry
from yuplet.rehearsal.page import mode_of
from yuplet.rehearsal.picture import Placed, Scene

_SVG = "{http://www.w3.org/2000/svg}"
# What is written again keeps its names.
ElementTree.register_namespace("", "http://www.w3.org/2000/svg")
ElementTree.register_namespace("xlink", "http://www.w3.org/1999/xlink")
_ADDED = "plus-lighter"


def scene_of_drawing(
    path: Path, scratch: Path, allowed: tuple[float, float], size: tuple[int, int], scale: float
) -> Scene:
    """One drawing of everything, as large as the canvas; raises OSError or ValueError for one that cannot be read.

    What is added up (`plus-lighter`) is laid together here from drawings of the rest, since browsers know that mode and the library that draws
    does not.
    """
    text = path.read_text("utf-8")
    placed: dict[str, Placed] = {}

    def drawn(markup: str, label: str, opacity: float, blend: str) -> PartUse:
        require_few(len(placed))
        name = f"drawing {len(placed)}"
        picture = _drawn(markup, (0, 0), size, scale)
        area = picture.getbbox(alpha_only=True) or (0, 0, 1, 1)
        image = kept(picture.crop(area), scratch / f"{name}.raw")
        placed[name] = Placed(
            label=label, image=image, left=area[0], top=area[1], opacity=opacity, blend=blend, area=area
        )
        return PartUse(name, True)

    tree: tuple[TreeEntry, ...]
    root = _in_layers(ElementTree.fromstring(text))
    if _ADDED not in text:
        tree = (drawn(ElementTree.tostring(root, encoding="unicode"), "the scene", 1.0, "normal"),)
    else:
        tree = tuple(_laid(root, drawn))
    return Scene(
        way="scene",
        scale=scale,
        width=size[0],
        height=size[1],
        tree=tree,
        placed=placed,
        ground=None,
        largest=allowed[0],
        mean=allowed[1],
    )


def _in_layers(root: ElementTree.Element) -> ElementTree.Element:
    """The same, each part drawn by itself and then laid, as those of the reference are: the library smooths edges in another way where it draws
    straight onto what is there, by up to 64 levels.
    """
    title = f"{_SVG}title"
    for element in root.iter(f"{_SVG}g"):
        if element.find(title) is not None and all(one.find(title) is None for one in element):
            said = element.get("style", "")
            element.set("style", f"{said};isolation:isolate" if said else "isolation:isolate")
    return root


def _laid(root: ElementTree.Element, drawn: Callable[[str, str, float, str], PartUse]) -> Iterator[TreeEntry]:
    """The elements directly in an SVG, and those in groups in which something is added up: what holds nothing of that is drawn as it is."""
    shared = [one for one in root if one.tag == f"{_SVG}defs"]

    def alone(element: ElementTree.Element, around: list[ElementTree.Element]) -> str:
        whole = ElementTree.Element(root.tag, root.attrib)
        whole.extend(shared)
        onto = whole
        for one in around:
            onto = ElementTree.SubElement(onto, one.tag, _without_mixing(one))
            onto.extend(below for below in one if below.tag == f"{_SVG}defs")
        kept_as_it_is = ElementTree.SubElement(onto, element.tag, _without_mixing(element))
        kept_as_it_is.extend(list(element))
        return ElementTree.tostring(whole, encoding="unicode")

    def each(elements: Iterable[ElementTree.Element], around: list[ElementTree.Element]) -> Iterator[TreeEntry]:
        for element in elements:
            if element.tag in (f"{_SVG}defs", f"{_SVG}title") or element.get("display") == "none":
                continue
            said = [one.split(":") for one in element.get("style", "").split(";") if one.count(":") == 1]
            style = {name.strip(): value.strip() for name, value in said}
            opacity, blend = float(element.get("opacity", "1")), mode_of(style.get("mix-blend-mode", "normal"))
            if any(_ADDED in one.get("style", "") for one in element.iter() if one is not element):
                isolated = style.get("isolation") == "isolate"
                members = tuple(each(element, [*around, element]))
                yield GroupEntry(element.get("id", ""), True, opacity, blend, isolated, members)
            else:
                title = element.findtext(f"{_SVG}title", "")
                yield drawn(alone(element, around), title, opacity, blend)

    yield from each(root, [])


def _without_mixing(element: ElementTree.Element) -> dict[str, str]:
    return {name: value for name, value in element.attrib.items() if name not in ("opacity", "style")}


def symbols_of(text: str) -> dict[str, str]:
    """Each symbol of an SVG that says whose it is, used alone in its own view, by the part's id. Raises ValueError or KeyError."""
    root = ElementTree.fromstring(text)
    shared = [one for one in root if one.tag == f"{_SVG}defs"]
    found: dict[str, str] = {}
    for symbol in root.iter(f"{_SVG}symbol"):
        part = symbol.get("data-part")
        if part is None:
            continue
        view = symbol.attrib["viewBox"]
        left, top, width, height = view.split()
        alone = ElementTree.Element(f"{_SVG}svg", {"width": width, "height": height, "viewBox": view})
        alone.extend([*shared, symbol])
        place = {"x": left, "y": top, "width": width, "height": height}
        ElementTree.SubElement(alone, f"{_SVG}use", {"href": f"#{symbol.attrib['id']}", **place})
        found[part] = ElementTree.tostring(alone, encoding="unicode")
    return found


def scene_of_drawings(scene: Scene, package: Package, drawings: Mapping[str, str], scratch: Path) -> Scene:
    """The drawing of each part that has one where its own view lies, and the others as the `scene` has them, put together by the manifest's tree.

    Raises ValueError or KeyError.
    """
    placed: dict[str, Placed] = dict(scene.placed)
    for number, part in enumerate(package.parts):
        if part.id not in drawings:
            continue
        text = drawings[part.id]
        root = ElementTree.fromstring(text)
        x, y, width, height = (float(side) * package.scale for side in root.attrib["viewBox"].split())
        # Rounded outwards on the grid of the scale, as the boxes of images are.
        left, top = math.floor(x), math.floor(y)
        drawn = _drawn(text, (left, top), (math.ceil(x + width) - left, math.ceil(y + height) - top), package.scale)
        # Most of a whole canvas is empty.
        seen = drawn.getbbox(alpha_only=True) or (0, 0, 1, 1)
        left, top = left + seen[0], top + seen[1]
        image = kept(drawn.crop(seen), scratch / f"drawing {number}.raw")
        area = (part.left, part.top, part.left + part.width, part.top + part.height)
        placed[part.id] = Placed(
            label=part.label, image=image, left=left, top=top, opacity=part.opacity, blend=part.blend, area=area
        )
    # What draws them is not what drew the reference, and rounds after every shape. A view that ends between two pixels cuts what is smoothed there.
    most = 16.0 if package.scale == int(package.scale) else 64.0
    return replace(scene, placed=placed, largest=max(package.largest, most), mean=max(package.mean, 0.5))


def _drawn(text: str, at: tuple[int, int], size: tuple[int, int], scale: float) -> Image.Image:
    """An area of the scaled canvas, with an SVG where it says that it lies."""
    root = ElementTree.fromstring(text)
    for element in root.iter():
        for name, value in element.attrib.items():
            # The library that draws it would open any file of the machine.
            if name.rpartition("}")[2] == "href" and not value.strip().startswith(("#", "data:")):
                raise ValueError(f"it refers to another file, '{shown(value)}'")
    view = root.get("viewBox", f"0 0 {size[0]} {size[1]}")
    rest = text.partition("<svg")[2]
    area = " ".join(f"{value / scale!r}" for value in (*at, *size))
    # Drawn at exactly the scale that is wanted: of an odd canvas no size of its own would be that.
    whole = (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{size[0]}" height="{size[1]}" viewBox="{area}"'
        f' preserveAspectRatio="none"><svg x="{view.split()[0]}" y="{view.split()[1]}"{rest}</svg>'
    )
    try:
        tree = usvg.Tree.from_str(whole, usvg.Options.default())
        data = bytes(resvg.render(tree, (1.0, 0.0, 0.0, 0.0, 1.0, 0.0)))
    except BaseException as error:
        # What resvg cannot draw ends in a panic of Rust, which is no `Exception`.
        if type(error).__name__ != "PanicException":
            raise
        raise ValueError(f"it cannot be drawn ({error})") from error
    with Image.open(io.BytesIO(data)) as image:
        return image.convert("RGBA")
