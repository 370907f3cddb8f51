"""All parts beside each other, each with its name and size, as one picture or as pages for print."""

import io
from collections.abc import Callable, Iterator
from importlib import resources

import numpy as np
from PIL import Image, ImageDraw, ImageFont

from yuplet.pixels import Picture
from yuplet.plan.planned import Plan, PlannedPart

_CELL, _PICTURE, _GAP = (240, 226), 168, 16
_ACROSS, _DOWN = 7, 5
_PAPER, _UNDER, _INK, _SOFT = (243, 240, 233), (155, 157, 153), (38, 36, 32), (95, 90, 80)
_PPI = 150.0
"""Of a page: seven cells are A4 across, about."""


def overview(plan: Plan, picture: Callable[[PlannedPart], Picture], as_pages: bool) -> bytes:
    """A PNG with everything, or a PDF with 35 parts a page; parts from the front to the back."""
    parts = list(reversed(plan.parts))
    out = io.BytesIO()
    if not as_pages:
        rows = -(-len(parts) // _ACROSS)
        _sheet(plan, parts, rows, picture, f"{len(parts)} parts").save(out, "PNG")
        return out.getvalue()
    many = _ACROSS * _DOWN
    pages = [parts[start : start + many] for start in range(0, len(parts), many)]

    def drawn() -> Iterator[Image.Image]:
        for number, page in enumerate(pages, 1):
            yield _sheet(plan, page, _DOWN, picture, f"page {number} of {len(pages)}")

    first, *rest = drawn()
    first.save(out, "PDF", save_all=True, append_images=rest, resolution=_PPI, title=plan.title, producer="Yuplet")
    return out.getvalue()


def _sheet(
    plan: Plan, parts: list[PlannedPart], rows: int, picture: Callable[[PlannedPart], Picture], said: str
) -> Image.Image:
    across = min(_ACROSS, max(len(parts), 3))
    size = (across * _CELL[0] + 2 * _GAP, rows * _CELL[1] + 64 + _GAP)
    sheet = Image.new("RGB", size, _PAPER)
    pen = ImageDraw.Draw(sheet)
    large, small = _font("bold", 22), _font("regular", 15)
    pen.text((_GAP, _GAP), plan.title, _INK, large)
    pen.text((size[0] - _GAP, _GAP + 6), said, _SOFT, small, anchor="ra")
    for at, planned in enumerate(parts):
        left, top = _GAP + at % across * _CELL[0], 56 + at // across * _CELL[1]
        box = plan.main.images[planned.part.id].box
        pen.rectangle((left, top, left + _CELL[0] - _GAP, top + _PICTURE), _UNDER)
        image = Image.fromarray(np.ascontiguousarray(picture(planned)), "RGBA")
        room = (_CELL[0] - _GAP - 12, _PICTURE - 12)
        share = min(room[0] / image.width, room[1] / image.height, 1.0)
        shown = image.resize(
            (max(1, round(image.width * share)), max(1, round(image.height * share))), Image.Resampling.LANCZOS
        )
        place = (left + (_CELL[0] - _GAP - shown.width) // 2, top + (_PICTURE - shown.height) // 2)
        sheet.paste(shown, place, shown)
        pen.text((left, top + _PICTURE + 6), _short(planned.path[-1], small, _CELL[0] - _GAP), _INK, small)
        facts = f"{planned.order}   {box.width} × {box.height} px{'' if planned.shown else '   hidden'}"
        pen.text((left, top + _PICTURE + 25), facts, _SOFT, small)
    return sheet


def _font(style: str, size: int) -> ImageFont.FreeTypeFont:
    return ImageFont.truetype(
        io.BytesIO(resources.files("yuplet.fonts").joinpath(f"yuplet-sans-{style}.ttf").read_bytes()), size
    )


def _short(text: str, font: ImageFont.FreeTypeFont, width: int) -> str:
    """As much of a text as there is room for."""
    if font.getlength(text) <= width:
        return text
    while text and font.getlength(text + "…") > width:
        text = text[:-1]
    return text + "…"
