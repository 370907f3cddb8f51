"""Made layers made again: from the art as it is now, by the same derivation."""

from collections.abc import Mapping
from dataclasses import replace

import cv2
import numpy as np

from yuplet.derivation.colouring import backdrop, dyed
from yuplet.derivation.content import Content, Derived, placed_mask, trimmed
from yuplet.derivation.cutting import cut_out, label_map
from yuplet.derivation.extending import extended
from yuplet.derivation.merging import merged
from yuplet.derivation.overscan import widened
from yuplet.derivation.turning import turned
from yuplet.geometry import Box, Size
from yuplet.illustration.derived import Backdrop, Cut, DerivedLayer, Dyed, Extension, Merged, Pasted, Turned, Widened
from yuplet.selecting.masks import Mask


def rebuilt(
    made: DerivedLayer,
    sources: Mapping[str, Content],
    mask: Mask | None,
    canvas: Size,
    by: tuple[int, int] = (0, 0),
    factor: float = 1.0,
) -> Derived | None:
    """The content of a made layer from the layers that it is of, as they are now; None when it is empty.

    Parameters
    ----------
    made : DerivedLayer
    sources : mapping
        The content of each layer that it is made of; empty ones are absent.
    mask : (H, W) uint8, optional
        What the derivation's mask stands for.
    canvas : Size
    by : (int, int)
        How far the art was moved since the mask was drawn.
    factor : float
        How much larger the same art is drawn.
    """
    derivation = made.derivation
    if isinstance(derivation, Backdrop):
        return backdrop(canvas, derivation)
    if isinstance(derivation, Merged):
        return merged(sources, derivation)
    layer = sources.get(made.of or "")
    if layer is None:
        return None
    if isinstance(derivation, Turned):
        return turned(layer, replace(derivation, about=(derivation.about[0] * factor, derivation.about[1] * factor)))
    if isinstance(derivation, Dyed):
        return dyed(layer, derivation)
    if isinstance(derivation, Widened):
        return widened(
            layer, replace(derivation, left=round(derivation.left * factor), right=round(derivation.right * factor))
        )
    # What was pasted is no layer of another one.
    assert mask is not None and not isinstance(derivation, Pasted)
    at = derivation.mask_box
    if factor != 1:
        at = Box(*(round(side * factor) for side in at))
        how = cv2.INTER_NEAREST if set(np.unique(mask)) <= {0, 255} else cv2.INTER_LINEAR
        mask = cv2.resize(mask, at.size, interpolation=how).astype(np.uint8, copy=False)
    again = replace(derivation, mask_box=at.moved(*by))
    if isinstance(again, Extension):
        return extended(layer, mask, again, sources.get(again.mirror_source or ""))
    return _cut_again(layer, mask, again)


def _cut_again(layer: Content, mask: Mask, derivation: Cut) -> Derived | None:
    placed = placed_mask(mask, derivation.mask_box, layer.box)
    owner = label_map(layer.picture, [placed])
    if not owner.any():
        if derivation.keeps == "taken":
            return None
        return trimmed(layer.picture, layer.box, replace(derivation, mask_box=layer.box), placed, layer.added)
    found = cut_out(layer, owner, derivation.behind, placed)
    return found.left if derivation.keeps == "left" else found.taken[0]
