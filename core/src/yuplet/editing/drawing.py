"""What is seen of parts and held by layers, read when it is needed: all of them may be larger than the memory."""

from collections.abc import Callable, Collection, Iterator
from contextlib import contextmanager
from dataclasses import replace
from typing import TypeAlias

from yuplet.arrangement.tree import Arrangement
from yuplet.derivation.layer_store import LayerStore
from yuplet.derivation.merging import merged, merging
from yuplet.findings.doubles import Drawn
from yuplet.parts.part import Part

FrameOf: TypeAlias = Callable[[Part, int], Drawn | None]
LayerOf: TypeAlias = Callable[[str], Drawn | None]


@contextmanager
def drawn(
    arrangement: Arrangement, layers: LayerStore, only: Collection[str] | None = None
) -> Iterator[tuple[FrameOf, LayerOf]]:
    """How the frames of parts, and layers, are read; with `only`, of those parts and their layers."""
    parts = [part for _, part in arrangement.parts() if only is None or part.id in only]
    read = layers.illustration
    wanted = {layer for part in parts for layer in part.layers}
    if only is None:
        wanted |= {root for layer in wanted for root in read.roots_of(layer)} | {layer.id for layer in read.leaves()}
    boxes, added = read.boxes, {made.id: made.added for made in read.made}
    with layers.pixels(wanted) as pixels:

        def layer_of(layer: str) -> Drawn | None:
            if layer not in boxes:
                return None
            key = added.get(layer)
            return Drawn(
                boxes[layer],
                lambda top, bottom: pixels.rows(layer, top, bottom),
                lambda: None if key is None else layers.mask(key) > 0,
            )

        def frame_of(part: Part, index: int) -> Drawn | None:
            pieces = part.frames[index].pieces
            if len(pieces) == 1 and pieces[0].opacity == 1:
                only = layer_of(pieces[0].layer)
                return only and replace(only, box=only.box.moved(*part.offset))
            contents = {piece.layer: one.content() for piece in pieces if (one := layer_of(piece.layer)) is not None}
            made = merged(contents, merging(pieces))
            if made is None:
                return None
            return Drawn.of(replace(made.content, box=made.box.moved(*part.offset)))

        yield frame_of, layer_of
