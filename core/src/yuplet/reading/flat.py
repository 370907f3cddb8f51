"""A flat PNG: one layer that fills the canvas, named by the file's stem. Limits as in `png`."""

from pathlib import Path, PurePath

from yuplet.geometry import Box
from yuplet.illustration.layers import Illustration, Layer, ReadingReport
from yuplet.pixels.scratch import Scratch
from yuplet.pixels.trimming import content_box, cut, is_opaque
from yuplet.reading import png


def read(path: Path, scratch: Scratch, file_name: str) -> tuple[Illustration, ReadingReport]:
    """Read a PNG, called `file_name` where it came from, as an illustration of one layer with its pixels under 'l1'.

    Raises `BrokenFile` or `TooLarge`, as `png.facts` and `png.decode` do.
    """
    data = path.read_bytes()
    found = png.facts(data, f"'{file_name}'")
    picture = png.decode(data, f"'{file_name}'")
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
    name = PurePath(file_name).stem
    canvas = Box(0, 0, found.size.width, found.size.height)
    layer = Layer("l1", name, box.meet(canvas) if box else None)
    return Illustration(name, found.size, (layer,), found.ppi, found.colour_space, found.bit_depth), report
