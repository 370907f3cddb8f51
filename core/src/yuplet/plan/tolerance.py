"""By how much a picture may differ that is put together again from what cannot be exact.

The figures are half as much again as the most that `bench/lossy.py` found (docs/measurements.md has its table): what differs by more
is not what a format does to art, but a fault.
"""

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from yuplet.plan.planned import PlannedPart
from yuplet.plan.recipe import Images, Recipe

_QUALITIES = (1, 30, 50, 70, 80, 90, 95, 100)
_LARGEST: Mapping[str, tuple[int, ...]] = {
    "webp": (255, 175, 150, 130, 105, 102, 96, 95),
    "avif": (255, 216, 180, 95, 95, 90, 90, 90),
    "jpeg": (255, 171, 171, 171, 129, 63, 35, 10),
}
_MEAN: Mapping[str, tuple[float, ...]] = {
    "webp": (6, 3.0, 2.8, 2.6, 2.5, 2.0, 1.4, 1.0),
    "avif": (6, 2.8, 2.6, 2.3, 2.0, 1.4, 1.1, 1.1),
    "jpeg": (6, 3.2, 2.8, 2.5, 2.4, 2.0, 1.6, 0.5),
}
_SCALED = (107, 2.9)
"""Of the signal post, 97 x 73 px of noise with modes, at half its size; other art comes to 87 and 0.25."""
_FEW_COLOURS = (128, 2.5)
"""GIF: not measured."""


@dataclass(frozen=True, slots=True)
class Allowed:
    """The `largest` difference of a level, of 255, and the `mean` over all pixels and channels, both of colour weighted by alpha."""

    largest: int
    mean: float


def allowed(recipe: Recipe, parts: Iterable[PlannedPart], factor: Fraction) -> Allowed:
    """What may differ at a scale where it cannot be exact: what the recipe says, else what its formats, qualities and scale usually do.

    >>> allowed(Recipe(), [], Fraction(1))
    Allowed(largest=0, mean=0.0)
    """
    usual = [_usual(one.images, len(one.part.frames)) for one in parts]
    if factor != 1 and recipe.smooth:
        usual.append(_SCALED)
    largest = max((one for one, _ in usual), default=0)
    mean = max((one for _, one in usual), default=0.0)
    said = recipe.tolerance
    return Allowed(largest if said.largest is None else said.largest, mean if said.mean is None else said.mean)


def _usual(images: Images, frames: int) -> tuple[int, float]:
    if images.is_exact_for(frames):
        return 0, 0.0
    if images.moving == "gif" and frames > 1 and images.stored == "files":
        return _FEW_COLOURS
    largest = float(np.interp(images.quality, _QUALITIES, _LARGEST[images.format]))
    mean = float(np.interp(images.quality, _QUALITIES, _MEAN[images.format]))
    return min(math.ceil(largest), 255), math.ceil(100 * mean) / 100
