"""A part is a description of what to take from the illustration; its pixels are computed when they are needed."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import KW_ONLY, dataclass
from typing import Literal, NamedTuple, TypeAlias

import numpy as np

from yuplet.geometry import Box, Point, Size, box_around
from yuplet.pixels import DeepPicture, Picture, deepened, kernels
from yuplet.pixels.compositing import CompositeNode, GroupNode, PictureNode, compose, compose_deep
from yuplet.pixels.spill_file import PixelSource
from yuplet.pixels.trimming import Pixels, content_box, cut


@dataclass(frozen=True, slots=True)
class Piece:
    """A layer that a part is made of, and how it is laid within the part."""

    layer: str
    opacity: float = 1.0
    blend: str = "normal"


@dataclass(frozen=True, slots=True)
class Frame:
    """One moment of a part: its pieces, back to front, and how long it is seen (None: nobody has said)."""

    pieces: tuple[Piece, ...]
    milliseconds: int | None = None


def still(*layers: str) -> tuple[Frame, ...]:
    """The frames of a part that does not move: one, of these layers."""
    return (Frame(tuple(Piece(layer) for layer in layers)),)


Role: TypeAlias = Literal["picture", "press-target", "text", "ground", "reference", "guide", "loose"]
"""What a part is for the receiver; a ground is wholly covered on purpose, a guide is not meant to be seen in the end."""


class Margins(NamedTuple):
    """How far from each edge of a part's box it must not be stretched, in pixels; what lies between may be."""

    left: int
    top: int
    right: int
    bottom: int


class Anchor(NamedTuple):
    """The place of the screen that a part keeps its distance to: 0 left or top, 0.5 the middle, 1 right or bottom."""

    x: float
    y: float


@dataclass(frozen=True, slots=True)
class Part:
    """A named piece that will be handed over.

    `frames` are its moments; a still part has one, and at rest the first is seen. `shown` is whether it is seen,
    `included` whether it is handed over: neither depends on the other. `opacity` (0 to 1) and `blend` apply when the part
    is laid and are not in its pixels. `pivot` is in canvas pixels. `offset` is how far the part lies from where its
    layers do, in canvas pixels. `loops` is how often the frames are played, 0 for without end. `parent` is the id of the part
    that carries it along, `depth` how far behind the picture plane it stands, in canvas pixels. `role` is what it is for, `margins`
    and `anchor` are for pieces of an interface. What lies `beyond` the canvas is handed over too where that is true: a plane that is
    wider than the view.
    """

    id: str
    name: str
    frames: tuple[Frame, ...]
    _: KW_ONLY
    shown: bool = True
    included: bool = True
    opacity: float = 1.0
    blend: str = "normal"
    locked: bool = False
    pivot: Point | None = None
    offset: tuple[int, int] = (0, 0)
    loops: int = 0
    parent: str | None = None
    depth: float = 0.0
    role: Role = "picture"
    margins: Margins | None = None
    anchor: Anchor | None = None
    beyond: bool = False

    @property
    def pieces(self) -> tuple[Piece, ...]:
        """What is seen at rest."""
        return self.frames[0].pieces

    @property
    def is_one_layer(self) -> bool:
        """Whether at rest the part is one layer just as it is."""
        return len(self.pieces) == 1 and self.pieces[0].opacity == 1 and self.pieces[0].blend == "normal"

    @property
    def layers(self) -> set[str]:
        """The ids of all layers that the part is taken from, in any frame."""
        return {piece.layer for frame in self.frames for piece in frame.pieces}


def part_box(part: Part, layer_boxes: Mapping[str, Box], canvas: Size) -> Box | None:
    """The box of a part on the canvas around all of its frames, from the boxes of its layers (empty layers are absent).

    None when the part is empty or lies outside of the canvas.
    """
    return _box(part, part.layers, layer_boxes, canvas)


def rest_box(part: Part, layer_boxes: Mapping[str, Box], canvas: Size) -> Box | None:
    """The box of what is seen of a part at rest; None when that is empty or lies outside of the canvas."""
    return _box(part, {piece.layer for piece in part.pieces}, layer_boxes, canvas)


def part_node(part: Part, layer_boxes: Mapping[str, Box], canvas: Size) -> CompositeNode | None:
    """A part at rest in the form that `compose` takes, its opacity and blend mode included; None when it is empty."""
    if rest_box(part, layer_boxes, canvas) is None:
        return None
    leaves = _leaves(part.pieces, part.offset, layer_boxes)
    if part.is_one_layer:
        return PictureNode(leaves[0].key, leaves[0].box, part.opacity, part.blend)
    return GroupNode(tuple(leaves), part.opacity, part.blend, isolated=True)


