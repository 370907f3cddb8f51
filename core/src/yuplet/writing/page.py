"""A page of HTML and CSS on which every part lies in its place, whatever the size of the page.

Sources: HTML Living Standard; CSS Compositing and Blending Level 1 (mix-blend-mode, isolation); CSS Box Sizing Level 4 (aspect-ratio).
"""

import base64
from collections.abc import Callable, Sequence
from urllib.parse import quote

from lxml import etree
from lxml.builder import E

from yuplet.arrangement.tree import PartGroup, Row
from yuplet.geometry import Box
from yuplet.illustration.derived import Turn
from yuplet.parts.part import Part
from yuplet.pixels import Picture
from yuplet.pixels.blending import CSS
from yuplet.plan.planned import Plan, PlannedImage, PlannedPart
from yuplet.writing import png


def html(plan: Plan, picture: Callable[[PlannedPart], Picture]) -> bytes:
    """The page: groups as elements within each other, an image a part, back to front; what is hidden is there and `hidden`.

    Images that are on sheets, or in a format that browsers do not show, are in the page itself.
    """
    numbers = _numbers(plan)
    parts = {planned.part.id: planned for planned in plan.parts}

    def source(row: Part) -> str:
        if _is_shown(plan, row.id):
            return quote(plan.main.images[row.id].file)
        data = base64.b64encode(png.encode(picture(parts[row.id]))).decode()
        return f"data:image/png;base64,{data}"

    def each(rows: Sequence[Row]) -> list[etree._Element]:
        found = []
        for row in rows:
            if isinstance(row, PartGroup):
                element = E.div(*each(row.members), {"class": "group", "data-name": row.name, "id": numbers[row.id]})
            else:
                attributes = {"class": "part", "alt": row.name, "src": source(row), "id": numbers[row.id]}
                element = E.img(attributes)
                if _is_turned(plan, row.id):
                    image = E.img({"alt": row.name, "src": attributes["src"]})
                    element = E.div(image, {"class": "part", "id": numbers[row.id]})
            if not row.shown:
                element.set("hidden", "")
            found.append(element)
        return found

    root = E.html(
        E.head(
            E.meta({"charset": "utf-8"}),
            E.meta({"name": "viewport", "content": "width=device-width, initial-scale=1"}),
            E.title(plan.title or "picture"),
            E.link({"rel": "stylesheet", "href": "style.css"}),
        ),
        E.body(E.main(*each(plan.tree), {"class": "picture"})),
        {"lang": "en"},
    )
    return b"<!DOCTYPE html>\n" + etree.tostring(root, method="html", encoding="utf-8", pretty_print=True)


def css(plan: Plan) -> bytes:
    """The places as shares of the picture, so that it keeps its form at any size; opacity and modes of parts and groups. A mode that CSS does not
    have is left out: the plan has a note of it.
    """
    canvas, numbers = plan.main.canvas, _numbers(plan)
    whole = Box(0, 0, *canvas)
    rules = [
        "body { margin: 0; }",
        f".picture {{ position: relative; width: 100%; max-width: {canvas.width}px; aspect-ratio: {canvas.width} / {canvas.height};"
        " margin: 0 auto; overflow: hidden; isolation: isolate; }",
        ".group, .part { position: absolute; }",
        ".group { inset: 0; pointer-events: none; }",
        ".part img { position: absolute; left: 50%; top: 50%; }",
        "[hidden] { display: none; }",
    ]
    if not plan.recipe.smooth:
        rules.append("img { image-rendering: pixelated; }")

    def each(rows: Sequence[Row]) -> None:
        for row in rows:
            said = []
            if not isinstance(row, PartGroup):
                said += _place(_box(plan, row.id), whole)
            if row.opacity < 1:
                said.append(f"opacity: {row.opacity:g}")
            if CSS.get(row.blend, "normal") != "normal":
                said.append(f"mix-blend-mode: {CSS[row.blend]}")
            if isinstance(row, PartGroup) and row.isolated:
                said.append("isolation: isolate")
            if said:
                rules.append(f"#{numbers[row.id]} {{ {'; '.join(said)}; }}")
            if isinstance(row, PartGroup):
                each(row.members)
            elif _is_turned(plan, row.id):
                rules.append(f"#{numbers[row.id]} img {{ {_turned(plan.main.images[row.id])} }}")

    each(plan.tree)
    return ("\n".join(rules) + "\n").encode()


def _numbers(plan: Plan) -> dict[str, str]:
    """A short id for each part and group."""
    found: dict[str, str] = {}

    def each(rows: Sequence[Row]) -> None:
        for row in rows:
            found[row.id] = f"{'g' if isinstance(row, PartGroup) else 'p'}{len(found) + 1}"
            if isinstance(row, PartGroup):
                each(row.members)

    each(plan.tree)
    return found


def _place(box: Box, whole: Box) -> list[str]:
    shares = {
        "left": box.left / whole.width,
        "top": box.top / whole.height,
        "width": box.width / whole.width,
        "height": box.height / whole.height,
    }
    return [f"{name}: {share * 100:.12g}%" for name, share in shares.items()]


def _is_shown(plan: Plan, row: str) -> bool:
    """Whether the image of a part is a file that browsers show."""
    frame = plan.main.images[row].frames[0]
    return frame.spot is None and not frame.file.endswith((".tif", ".gif"))


def _box(plan: Plan, row: str) -> Box:
    image = plan.main.images[row]
    return image.box if _is_shown(plan, row) else image.cut


def _is_turned(plan: Plan, row: str) -> bool:
    turn = plan.main.images[row].turn
    return _is_shown(plan, row) and turn is not None and turn != Turn()


def _turned(image: PlannedImage) -> str:
    turn, box = image.turn or Turn(), image.box
    width, height = ("100%", "100%")
    if turn.quarters % 2:
        width, height = f"{box.height / box.width * 100:.12g}%", f"{box.width / box.height * 100:.12g}%"
    mirror = " scaleX(-1)" if turn.mirrored else ""
    return (
        f"width: {width}; height: {height}; transform: translate(-50%, -50%) rotate({90 * turn.quarters}deg){mirror};"
    )
