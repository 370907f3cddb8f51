"""What layers hold that are made of others."""

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from yuplet.geometry import Box
from yuplet.illustration.derived import Cut, Derivation, Extension
from yuplet.pixels import Picture
from yuplet.pixels.trimming import content_box, cut
from yuplet.selecting.masks import Chosen, Mask


@dataclass(frozen=True, slots=True)
class Content:
    """What a layer holds: where it lies on the canvas, its straight RGBA pixels, and which of those nobody drew."""

    box: Box
    picture: Picture
    added: Chosen | None = None

    @property
    def all_added(self) -> Chosen:
        """Which pixels were filled in, (H, W)."""
        return np.zeros(self.picture.shape[:2], np.bool_) if self.added is None else self.added


@dataclass(frozen=True, slots=True)
class Derived:
    """The content of a made layer, and the derivation for it; `mask` is what the derivation's key will stand for."""

    box: Box
    picture: Picture
    derivation: Derivation
    mask: Mask | None = None
    added: Chosen | None = None

    @property
    def content(self) -> Content:
        """What it holds."""
        return Content(self.box, self.picture, self.added)

    def moved(self, dx: int, dy: int) -> "Derived":
        """The same elsewhere on the canvas."""
        derivation = self.derivation
        if isinstance(derivation, Cut | Extension):
            derivation = replace(derivation, mask_box=derivation.mask_box.moved(dx, dy))
        return replace(self, box=self.box.moved(dx, dy), derivation=derivation)


def trimmed(
    picture: Picture, box: Box, derivation: Derivation, mask: Mask | None = None, added: Chosen | None = None
) -> Derived | None:
    """A picture that lies at a box, cut to its content; None when it is empty."""
    content = content_box(picture)
    if content is None:
        return None
    inner = None
    if added is not None:
        inner = added[content.top : content.bottom, content.left : content.right]
        inner = np.ascontiguousarray(inner) if inner.any() else None
    inside = np.ascontiguousarray(cut(picture, content))
    return Derived(content.moved(box.left, box.top), inside, derivation, mask, inner)


def placed_mask(mask: NDArray[Any], at: Box, box: Box) -> NDArray[Any]:
    """A mask that lies at one box of the canvas as it is within another one; nothing is chosen elsewhere."""
    result = np.zeros((box.height, box.width), mask.dtype)
    common = at.meet(box)
    if not common.is_empty:
        own = common.moved(-at.left, -at.top)
        there = common.moved(-box.left, -box.top)
        result[there.top : there.bottom, there.left : there.right] = mask[own.top : own.bottom, own.left : own.right]
    return result


def placed_picture(content: Content, box: Box) -> Picture:
    """The pixels of a layer within a box of the canvas; empty where it is not."""
    return np.dstack([placed_mask(content.picture[..., channel], content.box, box) for channel in range(4)])
