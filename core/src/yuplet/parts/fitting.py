"""Where a piece of an interface lies on a screen of another size: places and sizes as fractions, the aspect kept."""

from dataclasses import dataclass

from yuplet.geometry import Box, Size
from yuplet.parts.part import Anchor


@dataclass(frozen=True, slots=True)
class Fractions:
    """A box as fractions of what it lies on: x and width of its width, y and height of its height, all from the top left."""

    x: float
    y: float
    width: float
    height: float


@dataclass(frozen=True, slots=True)
class Place:
    """Where something lies, in pixels with fractions."""

    x: float
    y: float
    width: float
    height: float


def fractions(box: Box, within: Box) -> Fractions:
    """A box as fractions of another one, both on the same canvas.

    >>> fractions(Box.at(720, 405, Size(150, 48)), Box(0, 0, 960, 540))
    Fractions(x=0.75, y=0.75, width=0.15625, height=0.08888888888888889)
    """
    return Fractions(
        (box.left - within.left) / within.width,
        (box.top - within.top) / within.height,
        box.width / within.width,
        box.height / within.height,
    )


def on_screen(box: Box, canvas: Size, screen: Size, anchor: Anchor | None = None) -> Place:
    """Where a part of a canvas lies on a screen, its aspect kept.

    It is as wide a share of the screen as of the canvas. Without an anchor its top left corner is at the same fractions; with
    one, its own point at the anchor's fractions keeps its distance to that place of the screen, grown like the part.

    >>> on_screen(Box.at(720, 405, Size(150, 48)), Size(960, 540), Size(1920, 1080))
    Place(x=1440.0, y=810.0, width=300.0, height=96.0)
    >>> on_screen(Box.at(720, 405, Size(150, 48)), Size(960, 540), Size(1080, 1920)).height
    54.0
    """
    grown = screen.width / canvas.width
    width, height = box.width * grown, box.height * grown
    if anchor is None:
        return Place(box.left / canvas.width * screen.width, box.top / canvas.height * screen.height, width, height)
    away = (
        (box.left + anchor.x * box.width - anchor.x * canvas.width) * grown,
        (box.top + anchor.y * box.height - anchor.y * canvas.height) * grown,
    )
    return Place(
        anchor.x * screen.width + away[0] - anchor.x * width,
        anchor.y * screen.height + away[1] - anchor.y * height,
        width,
        height,
    )
