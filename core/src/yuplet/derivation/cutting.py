"""Taking art out of a layer: what a mask chooses, and what is left of the layer.

With a hard edge each pixel of the layer is in exactly one of the two. With a soft edge the place left is filled first, and the
part is solved for so that both laid over each other are the layer again (`pixels.matting`).
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from yuplet.derivation.content import Content, Derived, trimmed
from yuplet.errors import CannotTakeOut
from yuplet.illustration.derived import Behind, Cut
from yuplet.pixels import Picture
from yuplet.pixels.filling import fill
from yuplet.pixels.matting import unmix
from yuplet.pixels.trimming import label_boxes
from yuplet.selecting.masks import HALF, Chosen, Mask, hard_mask

MAX_PARTS = 500
"""Parts that are taken out at once at the most."""
Owners: TypeAlias = NDArray[np.int32]
"""Which part takes each pixel of a layer, counted from 1; 0 for what is left."""


@dataclass(frozen=True, slots=True)
class Taken:
    """What was taken, back to front, and what is left of the layer; None when that is nothing."""

    taken: tuple[Derived, ...]
    left: Derived | None


def label_map(picture: Picture, masks: Sequence[Mask]) -> Owners:
    """Which of several masks takes each pixel that is there; one of several masks goes to the last of them."""
    owner = np.zeros(picture.shape[:2], np.int32)
    for number, mask in enumerate(masks, 1):
        owner[(mask >= HALF) & (picture[..., 3] > 0)] = number
    return owner


def cut_out(layer: Content, owner: Owners, behind: Behind, soft: Mask | None = None) -> Taken:
    """Take parts out of a layer.

    Parameters
    ----------
    layer : Content
        It is not changed.
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
    picture, box = layer.picture, layer.box
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
    added = layer.all_added & ~hard
    if behind is not None:
        left[opaque] = 0
        left = fill(left, opaque, behind, drawn=~layer.all_added)
        if soft is not None and (left[opaque, 3] == 0).any():
            raise CannotTakeOut(
                "There is nothing around it to continue behind a soft edge. Choose a colour, or a hard edge."
            )
        added |= opaque & (left[..., 3] > 0)
    if soft is not None:
        part = unmix(picture, left, soft)
        own = trimmed(part, box, Cut("taken", "", box, behind), soft, layer.all_added & (part[..., 3] > 0))
        assert own is not None
        return Taken((own,), trimmed(left, box, Cut("left", "", box, behind), soft, added))
    taken = []
    for number, area in enumerate(label_boxes(owner, count), 1):
        rows = (slice(area.top, area.bottom), slice(area.left, area.right))
        is_own = owner[rows] == number
        part = np.where(is_own[..., None], picture[rows], 0).astype(np.uint8)
        mask, place = hard_mask(is_own), area.moved(box.left, box.top)
        own = trimmed(part, place, Cut("taken", "", place, behind), mask, layer.all_added[rows] & is_own)
        assert own is not None
        taken.append(own)
    union = hard_mask(hard)
    return Taken(tuple(taken), trimmed(left, box, Cut("left", "", box, behind), union, added))


def without(layer: Content, removed: Chosen) -> Derived | None:
    """A layer without some of its pixels, (H, W) of it; None when nothing is left of it."""
    picture = np.where(removed[..., None], 0, layer.picture).astype(np.uint8)
    mask = hard_mask(removed)
    return trimmed(picture, layer.box, Cut("left", "", layer.box), mask, layer.all_added & ~removed)


def without_added(layer: Content, covered: Chosen) -> Derived | None:
    """A layer without what was filled in, where it is covered completely; None when nothing is left of it.

    `covered` is where, (H, W) of the layer. Elsewhere what was filled in is seen through soft edges, and stays. Raises
    CannotTakeOut when there is nothing to remove.
    """
    removed = layer.all_added & covered
    if not removed.any():
        raise CannotTakeOut(
            "Nothing was added to this part, or what was is seen through soft edges in front of it. There is nothing to remove."
        )
    return without(layer, removed)
