"""A layered file as a painting program sees it: OpenRaster read by its specification (https://www.openraster.org/), and nothing else."""

import io
import zipfile
from pathlib import Path
from xml.etree import ElementTree

from PIL import Image

from yuplet.rehearsal.images import kept, require_few
from yuplet.rehearsal.package import GroupEntry, PartUse, TreeEntry
from yuplet.rehearsal.picture import Placed, Scene

MOST_UNPACKED = 2 << 30


def scene_of_layers(path: Path, scratch: Path, allowed: tuple[float, float], scale: float) -> Scene:
    """The layers of a file, back to front; raises what `zipfile`, `ElementTree` and Pillow raise for one that cannot be read."""
    placed: dict[str, Placed] = {}
    with zipfile.ZipFile(path) as archive:
        # An entry is not read beyond what it says that it unpacks to.
        if sum(entry.file_size for entry in archive.infolist()) > MOST_UNPACKED:
            raise ValueError(f"it unpacks to more than {MOST_UNPACKED >> 30} GiB")
        if archive.infolist()[0].filename != "mimetype" or archive.read("mimetype") != b"image/openraster":
            raise ValueError("it does not begin with its type")
        root = ElementTree.fromstring(archive.read("stack.xml"))

        def nodes(stack: ElementTree.Element) -> tuple[TreeEntry, ...]:
            found: list[TreeEntry] = []
            for element in reversed(stack):
                opacity, blend = float(element.get("opacity", "1")), element.get("composite-op", "svg:src-over")
                shown = element.get("visibility", "visible") == "visible"
                name = element.get("name", "")
                if element.tag == "stack":
                    isolated = element.get("isolation", "isolate") == "isolate"
                    found.append(GroupEntry(name, shown, opacity, _mode(blend), isolated, nodes(element)))
                    continue
                number = f"{len(placed)}"
                require_few(len(placed))
                with Image.open(io.BytesIO(archive.read(element.attrib["src"]))) as opened:
                    image = kept(opened.convert("RGBA"), scratch / f"layer {number}.raw")
                left, top = int(element.get("x", "0")), int(element.get("y", "0"))
                area = (left, top, left + image.width, top + image.height)
                placed[number] = Placed(
                    label=name, image=image, left=left, top=top, opacity=opacity, blend=_mode(blend), area=area
                )
                found.append(PartUse(number, shown))
            return tuple(found)

        stack = root.find("stack")
        if stack is None:
            raise ValueError("it has no stack of layers")
        tree = nodes(stack)
    width, height = int(root.attrib["w"]), int(root.attrib["h"])
    return Scene(
        way="layers",
        scale=scale,
        width=width,
        height=height,
        tree=tree,
        placed=placed,
        ground=None,
        largest=allowed[0],
        mean=allowed[1],
    )


def _mode(operator: str) -> str:
    name = operator.removeprefix("svg:")
    return {"src-over": "normal", "plus": "lighter", "dst-in": "destination-in", "dst-out": "destination-out"}.get(
        name, {"src-atop": "source-atop", "dst-atop": "destination-atop"}.get(name, name)
    )
