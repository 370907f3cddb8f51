"""Builds the demo files that are not in demo/ as they are.

.venv/bin/python demo/build.py OUT, where the name of OUT says which

Brindle is drawn layer by layer: every marked group of the drawing becomes a layer. In the second revision its scarf has been
repainted, the tail moved, the whistle renamed, a mouth taken out and a medal added.
"""

import copy
import io
import math
import sys
from pathlib import Path

import numpy as np
import resvg
import semaphore_lamp
import tin_inspector
from lxml import etree
from PIL import Image
from resvg import usvg

from yuplet.geometry import Box, Size
from yuplet.illustration.layers import Illustration, Layer, LayerGroup, LayerNode
from yuplet.pixels import Picture
from yuplet.pixels.spill_file import SpillFile
from yuplet.pixels.trimming import content_box, cut
from yuplet.writing import openraster

SOURCE = Path(__file__).parent / "brindle.svg"
REDUCED = 8
"""How much smaller a layer is drawn to see where it is."""


MEDAL = """<g xmlns="http://www.w3.org/2000/svg" data-layer="medal"><path d="M990 1134 L1000 1060 L1040 1060 L1048 1134 Z"
  fill="#c0492f" stroke="#20242f" stroke-width="8"/><circle cx="1018" cy="1154" r="38" fill="url(#brass)" stroke="#20242f"
  stroke-width="9"/><path d="M1018 1130 L1026 1147 L1044 1149 L1030 1161 L1034 1180 L1018 1170 L1002 1180 L1006 1161 L992 1149
  L1010 1147 Z" fill="#fff3cf"/></g>"""


def brindle(out: Path, revision: int = 1) -> None:
    """Draw every layer of Brindle alone and write them as an OpenRaster file."""
    root = etree.parse(SOURCE).getroot()
    if revision == 2:
        _redraw(root)
    canvas = Size(int(root.get("width", "0")), int(root.get("height", "0")))
    with SpillFile() as scratch:
        nodes = _nodes(root, canvas, scratch)
        openraster.write(out, Illustration("brindle", canvas, nodes, ppi=144.0), scratch)


def _redraw(root: etree._Element) -> None:
    """What the artist changed in the second revision."""
    layers = {element.get("data-layer"): element for element in root.iter("{*}g") if element.get("data-layer")}
    for stop, colour in zip(root.iterfind(".//*[@id='scarf']/*"), ("#5f8a4a", "#38602f"), strict=True):
        stop.set("stop-color", colour)
    layers["tail"].set("transform", "translate(26 -38)")
    layers["whistle"].set("data-layer", "signal whistle")
    frown = layers["mouth frown"]
    frown.getparent().remove(frown)  # type: ignore[union-attr]
    layers["whistle"].addnext(etree.fromstring(MEDAL))


BUILT = {
    "brindle.ora": brindle,
    "brindle second.ora": lambda out: brindle(out, 2),
    "semaphore lamp.zip": semaphore_lamp.write,
    "tin inspector.png": tin_inspector.write,
}
"""How each file is made, by its name."""


def _nodes(parent: etree._Element, canvas: Size, scratch: SpillFile) -> tuple[LayerNode, ...]:
    nodes: list[LayerNode] = []
    for element in parent.iterchildren("{*}g"):
        opacity, blend = float(element.get("data-opacity", "1")), element.get("data-blend", "normal")
        visible = element.get("data-hidden") != "yes"
        own_id = f"n{len(list(element.iterancestors()))}-{element.sourceline}"
        if (group := element.get("data-group")) is not None:
            nodes.append(
                LayerGroup(
                    own_id, group, _nodes(element, canvas, scratch), visible=visible, opacity=opacity, blend=blend
                )
            )
        elif (name := element.get("data-layer")) is not None:
            box, picture = _drawn_alone(element, canvas)
            if box is not None:
                scratch.put(own_id, picture)
            nodes.append(Layer(own_id, name, box, visible=visible, opacity=opacity, blend=blend))
    return tuple(nodes)


def _drawn_alone(element: etree._Element, canvas: Size) -> tuple[Box | None, Picture]:
    """The drawing with nothing in it but one element, its ancestors and the definitions: where that is, and how it looks there."""
    root = element.getroottree().getroot()
    path = [element, *element.iterancestors()]
    bare = etree.Element(root.tag, root.attrib, root.nsmap)
    bare.extend(copy.deepcopy(child) for child in root if child.tag == f"{{{root.nsmap[None]}}}defs")
    at = bare
    for ancestor in reversed(path[1:-1]):
        at = etree.SubElement(at, ancestor.tag, ancestor.attrib)
    at.append(copy.deepcopy(element))
    whole = Box(0, 0, canvas.width, canvas.height)
    # Small first, to see where it is: most layers are a fraction of the canvas.
    found = content_box(_drawn(bare, whole, REDUCED))
    if found is None:
        return None, np.empty((0, 0, 4), np.uint8)
    around = Box(found.left - 1, found.top - 1, found.right + 1, found.bottom + 1)
    box = Box(*(side * REDUCED for side in (around.left, around.top, around.right, around.bottom))).meet(whole)
    assert box is not None
    picture = _drawn(bare, box, 1)
    tight = content_box(picture)
    if tight is None:
        return None, picture
    return tight.moved(box.left, box.top), cut(picture, tight)


def _drawn(root: etree._Element, box: Box, reduced: int) -> Picture:
    """What lies in a box, so many times reduced."""
    root.set("viewBox", f"{box.left} {box.top} {box.width} {box.height}")
    root.set("width", str(math.ceil(box.width / reduced)))
    root.set("height", str(math.ceil(box.height / reduced)))
    tree = usvg.Tree.from_str(etree.tostring(root, encoding="unicode"), usvg.Options.default())
    png = resvg.render(tree, (1.0, 0.0, 0.0, 0.0, 1.0, 0.0))
    return np.array(Image.open(io.BytesIO(bytes(png))).convert("RGBA"))


if __name__ == "__main__":
    path = Path(sys.argv[1])
    BUILT[path.name](path)
