"""Tiny things that were not meant: specks of art beside a part, and holes in it."""

import numpy as np

from yuplet.pixels import Picture
from yuplet.selecting.masks import Chosen
from yuplet.selecting.regions import Labels, pieces_of

_FAR = 0.01
"""The share of a part's pixels up to which pieces far away count as crumbs."""
_LARGER = 2.0
"""By how much crumbs make the box larger, in area, when they lie far away."""


def crumbs(picture: Picture, smallest: int) -> Chosen:
    """Pieces that are not the largest one and have fewer than `smallest` pixels.

    So are larger ones that have less than a hundredth of the art, if the box were less than half as large without all of those.
    Pieces are 8-connected pixels with alpha above 0.

    >>> dot = np.zeros((9, 9, 4), np.uint8); dot[:4, :4] = dot[8, 8] = 255
    >>> np.argwhere(crumbs(dot, 4)).tolist()
    [[8, 8]]
    """
    there: Chosen = picture[..., 3] > 0
    labels = pieces_of(there, 8)
    sizes = np.bincount(labels.ravel())
    sizes[0] = 0
    if sizes.size < 3:
        return np.zeros_like(there)
    tiny = sizes < smallest
    far = sizes < _FAR * sizes.sum()
    for small in (tiny, far):
        small[0] = small[int(sizes.argmax())] = False
    found = _of(labels, tiny)
    more = _of(labels, tiny | far)
    if more.any() and _area(there & ~found) >= _LARGER * _area(there & ~more):
        return more
    return found


def pinholes(picture: Picture, smallest: int) -> Chosen:
    """Holes of fewer than `smallest` pixels: 4-connected ones with alpha 0 that the art goes round.

    >>> ring = np.full((5, 5, 4), 255, np.uint8); ring[2, 2] = ring[0, 0] = 0
    >>> np.argwhere(pinholes(ring, 4)).tolist()
    [[2, 2]]
    """
    framed = np.pad(picture[..., 3] == 0, 1, constant_values=True)
    labels = pieces_of(framed, 4)
    sizes = np.bincount(labels.ravel())
    small = sizes < smallest
    small[0] = small[labels[0, 0]] = False
    return _of(labels, small)[1:-1, 1:-1]


def _of(labels: Labels, chosen: Chosen) -> Chosen:
    found: Chosen = chosen[labels]
    return found


def _area(there: Chosen) -> int:
    rows, columns = np.flatnonzero(there.any(axis=1)), np.flatnonzero(there.any(axis=0))
    if rows.size == 0:
        return 0
    return int((rows[-1] - rows[0] + 1) * (columns[-1] - columns[0] + 1))
