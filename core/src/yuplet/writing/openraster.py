"""OpenRaster files: a layer tree and its pixels as one archive. The counterpart of `reading.openraster`.

Source: the OpenRaster specification, https://www.openraster.org/ (file layout and layer stack).
"""

import zipfile
from collections.abc import Sequence
from pathlib import Path
from typing import IO

import numpy as np
from lxml import etree
from PIL import Image

from yuplet.illustration.interchange import MIMETYPE, OPERATOR_OF_BLEND
from yuplet.illustration.layers import Illustration, LayerGroup, LayerNode, composite_tree
from yuplet.pixels import Picture
from yuplet.pixels.compositing import compose
from yuplet.pixels.spill_file import SpillFile
from yuplet.writing import png

THUMBNAIL = 256


def write(path: Path | IO[bytes], illustration: Illustration, scratch: SpillFile) -> None:
    """Write an illustration as an OpenRaster file.

    Parameters
    ----------
    path : Path or file
        The file to be made or replaced, or one that is open for writing.
    illustration : Illustration
        Names, groups, order, places, opacity, modes, visibility and locks are all kept.
    scratch : SpillFile
        Holds the trimmed pixels of each layer under its id.
    """
    merged = compose(composite_tree(illustration.layers), illustration.canvas, scratch)
    root = etree.Element("image", version="0.0.5", w=str(illustration.canvas.width), h=str(illustration.canvas.height))
    if illustration.ppi is not None:
        root.set("xres", f"{illustration.ppi:g}")
        root.set("yres", f"{illustration.ppi:g}")
    with zipfile.ZipFile(path, "w", zipfile.ZIP_STORED) as archive:
        archive.writestr("mimetype", MIMETYPE)
        _stack(etree.SubElement(root, "stack"), illustration.layers, archive, scratch)
        text = etree.tostring(root, xml_declaration=True, encoding="UTF-8", pretty_print=True)
        archive.writestr("stack.xml", text, zipfile.ZIP_DEFLATED)
        archive.writestr("mergedimage.png", png.encode(merged))
        archive.writestr("Thumbnails/thumbnail.png", png.encode(_thumbnail(merged)))


def _stack(stack: etree._Element, nodes: Sequence[LayerNode], archive: zipfile.ZipFile, scratch: SpillFile) -> None:
    """List nodes front-most first, as the specification wants."""
    for node in reversed(nodes):
        is_group = isinstance(node, LayerGroup)
        element = etree.SubElement(stack, "stack" if is_group else "layer", name=node.name)
        element.set("opacity", repr(node.opacity))
        element.set("visibility", "visible" if node.visible else "hidden")
        element.set("composite-op", OPERATOR_OF_BLEND[node.blend])
        if isinstance(node, LayerGroup):
            element.set("isolation", "isolate" if node.isolated else "auto")
            _stack(element, node.members, archive, scratch)
            continue
        empty = np.zeros((1, 1, 4), np.uint8)
        entry = f"data/{node.id}.png"
        archive.writestr(entry, png.encode(empty if node.box is None else scratch.whole(node.id)))
        element.set("src", entry)
        element.set("x", str(node.box.left if node.box else 0))
        element.set("y", str(node.box.top if node.box else 0))
        if node.locked:
            element.set("edit-locked", "true")


def _thumbnail(picture: Picture) -> Picture:
    image = Image.fromarray(picture, "RGBA")
    image.thumbnail((THUMBNAIL, THUMBNAIL))
    return np.array(image)
