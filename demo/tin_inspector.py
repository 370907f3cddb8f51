"""The tin inspector: a flat picture of one layer, to be taken apart; drawn from tin-inspector.svg."""

from pathlib import Path

import resvg
from PIL import Image
from PIL.PngImagePlugin import PngInfo
from resvg import usvg

SOURCE = Path(__file__).parent / "tin-inspector.svg"
PARTS = {
    "flag": ((144, 368), (156, 418), (156, 468)),
    "flag pole": ((264, 544),),
    "key": ((1025, 683),),
    "tickets": ((822, 985), (892, 985)),
    "right hand": ((856, 917),),
    "right cuff": ((856, 854),),
    "left hand": ((257, 776),),
    "left arm": ((370, 670),),
    "right arm": ((836, 695),),
    "moustache": ((560, 478), (640, 478)),
    "cap": ((680, 200), (484, 179), (600, 191), (597, 254), (597, 300)),
    "left ear": ((411, 388),),
    "right ear": ((783, 388),),
    "left shoe": ((504, 1325),),
    "right shoe": ((690, 1325),),
    "left leg": ((521, 1160),),
    "right leg": ((672, 1160),),
    "belt": ((484, 935), (600, 935), (720, 935)),
}
"""Where each part is clicked on to take it out, in this order, among forty proposals."""


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
