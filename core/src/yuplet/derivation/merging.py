"""Several layers as one."""

from collections.abc import Mapping, Sequence

import numpy as np

from yuplet.derivation.content import Content, Derived, trimmed
from yuplet.derivation.layer_store import LayerStore
from yuplet.geometry import box_around
from yuplet.illustration.derived import Merged
from yuplet.parts.part import Piece
from yuplet.pixels import kernels
from yuplet.pixels.compositing import PictureNode, compose
from yuplet.pixels.spill_file import SpillFile


def merged(sources: Mapping[str, Content], derivation: Merged) -> Derived | None:
    """Layers laid over each other, rounded once; None when all are empty. A pixel is added where each that is there is."""
    there = [(sources[layer], opacity, blend) for layer, opacity, blend in derivation.pieces if layer in sources]
    around = box_around([content.box for content, _, _ in there])
    if around is None:
        return None
    with SpillFile() as scratch:
        leaves = []
        drawn = np.zeros((around.height, around.width), np.bool_)
        for number, (content, opacity, blend) in enumerate(there):
            scratch.put(str(number), content.picture)
            place = content.box.moved(-around.left, -around.top)
            leaves.append(PictureNode(str(number), place, opacity, blend))
            own = (content.picture[..., 3] > 0) & ~content.all_added
            drawn[place.top : place.bottom, place.left : place.right] |= own
        picture = compose(leaves, around.size, scratch)
    kernels.clear_hidden_colour(picture)
    return trimmed(picture, around, derivation, None, ~drawn & (picture[..., 3] > 0))


def merged_pieces(layers: LayerStore, pieces: Sequence[Piece]) -> Derived | None:
    """Pieces as one layer; None when nothing of them is seen."""
    contents = {piece.layer: found for piece in pieces if (found := layers.content(piece.layer)) is not None}
    return merged(contents, merging(pieces))


def merging(pieces: Sequence[Piece]) -> Merged:
    """The derivation of pieces that become one layer."""
    return Merged(tuple((piece.layer, piece.opacity, piece.blend) for piece in pieces))
