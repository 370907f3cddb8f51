"""Vector files as a browser or an animation program sees them: drawn by the resvg library at the size that they say."""

import io
from collections.abc import Mapping
from pathlib import Path
from xml.etree import ElementTree

import resvg
from PIL import Image
from resvg import usvg

from yuplet.errors import shown
from yuplet.rehearsal.images import kept
from yuplet.rehearsal.package import Package, PartUse
from yuplet.rehearsal.picture import Placed, Scene


def scene_of_drawing(
    path: Path, scratch: Path, allowed: tuple[float, float], size: tuple[int, int], scale: float
) -> Scene:
    """One drawing of everything, as large as the canvas; raises OSError or ValueError for one that cannot be read."""
    image = kept(_drawn(path.read_text("utf-8"), size), scratch / "scene.raw")
    placed = {
        "all": Placed(label="the scene", image=image, left=0, top=0, opacity=1.0, blend="normal", area=(0, 0, *size))
    }
    return Scene(
        way="scene",
        scale=scale,
        width=size[0],
        height=size[1],
        tree=(PartUse("all", True),),
        placed=placed,
        ground=None,
        largest=allowed[0],
        mean=allowed[1],
    )


def scene_of_drawings(package: Package, files: Mapping[str, Path], scratch: Path) -> Scene:
    """The drawing of each part where its own view lies, put together by the manifest's tree; raises OSError, ValueError or KeyError."""
    placed: dict[str, Placed] = {}
    for number, part in enumerate(package.parts):
        text = files[part.id].read_text("utf-8")
        root = ElementTree.fromstring(text)
        left, top, width, height = (round(float(side) * package.scale) for side in root.attrib["viewBox"].split())
        drawn = _drawn(text, (width, height))
        # Most of a whole canvas is empty.
        seen = drawn.getbbox(alpha_only=True) or (0, 0, 1, 1)
        left, top = left + seen[0], top + seen[1]
        image = kept(drawn.crop(seen), scratch / f"drawing {number}.raw")
        area = (part.left, part.top, part.left + part.width, part.top + part.height)
        placed[part.id] = Placed(
            label=part.label, image=image, left=left, top=top, opacity=part.opacity, blend=part.blend, area=area
        )
    # What draws them is not what drew the reference, and rounds after every shape.
    return Scene(
        way="vector",
        scale=package.scale,
        width=package.width,
        height=package.height,
        tree=package.tree,
        placed=placed,
        ground=package.ground,
        largest=max(package.largest, 16.0),
        mean=max(package.mean, 0.5),
    )


def _drawn(text: str, size: tuple[int, int]) -> Image.Image:
    root = ElementTree.fromstring(text)
    for element in root.iter():
        for name, value in element.attrib.items():
            # The library that draws it would open any file of the machine.
            if name.rpartition("}")[2] == "href" and not value.strip().startswith(("#", "data:")):
                raise ValueError(f"it refers to another file, '{shown(value)}'")
    view = root.get("viewBox", f"0 0 {size[0]} {size[1]}")
    rest = text.partition("<svg")[2]
    # Drawn at exactly the size that is wanted, whatever it says.
    whole = (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{size[0]}" height="{size[1]}" viewBox="{view}"'
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