def render(part: Part, layer_boxes: Mapping[str, Box], source: PixelSource, canvas: Size) -> tuple[Box, Picture] | None:
    """Compute the pixels of a part at rest.

    Parameters
    ----------
    part : Part
        Its own opacity and blend mode are not applied.
    layer_boxes : mapping
        The box of each layer's content; a layer that is absent is empty.
    source : PixelSource
        The pixels of the layers.
    canvas : Size
        What lies outside is cut off.

    Returns
    -------
    (Box, (H, W, 4) uint8) or None
        The tight box on the canvas and the straight RGBA pixels in it; colour under alpha 0 is 0. None when the part
        has no visible pixel at rest.
    """
    box = rest_box(part, layer_boxes, canvas)
    if box is None:
        return None
    picture = render_frame(part, 0, box, layer_boxes, source)
    tight = content_box(picture)
    if tight is None:
        return None
    return tight.moved(box.left, box.top), np.ascontiguousarray(cut(picture, tight))


def render_frame(
    part: Part, index: int, box: Box, layer_boxes: Mapping[str, Box], source: PixelSource, keeps_hidden: bool = False
) -> Picture:
    """Compute one frame of a part within a box of the canvas, (H, W, 4) straight RGBA.

    Colour under alpha 0 is 0, unless `keeps_hidden` is true and the frame is one layer just as it is.
    """
    moved = _within(part, index, box, layer_boxes)
    if _is_one_as_it_is(moved):
        picture = _as_it_is(moved[0], box.size, source)
        if keeps_hidden:
            return picture
    else:
        picture = compose(moved, box.size, source, workers=1)
    kernels.clear_hidden_colour(picture)
    return picture


def render_frame_deep(
    part: Part, index: int, box: Box, layer_boxes: Mapping[str, Box], source: PixelSource, keeps_hidden: bool = False
) -> DeepPicture:
    """The same as `render_frame` with 16 bits a channel, (H, W, 4) uint16; of layers that have 8 these, each 257 times."""
    moved = _within(part, index, box, layer_boxes)
    if _is_one_as_it_is(moved):

        def rows(top: int, bottom: int) -> DeepPicture:
            deep = source.deep_rows(moved[0].key, top, bottom)
            return deepened(source.rows(moved[0].key, top, bottom)) if deep is None else deep

        picture = _at_its_place(moved[0], box.size, rows)
        if keeps_hidden:
            return picture
    else:
        picture = compose_deep(moved, box.size, source, workers=1)
    picture[picture[..., 3] == 0] = 0
    return picture


def _within(part: Part, index: int, box: Box, layer_boxes: Mapping[str, Box]) -> list[PictureNode]:
    """The layers of a frame, seen from the corner of a box."""
    leaves = _leaves(part.frames[index].pieces, part.offset, layer_boxes)
    return [PictureNode(leaf.key, leaf.box.moved(-box.left, -box.top), leaf.opacity, leaf.blend) for leaf in leaves]


def _is_one_as_it_is(leaves: Sequence[PictureNode]) -> bool:
    return len(leaves) == 1 and leaves[0].opacity == 1 and leaves[0].blend == "normal"


def _as_it_is(leaf: PictureNode, size: Size, source: PixelSource) -> Picture:
    """The pixels of one layer at its place in a picture of a size."""
    return _at_its_place(leaf, size, lambda top, bottom: source.rows(leaf.key, top, bottom))


def _at_its_place(leaf: PictureNode, size: Size, rows_of: Callable[[int, int], Pixels]) -> Pixels:
    seen = leaf.box.meet(Box(0, 0, *size))
    rows = rows_of(seen.top - leaf.box.top, max(seen.bottom, seen.top) - leaf.box.top)
    if leaf.box == Box(0, 0, *size):
        return rows
    picture = np.zeros((size.height, size.width, 4), rows.dtype)
    if not seen.is_empty:
        columns = slice(seen.left - leaf.box.left, seen.right - leaf.box.left)
        picture[seen.top : seen.bottom, seen.left : seen.right] = rows[:, columns]
    return picture


def _leaves(pieces: Iterable[Piece], offset: tuple[int, int], layer_boxes: Mapping[str, Box]) -> list[PictureNode]:
    return [
        PictureNode(piece.layer, layer_boxes[piece.layer].moved(*offset), piece.opacity, piece.blend)
        for piece in pieces
        if piece.layer in layer_boxes
    ]


def _box(part: Part, layers: set[str], layer_boxes: Mapping[str, Box], canvas: Size) -> Box | None:
    around = box_around([layer_boxes[layer].moved(*part.offset) for layer in layers if layer in layer_boxes])
    if around is None:
        return None
    on_canvas = around.meet(Box(0, 0, canvas.width, canvas.height))
    return None if on_canvas.is_empty else around if part.beyond else on_canvas
