"""Made layers made again: from the art as it is now, by the same recipe."""

from collections.abc import Mapping
from dataclasses import replace

import cv2
import numpy as np

from yuplet.geometry import Box, Size
from yuplet.illustration.derived import Backdrop, Cut, DerivedLayer, Dyed, Extension, Merged, Pasted, Turned, Widened
from yuplet.parts.colouring import backdrop, dyed
from yuplet.parts.cutting import label_map, take_out
from yuplet.parts.extending import extended
from yuplet.parts.making import Content, Made, placed_mask, trimmed
from yuplet.parts.merging import merged
from yuplet.parts.overscan import widened
from yuplet.parts.turning import turned
from yuplet.selecting.masks import Mask


def rebuilt(
    made: DerivedLayer,
    sources: Mapping[str, Content],
    mask: Mask | None,
    canvas: Size,
    by: tuple[int, int] = (0, 0),
    factor: float = 1.0,
) -> Made | None:
    """The content of a made layer from the layers that it is of, as they are now; None when it is empty.

    Parameters
    ----------
    made : DerivedLayer
    sources : mapping
        The content of each layer that it is made of; empty ones are absent.
    mask : (H, W) uint8, optional
        What the recipe's mask stands for.
    canvas : Size
    by : (int, int)
        How far the art was moved since the mask was drawn.
    factor : float
        How much larger the same art is drawn.
    """
    recipe = made.recipe
    if isinstance(recipe, Backdrop):
        return backdrop(canvas, recipe)
    if isinstance(recipe, Merged):
        return merged(sources, recipe)
    layer = sources.get(made.of or "")
    if layer is None:
        return None
    if isinstance(recipe, Turned):
        return turned(layer, replace(recipe, about=(recipe.about[0] * factor, recipe.about[1] * factor)))
    if isinstance(recipe, Dyed):
        return dyed(layer, recipe)
    if isinstance(recipe, Widened):
        return widened(layer, replace(recipe, left=round(recipe.left * factor), right=round(recipe.right * factor)))
    # What was pasted is no layer of another one.
    assert mask is not None and not isinstance(recipe, Pasted)
    at = recipe.mask_box
    if factor != 1:
        at = Box(*(round(side * factor) for side in at))
        how = cv2.INTER_NEAREST if set(np.unique(mask)) <= {0, 255} else cv2.INTER_LINEAR
        mask = cv2.resize(mask, at.size, interpolation=how).astype(np.uint8, copy=False)
    again = replace(recipe, mask_box=at.moved(*by))
    if isinstance(again, Extension):
        return extended(layer, mask, again, sources.get(again.twin or ""))
    return _cut_again(layer, mask, again)


def _cut_again(layer: Content, mask: Mask, recipe: Cut) -> Made | None:
    placed = placed_mask(mask, recipe.mask_box, layer.box)
    owner = label_map(layer.picture, [placed])
    if not owner.any():
        if recipe.keeps == "taken":
            return None
        return trimmed(layer.picture, layer.box, replace(recipe, mask_box=layer.box), placed, layer.added)
    found = take_out(layer, owner, recipe.behind, placed)
    return found.left if recipe.keeps == "left" else found.taken[0]
