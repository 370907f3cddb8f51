"""The semaphore lamp: pixel art in which some layers move, as a ZIP of whole-canvas images: still ones, and animated PNG.

Repeated frames and a crumb or two are left in on purpose.
"""

import io
import zipfile
from collections.abc import Callable
from pathlib import Path

from PIL import Image, ImageDraw
from PIL.PngImagePlugin import PngInfo

SIDE = (96, 112)
NIGHT, DUSK, HILL = (26, 30, 52, 255), (44, 48, 82, 255), (20, 24, 38, 255)
IRON, IRON_LIT, IRON_DARK = (74, 80, 96, 255), (118, 126, 142, 255), (44, 48, 60, 255)
RED, RED_DARK, WHITE = (196, 62, 48, 255), (138, 38, 36, 255), (236, 228, 208, 255)
FLAME, GLOW, AMBER = (255, 236, 170, 255), (255, 190, 92, 90), (255, 170, 60, 255)
MOTH = (214, 206, 190, 255)
Draw = ImageDraw.ImageDraw


def picture(draw: Callable[[Draw], None]) -> Image.Image:
    """A whole canvas with something drawn on it."""
    image = Image.new("RGBA", SIDE)
    draw(ImageDraw.Draw(image))
    return image


def sky(d: Draw) -> None:
    d.rectangle((0, 0, 95, 111), fill=NIGHT)
    d.rectangle((0, 70, 95, 111), fill=DUSK)
    for x, y in ((8, 12), (22, 30), (40, 8), (61, 22), (84, 14), (76, 40), (12, 52), (90, 58), (33, 48)):
        d.point((x, y), fill=WHITE)
    for x in range(0, 96, 2):
        top = 92 - (x * 7 % 11) // 2 - (6 if 20 < x < 50 else 0)
        d.rectangle((x, top, x + 1, 111), fill=HILL)


def post(d: Draw) -> None:
    d.rectangle((44, 14, 51, 107), fill=IRON)
    d.rectangle((44, 14, 45, 107), fill=IRON_LIT)
    d.rectangle((50, 14, 51, 107), fill=IRON_DARK)
    d.polygon([(47, 4), (48, 4), (52, 13), (43, 13)], fill=IRON_LIT)
    d.rectangle((36, 106, 59, 111), fill=IRON_DARK)
    for y in range(24, 104, 8):
        d.line((52, y, 57, y), fill=IRON_DARK)
    d.line((57, 22, 57, 104), fill=IRON_DARK)


def arm(step: int) -> Callable[[Draw], None]:
    """The arm at one of six heights: level at 0, lowered by 45 degrees at 5."""

    def draw(d: Draw) -> None:
        fall = step * 6
        for thick in range(9):
            d.line((46, 20 + thick, 8, 20 + thick + fall), fill=RED_DARK if thick in (0, 8) else RED)
        for thick in range(1, 8):
            d.line((18, 20 + thick + fall * 28 // 38, 14, 20 + thick + fall * 32 // 38), fill=WHITE)
        d.ellipse((42, 19, 53, 30), fill=IRON_DARK, outline=IRON_LIT)

    return draw


def lamp(step: int) -> Callable[[Draw], None]:
    """The lamp, whose flame is low, high or leaning."""
    height = (5, 7, 8, 7)[step]
    lean = (0, 0, 1, -1)[step]

    def draw(d: Draw) -> None:
        d.ellipse((53, 8, 91, 46), fill=GLOW)
        d.rectangle((62, 18, 80, 38), fill=IRON_DARK)
        d.rectangle((64, 20, 78, 36), fill=AMBER)
        d.polygon([(60, 18), (82, 18), (76, 12), (66, 12)], fill=IRON)
        d.rectangle((69, 8, 73, 12), fill=IRON)
        d.rectangle((61, 38, 81, 41), fill=IRON)
        d.polygon([(71 + lean, 34 - height), (67, 34), (75, 34)], fill=FLAME)
        d.line((57, 28, 62, 28), fill=IRON_LIT)

    return draw


def moth(at: int) -> Callable[[Draw], None]:
    """The moth on its round about the lamp. In one frame it has left a crumb far away."""
    x, y = ((84, 52), (88, 44), (90, 34), (86, 26), (90, 34), (88, 44))[at]
    is_up = at % 2 == 0

    def draw(d: Draw) -> None:
        d.rectangle((x, y, x + 1, y + 2), fill=MOTH)
        wing = -2 if is_up else 1
        d.line((x - 3, y + wing, x - 1, y + 1), fill=MOTH)
        d.line((x + 2, y + 1, x + 4, y + wing), fill=MOTH)
        if at == 4:
            d.rectangle((4, 100, 5, 100), fill=MOTH)

    return draw


def write(out: Path) -> None:
    """Write the archive; equal neighbours stay frames of their own."""
    texts = PngInfo()
    for name, text in {"Title": "Semaphore lamp", "Author": "The Marsh Line studio", "Copyright": "MIT"}.items():
        texts.add_text(name, text)
    still = {"1 sky": sky, "2 post": post}
    moving = {
        "3 arm": ([arm(step) for step in (0, 0, 1, 3, 5, 5, 5, 4, 2, 0)], 120),
        "4 lamp": ([lamp(step) for step in (0, 1, 2, 1, 0, 3)], 90),
        "5 moth": ([moth(step) for step in (0, 1, 2, 3, 4, 5)], 100),
    }
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        for name, draw in still.items():
            archive.writestr(zipfile.ZipInfo(f"{name}.png"), _png(picture(draw), pnginfo=texts))
        for name, (frames, milliseconds) in moving.items():
            first, *others = (_marked(picture(draw), at) for at, draw in enumerate(frames))
            data = _png(first, save_all=True, append_images=others, duration=milliseconds, loop=0, pnginfo=texts)
            archive.writestr(zipfile.ZipInfo(f"{name}.png"), data)


def _marked(image: Image.Image, at: int) -> Image.Image:
    """Make equal neighbours differ where nothing is seen: the writer would merge them into one longer frame."""
    image.putpixel((0, 111), (at + 1, 0, 0, 0))
    return image


def _png(image: Image.Image, **options: object) -> bytes:
    out = io.BytesIO()
    image.save(out, "PNG", **options)
    return out.getvalue()
