"""A flat PNG: one layer that fills the canvas, named by the file's stem. Limits as in `png`."""

from pathlib import Path

from yuplet.geometry import Box
from yuplet.illustration.layers import Illustration, Layer, ReadingReport
from yuplet.pixels.scratch import Scratch
from yuplet.pixels.trimming import content_box, cut, is_opaque
from yuplet.reading import png


def read(path: Path, scratch: Scratch) -> tuple[Illustration, ReadingReport]:
    """Read a PNG as an illustration of one layer, its pixels under the id 'l1'.

    Raises `BrokenFile` or `TooLarge`, as `png.facts` and `png.decode` do.
    """
    data = path.read_bytes()
    found = png.facts(data, f"'{path.name}'")
    picture = png.decode(data, f"'{path.name}'")
    report = ReadingReport()
    box = content_box(picture)
    if box is not None:
        scratch.put("l1", cut(picture, box))
    if found.bit_depth == 16:
        report.add("converted", "16 bits a channel were rounded to 8.")
    if found.colour_space != "sRGB":
        report.add(
            "information", f"The colour profile '{found.colour_space}' is not applied; numbers are kept as sRGB."
        )
    if is_opaque(picture):
        report.add("information", "The picture has no transparency: it is one part until it is taken apart.")
    report.counts = {"layers": 1, "groups": 0, "hidden": 0, "empty": int(box is None)}
    canvas = Box(0, 0, found.size.width, found.size.height)
    layer = Layer("l1", path.stem, box.meet(canvas) if box else None)
    return Illustration(path.stem, found.size, (layer,), found.ppi, found.colour_space, found.bit_depth), report
