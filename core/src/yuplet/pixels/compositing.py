"""Putting pictures over each other: the composite of a tree of layers or parts.

Source: W3C, Compositing and Blending Level 1, https://www.w3.org/TR/compositing-1/; the operator *over* is that of
T. Porter and T. Duff, "Compositing Digital Images", Computer Graphics 18(3), 1984.
"""

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import TypeAlias

import numpy as np

from yuplet.geometry import Box, Size
from yuplet.pixels import DeepPicture, Picture, blending, kernels
from yuplet.pixels.spill_file import PixelSource

BAND = 64
"""Rows composited at a time: a band of a 4096 px wide canvas is 8 MB in float64."""


@dataclass(frozen=True, slots=True)
class PictureNode:
    """One picture to be laid: where its pixels are kept, where it lies, its opacity (0 to 1) and blend mode."""

    key: str
    box: Box
    opacity: float = 1.0
    blend: str = "normal"


@dataclass(frozen=True, slots=True)
class GroupNode:
    """Pictures laid together, back to front, and then laid as one.

    A group that is not isolated is laid member by member onto what lies behind (W3C, section 3.5); opacity below 1
    and any blend mode but normal always isolate.
    """

    members: tuple["CompositeNode", ...]
    opacity: float = 1.0
    blend: str = "normal"
    isolated: bool = False

    @property
    def is_passed_through(self) -> bool:
        """Whether the members are laid directly onto what lies behind the group."""
        return not self.isolated and self.opacity == 1.0 and self.blend == "normal"


CompositeNode: TypeAlias = PictureNode | GroupNode


def compose(
    members: Sequence[CompositeNode],
    size: Size,
    source: PixelSource,
    workers: int = 2,
    check: Callable[[], None] = lambda: None,
) -> Picture:
    """Composite pictures onto a transparent canvas.

    Parameters
    ----------
    members : sequence of PictureNode or GroupNode
        Back to front. Boxes in canvas pixels; what lies outside of the canvas is cut.
    size : Size
        The canvas.
    source : PixelSource
        Gives the pixels of each `PictureNode`; as wide and high as its box.
    workers : int
        Threads; each holds one band of the canvas in float64.
    check : callable
        Called between bands; may raise to stop the work.

    Returns
    -------
    (H, W, 4) uint8
        Rounded once, at the end; where alpha is 0, colour is 0.

    Raises
    ------
    KeyError, ValueError
        For an unknown blend mode or a box that does not fit its pixels: mistakes of the caller.
    """
    out = np.empty((size.height, size.width, 4), np.uint8)
    _in_bands(members, size, source, workers, check, lambda exact, top: kernels.to_8_bits(exact, out[top : top + BAND]))
    return out


def compose_bands(
    members: Sequence[CompositeNode],
    size: Size,
    source: PixelSource,
    height: int,
    put: Callable[[Picture, int], None],
    workers: int = 2,
) -> None:
    """The same band by band, for a picture that is never in memory as a whole: `put` is told (rows, first row), each of so many rows, from
    several threads and in any order.
    """

    def rounded(exact: kernels.Accumulator, top: int) -> None:
        rows = np.empty(exact.shape, np.uint8)
        kernels.to_8_bits(exact, rows)
        put(rows, top)

    _in_bands(members, size, source, workers, lambda: None, rounded, height)


def compose_deep(members: Sequence[CompositeNode], size: Size, source: PixelSource, workers: int = 2) -> DeepPicture:
    """The same with 16 bits a channel, (H, W, 4) uint16."""
    out = np.empty((size.height, size.width, 4), np.uint16)

    def put(exact: kernels.Accumulator, top: int) -> None:
        found = np.floor(np.clip(exact, 0.0, 1.0) * 65535.0 + kernels.ROUNDING)
        found[found[..., 3] == 0] = 0.0
        out[top : top + BAND] = found

    _in_bands(members, size, source, workers, lambda: None, put)
    return out


def _in_bands(
    members: Sequence[CompositeNode],
    size: Size,
    source: PixelSource,
    workers: int,
    check: Callable[[], None],
    put: Callable[[kernels.Accumulator, int], None],
    height: int = BAND,
) -> None:
    """Composite band by band; `put` is told each as it is, straight, and its first row."""

    def band(top: int) -> None:
        check()
        area = Box(0, top, size.width, min(top + height, size.height))
        exact = np.zeros((area.height, area.width, 4), np.float64)
        _lay_all(exact, area, members, source)
        put(exact, top)

    with ThreadPoolExecutor(workers) as pool:
        for _ in pool.map(band, range(0, size.height, height)):
            pass


def _lay_all(under: kernels.Accumulator, area: Box, members: Sequence[CompositeNode], source: PixelSource) -> None:
    for member in members:
        if isinstance(member, PictureNode):
            _lay_picture(under, area, member, source)
        elif member.is_passed_through:
            _lay_all(under, area, member.members, source)
        else:
            _lay_group(under, area, member, source)


def _lay_picture(under: kernels.Accumulator, area: Box, picture: PictureNode, source: PixelSource) -> None:
    mode = blending.MODES[picture.blend]
    common = area.meet(picture.box)
    if common.is_empty:
        if mode in blending.CLEARING:
            under[..., 3] = 0.0
        return
    above, below = common.top - picture.box.top, common.bottom - picture.box.top
    across = slice(common.left - picture.box.left, common.right - picture.box.left)
    deep = source.deep_rows(picture.key, above, below)
    rows = source.rows(picture.key, above, below) if deep is None else deep
    if rows.shape[1] != picture.box.width:
        raise ValueError(f"the pixels of '{picture.key}' are {rows.shape[1]} px wide, its box {picture.box.width}")
    target = under[common.top - area.top : common.bottom - area.top, common.left - area.left : common.right - area.left]
    if mode in blending.CLEARING:
        inside = target.copy()
        under[..., 3] = 0.0
        target[...] = inside
    if deep is not None:
        kernels.lay_group(target, deep[:, across] / 65535, picture.opacity, mode)
    elif mode == blending.NORMAL:
        kernels.lay_normal(target, rows[:, across].astype(np.uint8, copy=False), picture.opacity)
    else:
        kernels.lay_blended(target, rows[:, across].astype(np.uint8, copy=False), picture.opacity, mode)


def _lay_group(under: kernels.Accumulator, area: Box, group: GroupNode, source: PixelSource) -> None:
    mode = blending.MODES[group.blend]
    reach = area if mode in blending.CLEARING else _reach(group, area)
    if reach.is_empty:
        return
    inner = np.zeros((reach.height, reach.width, 4), np.float64)
    _lay_all(inner, reach, group.members, source)
    target = under[reach.top - area.top : reach.bottom - area.top, reach.left - area.left : reach.right - area.left]
    kernels.lay_group(target, inner, group.opacity, mode)


def _reach(laid: CompositeNode, area: Box) -> Box:
    """The part of an area that a picture or group can cover."""
    if isinstance(laid, PictureNode):
        return area.meet(laid.box)
    result = Box(area.left, area.top, area.left, area.top)
    for member in laid.members:
        reach = _reach(member, area)
        if not reach.is_empty:
            result = reach if result.is_empty else result.join(reach)
    return result
