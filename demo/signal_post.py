"""A small layered picture of the demo world, drawn in code: a signal post in the marsh at night, for tests and examples.

It has what pictures have that are easily got wrong: nested groups, a group with its own opacity, an isolated one with a
blend mode, hidden layers, layers that are half transparent, that leave the canvas, that overlap, and one that is empty.
"""

from pathlib import Path

import numpy as np

from yuplet.geometry import Box, Size
from yuplet.illustration.layers import Illustration, Layer, LayerGroup
from yuplet.pixels import Picture
from yuplet.pixels.spill_file import SpillFile
from yuplet.pixels.trimming import content_box, cut
from yuplet.writing import openraster

CANVAS = Size(97, 73)


def signal_post(scratch: SpillFile) -> Illustration:
    """The picture as a layer tree; its pixels go to the scratch file."""

    def layer(own_id: str, name: str, picture: Picture, **state: object) -> Layer:
        box = content_box(picture)
        if box is not None:
            scratch.put(own_id, cut(picture, box))
        return Layer(own_id, name, box, **state)  # type: ignore[arg-type]

    mast = layer("mast", "mast", _bar(44, 14, 51, 70, (92, 74, 60)))
    arm = layer("arm", "arm", _slanted(8, 28, 49, 17, 6, (186, 52, 40)))
    lowered = layer("lowered", "arm lowered", _bar(39, 20, 45, 58, (186, 52, 40)), visible=False)
    lamp = layer("lamp", "lamp", _disc(47, 18, 6.5, (255, 190, 90)))
    signal = LayerGroup("signal", "signal", (arm, lowered, lamp), opacity=0.8)
    post = LayerGroup("post", "post", (mast, signal))
    shade = layer("shade", "shade", _slanted(30, 40, 80, 60, 14, (120, 120, 170)), blend="multiply")
    reeds = layer("reeds", "reeds", _reeds())
    marsh = LayerGroup("marsh", "marsh", (reeds, shade), blend="multiply", opacity=0.9, isolated=True)
    layers = (
        layer("sky", "sky", _sky()),
        marsh,
        post,
        layer("glow", "glow", _disc(47, 18, 17.0, (255, 214, 140)), blend="screen", opacity=0.6),
        layer("mist", "mist", _mist(), opacity=0.45),
        layer("spare", "spare", np.zeros((CANVAS.height, CANVAS.width, 4), np.uint8)),
    )
    return Illustration("signal post", CANVAS, layers, ppi=72.0)


def write(path: Path) -> None:
    """Write the picture as an OpenRaster file."""
    with SpillFile() as scratch:
        openraster.write(path, signal_post(scratch), scratch)


def _place() -> tuple[np.ndarray, np.ndarray]:
    y, x = np.mgrid[0 : CANVAS.height, 0 : CANVAS.width].astype(np.float64)
    return x, y


def _painted(cover: np.ndarray, colour: tuple[int, int, int] | np.ndarray) -> Picture:
    alpha = np.round(np.clip(cover, 0, 1) * 255).astype(np.uint8)
    picture = np.zeros((CANVAS.height, CANVAS.width, 4), np.uint8)
    picture[..., :3] = colour
    picture[..., 3] = alpha
    picture[alpha == 0] = 0
    return picture


def _bar(left: int, top: int, right: int, bottom: int, colour: tuple[int, int, int]) -> Picture:
    x, y = _place()
    box = Box(left, top, right, bottom)
    inside = (x >= box.left) & (x < box.right) & (y >= box.top) & (y < box.bottom)
    return _painted(inside.astype(np.float64), colour)


def _slanted(x0: int, y0: int, x1: int, y1: int, width: int, colour: tuple[int, int, int]) -> Picture:
    x, y = _place()
    length = np.hypot(x1 - x0, y1 - y0)
    along = ((x - x0) * (x1 - x0) + (y - y0) * (y1 - y0)) / length
    across = np.abs((x - x0) * (y1 - y0) - (y - y0) * (x1 - x0)) / length
    return _painted(np.minimum(width / 2 - across + 0.5, np.minimum(along, length - along)), colour)


def _disc(x0: float, y0: float, radius: float, colour: tuple[int, int, int]) -> Picture:
    x, y = _place()
    return _painted((radius - np.hypot(x - x0, y - y0)) / radius * 1.6, colour)


def _reeds() -> Picture:
    x, y = _place()
    height = 48 + 9 * np.sin(x / 3.1) + 4 * np.sin(x * 1.7)
    return _painted((y - height) / 2, (70, 96, 74))


def _mist() -> Picture:
    x, y = _place()
    return _painted(0.9 - np.abs(y - 55 - 3 * np.sin(x / 14)) / 9, (214, 222, 230))


def _sky() -> Picture:
    _, y = _place()
    shade = (y / CANVAS.height)[..., None]
    colour = (1 - shade) * np.array([24, 32, 66]) + shade * np.array([96, 92, 120])
    return _painted(np.ones_like(y), np.round(colour).astype(np.uint8))


if __name__ == "__main__":
    import sys

    write(Path(sys.argv[1]))
