"""The tin inspector: a flat picture of one layer, to be taken apart; drawn from tin-inspector.svg."""

from pathlib import Path

import resvg
from PIL import Image
from PIL.PngImagePlugin import PngInfo
from resvg import usvg

SOURCE = Path(__file__).parent / "tin-inspector.svg"


def write(out: Path) -> None:
    """Write the picture as an opaque PNG that says who drew it."""
    tree = usvg.Tree.from_str(SOURCE.read_text(), usvg.Options.default())
    drawn = out.with_suffix(".drawn")
    drawn.write_bytes(bytes(resvg.render(tree, (1.0, 0.0, 0.0, 0.0, 1.0, 0.0))))
    texts = PngInfo()
    for name, text in {
        "Title": "Tin inspector",
        "Author": "The Marsh Line studio",
        "Copyright": "MIT",
        "Description": "A wind-up toy from the signal box, drawn for Yuplet",
    }.items():
        texts.add_text(name, text)
    with Image.open(drawn) as image:
        image.convert("RGB").save(out, "PNG", pnginfo=texts, dpi=(144, 144))
    drawn.unlink()
