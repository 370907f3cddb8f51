"""Taking art out of a layer: what a mask chooses, and what is left of the layer.

With a hard edge each pixel of the layer is in exactly one of the two. With a soft edge the place left is filled first, and the
part is solved for so that both laid over each other are the layer again (`pixels.unmixing`).
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TypeAlias

import cv2
import numpy as np
from numpy.typing import NDArray

from yuplet.errors import CannotTakeOut
from yuplet.geometry import Box
from yuplet.illustration.layers import Behind, MadeLayer
from yuplet.pixels import Picture
from yuplet.pixels.filling import fill
from yuplet.pixels.trimming import content_box, cut, label_boxes
from yuplet.pixels.unmixing import unmix
from yuplet.selecting.masks import HALF, Mask, grown
from yuplet.selecting.regions import pieces_of

MAX_PARTS = 500
"""Parts that are taken out at once at the most."""
Owners: TypeAlias = NDArray[np.int32]
"""Which part takes each pixel of a layer, counted from 1; 0 for what is left."""


@dataclass(frozen=True, slots=True)
class Made:
    """The content of a made layer.

    `box` is where it lies on the canvas, `picture` its straight RGBA pixels. `mask` is what it was made by, which lies at
    `mask_box`; `added` which pixels of the picture the layer does not show, since they were filled in.
    """

    box: Box
    picture: Picture
    mask: Mask
    mask_box: Box
    added: NDArray[np.bool_] | None = None


@dataclass(frozen=True, slots=True)
class Taken:
    """What was taken, back to front, and what is left of the layer; None when that is nothing."""

    taken: tuple[Made, ...]
    left: Made | None


def owners(picture: Picture, masks: Sequence[Mask]) -> Owners:
    """Which of several masks takes each pixel that is there; one of several masks goes to the last of them."""
    owner = np.zeros(picture.shape[:2], np.int32)
    for number, mask in enumerate(masks, 1):
        owner[(mask >= HALF) & (picture[..., 3] > 0)] = number
    return owner


def take_out(picture: Picture, box: Box, owner: Owners, behind: Behind, soft: Mask | None = None) -> Taken:
    """Take parts out of a layer.

    Parameters
    ----------
    picture : (H, W, 4) uint8
        The layer; it is not changed.
    box : Box
        Where it lies on the canvas.
    owner : (H, W) int32
        Which part takes each pixel.
    behind : str, colour or None
        How the place left is filled (`pixels.filling`); None leaves it empty. Nothing is added behind half-transparent
        pixels, where it would be seen.
    soft : (H, W) uint8, optional
        The alpha that is wished for, of a single part.

    Returns
    -------
    Taken
        What is left, with the parts over it, is the layer again: 0 differing pixels.

    Raises
    ------
    CannotTakeOut
        When a part takes nothing; with a soft edge over an empty place, or where there is nothing to continue behind it.
    """
    there = picture[..., 3] > 0
    owner = np.where(there, owner, 0).astype(np.int32)
    count = max(int(owner.max()), 1)
    if count > MAX_PARTS:
        raise CannotTakeOut(
            f"These are {count} parts. Choose a gap, a smallest size or coarser pieces: up to {MAX_PARTS} at once."
        )
    empty = np.flatnonzero(np.bincount(owner.ravel(), minlength=count + 1)[1:] == 0)
    if empty.size:
        said = "The selection" if count == 1 else f"Number {int(empty[0]) + 1} of the selections"
        raise CannotTakeOut(f"{said} holds no art of this part. Choose some of it.")
    if soft is not None and not ((soft > 0) & (soft < 255) & there).any():
        soft = None
    if soft is not None and behind is None:
        raise CannotTakeOut(
            "A soft edge needs something behind it, or the picture would show through. Fill the place, or make the edge hard."
        )
    if soft is not None and count > 1:
        raise CannotTakeOut("Several parts at once have hard edges. Take them out one by one for soft ones.")
    hard = owner > 0
    reached = hard if soft is None else hard | (soft > 0)
    opaque = reached & (picture[..., 3] == 255)
    left = picture.copy()
    left[hard] = 0
    added = None
    if behind is not None:
        left[opaque] = 0
        left = fill(left, opaque, behind)
        if soft is not None and (left[opaque, 3] == 0).any():
            raise CannotTakeOut(
                "There is nothing around it to continue behind a soft edge. Choose a colour, or a hard edge."
            )
        added = opaque & (left[..., 3] > 0)
    if soft is not None:
        own = _content(unmix(picture, left, soft), box, soft, box, None)
        assert own is not None
        return Taken((own,), _content(left, box, soft, box, added))
    taken = []
    for number, area in enumerate(label_boxes(owner, count), 1):
        rows = (slice(area.top, area.bottom), slice(area.left, area.right))
        is_own = owner[rows] == number
        part = np.where(is_own[..., None], picture[rows], 0).astype(np.uint8)
        mask, place = np.where(is_own, 255, 0).astype(np.uint8), area.moved(box.left, box.top)
        own = _content(part, place, mask, place, None)
        assert own is not None
        taken.append(own)
    union = np.where(hard, 255, 0).astype(np.uint8)
    return Taken(tuple(taken), _content(left, box, union, box, added))


def made_again(
    made: MadeLayer, picture: Picture, box: Box, mask: Mask, by: tuple[int, int] = (0, 0), factor: float = 1.0
) -> Made | None:
    """The content of a made layer from the layer that it is of and its mask; None when it is empty.

    `box` is where the picture lies; it need not be the one of the day on which the mask was drawn. `by` is how far the art
    was moved since then, `factor` how much larger the same art is drawn.
    """
    at = made.mask_box
    if factor != 1:
        at = Box(*(round(side * factor) for side in at))
        how = cv2.INTER_NEAREST if set(np.unique(mask)) <= {0, 255} else cv2.INTER_LINEAR
        mask = cv2.resize(mask, at.size, interpolation=how).astype(np.uint8, copy=False)
    if made.what == "grown":
        return _grown(picture, box, mask, at.moved(*by))
    placed = placed_mask(mask, at.moved(*by), box)
    owner = owners(picture, [placed])
    if not owner.any():
        return _content(picture, box, placed, box, None) if made.what == "left" else None
    found = take_out(picture, box, owner, made.behind, placed)
    return found.left if made.what == "left" else found.taken[0]


def grow_under(picture: Picture, box: Box, by: int, covered: NDArray[np.bool_]) -> Made:
    """Extend a layer beneath what lies over it, so that nothing opens when one of them moves.

    Parameters
    ----------
    picture : (H, W, 4) uint8
        The layer, which lies at `box` of the canvas.
    by : int
        How many pixels it is extended by at the most.
    covered : (canvas height, canvas width) bool
        Where the canvas is covered completely by what lies over the layer: only there is anything added, so that nothing
        changes that is seen.

    Returns
    -------
    Made
        The layer with its colours and lines run on; `mask` is what was added.

    Raises
    ------
    CannotTakeOut
        When nothing covers the layer's border.
    """
    height, width = covered.shape
    area = Box(box.left - by, box.top - by, box.right + by, box.bottom + by).meet(Box(0, 0, width, height))
    opaque = placed_mask(np.where(picture[..., 3] == 255, 255, 0).astype(np.uint8), box, area) > 0
    near = grown(opaque, by) & ~opaque & covered[area.top : area.bottom, area.left : area.right]
    # Only what hangs together with the layer: nothing beyond a gap that is seen.
    labels = pieces_of(opaque | near, 8)
    near &= np.isin(labels, np.unique(labels[opaque]))
    if not near.any():
        raise CannotTakeOut(
            "Nothing that is opaque lies over the border of this part, so there is nothing to grow under."
        )
    mask = np.where(near, 255, 0).astype(np.uint8)
    found = _grown(picture, box, mask, area)
    assert found is not None
    return found


def _grown(picture: Picture, box: Box, mask: Mask, mask_box: Box) -> Made | None:
    area = box.join(mask_box)
    whole = np.zeros((area.height, area.width, 4), np.uint8)
    inner = box.moved(-area.left, -area.top)
    whole[inner.top : inner.bottom, inner.left : inner.right] = picture
    added = placed_mask(mask, mask_box, area) > 0
    filled = fill(np.where(added[..., None], 0, whole).astype(np.uint8), added, "flat", and_lines=True)
    return _content(filled, area, mask, mask_box, added & (filled[..., 3] > 0))


def placed_mask(mask: Mask, at: Box, box: Box) -> Mask:
    """A mask that lies at one box of the canvas as it is within another one."""
    result = np.zeros((box.height, box.width), np.uint8)
    common = at.meet(box)
    if not common.is_empty:
        own = common.moved(-at.left, -at.top)
        there = common.moved(-box.left, -box.top)
        result[there.top : there.bottom, there.left : there.right] = mask[own.top : own.bottom, own.left : own.right]
    return result


def _content(picture: Picture, box: Box, mask: Mask, mask_box: Box, added: NDArray[np.bool_] | None) -> Made | None:
    """A picture that lies at a box, cut to its content; None when it is empty."""
    content = content_box(picture)
    if content is None:
        return None
    inner = None if added is None else added[content.top : content.bottom, content.left : content.right]
    inside = np.ascontiguousarray(cut(picture, content))
    return Made(content.moved(box.left, box.top), inside, mask, mask_box, inner)
