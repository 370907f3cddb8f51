"""Looking the parts of an illustration over."""

import numpy as np
from numpy.typing import NDArray

from yuplet.arrangement.tree import Arrangement, composite_tree
from yuplet.derivation.layer_store import LayerStore
from yuplet.editing.drawing import drawn
from yuplet.findings.finding import Finding
from yuplet.findings.findings import look_over
from yuplet.parts.part import part_node
from yuplet.pixels.compositing import compose

SMALLEST = 12
"""Pixels from which on a piece or a hole is meant, until somebody says otherwise."""
HARDLY = 2
"""Levels of 255 that make no difference to whether something is missing: rounding does not take more."""


def found_in(
    arrangement: Arrangement, layers: LayerStore, smallest: int = SMALLEST, tolerance: int = 0
) -> list[Finding]:
    """Everything there is to find; numbers as in `look_over`."""
    agreeing = away_from_original(arrangement, layers) <= max(tolerance, HARDLY)
    with drawn(arrangement, layers) as (frame_of, layer_of):
        return look_over(layers.illustration, arrangement, frame_of, layer_of, agreeing, smallest, tolerance)


def away_from_original(arrangement: Arrangement, layers: LayerStore) -> NDArray[np.int16]:
    """By how much each pixel of the parts that are included and shown, laid together, differs from what was brought in, (H, W).

    Colour counts where either has alpha above 0.
    """
    tree, read = arrangement.settled(), layers.illustration
    wanted = {layer for _, part in tree.parts() if part.shown and part.included for layer in part.layers}
    with layers.pixels(wanted) as pixels:
        ours = compose(composite_tree(tree, lambda part: part_node(part, read.boxes, read.canvas)), read.canvas, pixels)
    away = np.abs(ours.astype(np.int16) - layers.original())
    away[(ours[..., 3] == 0) & (away[..., 3] == 0)] = 0
    worst: NDArray[np.int16] = away.max(axis=2)
    return worst
