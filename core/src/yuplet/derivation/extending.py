"""What lies beneath: a layer goes on where something that covers it completely lies over it, so that nothing opens when
one of them moves and nothing changes that is seen at rest.
"""

from typing import TypeAlias

import numpy as np

from yuplet.derivation.content import Content, Derived, placed_mask, placed_picture, trimmed
from yuplet.errors import CannotTakeOut
from yuplet.geometry import Box, Point
from yuplet.illustration.derived import Behind, Extension, Fill, Refilled
from yuplet.pixels.filling import fill
from yuplet.selecting.masks import HALF, Chosen, Mask, grown, hard_mask
from yuplet.selecting.regions import pieces_of

MirrorSource: TypeAlias = tuple[str, Content]


def grow_under(
    layer: Content, by: int, covered: Chosen, how: Fill = "onward", mirror_source: MirrorSource | None = None
) -> Derived:
    """Extend a layer along its border by up to `by` pixels.

    Parameters
    ----------
    layer : Content
    by : int
        How many pixels it is extended by at the most.
    covered : (canvas height, canvas width) bool
        Where the canvas is covered completely by what lies over the layer.
    how : Fill
    mirror_source : (str, Content), optional
        A layer and what it holds: where that is opaque its pixels are taken instead.

    Raises
    ------
    CannotTakeOut
        When nothing covers the layer's border.
    """
    box = layer.box
    area = _on(covered, Box(box.left - by, box.top - by, box.right + by, box.bottom + by))
    opaque = _opaque(layer, area)
    return _added(layer, grown(opaque, by), area, covered, how, mirror_source, "the border of this part")


def round_off(
    layer: Content,
    centre: Point,
    radius: float,
    covered: Chosen,
    how: Fill = "onward",
    mirror_source: MirrorSource | None = None,
) -> Derived:
    """Extend a layer by a disc, so that its end is round about what it turns about. As `grow_under` otherwise."""
    reach = int(np.ceil(radius)) + 1
    x, y = int(np.floor(centre.x)), int(np.floor(centre.y))
    area = _on(covered, Box(x - reach, y - reach, x + reach + 1, y + reach + 1).join(layer.box))
    rows, columns = np.ogrid[area.top : area.bottom, area.left : area.right]
    disc: Chosen = np.hypot(columns + 0.5 - centre.x, rows + 0.5 - centre.y) <= radius
    return _added(layer, disc, area, covered, how, mirror_source, "this end of the part")


def paint_under(
    layer: Content,
    mask: Mask,
    at: Box,
    covered: Chosen,
    how: Fill = "onward",
    mirror_source: MirrorSource | None = None,
) -> Derived:
    """Extend a layer by what was painted, a mask that lies at a box of the canvas. As `grow_under` otherwise."""
    area = _on(covered, at.join(layer.box))
    return _added(layer, placed_mask(mask, at, area) >= HALF, area, covered, how, mirror_source, "what you painted")


def refilled(layer: Content, hidden: Chosen, behind: Behind) -> Derived | None:
    """Fill what was filled in anew, from what is drawn in the layer; `hidden` is where, (H, W) of it.

    Where nothing drawn is left, it stays empty. None where nothing is left at all.
    """
    assert behind is not None
    return extended(layer, hard_mask(hidden), Refilled("", layer.box, behind))


def extended(layer: Content, mask: Mask, derivation: Extension, mirror_source: Content | None = None) -> Derived | None:
    """A layer with the pixels of a mask added, which lies at the derivation's `mask_box`; None when both are empty."""
    area = layer.box.join(derivation.mask_box)
    whole = placed_picture(layer, area)
    added = placed_mask(mask, derivation.mask_box, area) > 0
    before = placed_mask(layer.all_added, layer.box, area)
    if isinstance(derivation, Refilled):
        # What was given back since is drawn.
        added &= before | (whole[..., 3] == 0)
    whole[added] = 0
    is_onward = derivation.fill == "onward"
    filled = fill(
        whole,
        added & (whole[..., 3] == 0),
        "flat" if derivation.fill == "onward" else derivation.fill,
        and_lines=is_onward,
        drawn=~before if isinstance(derivation, Refilled) else None,
    )
    if mirror_source is not None:
        own = placed_picture(mirror_source, area)
        there = added & (own[..., 3] == 255)
        filled[there] = own[there]
    return trimmed(filled, area, derivation, mask, (added | before) & (filled[..., 3] > 0))


def _added(
    layer: Content,
    wanted: Chosen,
    area: Box,
    covered: Chosen,
    how: Fill,
    mirror_source: MirrorSource | None,
    where: str,
) -> Derived:
    opaque = _opaque(layer, area)
    near = wanted & ~opaque & covered[area.top : area.bottom, area.left : area.right]
    # Only what hangs together with the layer: nothing beyond a gap that is seen.
    labels = pieces_of(opaque | near, 8)
    near &= np.isin(labels, np.unique(labels[opaque]))
    if not near.any():
        raise CannotTakeOut(f"No opaque part covers {where}, so there is nothing to grow under.")
    name, theirs = mirror_source if mirror_source is not None else (None, None)
    found = extended(layer, hard_mask(near), Extension("", area, how, name), theirs)
    assert found is not None
    return found


def _opaque(layer: Content, area: Box) -> Chosen:
    return placed_mask(layer.picture[..., 3] == 255, layer.box, area)


def _on(covered: Chosen, box: Box) -> Box:
    """The part of a box that is on the canvas."""
    height, width = covered.shape
    return box.meet(Box(0, 0, width, height))
