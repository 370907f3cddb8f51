"""Builds the demo illustrations from their vector sources: every marked group of the drawing becomes a layer.

.venv/bin/python demo/build.py OUT.ora
"""

import copy
import io
import sys
from pathlib import Path

import numpy as np
import resvg
from lxml import etree
from PIL import Image
from resvg import usvg

from yuplet.geometry import Box, Size
from yuplet.illustration.layers import Illustration, Layer, LayerGroup, LayerNode
from yuplet.pixels import Picture
from yuplet.pixels.scratch import Scratch
from yuplet.pixels.trimming import content_box, cut
from yuplet.writing import openraster

SOURCE = Path(__file__).parent / "brindle.svg"


def build(out: Path, source: Path = SOURCE) -> None:
    """Draw every layer of a source alone and write them as an OpenRaster file."""
    root = etree.parse(source).getroot()
    canvas = Size(int(root.get("width", "0")), int(root.get("height", "0")))
    with Scratch() as scratch:
        nodes = _nodes(root, canvas, scratch)
        openraster.write(out, Illustration(source.stem, canvas, nodes, ppi=144.0), scratch)


def _nodes(parent: etree._Element, canvas: Size, scratch: Scratch) -> tuple[LayerNode, ...]:
    nodes: list[LayerNode] = []
    for element in parent.iterchildren("{*}g"):
        opacity, blend = float(element.get("data-opacity", "1")), element.get("data-blend", "normal")
        visible = element.get("data-hidden") != "yes"
        own_id = f"n{len(list(element.iterancestors()))}-{element.sourceline}"
        if (group := element.get("data-group")) is not None:
            nodes.append(LayerGroup(own_id, group, _nodes(element, canvas, scratch), visible, opacity, blend))
        elif (name := element.get("data-layer")) is not None:
            picture = _drawn_alone(element)
            box = content_box(picture)
            if box is not None:
                scratch.put(own_id, cut(picture, box))
                box = box.meet(Box(0, 0, canvas.width, canvas.height))
            nodes.append(Layer(own_id, name, box, visible, opacity, blend))
    return tuple(nodes)


def _drawn_alone(element: etree._Element) -> Picture:
    """The drawing with nothing in it but one element, its ancestors and the definitions."""
    root = element.getroottree().getroot()
    path = [element, *element.iterancestors()]
    bare = etree.Element(root.tag, root.attrib, root.nsmap)
    bare.extend(copy.deepcopy(child) for child in root if child.tag == f"{{{root.nsmap[None]}}}defs")
    at = bare
    for ancestor in reversed(path[1:-1]):
        at = etree.SubElement(at, ancestor.tag, ancestor.attrib)
    at.append(copy.deepcopy(element))
    tree = usvg.Tree.from_str(etree.tostring(bare, encoding="unicode"), usvg.Options.default())
    png = resvg.render(tree, (1.0, 0.0, 0.0, 0.0, 1.0, 0.0))
    return np.array(Image.open(io.BytesIO(bytes(png))).convert("RGBA"))


if __name__ == "__main__":
    build(Path(sys.argv[1]))
